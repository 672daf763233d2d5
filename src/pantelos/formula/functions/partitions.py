"""Ways to take a record in pieces, for `READING over PARTITION(CHANNEL)`."""

from collections.abc import Callable

import msgspec

from pantelos.errors import StudyError
from pantelos.formula.scope import Scope
from pantelos.registry import Registry
from pantelos.signal.partition import Partition


class PartitionKind(msgspec.Struct, frozen=True):
    """One entry of the registry: what it is called, what its pieces are, how they are found for a channel."""

    name: str
    help: str
    of: Callable[[Scope, str], Partition]


def _cycles(scope: Scope, channel: str) -> Partition:
    found = scope.cycles(channel)
    if len(found.crossings) < 2:
        raise StudyError(f'"{channel}" shows no cycles in this record: {found.why_not}. Choose an alternating channel.')
    return found.partition


PARTITIONS = Registry("partition", lambda kind: kind.name, (PartitionKind("cycles", "The cycles of a channel.", _cycles),))
