"""The lanes of the ledger: label, waveform and readings per row; places on them, painting, and which gesture a press begins."""

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.ledger import LEAST_HEIGHT, row_at
from pantelos.desktop.selection import Selection
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces import lane_gestures as gestures
from pantelos.desktop.traces.lane_changes import CHANNEL_MIME, carry_label, collapse, drop_channel, scale_lane, scale_trace
from pantelos.desktop.traces.lane_overlay import TAG_WIDTH, paint_edges, paint_levels, paint_pointer
from pantelos.desktop.traces.lane_painter import LanePainter
from pantelos.desktop.traces.lane_places import LanePlaces
from pantelos.desktop.traces.lane_press import cursor_at, gesture_at, reading_at
from pantelos.study import operations as op
from pantelos.study.model import EventSearch

_STEP = 1.2  # of a scale, per notch of the wheel


class Lanes(QWidget):
    """Paints from pictures kept per lane: moving an edge or the pointer repaints no trace."""

    interval_drawn = pyqtSignal(float, float)
    edges_dragged = pyqtSignal(float, float, bool)
    pointed = pyqtSignal(float)
    menu_wanted = pyqtSignal(str, QPoint)
    reading_clicked = pyqtSignal(str, int, QPoint)
    formula_wanted = pyqtSignal(str)  # the formula that is to be changed

    def __init__(self, document: Document, selection: Selection, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document, self.selection, self.theme = document, selection, theme
        self.painter = LanePainter(document, selection, theme)
        self.places = LanePlaces(document, selection, self.painter, self.width)
        self.glide = gestures.Glide(self, self)
        self._gesture: gestures.Gesture | None = None
        self._search_preview: EventSearch | None = None
        self.edges: tuple[float, float] | None = None
        self.pointer_s: float | None = None
        self.pointer_y = 0.0
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

    def fit_height(self, view_height: int) -> None:
        """Take the height of the visible part; grow beyond it when there are many lanes."""
        self.places.view_height = max(view_height, LEAST_HEIGHT)
        found = self.places.rows()
        self.setMinimumHeight(found[-1].bottom if found else 0)
        self.update()

    def sizeHint(self) -> QSize:
        """Return a size for layouts."""
        return QSize(900, self.places.view_height)

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint ground, interval, traces, labels and readings of what is visible."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.theme.ground))
        evaluation = self.document.evaluation
        if evaluation is None or event is None:
            return
        columns, found = self.places.columns(), self.places.rows()
        bottom = found[-1].bottom if found else 0
        area = columns.trace(0, bottom)
        if self.edges is not None:
            wash = QRectF(
                QPointF(self.places.x_of(self.edges[0]), 0), QPointF(self.places.x_of(self.edges[1]), bottom)
            ).intersected(area)
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
        for x in (columns.left, columns.readings_left):
            painting.line_through(painter, x, 0, bottom, QColor(self.theme.rule))
        seen = [self.painter.scaled(row) for row in seen]
        written = paint_edges(painter, self, seen, evaluation, area)
        paint_pointer(painter, self, seen, evaluation, area, written)
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
                low, high = sorted((int(self.places.x_of(old)), int(self.places.x_of(new))))
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

    def repaint_all(self) -> None:
        """Paint everything anew."""
        self.update()

    def carry_label(self, channel: str) -> None:
        """Let a channel be dropped somewhere."""
        carry_label(self, channel)

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
            clicked = reading_at(self, event.position())
            if clicked is not None:
                self.reading_clicked.emit(*clicked, event.globalPosition().toPoint())

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
        columns = self.places.columns()
        inside = columns.left <= place.x() <= columns.readings_left
        self.setToolTip(self._name_at(place) or "" if place.x() < columns.labels else "")
        self._point_at(self.places.time_at(place.x()) if inside else None)

    def _name_at(self, place: QPointF) -> str | None:
        """Return the channel whose name is at a place."""
        row = row_at(self.places.rows(), place.y())
        labels = self.painter.labels(row, self.places.columns()) if row is not None else []
        return next((name for rect, name in labels if rect.contains(place)), None)

    def _point_at(self, t_s: float | None) -> None:
        """Move the hairline; only what it covered and what it covers now is painted."""
        before, self.pointer_s = self.pointer_s, t_s
        for t in (before, t_s):
            if t is not None:
                self.update(QRect(int(self.places.x_of(t)) - TAG_WIDTH - 60, 0, 2 * TAG_WIDTH + 120, self.height()))
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
        """In the traces show the whole record; on a formula edit it; on another name collapse the lane; on an axis fit it."""
        if event is None:
            return
        place, row = event.position(), row_at(self.places.rows(), event.position().y())
        self._gesture = None
        columns = self.places.columns()
        if columns.left <= place.x() <= columns.readings_left:
            self.document.show(self.document.whole)
        elif row is not None and place.x() < columns.labels:
            name = self._name_at(place)
            if name is not None:
                self.selection.choose(name)  # takes back what the first of the two clicks chose
            if name is not None and self.document.study.formula(name) is not None:
                self.formula_wanted.emit(name)
            else:
                collapse(self.document, row)
        elif row is not None and place.x() < columns.left:
            self.document.take(op.fix_scale(self.document.study, row.index, None), "fit lane")

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom at the pointer; with Shift move in time; with Alt or over an axis scale values; over names and readings scroll."""
        if event is None:
            return
        place, turn = event.position(), event.angleDelta().y() or event.angleDelta().x()
        row = row_at(self.places.rows(), place.y())
        columns = self.places.columns()
        if self.document.record is None or not columns.labels <= place.x() <= columns.readings_left:
            event.ignore()
            return
        self.glide.stop()
        view = self.document.view
        if place.x() < columns.left:
            scale_lane(self.document, self.places, row, place.y(), _STEP ** (-turn / 120))
        elif event.modifiers() & Qt.KeyboardModifier.AltModifier:
            scale_trace(self.document, self.places.channel_near(place.x(), place.y()), _STEP ** (turn / 120))
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.document.show(view.moved(-turn / 1200 * view.length_s), "wheel")
        else:
            self.document.show(view.zoomed(1.0015**-turn, self.places.time_at(place.x())), "wheel")
        event.accept()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Ask for the menu of the channel under the pointer."""
        if event is None:
            return
        row = row_at(self.places.rows(), event.pos().y())
        if row is not None:
            place = QPointF(event.pos())
            name = self._name_at(place)
            near = self.places.channel_near(place.x(), place.y()) if place.x() >= self.places.columns().left else None
            self.menu_wanted.emit(name or near or row.lane.channels[0], event.globalPos())

    # channels dropped

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
        drop_channel(self.document, self.places, name, event.position().y())
        event.acceptProposedAction()
