"""The ruler above the lanes: time marks, the edges of the active interval, headings of the readings."""

import math

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.headline import edge_text
from pantelos.desktop.presenter.reading_columns import reading_columns
from pantelos.desktop.presenter.time_axis import axis_marks, instant_text
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.lane_columns import LABELS, LaneColumns

_HEIGHT = 38
_REACH = 7  # pixels beside an edge that still take hold of it


class Ruler(QWidget):
    """Drag along the marks for a new interval, between the edges to move the active one, an edge to move that."""

    interval_drawn = pyqtSignal(float, float)
    edges_dragged = pyqtSignal(float, float, bool)  # start, stop, released
    names_widened = pyqtSignal(int)  # pixels; below zero: as the longest needs
    heading_clicked = pyqtSignal(int, QPoint)  # -1: beside all columns

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._theme = document, theme
        self._from: float | None = None
        self._to = 0.0
        self._hold: int | str | None = None  # an edge, or the whole interval
        self._border: int | None = None  # where the border of the names is dragged to
        self._held: tuple[float, float] = (0.0, 0.0)
        self.edges: tuple[float, float] | None = None
        self.n_cycles = math.nan  # in the active interval, as far as known
        self.riding = ""  # what lies between the channels the edges ride on
        self.pointer_s: float | None = None  # the instant under the pointer
        self.beside = 0  # width of the scroll bar beside the lanes
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Time axis")
        self.setFixedHeight(_HEIGHT)
        self.setMouseTracking(True)
        self.setToolTip(
            "Drag along the marks for a new interval; below them move the active one; click a heading to choose readings. "
            "The mark behind the names can be dragged: double-click to fit them"
        )

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self.update()

    def columns(self) -> LaneColumns:
        """Return where the columns stand."""
        return LaneColumns.of(self._document.study, self.width() - self.beside)

    def _x(self, t_s: float) -> float:
        return self.columns().left + self._document.view.to_x(t_s, self.columns().trace_width)

    def _time(self, x: float) -> float:
        columns = self.columns()
        width = columns.trace_width
        t = self._document.view.to_time(min(max(x - columns.left, 0), width), width)
        return min(max(t, self._document.grid.start_s), self._document.grid.stop_s)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint marks, edges and headings."""
        painter = QPainter(self)
        theme, columns = self._theme, self.columns()
        painter.fillRect(self.rect(), QColor(theme.panel))
        painter.setFont(painting.tabular(8))
        band = columns.trace(0, _HEIGHT)
        if self._from is not None and self._hold is None:
            left, right = sorted((self._x(self._from), self._x(self._to)))
            painter.fillRect(QRectF(left, 0, right - left, _HEIGHT), QColor(theme.wash))
        self._paint_marks(painter, columns)
        if self._document.record is not None:
            self._paint_headings(painter, columns)
            self._paint_border(painter, columns)
        if self.edges is not None:
            self._paint_edges(painter, band)

    def _paint_marks(self, painter: QPainter, columns: LaneColumns) -> None:
        view, study, record = self._document.view, self._document.study, self._document.record
        painter.setPen(QColor(self._theme.soft))
        for mark in axis_marks(view, study, record, columns.trace_width / 95):
            x = self._x(mark.value)
            painter.drawLine(QPointF(x, _HEIGHT - 3), QPointF(x, _HEIGHT))
            painter.drawText(QRectF(x - 50, 2, 100, 16), Qt.AlignmentFlag.AlignCenter, mark.text)
        if self.pointer_s is not None:
            box = QRectF(10, 2, columns.left - 12, 16)
            text = instant_text(self.pointer_s, study, record, view.length_s / 2000)
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft, f"at {text}")

    def _paint_border(self, painter: QPainter, columns: LaneColumns) -> None:
        """Draw the mark behind the names that can be taken hold of; while it is dragged, from top to bottom."""
        held = self._border is not None
        place, colour = columns.labels if self._border is None else self._border, self._theme.edge if held else self._theme.rule
        painting.line_through(painter, place, 0 if held else _HEIGHT - 12, _HEIGHT, QColor(colour), 2.0)

    def _paint_headings(self, painter: QPainter, columns: LaneColumns) -> None:
        study = self._document.study
        shown = reading_columns(study)
        align = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        comparing = bool(shown) and shown[0].interval is not None
        metrics = QFontMetricsF(painter.font())
        for at, column in enumerate(shown):
            cell = columns.reading(at, 17 if comparing else 0, _HEIGHT - (17 if comparing else 0))
            painter.setPen(QColor(self._theme.edge if column.interval == study.active and comparing else self._theme.ink))
            painter.drawText(cell, align, metrics.elidedText(column.title, Qt.TextElideMode.ElideRight, cell.width()))
        if comparing:
            word = {"values": "", "differences": f", against {study.active}", "ratios": f", over {study.active}"}[
                study.columns.comparing
            ]
            line = QRectF(columns.readings_left, 2, self.width() - self.beside - columns.readings_left - 8, 15)
            painter.setPen(QColor(self._theme.soft))
            title = metrics.elidedText(f"{shown[0].kind.title}{word}", Qt.TextElideMode.ElideRight, line.width())
            painter.drawText(line, align, title)

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
        texts = [edge_text(self.edges[1] - self.edges[0], self.n_cycles)]
        texts = [f"{texts[0]}   {self.riding}", *texts] if self.riding else texts
        left, right = max(self._x(self.edges[0]) + 12, band.left()), min(self._x(self.edges[1]) - 12, band.right())
        for text in texts:
            width = painter.fontMetrics().horizontalAdvance(text) + 8
            if right - left >= width:
                box = QRectF((left + right - width) / 2, _HEIGHT - 19, width, 15)
            elif right + 24 + width <= band.right() and right > band.left():
                box = QRectF(right + 26, _HEIGHT - 19, width, 15)
            else:
                continue
            painter.setPen(QColor(self._theme.edge))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            return

    def edge_near(self, x: float) -> int | None:
        """Return which edge (0 or 1) lies within reach of a place, or None."""
        if self.edges is None:
            return None
        distances = [abs(self._x(t) - x) for t in self.edges]
        nearest = 0 if distances[0] <= distances[1] else 1
        return nearest if distances[nearest] <= _REACH else None

    def _on_border(self, place: QPointF) -> bool:
        """Return whether the border between names and axis is at a place."""
        return self._document.record is not None and abs(place.x() - self.columns().labels) <= _REACH

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Give the names the width that the longest of them needs."""
        if event is not None and self._on_border(event.position()):
            self.names_widened.emit(-1)

    def _hold_at(self, place: QPointF) -> int | str | None:
        """Return what is at a place: an edge, the interval as a whole in the lower half, or nothing."""
        edge = self.edge_near(place.x())
        if edge is not None or self.edges is None:
            return edge
        between = self._x(self.edges[0]) < place.x() < self._x(self.edges[1])
        return "whole" if between and place.y() > _HEIGHT / 2 else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of an edge or of the interval, begin a new interval, or ask for the menu of a heading."""
        if event is None or self._document.record is None:
            return
        place = event.position()
        if place.x() > self.columns().readings_left:
            self.heading_clicked.emit(self.columns().column_at(place.x()) or 0, event.globalPosition().toPoint())
            return
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        if self._on_border(place):
            self._border = self.columns().labels
        if place.x() < self.columns().left - _REACH:
            return
        self._hold, self._held = self._hold_at(place), self.edges or (0.0, 0.0)
        self._from = self._to = self._time(place.x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Move what is held, or the end of the new interval."""
        if event is None:
            return
        place = event.position()
        if self._border is not None:
            self._border = max(round(place.x()), LABELS)
            self.update()
            return
        if self._from is None:
            hold = self._hold_at(place)
            heading = place.x() > self.columns().readings_left
            self.setCursor(
                Qt.CursorShape.PointingHandCursor
                if heading
                else Qt.CursorShape.SplitHCursor
                if self._on_border(place)
                else Qt.CursorShape.SizeAllCursor
                if hold == "whole"
                else Qt.CursorShape.CrossCursor
                if hold is None
                else Qt.CursorShape.SizeHorCursor
            )
            return
        self._to = self._time(place.x())
        if self._hold is not None:
            self._drag(released=False)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Finish what was begun; a click without a drag does nothing."""
        if event is not None and self._border is not None:
            if self._border != self.columns().labels:
                self.names_widened.emit(self._border)
            self._border = None
        if event is None or self._from is None:
            return
        self._to = self._time(event.position().x())
        start, stop = sorted((self._from, self._to))
        if self._hold is not None:
            self._drag(released=True)
        elif abs(self._x(stop) - self._x(start)) > 3:
            self.interval_drawn.emit(start, stop)
        self._from = self._hold = None
        self.update()

    def _drag(self, released: bool) -> None:
        assert self.edges is not None and self._hold is not None and self._from is not None
        start, stop = self._held
        if self._hold == "whole":
            grid = self._document.grid
            by = min(max(self._to - self._from, grid.start_s - start), grid.stop_s - stop)
            self.edges_dragged.emit(start + by, stop + by, released)
            return
        moved = list(self.edges)
        moved[int(self._hold)] = self._to
        if moved[0] < moved[1]:
            self.edges_dragged.emit(moved[0], moved[1], released)
        elif released:
            self.edges_dragged.emit(*self.edges, True)
