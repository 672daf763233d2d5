"""What a kind of table is."""

from collections.abc import Callable, Sequence

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.progress import Progress
from pantelos.report.table import Table


class TableKind(msgspec.Struct, frozen=True):
    """One entry of the registry: a table that a study can have."""

    id: str
    title: str
    help: str
    build: Callable[[Evaluation, Sequence[str], Progress], Table]  # of the intervals named
