"""What a kind of table is."""

from collections.abc import Callable, Iterable, Sequence
from typing import TypeAlias

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.report.explaining import Explanation
from pantelos.report.table import Table

# The texts that head a row, by column: which interval, which channel.
Heads: TypeAlias = dict[str, str]
# From the heads of the row, the key of the column and what the checks found.
Explain: TypeAlias = Callable[[Evaluation, Heads, str, Iterable[Notice]], Explanation | None]


class TableKind(msgspec.Struct, frozen=True):
    """One entry of the registry: a table that a study can have."""

    id: str
    title: str
    help: str
    build: Callable[[Evaluation, Sequence[str], Progress], Table]  # of the intervals named
    explain: Explain | None = None  # what stands behind a number; None: what the table itself says
    on_request: bool = False  # made only where it is asked for by name
    place: int = 100  # in lists: small ones first
