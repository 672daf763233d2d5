"""The lanes of the ledger: label, waveform and readings per row; zoom, pan, edges, dragging of labels."""

from dataclasses import dataclass

from PyQt6.QtCore import QMimeData, QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
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
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from pantelos.desktop import painting
from pantelos.desktop.document import Document
from pantelos.desktop.presenter.ledger import LEAST_HEIGHT, Row, lane_extent, row_at, rows
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.lane_painter import READING_LINE, LanePainter
from pantelos.desktop.traces.layout import LEFT, Columns
from pantelos.study import operations as op

CHANNEL_MIME = "application/x-pantelos-channel"
_REACH = 5  # pixels beside an edge that still take hold of it
_BORDER = 3  # pixels beside the lower border of a lane


@dataclass(slots=True)
class _Gesture:
    """What the pressed button is doing: `zoom`, `pan`, `interval`, `edge`, `resize` or `label`."""

    kind: str
    start: QPointF
    now: QPointF
    view: TimeView
    edge: int = 0
    row: Row | None = None
    channel: str = ""


class Lanes(QWidget):
    """Paints from pictures kept per lane: moving an edge repaints no trace."""

    interval_drawn = pyqtSignal(float, float)
    edges_dragged = pyqtSignal(float, float, bool)
    pointed = pyqtSignal(float)
    menu_wanted = pyqtSignal(str, QPoint)
    reading_clicked = pyqtSignal(str, int)

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self.painter = LanePainter(document, theme)
        self._gesture: _Gesture | None = None
        self.edges: tuple[float, float] | None = None
        self.view_height = 300
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Ledger of traces")

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self.painter.set_theme(theme)
        self.update()

    # geometry

    def rows(self) -> list[Row]:
        """Return the lanes with their places."""
        return rows(self._document.study, self.view_height)

    def fit_height(self, view_height: int) -> None:
        """Take the height of the visible part; grow beyond it when there are many lanes."""
        self.view_height = max(view_height, LEAST_HEIGHT)
        found = self.rows()
        self.setMinimumHeight(found[-1].bottom if found else 0)
        self.update()

    def sizeHint(self) -> QSize:
        """Return a size for layouts."""
        return QSize(900, self.view_height)

    def _columns(self) -> Columns:
        return Columns(self.width())

    def _x(self, t_s: float) -> float:
        return LEFT + self._document.view.to_x(t_s, self._columns().trace_width)

    def _time(self, x: float) -> float:
        columns = self._columns()
        t = self._document.view.to_time(min(max(x - LEFT, 0), columns.trace_width), columns.trace_width)
        return min(max(t, self._document.grid.start_s), self._document.grid.stop_s)

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint ground, interval, traces, labels and readings of what is visible."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self._theme.ground))
        evaluation = self._document.evaluation
        if evaluation is None or event is None:
            return
        columns, found = self._columns(), self.rows()
        bottom = found[-1].bottom if found else 0
        band = columns.trace(0, bottom)
        if self.edges is not None:
            wash = QRectF(QPointF(self._x(self.edges[0]), 0), QPointF(self._x(self.edges[1]), bottom)).intersected(band)
            painter.fillRect(wash, QColor(self._theme.wash))
        for row in found:
            if event.rect().bottom() >= row.top and event.rect().top() <= row.bottom:
                self.painter.paint(painter, row, evaluation, columns, self.devicePixelRatioF())
        painter.setPen(QColor(self._theme.rule))
        for x in (LEFT, columns.readings_left):
            painting.line_through(painter, x, 0, bottom, QColor(self._theme.rule))
        self._paint_edges(painter, band, bottom)
        self._paint_gesture(painter, band)

    def _paint_edges(self, painter: QPainter, band: QRectF, bottom: int) -> None:
        if self.edges is None:
            return
        for t in self.edges:
            x = self._x(t)
            if band.left() <= x <= band.right():
                painting.line_through(painter, x, 0, bottom, QColor(self._theme.edge))

    def _paint_gesture(self, painter: QPainter, band: QRectF) -> None:
        gesture = self._gesture
        if gesture is None or gesture.kind not in ("zoom", "interval"):
            return
        box = QRectF(gesture.start, gesture.now).normalized().intersected(band)
        if gesture.kind == "interval":
            box = QRectF(box.left(), 0, box.width(), band.height())
        painter.setPen(QPen(QColor(self._theme.edge), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)

    # gestures

    def _edge_near(self, x: float) -> int | None:
        if self.edges is None:
            return None
        near = [at for at, t in enumerate(self.edges) if abs(self._x(t) - x) <= _REACH]
        return near[0] if near else None

    def _gesture_at(self, event: QMouseEvent) -> _Gesture | None:
        """Return what a press at this place begins."""
        place, keys = event.position(), event.modifiers()
        found = self.rows()
        row = row_at(found, place.y())

        def begin(kind: str, at: Row | None = row, edge: int = 0, channel: str = "") -> _Gesture:
            return _Gesture(kind, place, place, self._document.view, edge, at, channel)

        border = next((r for r in found if abs(place.y() - r.bottom) <= _BORDER), None)
        if border is not None and place.x() < LEFT:
            return begin("resize", border)
        if place.x() < LEFT and row is not None:
            name = next((name for rect, name in self.painter.labels(row) if rect.contains(place)), row.lane.channels[0])
            return begin("label", channel=name)
        if not LEFT <= place.x() <= self._columns().readings_left:
            return None
        if event.button() is Qt.MouseButton.MiddleButton or keys & Qt.KeyboardModifier.ControlModifier:
            return begin("pan")
        if event.button() is not Qt.MouseButton.LeftButton:
            return None
        edge = self._edge_near(place.x())
        if edge is not None:
            return begin("edge", edge=edge)
        return begin("interval" if keys & Qt.KeyboardModifier.ShiftModifier else "zoom")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin a gesture."""
        if event is not None and self._document.record is not None:
            self._gesture = self._gesture_at(event)
            if self._gesture is None and event.button() is Qt.MouseButton.LeftButton:
                self._click_reading(event.position())

    def _click_reading(self, place: QPointF) -> None:
        row = row_at(self.rows(), place.y())
        columns = self._columns()
        if row is None or place.x() < columns.readings_left:
            return
        line = min(int((place.y() - row.top - 5) // READING_LINE), len(row.lane.channels) - 1)
        column = min(int((place.x() - columns.readings_left) // columns.reading(0, 0, 0).width()), 2)
        self.reading_clicked.emit(row.lane.channels[max(line, 0)], column)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Go on with the gesture; without one show what is under the pointer."""
        if event is None:
            return
        gesture = self._gesture
        if gesture is None:
            self._hover(event.position())
            return
        gesture.now = event.position()
        width = self._columns().trace_width
        match gesture.kind:
            case "pan":
                shift = (gesture.start.x() - gesture.now.x()) / width * gesture.view.length_s
                self._document.show(gesture.view.moved(shift), "pan")
            case "edge":
                self._drag_edge(released=False)
            case "label":
                if (gesture.now - gesture.start).manhattanLength() > 8:
                    self._gesture = None
                    self._drag_label(gesture.channel)
            case "zoom" | "interval":
                self.update()

    def _hover(self, place: QPointF) -> None:
        near_border = place.x() < LEFT and any(abs(place.y() - row.bottom) <= _BORDER for row in self.rows())
        inside = LEFT <= place.x() <= self._columns().readings_left
        if near_border:
            self.setCursor(Qt.CursorShape.SizeVerCursor)
        elif place.x() < LEFT:
            self.setCursor(Qt.CursorShape.OpenHandCursor)
        elif inside and self._edge_near(place.x()) is not None:
            self.setCursor(Qt.CursorShape.SizeHorCursor)
        else:
            self.setCursor(Qt.CursorShape.ArrowCursor)
        if inside:
            self.pointed.emit(self._time(place.x()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Finish the gesture."""
        gesture, self._gesture = self._gesture, None
        if gesture is None or event is None:
            return
        gesture.now = event.position()
        match gesture.kind:
            case "zoom":
                self._zoom_to(gesture)
            case "interval":
                start, stop = sorted((self._time(gesture.start.x()), self._time(gesture.now.x())))
                if abs(gesture.now.x() - gesture.start.x()) > 3:
                    self.interval_drawn.emit(start, stop)
            case "edge":
                self._gesture = gesture
                self._drag_edge(released=True)
                self._gesture = None
            case "resize" if gesture.row is not None:
                height = max(gesture.row.height + gesture.now.y() - gesture.start.y(), 20)
                weight = gesture.row.lane.weight * height / gesture.row.height
                self._document.take(op.resize_lane(self._document.study, gesture.row.index, weight), "resize lane")
            case "pan":
                self._document.views.settle()
        self.update()

    def _drag_edge(self, released: bool) -> None:
        gesture = self._gesture
        assert gesture is not None and self.edges is not None
        moved = list(self.edges)
        moved[gesture.edge] = self._time(gesture.now.x())
        if moved[0] < moved[1]:
            self.edges_dragged.emit(moved[0], moved[1], released)
        elif released:
            self.edges_dragged.emit(*self.edges, True)

    def _zoom_to(self, gesture: _Gesture) -> None:
        """Show the rectangle: its time, and its values too when it stays well inside one lane."""
        box = QRectF(gesture.start, gesture.now).normalized()
        row = gesture.row
        if row is not None and row.top <= box.top() and box.bottom() <= row.bottom and 20 < box.height() < 0.85 * row.height:
            evaluation = self._document.evaluation
            assert evaluation is not None
            low, high = lane_extent(evaluation, row.lane)
            per_pixel = (high - low) / (row.height - 6)
            ends = [high - (y - row.top - 3) * per_pixel for y in (box.bottom(), box.top())]
            self._document.take(op.fix_scale(self._document.study, row.index, (ends[0], ends[1])), "zoom into lane")
        if box.width() > 5:
            self._document.show(TimeView(self._time(box.left()), self._time(box.right())))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Show the whole record."""
        if event is not None and LEFT <= event.position().x() <= self._columns().readings_left:
            self._gesture = None
            self._document.show(self._document.whole)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom at the pointer; with Shift move in time; over labels and readings scroll the lanes."""
        if event is None:
            return
        place, turn = event.position(), event.angleDelta().y() or event.angleDelta().x()
        if not LEFT <= place.x() <= self._columns().readings_left or self._document.record is None:
            event.ignore()
            return
        view = self._document.view
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._document.show(view.moved(-turn / 1200 * view.length_s), "wheel")
        else:
            self._document.show(view.zoomed(1.0015**-turn, self._time(place.x())), "wheel")
        event.accept()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Ask for the menu of the channel under the pointer."""
        if event is None:
            return
        row = row_at(self.rows(), event.pos().y())
        if row is not None:
            place = QPointF(event.pos())
            name = next((name for rect, name in self.painter.labels(row) if rect.contains(place)), row.lane.channels[0])
            self.menu_wanted.emit(name, event.globalPos())

    # dragging of labels

    def _drag_label(self, channel: str) -> None:
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
        found, study = self.rows(), self._document.study
        row = row_at(found, y)
        evaluation = self._document.evaluation
        if row is None or evaluation is None:
            self._document.take(op.show_alone(study, name, len(study.lanes)), f"show {name}")
            return
        near_top, near_bottom = y - row.top < 0.2 * row.height, row.bottom - y < 0.2 * row.height
        unlike = name in evaluation.types and not evaluation.unit(name).like(evaluation.unit(row.lane.channels[0]))
        if near_top or near_bottom or unlike:
            self._document.take(op.show_alone(study, name, row.index + (1 if near_bottom else 0)), f"move {name}")
        else:
            self._document.take(op.show_with(study, name, row.lane.channels), f"overlay {name}")
