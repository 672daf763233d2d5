"""The ledger: where lanes are, what a place in them means, and the readings beside them."""

import math
from collections.abc import Callable
from dataclasses import dataclass

from pantelos.desktop.presenter.axis import fitted
from pantelos.errors import PantelosError
from pantelos.formula.compile import Kind
from pantelos.notation import MISSING, digits_after_point, minus, prefix_for
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind
from pantelos.study.evaluation import Evaluation
from pantelos.study.model import Lane, Study

READING_COLUMNS = ("rms", "mean", "peak_to_peak")
LEAST_HEIGHT = 66
_DIGITS = 5


@dataclass(frozen=True, slots=True)
class Row:
    """One lane on the screen."""

    lane: Lane
    index: int
    top: int
    height: int

    @property
    def bottom(self) -> int:
        """Its lower edge."""
        return self.top + self.height


def rows(study: Study, height: int) -> list[Row]:
    """Return the lanes one below the other: they share the height by weight, none below the least that is legible."""
    total = sum(lane.weight for lane in study.lanes) or 1.0
    found, top = [], 0
    for index, lane in enumerate(study.lanes):
        own = max(round(height * lane.weight / total), round(LEAST_HEIGHT * min(lane.weight, 1.0)), 30)
        found.append(Row(lane, index, top, own))
        top += own
    return found


def row_at(found: list[Row], y: float) -> Row | None:
    """Return the lane at a height, or None below the last."""
    return next((row for row in found if row.top <= y < row.bottom), None)


def lane_extent(evaluation: Evaluation, lane: Lane) -> tuple[float, float]:
    """Return the scale of a lane: fixed by the user, else fitted to the whole record, so that it stays when moving."""
    if lane.scale is not None:
        return lane.scale
    low, high = math.inf, -math.inf
    for name in lane.channels:
        if name in evaluation.types and evaluation.kind(name) is not Kind.SCALAR and evaluation.can_draw(name):
            lowest, highest = evaluation.extent(name)
            low, high = min(low, lowest), max(high, highest)
    return fitted(low, high)


def reading_job(evaluation: Evaluation, channels: tuple[str, ...]) -> Callable[[Progress], dict[str, tuple[float, ...]]]:
    """Return the work that takes the readings of channels over the active interval, SI."""

    def job(progress: Progress) -> dict[str, tuple[float, ...]]:
        found = {}
        for at, name in enumerate(channels):
            found[name] = tuple(_reading(evaluation, column, name) for column in READING_COLUMNS)
            progress.at((at + 1) / len(channels))
        return found

    return job


def _reading(evaluation: Evaluation, column: str, name: str) -> float:
    kind = reading_kind(column)
    assert kind is not None
    try:
        return evaluation.reading(kind, [name]).value
    except PantelosError:
        return math.nan


def reading_text(value: float, full_scale: float, evaluation: Evaluation, name: str) -> str:
    """Return a reading in the prefix of its lane, to a resolution that suits the size of the lane."""
    if not math.isfinite(value):
        return MISSING
    scale, _ = prefix_for(full_scale, evaluation.unit(name))
    return minus(f"{value / scale:.{digits_after_point(full_scale / scale, _DIGITS)}f}")
