"""The ledger: where lanes are, what a place in them means, and how channels are drawn in them."""

import math
from typing import TypeVar

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.formula.compiled import Kind
from pantelos.notation import with_unit
from pantelos.paper.axis import fitted
from pantelos.signal.arrays import FloatArray
from pantelos.study.model import Study
from pantelos.study.shown import Lane, Look
from pantelos.units import Unit

T = TypeVar("T", float, FloatArray)

LEAST_HEIGHT = 66
COLLAPSED_HEIGHT = 21


class LaneRow(msgspec.Struct, frozen=True):
    """One lane on the screen."""

    lane: Lane
    index: int
    top: int
    height: int

    @property
    def bottom(self) -> int:
        """Its lower edge."""
        return self.top + self.height


def rows(study: Study, height: int) -> list[LaneRow]:
    """Return the lanes one below the other: they share the height by weight, none below the least that is legible."""
    opened = [lane for lane in study.lanes if not lane.collapsed]
    height -= COLLAPSED_HEIGHT * (len(study.lanes) - len(opened))
    total = sum(lane.weight for lane in opened) or 1.0
    found, top = [], 0
    for index, lane in enumerate(study.lanes):
        own = max(round(height * lane.weight / total), round(LEAST_HEIGHT * min(lane.weight, 1.0)), 30)
        own = COLLAPSED_HEIGHT if lane.collapsed else own
        found.append(LaneRow(lane, index, top, own))
        top += own
    return found


def row_at(found: list[LaneRow], y: float) -> LaneRow | None:
    """Return the lane at a height, or None below the last."""
    return next((row for row in found if row.top <= y < row.bottom), None)


class LaneAxis(msgspec.Struct, frozen=True):
    """One value axis of a lane: its unit, the channels that belong to it, and its scale, SI."""

    unit: Unit
    channels: tuple[str, ...]
    scale: tuple[float, float]


def lane_axes(evaluation: Evaluation, lane: Lane) -> list[LaneAxis]:
    """Return the axes of a lane: that of its first unit at the left, fixed by the user or fitted; that of a second at the right.

    Fitted scales show the whole record, so that they stay when moving. Nothing where nothing of the lane can be computed.
    """
    groups: list[tuple[Unit, list[str]]] = []
    for name in lane.channels:
        if name in evaluation.names.types:
            own = evaluation.names.unit(name)
            group = next((names for shared, names in groups if shared.like(own)), None)
            if group is None:
                groups.append((own, [name]))
            else:
                group.append(name)
    return [
        LaneAxis(own, tuple(names), lane.scale if at == 0 and lane.scale is not None else _fitted(evaluation, names))
        for at, (own, names) in enumerate(groups)
    ]


def axis_of(evaluation: Evaluation, lane: Lane, name: str) -> LaneAxis | None:
    """Return the axis that a channel of a lane is drawn on."""
    return next((axis for axis in lane_axes(evaluation, lane) if name in axis.channels), None)


def _fitted(evaluation: Evaluation, names: list[str]) -> tuple[float, float]:
    low, high = math.inf, -math.inf
    for name in names:
        if evaluation.names.kind(name) is not Kind.SCALAR and evaluation.drawing.can_draw(name):
            ends = [shown(evaluation, name, end) for end in evaluation.drawing.extent(name)]
            low, high = min(low, *ends), max(high, *ends)
    return fitted(low, high)


def lane_extent(evaluation: Evaluation, lane: Lane) -> tuple[float, float]:
    """Return the scale at the left of a lane."""
    if lane.scale is not None:
        return lane.scale
    axes = lane_axes(evaluation, lane)
    return axes[0].scale if axes else fitted(math.inf, -math.inf)


def shown(evaluation: Evaluation, name: str, value: T) -> T:
    """Return where a value (or several) of a channel is drawn, SI: as its look says."""
    look = evaluation.study.look(name)
    if look == Look():
        return value
    mean = evaluation.drawing.overall_mean(name) if look.mean_removed else 0.0
    return (value - mean) * look.factor + look.offset


def as_recorded(evaluation: Evaluation, name: str, drawn: float) -> float:
    """Return the value of a channel that is drawn at a value of its axis: `shown` the other way about."""
    look = evaluation.study.look(name)
    mean = evaluation.drawing.overall_mean(name) if look.mean_removed else 0.0
    return (drawn - look.offset) / look.factor + mean


def look_text(evaluation: Evaluation, name: str) -> str:
    """Return what is said beside a channel that is not drawn as it is: `×10 +5 V, mean removed`."""
    look = evaluation.study.look(name)
    parts = [
        f"×{look.factor:g}" if look.factor != 1 else "",
        f"{'+' if look.offset > 0 else '−'}{with_unit(abs(look.offset), evaluation.names.unit(name), 3)}" if look.offset else "",
        "mean removed" if look.mean_removed else "",
    ]
    return " ".join(part for part in parts if part)


def lanes_alike(evaluation: Evaluation, at: int) -> list[int]:
    """Return the lanes that show the same unit as one of them, itself included."""
    lanes = evaluation.study.lanes
    wanted = lane_unit(evaluation, lanes[at])
    return [
        k for k, lane in enumerate(lanes) if (found := lane_unit(evaluation, lane)) is not None and wanted and found.like(wanted)
    ]


def lane_unit(evaluation: Evaluation, lane: Lane) -> Unit | None:
    """Return the unit of a lane, or None where nothing of it can be computed."""
    return next((evaluation.names.unit(name) for name in lane.channels if name in evaluation.names.types), None)
