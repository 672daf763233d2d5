"""What a kind of sheet is, and what it is made from."""

from collections.abc import Callable, Sequence

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.handover.blocks import Sheet
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.study.model import Report


class Given(msgspec.Struct, frozen=True, eq=False):
    """What sheets are made from."""

    evaluation: Evaluation
    report: Report
    places: tuple[str, ...]  # intervals as columns
    notices: Sequence[Notice]  # what the checks found
    progress: Progress

    @property
    def first(self) -> str:
        """The interval that is shown in full: the active one where it is among them."""
        active = self.evaluation.study.active
        return active if active is not None and active in self.places else self.places[0]


class SheetKind(msgspec.Struct, frozen=True):
    """One entry of the registry: a sheet that a hand-over can have."""

    id: str
    title: str
    help: str
    make: Callable[[Given], Sheet]  # raises StudyError where the study cannot fill it
    usual: bool = True  # part of a hand-over that nobody has arranged
    of_supply: bool = False  # whether it rests on what is declared of the supply
    by_order: bool = False  # whether it has a row per order: drawn as a chart in workbooks
    place: int = 100
