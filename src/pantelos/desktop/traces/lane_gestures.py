"""What the pressed button does in the lanes: a class per gesture, begun by a press, carried on by moves, ended by the release."""

import time

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPen

from pantelos.desktop.presenter.ledger import LaneRow, as_recorded, lane_extent, row_at
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.traces.lane_stage import LaneStage
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.model import EventSearch

_A_DRAG = 4  # pixels: less is a click
_FRAME_MS = 16
_SLOWING = 0.90  # of the speed, per frame
_STANDING = 0.02  # screens per second


class Gesture:
    """One gesture from press to release."""

    def __init__(self, lanes: LaneStage, start: QPointF) -> None:
        self.lanes, self.start, self.now = lanes, start, start

    @property
    def moved(self) -> bool:
        """Whether it is more than a click."""
        return (self.now - self.start).manhattanLength() > _A_DRAG

    def move(self) -> None:
        """Follow the pointer, which is at `now`."""

    def release(self) -> None:
        """Finish."""

    def paint(self, painter: QPainter, band: QRectF) -> None:
        """Draw what is going on over the traces."""


def dashed(painter: QPainter, box: QRectF, colour: str) -> None:
    """Draw the outline of what is being drawn."""
    painter.setPen(QPen(QColor(colour), 1, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(box)


class ZoomRectangle(Gesture):
    """Show what the rectangle holds: its time, and its values too when it stays well inside one lane."""

    def __init__(self, lanes: LaneStage, start: QPointF, row: LaneRow | None) -> None:
        super().__init__(lanes, start)
        self._row = row

    def move(self) -> None:
        self.lanes.repaint_all()

    def paint(self, painter: QPainter, band: QRectF) -> None:
        dashed(painter, QRectF(self.start, self.now).normalized().intersected(band), self.lanes.theme.edge)

    def release(self) -> None:
        box, row, document = QRectF(self.start, self.now).normalized(), self._row, self.lanes.document
        if row is not None and row.top <= box.top() and box.bottom() <= row.bottom and 20 < box.height() < 0.85 * row.height:
            low, high = (self.lanes.places.value_at(row, y) for y in (box.bottom(), box.top()))
            document.take(op.fix_scale(document.study, row.index, (low, high)), "zoom into lane")
        if box.width() > 5:
            document.show(TimeView(self.lanes.places.time_at(box.left()), self.lanes.places.time_at(box.right())))


class NewInterval(Gesture):
    """Draw an interval across the traces."""

    def move(self) -> None:
        self.lanes.repaint_all()

    def paint(self, painter: QPainter, band: QRectF) -> None:
        box = QRectF(self.start, self.now).normalized().intersected(band)
        dashed(painter, QRectF(box.left(), 0, box.width(), band.height()), self.lanes.theme.edge)

    def release(self) -> None:
        if abs(self.now.x() - self.start.x()) > _A_DRAG:
            self.lanes.interval_drawn.emit(
                *sorted((self.lanes.places.time_at(self.start.x()), self.lanes.places.time_at(self.now.x())))
            )


class DragEdge(Gesture):
    """Move edge a (0) or b (1), with snapping."""

    def __init__(self, lanes: LaneStage, start: QPointF, edge: int) -> None:
        super().__init__(lanes, start)
        self._edge = edge

    def _drag(self, released: bool) -> None:
        edges = self.lanes.edges
        assert edges is not None
        moved = list(edges)
        moved[self._edge] = self.lanes.places.snapped(self.lanes.places.time_at(self.now.x()), self.now.y())
        if moved[0] < moved[1]:
            self.lanes.edges_dragged.emit(moved[0], moved[1], released)
        elif released:
            self.lanes.edges_dragged.emit(*edges, True)

    def move(self) -> None:
        self._drag(released=False)

    def release(self) -> None:
        self._drag(released=True)


class Pan(Gesture):
    """Move in time; let go while moving it glides on and slows down."""

    def __init__(self, lanes: LaneStage, start: QPointF) -> None:
        super().__init__(lanes, start)
        self._view = lanes.document.view
        self._trail: list[tuple[float, float]] = []

    def move(self) -> None:
        width = self.lanes.places.columns().trace_width
        self._trail = [*self._trail[-4:], (time.monotonic(), self.now.x())]
        self.lanes.document.show(self._view.moved((self.start.x() - self.now.x()) / width * self._view.length_s), "pan")

    def release(self) -> None:
        if len(self._trail) > 1:
            (first, x0), (last, x1) = self._trail[0], self._trail[-1]
            recent = time.monotonic() - last < 0.06
            speed = (x0 - x1) / max(last - first, 1e-3) / self.lanes.places.columns().trace_width if recent else 0.0
            self.lanes.glide.begin(speed)
        if not self.lanes.glide.moving:
            self.lanes.document.views.settle()


class Glide:
    """What is left of a pan after the button is let go."""

    def __init__(self, lanes: LaneStage, owner: QObject) -> None:
        self._lanes, self._speed = lanes, 0.0
        self._timer = QTimer(owner, interval=_FRAME_MS)
        self._timer.timeout.connect(self._step)

    @property
    def moving(self) -> bool:
        """Whether the view is gliding."""
        return self._timer.isActive()

    def begin(self, speed: float) -> None:
        """Go on at a speed in screens per second."""
        self._speed = speed
        if abs(speed) > 20 * _STANDING:
            self._timer.start()

    def stop(self) -> None:
        """Stand still."""
        if self._timer.isActive():
            self._timer.stop()
            self._lanes.document.views.settle()

    def _step(self) -> None:
        view = self._lanes.document.view
        self._lanes.document.show(view.moved(self._speed * _FRAME_MS / 1000 * view.length_s), "pan")
        self._speed *= _SLOWING
        if abs(self._speed) < _STANDING or self._lanes.document.view == view:
            self.stop()


class ResizeLane(Gesture):
    """Drag the lower border of a lane."""

    def __init__(self, lanes: LaneStage, start: QPointF, row: LaneRow) -> None:
        super().__init__(lanes, start)
        self._row = row

    def release(self) -> None:
        row, document = self._row, self.lanes.document
        if not row.lane.collapsed:
            height = max(row.height + self.now.y() - self.start.y(), 20)
            document.take(op.resize_lane(document.study, row.index, row.lane.weight * height / row.height), "resize lane")


class HoldLabel(Gesture):
    """Press a name: a click chooses the channel, a drag carries it to another lane."""

    def __init__(self, lanes: LaneStage, start: QPointF, channel: str, add: bool) -> None:
        super().__init__(lanes, start)
        self._channel, self._add = channel, add

    def move(self) -> None:
        if (self.now - self.start).manhattanLength() > 2 * _A_DRAG:
            self.lanes.end_gesture()
            self.lanes.carry_label(self._channel)

    def release(self) -> None:
        self.lanes.selection.choose(self._channel, self._add)


class MoveLane(Gesture):
    """Drag a lane by its head to another place in the order."""

    def __init__(self, lanes: LaneStage, start: QPointF, row: LaneRow) -> None:
        super().__init__(lanes, start)
        self._row = row

    def _target(self) -> int:
        row = row_at(self.lanes.places.rows(), self.now.y())
        if row is None:
            return len(self.lanes.document.study.lanes) if self.now.y() > 0 else 0
        return row.index + (1 if self.now.y() > row.top + row.height / 2 else 0)

    def move(self) -> None:
        self.lanes.repaint_all()

    def paint(self, painter: QPainter, band: QRectF) -> None:
        if self.moved:
            at, found = self._target(), self.lanes.places.rows()
            y = found[at].top if at < len(found) else found[-1].bottom - 1
            painter.setPen(QPen(QColor(self.lanes.theme.edge), 2))
            painter.drawLine(QPointF(0, y), QPointF(band.right(), y))

    def release(self) -> None:
        if self.moved:
            document = self.lanes.document
            document.take(op.move_lane(document.study, self._row.index, self._target()), "move lane")


class MoveZero(Gesture):
    """Drag the value axis: the zero line of the lane goes up and down, its scale stays as fine as it is."""

    def __init__(self, lanes: LaneStage, start: QPointF, row: LaneRow) -> None:
        super().__init__(lanes, start)
        self._row = row
        evaluation = lanes.document.evaluation
        assert evaluation is not None
        self._scale = lane_extent(evaluation, row.lane)

    def _moved_scale(self) -> tuple[float, float]:
        low, high = self._scale
        by = (self.now.y() - self.start.y()) / max(self._row.height - 6, 1) * (high - low)
        return low + by, high + by

    def move(self) -> None:
        self.lanes.preview_scale(self._row.index, self._moved_scale())

    def release(self) -> None:
        self.lanes.preview_scale(self._row.index, None)
        if self.moved:
            document = self.lanes.document
            document.take(op.fix_scale(document.study, self._row.index, self._moved_scale()), "move zero line")


class ShiftTrace(Gesture):
    """Drag one trace of a lane up or down, apart from the others."""

    def __init__(self, lanes: LaneStage, start: QPointF, row: LaneRow, channel: str) -> None:
        super().__init__(lanes, start)
        self._row, self._channel = row, channel

    def release(self) -> None:
        if self.moved:
            document = self.lanes.document
            now, start = (self.lanes.places.value_at(self._row, at.y(), self._channel) for at in (self.now, self.start))
            by = now - start
            look = document.study.look(self._channel)
            document.take(
                op.set_look(document.study, self._channel, replace(look, offset=look.offset + by)), f"shift {self._channel}"
            )

    def move(self) -> None:
        self.lanes.repaint_all()

    def paint(self, painter: QPainter, band: QRectF) -> None:
        painter.setPen(QPen(QColor(self.lanes.theme.edge), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(self.start.x(), self.start.y()), QPointF(self.start.x(), self.now.y()))


class DragLevel(Gesture):
    """Drag the level of the events that are shown, or a border of its hysteresis."""

    def __init__(self, lanes: LaneStage, start: QPointF, row: LaneRow, search: EventSearch, which: str) -> None:
        super().__init__(lanes, start)
        self._row, self._search, self._which = row, search, which

    def changed(self) -> EventSearch:
        """Return the search as it would be when the button were let go now."""
        evaluation = self.lanes.document.evaluation
        assert evaluation is not None
        search = self._search
        value = as_recorded(evaluation, search.channel, self.lanes.places.value_at(self._row, self.now.y(), search.channel))
        before: Level = getattr(search, self._which)
        amount = abs(value - evaluation.events.band(search).level) if self._which == "hysteresis" else value
        if not before.relative:
            return replace(search, **{self._which: Level(amount)})
        base = evaluation.events.levels(search.channel)  # known, or the band would not be drawn
        zero = 0.0 if self._which == "hysteresis" else base.base
        return replace(search, **{self._which: Level((amount - zero) / (abs(base.amplitude) or 1.0), relative=True)})

    def move(self) -> None:
        self.lanes.preview_search(self.changed())

    def release(self) -> None:
        self.lanes.preview_search(None)
        if self.moved:
            document = self.lanes.document
            document.take(op.set_search(document.study, self.changed()), f"level of {self._search.name}")
