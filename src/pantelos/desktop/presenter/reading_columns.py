"""The columns of numbers beside the lanes: readings of the active interval, or one reading compared between intervals."""

import math
from collections.abc import Callable, Sequence
from typing import TypeAlias

import msgspec

from pantelos.accuracy.budget import Budget
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import Stated, try_accuracy
from pantelos.errors import PantelosError
from pantelos.formula.compiled import Kind
from pantelos.notation import MISSING, PARTLY, decimals_of, digits_after_point, minus, prefix_for, rounded
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind
from pantelos.reading.reading import ReadingKind
from pantelos.study.model import Interval, Study
from pantelos.units import Unit, unit

MOST_COMPARED = 6
_DIGITS = 5
_TOO_SMALL = 1e-4  # of the lane: smaller numbers with a known accuracy have a prefix of their own


class ReadingColumn(msgspec.Struct, frozen=True):
    """One column: a reading in an interval (None: the active one), perhaps against another interval."""

    reading: str
    interval: str | None = None
    against: str | None = None
    comparing: str = "values"

    @property
    def kind(self) -> ReadingKind:
        """The reading."""
        found = reading_kind(self.reading)
        assert found is not None
        return found

    @property
    def title(self) -> str:
        """The heading: the reading, or the interval where intervals are compared."""
        if self.interval is None:
            return self.kind.title
        sign = {"values": "", "differences": "Δ ", "ratios": "÷ "}[self.comparing if self.against is not None else "values"]
        return sign + self.interval


def compared(study: Study) -> tuple[Interval, ...]:
    """Return the intervals that are compared, in the order of time; the active one is always among them."""
    ordered = sorted(study.intervals, key=lambda i: i.start_s)
    chosen = ordered[:MOST_COMPARED]
    if study.active_interval is not None and study.active_interval not in chosen:
        chosen = [*chosen[:-1], study.active_interval]
    return tuple(sorted(chosen, key=lambda i: i.start_s))


def reading_columns(study: Study) -> tuple[ReadingColumn, ...]:
    """Return the columns that are shown."""
    columns = study.columns
    if columns.compare is None or not study.intervals:
        return tuple(ReadingColumn(name) for name in columns.readings)
    return tuple(
        ReadingColumn(
            columns.compare,
            i.name,
            study.active if columns.comparing != "values" and i.name != study.active else None,
            columns.comparing,
        )
        for i in compared(study)
    )


class CellValue(msgspec.Struct, frozen=True):
    """One number beside a lane: SI value, expanded uncertainty (NaN where not stated), unit."""

    value: float
    unit: Unit
    expanded: float = math.nan
    partly: bool = False  # the accuracy leaves something out
    seen: float = math.nan  # what steps and noise of the record leave, where no accuracy is stated, SI


Cells: TypeAlias = dict[tuple[str, ReadingColumn], CellValue]


def cells_job(
    evaluation: Evaluation, channels: Sequence[str], columns: Sequence[ReadingColumn], with_accuracy: bool
) -> Callable[[Progress], Cells]:
    """Return the work that takes the numbers of channels; those of one channel are given up together on request."""

    def job(progress: Progress) -> Cells:
        found: Cells = {}
        for at, name in enumerate(channels):
            for column in columns:
                found[name, column] = _cell(evaluation, name, column, with_accuracy)
                progress.at((at + 0.5) / len(channels))
        return found

    return job


def _cell(evaluation: Evaluation, name: str, column: ReadingColumn, with_accuracy: bool) -> CellValue:
    kind = column.kind
    shown = kind.unit([evaluation.names.unit(name)])
    value, stated = _taken(evaluation, name, kind, column.interval, with_accuracy)
    if column.against is None:
        return CellValue(value, shown, stated.expanded, bool(stated.leaves_out), stated.seen)
    other, other_stated = _taken(evaluation, name, kind, column.against, with_accuracy)
    partly = bool(stated.leaves_out or other_stated.leaves_out)
    if column.comparing == "differences":
        return CellValue(value - other, shown, _joined(stated, 1.0, other_stated, -1.0), partly)
    if not (math.isfinite(value) and math.isfinite(other)) or other == 0:
        return CellValue(math.nan, unit("1"))
    return CellValue(value / other, unit("1"), _joined(stated, 1 / other, other_stated, -value / other**2), partly)


def _taken(
    evaluation: Evaluation, name: str, kind: ReadingKind, interval: str | None, with_accuracy: bool
) -> tuple[float, Stated]:
    if evaluation.names.kind(name) is Kind.SCALAR:
        return math.nan, Stated(None)
    try:
        value = evaluation.reading(kind, [name], interval).value
    except PantelosError:
        return math.nan, Stated(None)
    return value, try_accuracy(evaluation, kind, [name], interval) if with_accuracy else Stated(None)


def _joined(one: Stated, own: float, other: Stated, of_other: float) -> float:
    if one.budget is None or other.budget is None:
        return math.nan
    joined: Budget = one.budget.with_other(own, other.budget, of_other)
    return joined.expanded if joined.given else math.nan


def narrower(text: str) -> str | None:
    """Return a number with one decimal less, rounded, its unit kept; None where none is left to drop."""
    figure, blank, symbol = text.partition(" ")
    decimals = len(figure.partition(".")[2])
    if not decimals:
        return None
    value = float(figure.replace("\N{MINUS SIGN}", "-"))
    return minus(f"{value:.{decimals - 1}f}") + blank + symbol


class CellText(msgspec.Struct, frozen=True):
    """How a number beside a lane is written."""

    figure: str
    within: str = ""  # its accuracy
    symbol: str = ""  # its unit where the lane does not say it

    @property
    def behind(self) -> str:
        """What stands behind the figure, smaller: accuracy and unit."""
        return f"{self.within} {self.symbol}".strip()

    @property
    def alone(self) -> str:
        """The figure with its unit, where there is no room for its accuracy."""
        return f"{self.figure} {self.symbol}".rstrip()


def cell_text(cell: CellValue | None, lane_scale: float, lane_unit: Unit, accuracy: bool, said: bool = True) -> CellText:
    """Return a number in the prefix of the lane where the unit is the lane's, else in its own, with its unit.

    `said`: the lane says its unit. Without a stated accuracy five digits of the lane's size are shown, no more than
    steps and noise of the record leave; with one as many as it deserves.
    """
    if cell is None or not math.isfinite(cell.value):
        return CellText(MISSING)
    size = max(abs(cell.value), cell.expanded) if math.isfinite(cell.expanded) else abs(cell.value)
    small = math.isfinite(cell.expanded) and size < _TOO_SMALL * lane_scale
    of_lane = cell.unit == lane_unit and not small
    scale, symbol = prefix_for(lane_scale if of_lane else size, cell.unit)
    same = cell.unit == lane_unit and symbol == prefix_for(lane_scale, lane_unit)[1]
    if said and (of_lane or same):
        symbol = ""
    if accuracy and math.isfinite(cell.expanded) and cell.expanded > 0:
        decimals = decimals_of(cell.expanded / scale)
        within = f"±{rounded(cell.expanded / scale, decimals)}{PARTLY if cell.partly else ''}"
        return CellText(rounded(cell.value / scale, decimals), within, symbol)
    if cell.unit.symbol == "1" and float(cell.value).is_integer():
        return CellText(f"{cell.value:.0f}")
    full = lane_scale / scale if of_lane else abs(cell.value) / scale
    decimals = digits_after_point(full, _DIGITS)
    if math.isfinite(cell.seen) and cell.seen > 0:
        decimals = min(decimals, max(decimals_of(cell.seen / scale), 0))
    return CellText(minus(f"{cell.value / scale:.{decimals}f}"), symbol=symbol)


def told_in_words(evaluation: Evaluation, cells: Cells) -> str:
    """Return the numbers beside the lanes as sentences for who cannot see them: one for each channel."""
    told: dict[str, list[str]] = {}
    for (name, column), cell in cells.items():
        if name in evaluation.names.types:
            text = cell_text(cell, abs(cell.value) or 1.0, evaluation.names.unit(name), accuracy=True, said=False)
            told.setdefault(name, []).append(f"{column.title} {text.figure} {text.behind}".rstrip())
    return ". ".join(f"{name}: {', '.join(said)}" for name, said in told.items())
