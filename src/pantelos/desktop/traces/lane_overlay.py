"""What is painted over the traces: edges that ride on channels, levels and ticks of events, values at the pointer."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.ledger import LaneRow, shown
from pantelos.desktop.traces.lane_places import heights
from pantelos.desktop.traces.lane_stage import LaneStage
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.instants import value_at
from pantelos.formula.compiled import Kind
from pantelos.notation import with_unit
from pantelos.paper import hues
from pantelos.signal.arrays import FloatArray
from pantelos.study.model import EventKind, EventSearch

_WITH_LEVEL = (EventKind.CROSSING, EventKind.PULSE, EventKind.WINDOW)
_REACH = 4  # pixels from a level that still take hold of it
_TAG = 15
TAG_WIDTH = 196
_NAME_WIDTH = 96  # of a name at the hairline: the value is what is looked for


def paint_levels(
    painter: QPainter, lanes: LaneStage, row: LaneRow, evaluation: Evaluation, search: EventSearch, area: QRectF
) -> None:
    """Draw the level of a search with its hysteresis as a band, and a tick at each of its events."""
    colour = QColor(lanes.theme.edge)
    painter.save()
    painter.setClipRect(area)
    if search.kind in _WITH_LEVEL and evaluation.events.band_known(search):
        for upper in (False, True)[: 2 if search.kind is EventKind.WINDOW else 1]:
            at = evaluation.events.band(search, upper)
            values = [
                shown(evaluation, search.channel, v) for v in (at.level + at.half_width, at.level, at.level - at.half_width)
            ]
            top, middle, bottom = heights(row, evaluation, search.channel, values)
            veil = QColor(colour)
            veil.setAlpha(38)
            painter.fillRect(QRectF(area.left(), top, area.width(), max(bottom - top, 1.0)), veil)
            painter.setPen(QPen(colour, 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(area.left(), middle), QPointF(area.right(), middle))
    if evaluation.events.known(search):
        events = evaluation.events.find(search)
        start, stop = evaluation.times.positions(lanes.document.view.start_s, lanes.document.view.stop_s)
        columns = occupied(events.positions, start, stop, int(area.width()))
        tick = QColor(colour)
        tick.setAlpha(255 if len(columns) < area.width() / 4 else 90)
        painter.setPen(QPen(tick, 1))
        for column in columns:
            x = area.left() + column + 0.5
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.top() + 6))
        if lanes.selection.at_event is not None and lanes.selection.at_event < len(events):
            x = lanes.places.x_of(evaluation.times.instant(float(events.positions[lanes.selection.at_event])))
            painter.setPen(QPen(colour, 2))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
    painter.restore()


def occupied(positions: FloatArray, start: float, stop: float, width: int) -> list[int]:
    """Return the pixel columns between two positions that hold an event; the cost follows the columns, not the events."""
    edges = start + np.arange(width + 1) * ((stop - start) / max(width, 1))
    return np.flatnonzero(np.diff(np.searchsorted(positions, edges))).tolist()


def level_near(lanes: LaneStage, row: LaneRow, evaluation: Evaluation, search: EventSearch, y: float) -> str | None:
    """Return what of a search is at a height: `level`, `upper`, `hysteresis`, or None."""
    if search.kind not in _WITH_LEVEL or search.channel not in row.lane.channels or not evaluation.events.band_known(search):
        return None
    for upper, name in ((False, "level"), (True, "upper")):
        if upper and search.kind is not EventKind.WINDOW:
            continue
        at = evaluation.events.band(search, upper)
        values = [shown(evaluation, search.channel, v) for v in (at.level, at.level + at.half_width, at.level - at.half_width)]
        middle, *sides = heights(row, evaluation, search.channel, values)
        if abs(y - middle) <= _REACH:
            return name
        if any(abs(y - side) <= _REACH for side in sides):
            return "hysteresis"
    return None


def paint_edges(painter: QPainter, lanes: LaneStage, rows: list[LaneRow], evaluation: Evaluation, area: QRectF) -> list[QRectF]:
    """Draw both edges; where one rides on a channel, a mark on the trace and its value. Return where words stand."""
    edges, interval = lanes.edges, lanes.document.study.active_interval
    written: list[QRectF] = []
    if edges is None:
        return written
    for at, t in enumerate(edges):
        x = lanes.places.x_of(t)
        if not area.left() <= x <= area.right():
            continue
        painting.line_through(painter, x, 0, area.bottom(), QColor(lanes.theme.edge))
        rider = interval.rides[at] if interval is not None else None
        row = next((row for row in rows if rider in row.lane.channels), None)
        if rider is not None and row is not None and _readable(evaluation, rider):
            value = value_at(evaluation, rider, t)
            if math.isfinite(value):
                (y,) = heights(row, evaluation, rider, [shown(evaluation, rider, value)])
                y = min(max(y, row.top + 4), row.bottom - 4)
                _mark(painter, lanes, evaluation, rider, QPointF(x, y))
                text = f"{'ab'[at]}  {with_unit(value, evaluation.names.unit(rider), 5)}"
                _tag(painter, lanes, evaluation, rider, text, QPointF(x, y - 12), area, written, left=at == 0)
    return written


def _readable(evaluation: Evaluation, name: str) -> bool:
    """Return whether a value can be read without work."""
    return name in evaluation.names.types and evaluation.names.kind(name) is not Kind.SCALAR and evaluation.drawing.can_draw(name)


def _mark(painter: QPainter, lanes: LaneStage, evaluation: Evaluation, name: str, place: QPointF) -> None:
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    painter.setPen(QPen(QColor(lanes.theme.ground), 1.5))
    painter.setBrush(lanes.theme.conductor(hues.conductor(evaluation.study, name)))
    painter.drawEllipse(place, 4.0, 4.0)


def _tag(
    painter: QPainter,
    lanes: LaneStage,
    evaluation: Evaluation,
    name: str,
    text: str,
    place: QPointF,
    area: QRectF,
    written: list[QRectF],
    left: bool = False,
) -> float:
    """Write a value on a small ground of its own beside a place, below what is written there; return its lower edge."""
    x = place.x()
    painter.setFont(painting.tabular(8.5, bold=True))
    width = QFontMetricsF(painter.font()).horizontalAdvance(text) + 8
    at = x - width - 7 if (left and x - width - 7 > area.left()) or x + width + 7 > area.right() else x + 7
    box = QRectF(at, place.y() - _TAG / 2, width, _TAG)
    while under := next((other for other in written if other.intersects(box)), None):
        box.moveTop(under.bottom() + 1)
    written.append(box)
    ground = QColor(lanes.theme.ground)
    ground.setAlpha(225)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ground)
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(lanes.theme.conductor(hues.conductor(evaluation.study, name)))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    return box.bottom()


def paint_pointer(
    painter: QPainter, lanes: LaneStage, rows: list[LaneRow], evaluation: Evaluation, area: QRectF, written: list[QRectF]
) -> None:
    """Draw a hairline at the pointer, and what every channel reads there: u, i and R at one instant."""
    if lanes.pointer_s is None:
        return
    x = lanes.places.x_of(lanes.pointer_s)
    if not area.left() <= x <= area.right():
        return
    painting.line_through(painter, x, 0, area.bottom(), QColor(lanes.theme.soft))
    for row in rows:
        if row.lane.collapsed:
            continue
        y = row.top + 12.0
        for name in row.lane.channels:
            if y > row.bottom - 6 or not _readable(evaluation, name):
                break
            said = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, _NAME_WIDTH)
            text = f"{said}  {with_unit(value_at(evaluation, name, lanes.pointer_s), evaluation.names.unit(name), 5)}"
            y = _tag(painter, lanes, evaluation, name, text, QPointF(x, y), area, written) + _TAG / 2
