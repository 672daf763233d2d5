"""Places in the lanes: from instants and values to pixels and back, and what lies at a place."""

import math
from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QRectF

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.ledger import LaneRow, axis_of, lane_extent, row_at, rows, shown
from pantelos.desktop.presenter.snapping import snapped
from pantelos.desktop.selection import Selection
from pantelos.desktop.traces.lane_columns import LaneColumns
from pantelos.desktop.traces.lane_painter import LanePainter
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.instants import value_at
from pantelos.formula.compiled import Kind

_EDGE_REACH = 5  # pixels beside an edge that still take hold of it
_SNAP_REACH = 14  # pixels around the pointer in which an edge finds something to snap to


def heights(row: LaneRow, evaluation: Evaluation, name: str, values: list[float]) -> list[float]:
    """Return where values of a channel of a lane stand on the screen."""
    rect = QRectF(0, row.top + 3, 10, row.height - 6)
    axis = axis_of(evaluation, row.lane, name)
    scale = axis.scale if axis is not None else lane_extent(evaluation, row.lane)
    return [float(y) for y in painting.to_y(np.array(values), rect, scale)]


class LanePlaces:
    """Knows where everything stands; the lanes draw there, gestures take hold there."""

    def __init__(self, document: Document, selection: Selection, painter: LanePainter, width: Callable[[], int]) -> None:
        self._document, self._selection, self._painter, self._width = document, selection, painter, width
        self.view_height = 300

    def rows(self) -> list[LaneRow]:
        """Return the lanes with their places."""
        return rows(self._document.study, self.view_height)

    def columns(self) -> LaneColumns:
        """Return where the columns stand."""
        return LaneColumns.of(self._document.study, self._width())

    def x_of(self, t_s: float) -> float:
        """Return the place of an instant."""
        return self.columns().left + self._document.view.to_x(t_s, self.columns().trace_width)

    def time_at(self, x: float) -> float:
        """Return the instant at a place, kept within the record."""
        columns = self.columns()
        width = columns.trace_width
        t = self._document.view.to_time(min(max(x - columns.left, 0), width), width)
        return min(max(t, self._document.grid.start_s), self._document.grid.stop_s)

    def value_at(self, row: LaneRow, y: float, name: str | None = None) -> float:
        """Return the value at a height of a lane: on the axis of a channel, at the left without one."""
        evaluation = self._document.evaluation
        assert evaluation is not None
        lane = self._painter.scaled(row).lane
        axis = axis_of(evaluation, lane, name) if name is not None else None
        low, high = axis.scale if axis is not None else lane_extent(evaluation, lane)
        return high - (y - row.top - 3) * (high - low) / max(row.height - 6, 1)

    def channel_near(self, x: float, y: float) -> str | None:
        """Return the channel of the lane at a place whose trace is nearest to it."""
        row, evaluation = row_at(self.rows(), y), self._document.evaluation
        if row is None or evaluation is None:
            return None
        known = [
            n
            for n in row.lane.channels
            if n in evaluation.names.types and evaluation.names.kind(n) is not Kind.SCALAR and evaluation.drawing.can_draw(n)
        ]
        if len(known) < 2:
            return known[0] if known else None
        values = [shown(evaluation, name, value_at(evaluation, name, self.time_at(x))) for name in known]
        places = [heights(row, evaluation, name, [value])[0] for name, value in zip(known, values, strict=True)]
        away = [abs(place - y) if math.isfinite(value) else math.inf for value, place in zip(values, places, strict=True)]
        return known[away.index(min(away))]

    def snapped(self, t_s: float, y: float) -> float:
        """Return where an edge goes that is dragged to an instant, at a height."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return t_s
        reach = _SNAP_REACH / self.columns().trace_width * self._document.view.length_s
        channel = self.channel_near(self.x_of(t_s), y) or (
            evaluation.references.overall.channel if evaluation.references.overall_known() else None
        )
        return snapped(evaluation, self._selection.snap, channel, self._selection.search, t_s, reach)

    def edge_near(self, edges: tuple[float, float] | None, x: float) -> int | None:
        """Return which edge (0 or 1) lies within reach of a place, or None."""
        near = [at for at, t in enumerate(edges or ()) if abs(self.x_of(t) - x) <= _EDGE_REACH]
        return near[0] if near else None
