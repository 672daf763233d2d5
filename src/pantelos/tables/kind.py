"""What a kind of table is: what it computes, what stands behind its numbers, and how it is laid out in a report."""

from collections.abc import Callable, Iterable, Sequence
from typing import TypeAlias

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.sheets.blocks import Sheet
from pantelos.sheets.table import Table
from pantelos.study.model import Study
from pantelos.study.report import Report
from pantelos.tables.explaining import Explanation

# The texts that head a row, by column: which interval, which channel.
Heads: TypeAlias = dict[str, str]
# From the heads of the row, the key of the column and what the checks found.
Explain: TypeAlias = Callable[[Evaluation, Heads, str, Iterable[Notice]], Explanation | None]


class Given(msgspec.Struct, frozen=True, eq=False):
    """What sheets are made from."""

    evaluation: Evaluation
    report: Report
    places: tuple[str, ...]  # intervals as columns
    notices: Sequence[Notice]  # what the checks found
    progress: Progress
    table: Callable[[str], Table]  # another table of the same intervals, by its id; raises StudyError
    beside: tuple[str, ...] = ()  # the sheets that are handed over with it, by id

    @property
    def first(self) -> str:
        """The interval that is shown in full: the active one where it is among them."""
        active = self.evaluation.study.active
        return active if active is not None and active in self.places else self.places[0]


def _nothing(study: Study) -> str:
    return ""


class SheetLayout(msgspec.Struct, frozen=True):
    """How a table reads as a sheet of the report, where that is more than its grid."""

    make: Callable[[Given], Sheet]  # raises StudyError where the study cannot fill it
    title: str = ""  # that of the table when left out, as the next
    help: str = ""
    usual: bool = True  # part of a report that nobody has arranged
    of_supply: bool = False  # whether it rests on what is declared of the supply
    by_order: bool = False  # whether it has a row per order: drawn as a chart in workbooks
    place: int = 100  # among the sheets
    lacks: Callable[[Study], str] = (
        _nothing  # from the study alone: what it lacks to fill the sheet, and the remedy; empty: nothing
    )


class TableKind(msgspec.Struct, frozen=True):
    """One entry of the registry: a table that a study can have, a sheet, or both."""

    id: str
    title: str
    help: str
    build: Callable[[Evaluation, Sequence[str], Progress], Table] | None = None  # of the intervals named
    explain: Explain | None = None  # what stands behind a number; None: what the table itself says
    layout: SheetLayout | None = None
    on_request: bool = False  # made only where it is asked for by name
    place: int = 100  # in lists: small ones first

    @property
    def sheet_title(self) -> str:
        """How its sheet is called."""
        return self.layout.title if self.layout is not None and self.layout.title else self.title

    @property
    def sheet_help(self) -> str:
        """What its sheet shows."""
        return self.layout.help if self.layout is not None and self.layout.help else self.help
