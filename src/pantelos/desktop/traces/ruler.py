"""The ruler above the lanes: time marks, the edges of the active interval, headings of the readings."""

import math

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from pantelos.desktop import painting
from pantelos.desktop.document import Document
from pantelos.desktop.presenter.axis import ticks
from pantelos.desktop.presenter.headline import edge_text
from pantelos.desktop.presenter.ledger import READING_COLUMNS
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.layout import LEFT, Columns
from pantelos.notation import seconds
from pantelos.reading.kinds import reading_kind

_HEIGHT = 38
_REACH = 7  # pixels beside an edge that still take hold of it


class Ruler(QWidget):
    """Drag along it for a new interval; drag an edge to move it."""

    interval_drawn = pyqtSignal(float, float)
    edges_dragged = pyqtSignal(float, float, bool)  # start, stop, released

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self._from: float | None = None
        self._to = 0.0
        self._edge: int | None = None
        self.edges: tuple[float, float] | None = None
        self.n_cycles = math.nan  # in the active interval, as far as known
        self.pointer_s: float | None = None  # the instant under the pointer
        self.beside = 0  # width of the scroll bar beside the lanes
        self.setFixedHeight(_HEIGHT)
        self.setMouseTracking(True)
        self.setToolTip("Drag along the time axis for a new interval; drag a or b to move an edge")

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self.update()

    def _x(self, t_s: float) -> float:
        return LEFT + self._document.view.to_x(t_s, Columns(self.width() - self.beside).trace_width)

    def _time(self, x: float) -> float:
        columns = Columns(self.width() - self.beside)
        t = self._document.view.to_time(min(max(x - LEFT, 0), columns.trace_width), columns.trace_width)
        return min(max(t, self._document.grid.start_s), self._document.grid.stop_s)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint marks, edges and headings."""
        painter = QPainter(self)
        theme, columns = self._theme, Columns(self.width() - self.beside)
        painter.fillRect(self.rect(), QColor(theme.panel))
        painter.setFont(painting.tabular(8))
        band = columns.trace(0, _HEIGHT)
        if self._from is not None and self._edge is None:
            left, right = sorted((self._x(self._from), self._x(self._to)))
            painter.fillRect(QRectF(left, 0, right - left, _HEIGHT), QColor(theme.wash))
        view = self._document.view
        painter.setPen(QColor(theme.soft))
        for mark in ticks(view.start_s, view.stop_s, columns.trace_width / 95):
            x = self._x(mark.value)
            painter.drawLine(QPointF(x, _HEIGHT - 3), QPointF(x, _HEIGHT))
            text = f"{mark.text} s"
            painter.drawText(QRectF(x - 50, 2, 100, 16), Qt.AlignmentFlag.AlignCenter, text)
        if self.pointer_s is not None:
            box = QRectF(10, 2, LEFT - 12, 16)
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft, f"at {seconds(self.pointer_s, view.length_s / 2000)}")
        if self._document.record is not None:
            for at, name in enumerate(READING_COLUMNS):
                kind = reading_kind(name)
                cell = columns.reading(at, 0, _HEIGHT)
                painter.drawText(cell, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, kind.title if kind else name)
        if self.edges is not None:
            self._paint_edges(painter, band)

    def _paint_edges(self, painter: QPainter, band: QRectF) -> None:
        assert self.edges is not None
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.setFont(painting.tabular(8, bold=True))
        for t, letter in zip(self.edges, "ab", strict=True):
            x = self._x(t)
            if not band.left() - 1 <= x <= band.right() + 1:
                continue
            tag = QRectF(x - 8, _HEIGHT - 19, 16, 15)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self._theme.edge))
            painter.drawRoundedRect(tag, 3, 3)
            painter.setPen(QColor(self._theme.ground))
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, letter)
        self._paint_caption(painter, band)

    def _paint_caption(self, painter: QPainter, band: QRectF) -> None:
        """Say how long the interval is: between its edges where there is room, else beside it."""
        assert self.edges is not None
        text = edge_text(self.edges[1] - self.edges[0], self.n_cycles)
        width = painter.fontMetrics().horizontalAdvance(text) + 8
        left, right = max(self._x(self.edges[0]) + 12, band.left()), min(self._x(self.edges[1]) - 12, band.right())
        if right - left >= width:
            box = QRectF((left + right - width) / 2, _HEIGHT - 19, width, 15)
        elif right + 24 + width <= band.right() and right > band.left():
            box = QRectF(right + 26, _HEIGHT - 19, width, 15)
        else:
            return
        painter.setPen(QColor(self._theme.edge))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def edge_near(self, x: float) -> int | None:
        """Return which edge (0 or 1) lies within reach of a place, or None."""
        if self.edges is None:
            return None
        distances = [abs(self._x(t) - x) for t in self.edges]
        nearest = 0 if distances[0] <= distances[1] else 1
        return nearest if distances[nearest] <= _REACH else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of an edge, or begin a new interval."""
        if event is None or event.button() is not Qt.MouseButton.LeftButton or self._document.record is None:
            return
        x = event.position().x()
        self._edge = self.edge_near(x)
        self._from = self._to = self._time(x)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Move the edge or the end of the new interval."""
        if event is None:
            return
        x = event.position().x()
        if self._from is None:
            near = self.edge_near(x) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if near else Qt.CursorShape.CrossCursor)
            return
        self._to = self._time(x)
        if self._edge is not None:
            self._drag(released=False)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Finish what was begun; a click without a drag does nothing."""
        if event is None or self._from is None:
            return
        self._to = self._time(event.position().x())
        start, stop = sorted((self._from, self._to))
        if self._edge is not None:
            self._drag(released=True)
        elif abs(self._x(stop) - self._x(start)) > 3:
            self.interval_drawn.emit(start, stop)
        self._from = self._edge = None
        self.update()

    def _drag(self, released: bool) -> None:
        assert self.edges is not None and self._edge is not None
        moved = list(self.edges)
        moved[self._edge] = self._to
        if moved[0] < moved[1]:
            self.edges_dragged.emit(moved[0], moved[1], released)
        elif released:
            self.edges_dragged.emit(*self.edges, True)
