"""The lanes of the ledger: label, waveform and readings per row; places on them, painting, and which gesture a press begins."""

import math

from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDrag,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from pantelos.desktop import painting
from pantelos.desktop.document import Document
from pantelos.desktop.presenter.ledger import LEAST_HEIGHT, Row, lane_extent, row_at, rows, shown
from pantelos.desktop.presenter.snapping import snapped
from pantelos.desktop.selection import Selection
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces import lane_gestures as gestures
from pantelos.desktop.traces.lane_overlay import TAG_WIDTH, heights, paint_edges, paint_levels, paint_pointer
from pantelos.desktop.traces.lane_painter import READING_LINE, LanePainter
from pantelos.desktop.traces.lane_press import cursor_at, gesture_at
from pantelos.desktop.traces.layout import LABELS, LEFT, Columns
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.instants import value_at
from pantelos.formula.compiled import Kind
from pantelos.study import operations as op
from pantelos.study.model import EventSearch

CHANNEL_MIME = "application/x-pantelos-channel"
_REACH = 5  # pixels beside an edge that still take hold of it
_SNAP_REACH = 14  # pixels around the pointer in which an edge finds something to snap to
_STEP = 1.2  # of a scale, per notch of the wheel


class Lanes(QWidget):
    """Paints from pictures kept per lane: moving an edge or the pointer repaints no trace."""

    interval_drawn = pyqtSignal(float, float)
    edges_dragged = pyqtSignal(float, float, bool)
    pointed = pyqtSignal(float)
    menu_wanted = pyqtSignal(str, QPoint)
    reading_clicked = pyqtSignal(str, int, QPoint)

    def __init__(self, document: Document, selection: Selection, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document, self.selection, self.theme = document, selection, theme
        self.painter = LanePainter(document, selection, theme)
        self.glide = gestures.Glide(self)
        self._gesture: gestures.Gesture | None = None
        self._search_preview: EventSearch | None = None
        self.edges: tuple[float, float] | None = None
        self.pointer_s: float | None = None
        self.pointer_y = 0.0
        self.view_height = 300
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Ledger of traces")
        selection.changed.connect(self.update)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.theme = theme
        self.painter.set_theme(theme)
        self.update()

    # places

    def rows(self) -> list[Row]:
        """Return the lanes with their places."""
        return rows(self.document.study, self.view_height)

    def fit_height(self, view_height: int) -> None:
        """Take the height of the visible part; grow beyond it when there are many lanes."""
        self.view_height = max(view_height, LEAST_HEIGHT)
        found = self.rows()
        self.setMinimumHeight(found[-1].bottom if found else 0)
        self.update()

    def sizeHint(self) -> QSize:
        """Return a size for layouts."""
        return QSize(900, self.view_height)

    def columns(self) -> Columns:
        """Return where the columns stand."""
        return Columns.of(self.document.study, self.width())

    def x_of(self, t_s: float) -> float:
        """Return the place of an instant."""
        return LEFT + self.document.view.to_x(t_s, self.columns().trace_width)

    def time_at(self, x: float) -> float:
        """Return the instant at a place, kept within the record."""
        width = self.columns().trace_width
        t = self.document.view.to_time(min(max(x - LEFT, 0), width), width)
        return min(max(t, self.document.grid.start_s), self.document.grid.stop_s)

    def value_at(self, row: Row, y: float) -> float:
        """Return the value at a height of a lane, on its scale."""
        evaluation = self.document.evaluation
        assert evaluation is not None
        low, high = lane_extent(evaluation, self.painter.scaled(row).lane)
        return high - (y - row.top - 3) * (high - low) / max(row.height - 6, 1)

    def channel_near(self, x: float, y: float) -> str | None:
        """Return the channel of the lane at a place whose trace is nearest to it."""
        row, evaluation = row_at(self.rows(), y), self.document.evaluation
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
        away = [
            abs(place - y) if math.isfinite(value) else math.inf
            for value, place in zip(values, heights(row, evaluation, values), strict=True)
        ]
        return known[away.index(min(away))]

    def lane_at_pointer(self) -> Row | None:
        """Return the lane the pointer was last over."""
        return row_at(self.rows(), self.pointer_y)

    def snapped(self, t_s: float, y: float) -> float:
        """Return where an edge goes that is dragged to an instant, at a height."""
        evaluation = self.document.evaluation
        if evaluation is None:
            return t_s
        reach = _SNAP_REACH / self.columns().trace_width * self.document.view.length_s
        channel = self.channel_near(self.x_of(t_s), y) or (
            evaluation.references.overall.channel if evaluation.references.overall_known() else None
        )
        return snapped(evaluation, self.selection.snap, channel, self.selection.search, t_s, reach)

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint ground, interval, traces, labels and readings of what is visible."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.ground))
        evaluation = self.document.evaluation
        if evaluation is None or event is None:
            return
        columns, found = self.columns(), self.rows()
        bottom = found[-1].bottom if found else 0
        area = columns.trace(0, bottom)
        if self.edges is not None:
            wash = QRectF(QPointF(self.x_of(self.edges[0]), 0), QPointF(self.x_of(self.edges[1]), bottom)).intersected(area)
            painter.fillRect(wash, QColor(self.theme.wash))
        seen = [row for row in found if event.rect().bottom() >= row.top and event.rect().top() <= row.bottom]
        search = self.search()
        for row in seen:
            across = event.rect().left(), event.rect().right()
            self.painter.paint(painter, row, evaluation, columns, self.devicePixelRatioF(), across)
            if search is not None and search.channel in row.lane.channels and evaluation.drawing.can_draw(search.channel):
                paint_levels(
                    painter, self, self.painter.scaled(row), evaluation, search, columns.trace(row.top + 1, row.height - 2)
                )
        for x in (LEFT, columns.readings_left):
            painting.line_through(painter, x, 0, bottom, QColor(self.theme.rule))
        seen = [self.painter.scaled(row) for row in seen]
        paint_edges(painter, self, seen, evaluation, area)
        paint_pointer(painter, self, seen, evaluation, area)
        if self._gesture is not None:
            self._gesture.paint(painter, area)

    def show_edges(self, edges: tuple[float, float] | None) -> None:
        """Draw the edges somewhere else; only what lies between before and after is painted."""
        before, self.edges = self.edges, edges
        if before is None or edges is None:
            self.update()
            return
        for old, new in zip(before, edges, strict=True):
            if old != new:
                low, high = sorted((int(self.x_of(old)), int(self.x_of(new))))
                self.update(QRect(low - TAG_WIDTH - 60, 0, high - low + 2 * TAG_WIDTH + 120, self.height()))

    def search(self) -> EventSearch | None:
        """Return the events whose level is drawn, as they would be while their level is dragged."""
        if self._search_preview is not None:
            return self._search_preview
        known = {search.name: search for search in self.document.study.searches}
        return known.get(self.selection.search or "")

    def preview_search(self, search: EventSearch | None) -> None:
        """Draw another level than that of the study, while it is dragged."""
        self._search_preview = search
        self.update()

    def preview_scale(self, lane: int, scale: tuple[float, float] | None) -> None:
        """Draw a lane on another scale than that of the study, while its zero line is dragged."""
        self.painter.preview = None if scale is None else (lane, scale)
        self.update()

    # gestures

    def edge_near(self, x: float) -> int | None:
        """Return which edge (0 or 1) lies within reach of a place, or None."""
        if self.edges is None:
            return None
        near = [at for at, t in enumerate(self.edges) if abs(self.x_of(t) - x) <= _REACH]
        return near[0] if near else None

    def end_gesture(self) -> None:
        """Give the present gesture up."""
        self._gesture = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin a gesture."""
        if event is None or self.document.record is None:
            return
        self.glide.stop()
        self._gesture = gesture_at(self, event)
        if self._gesture is None and event.button() is Qt.MouseButton.LeftButton:
            self._click_reading(event)

    def _click_reading(self, event: QMouseEvent) -> None:
        place = event.position()
        row, column = row_at(self.rows(), place.y()), self.columns().column_at(place.x())
        if row is not None and column is not None:
            line = min(int((place.y() - row.top - 5) // READING_LINE), len(row.lane.channels) - 1)
            self.reading_clicked.emit(row.lane.channels[max(line, 0)], column, event.globalPosition().toPoint())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Go on with the gesture; without one show what is under the pointer."""
        if event is None:
            return
        gesture = self._gesture
        if gesture is None:
            self._hover(event.position())
            return
        gesture.now = event.position()
        gesture.move()

    def _hover(self, place: QPointF) -> None:
        self.pointer_y = place.y()
        self.setCursor(cursor_at(self, place))
        inside = LEFT <= place.x() <= self.columns().readings_left
        self._point_at(self.time_at(place.x()) if inside else None)

    def _point_at(self, t_s: float | None) -> None:
        """Move the hairline; only what it covered and what it covers now is painted."""
        before, self.pointer_s = self.pointer_s, t_s
        for t in (before, t_s):
            if t is not None:
                self.update(QRect(int(self.x_of(t)) - TAG_WIDTH - 60, 0, 2 * TAG_WIDTH + 120, self.height()))
        if t_s is not None:
            self.pointed.emit(t_s)

    def leaveEvent(self, event: QEvent | None) -> None:
        """Take the hairline away."""
        self._point_at(None)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Finish the gesture."""
        gesture, self._gesture = self._gesture, None
        if gesture is not None and event is not None:
            gesture.now = event.position()
            gesture.release()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """In the traces show the whole record; on a name collapse or open the lane; on an axis fit it to what is visible."""
        if event is None:
            return
        place, row = event.position(), row_at(self.rows(), event.position().y())
        self._gesture = None
        if LEFT <= place.x() <= self.columns().readings_left:
            self.document.show(self.document.whole)
        elif row is not None and place.x() < LABELS:
            name = next((name for rect, name in self.painter.labels(row) if rect.contains(place)), None)
            if name is not None:
                self.selection.choose(name)  # takes back what the first of the two clicks chose
            self.collapse(row)
        elif row is not None and place.x() < LEFT:
            self.document.take(op.fix_scale(self.document.study, row.index, None), "fit lane")

    def collapse(self, row: Row) -> None:
        """Collapse a lane to one line, or open it again."""
        step = "open lane" if row.lane.collapsed else "collapse lane"
        self.document.take(op.change_lane(self.document.study, row.index, collapsed=not row.lane.collapsed), step)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom at the pointer; with Shift move in time; with Alt or over an axis scale values; over names and readings scroll."""
        if event is None:
            return
        place, turn = event.position(), event.angleDelta().y() or event.angleDelta().x()
        row = row_at(self.rows(), place.y())
        if self.document.record is None or not LABELS <= place.x() <= self.columns().readings_left:
            event.ignore()
            return
        self.glide.stop()
        view = self.document.view
        if place.x() < LEFT:
            self._scale_lane(row, place.y(), _STEP ** (-turn / 120))
        elif event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._scale_trace(self.channel_near(place.x(), place.y()), _STEP ** (turn / 120))
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.document.show(view.moved(-turn / 1200 * view.length_s), "wheel")
        else:
            self.document.show(view.zoomed(1.0015**-turn, self.time_at(place.x())), "wheel")
        event.accept()

    def _scale_lane(self, row: Row | None, y: float, factor: float) -> None:
        evaluation = self.document.evaluation
        if row is None or evaluation is None:
            return
        at, (low, high) = self.value_at(row, y), lane_extent(evaluation, row.lane)
        scale = at - (at - low) * factor, at + (high - at) * factor
        self.document.take(op.fix_scale(self.document.study, row.index, scale), "scale lane")

    def _scale_trace(self, channel: str | None, factor: float) -> None:
        if channel is not None:
            look = self.document.study.look(channel)
            changed = type(look)(float(f"{look.factor * factor:.4g}"), look.offset, look.mean_removed)
            self.document.take(op.set_look(self.document.study, channel, changed), f"scale {channel}")

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Ask for the menu of the channel under the pointer."""
        if event is None:
            return
        row = row_at(self.rows(), event.pos().y())
        if row is not None:
            place = QPointF(event.pos())
            name = next((name for rect, name in self.painter.labels(row) if rect.contains(place)), None)
            near = self.channel_near(place.x(), place.y()) if place.x() >= LEFT else None
            self.menu_wanted.emit(name or near or row.lane.channels[0], event.globalPos())

    # carrying of labels

    def carry_label(self, channel: str) -> None:
        """Let a channel be dropped somewhere."""
        data = QMimeData()
        data.setData(CHANNEL_MIME, channel.encode())
        drag = QDrag(self)
        drag.setMimeData(data)
        drag.exec(Qt.DropAction.MoveAction)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Accept channels."""
        if event is not None and event.mimeData() is not None and event.mimeData().hasFormat(CHANNEL_MIME):  # type: ignore[union-attr]
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        """Keep accepting."""
        if event is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Put a channel into a lane, or between lanes into one of its own."""
        if event is None or event.mimeData() is None:
            return
        name = bytes(event.mimeData().data(CHANNEL_MIME)).decode()  # type: ignore[union-attr, arg-type]
        self.drop_channel(name, event.position().y())
        event.acceptProposedAction()

    def drop_channel(self, name: str, y: float) -> None:
        """Place a channel at a height: near a border in a lane of its own, else overlaid on the lane there."""
        found, study = self.rows(), self.document.study
        row, evaluation = row_at(found, y), self.document.evaluation
        if row is None or evaluation is None:
            self.document.take(op.show_alone(study, name, len(study.lanes)), f"show {name}")
            return
        near_top, near_bottom = y - row.top < 0.2 * row.height, row.bottom - y < 0.2 * row.height
        if near_top or near_bottom or _unlike(evaluation, name, row):
            self.document.take(op.show_alone(study, name, row.index + (1 if near_bottom else 0)), f"move {name}")
        else:
            self.document.take(op.show_with(study, name, row.lane.channels), f"overlay {name}")


def _unlike(evaluation: Evaluation, name: str, row: Row) -> bool:
    """Return whether a channel measures something else than a lane shows."""
    first = row.lane.channels[0]
    known = name in evaluation.names.types and first in evaluation.names.types
    return known and not evaluation.names.unit(name).like(evaluation.names.unit(first))
