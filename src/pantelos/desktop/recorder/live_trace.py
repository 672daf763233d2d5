"""The waveforms of a live recording: a lane for each channel, its level to drag, and the outline of all that came below."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.painting import draw_envelope
from pantelos.desktop.qt_paper import QtPaper, box_of
from pantelos.desktop.theme import Theme
from pantelos.notation import with_unit
from pantelos.paper.axis import fitted, value_ticks
from pantelos.paper.hues import Weight, conductor
from pantelos.paper.paper import Align, Box, Dash, Role, draw_value_axis
from pantelos.recorder.live import Live, Stretch
from pantelos.signal.arrays import FloatArray
from pantelos.units import Unit, unit

_LEFT, _RIGHT, _FOOT, _OUTLINE = 92, 142, 22, 40
_LINE = 14  # pixels of a reading
_NEAR = 6  # pixels from the level line that take hold of it


def columns_of(values: FloatArray, n_columns: int) -> tuple[FloatArray, FloatArray]:
    """Return lowest and highest of each column of pixels."""
    edges = np.linspace(0, len(values), n_columns + 1).astype(np.intp)[:-1]
    return np.minimum.reduceat(values, edges), np.maximum.reduceat(values, edges)


class LiveTrace(QWidget):
    """Draws."""

    level_moved = pyqtSignal(float)  # SI

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._live: Live | None = None
        self._stretch: Stretch | None = None
        self.readings: dict[str, list[tuple[str, str]]] = {}
        self._scales: dict[str, tuple[float, float]] = {}
        self._dragged = False
        self.setMouseTracking(True)
        self.setMinimumHeight(220)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self.update()

    def show_live(self, live: Live | None) -> None:
        """Begin with another recording."""
        self._live, self._stretch, self._scales, self.readings = live, None, {}, {}
        self.update()

    def show_stretch(self, stretch: Stretch) -> None:
        """Show other rows."""
        self._stretch = stretch
        self.update()

    def _lanes(self) -> list[tuple[str, Unit, Box]]:
        """Return names, units and places of the lanes."""
        if self._live is None:
            return []
        channels = self._live.taken.order.channels
        whole = Box(_LEFT, 8, self.width() - _LEFT - _RIGHT, self.height() - _FOOT - _OUTLINE - 8)
        high = whole.height / len(channels)
        return [
            (one.name, one.scaling.resolve(unit("V"))[2], Box(whole.left, whole.top + k * high + 3, whole.width, high - 6))
            for k, one in enumerate(channels)
        ]

    def _scale(self, name: str, values: FloatArray) -> tuple[float, float]:
        """Return a scale that holds what is shown and what was; it only grows."""
        low, high = (float(values.min()), float(values.max())) if len(values) else (-1.0, 1.0)
        known = self._scales.get(name, (math.inf, -math.inf))
        if low < known[0] or high > known[1]:
            self._scales[name] = fitted(min(low, known[0]), max(high, known[1]))
        return self._scales[name]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw lanes, level and outline."""
        painter = QPainter(self)
        paper = QtPaper(painter, self._theme)
        live, stretch = self._live, self._stretch
        if live is None or stretch is None:
            said = "Nothing recorded yet. Choose channels, then press Start." if live is None else "Waiting for the start…"
            paper.words(box_of(QRectF(self.rect())), said, Role.SOFT, 10, align=Align.CENTRE)
            return
        for k, (name, symbol, lane) in enumerate(self._lanes()):
            values = live.values(stretch.rows, k)
            scale = self._scale(name, values)
            marks, said = value_ticks(*scale, symbol, max(lane.height / 22, 3))
            draw_value_axis(paper, lane, ((mark.value, mark.text) for mark in marks), scale)
            ink = conductor(live.study, name)
            paper.words(Box(6, lane.top, _LEFT - 44, 16), name, ink, 9.5, bold=True)
            paper.words(Box(6, lane.top + 15, _LEFT - 44, 13), said, Role.SOFT)
            if live.news is not None and live.news.clipped[k : k + 1] not in ((), (0,)):
                paper.words(Box(6, lane.top + 28, _LEFT - 12, 13), "clipped", Role.FAULT, bold=True)
            if len(values) > 2 * lane.width:
                self._draw_band(painter, lane, *columns_of(values, int(lane.width)), scale, ink)
            else:
                places = np.linspace(lane.left, lane.right, len(values))
                with paper.clipped(lane):
                    paper.line(places, lane.y(values, scale), ink)
            for at, (label, said) in enumerate(self.readings.get(name, [])[: max(int(lane.height / _LINE), 1)]):
                line = Box(lane.right + 10, lane.top + at * _LINE, _RIGHT - 18, _LINE)
                paper.words(line, label, Role.SOFT)
                paper.words(line, said, Role.INK, 8.5, align=Align.RIGHT)
            self._draw_level(paper, name, lane, scale)
            paper.rule(6, lane.bottom + 3, lane.right, lane.bottom + 3, Role.RULE)
        self._draw_time(paper, stretch)
        self._draw_outline(painter, paper)

    def _draw_band(
        self, painter: QPainter, box: Box, lows: FloatArray, highs: FloatArray, scale: tuple[float, float], ink: str
    ) -> None:
        rect = QRectF(box.left, box.top, box.width, box.height)
        draw_envelope(painter, rect, lows, highs, scale, self._theme.conductor(ink), Weight.PLAIN)

    def _draw_level(self, paper: QtPaper, name: str, lane: Box, scale: tuple[float, float]) -> None:
        assert self._live is not None
        start = self._live.taken.order.start
        if start.on == "edge" and start.channel == name:
            y = float(lane.y(np.array(start.level), scale))
            if lane.top <= y <= lane.bottom:
                paper.rule(lane.left, y, lane.right, y, Role.EDGE, Dash.DASHED)

    def _draw_time(self, paper: QtPaper, stretch: Stretch) -> None:
        assert self._live is not None
        area = Box(_LEFT, 8, self.width() - _LEFT - _RIGHT, self.height() - _FOOT - _OUTLINE - 8)
        stop = stretch.start_s + len(stretch.rows) / self._live.taken.order.rate_hz
        marks, symbol = value_ticks(stretch.start_s, stop, unit("s"), max(area.width / 90, 2))
        for mark in marks:
            x = area.left + (mark.value - stretch.start_s) / (stop - stretch.start_s) * area.width
            paper.rule(x, area.bottom, x, area.bottom + 3, Role.SOFT)
            paper.words(Box(x + 3, area.bottom + 2, 60, 13), mark.text, Role.SOFT)
        paper.words(
            Box(6, area.bottom + 2, _LEFT - 12, 13), f"shot {stretch.shot}, {symbol}" if stretch.shot else symbol, Role.SOFT
        )
        if stretch.start_s < 0 < stop:
            x = area.left - stretch.start_s / (stop - stretch.start_s) * area.width
            paper.rule(x, area.top, x, area.bottom, Role.EDGE)

    def _draw_outline(self, painter: QPainter, paper: QtPaper) -> None:
        """Draw all that came, of the first channel."""
        assert self._live is not None
        box = Box(_LEFT, self.height() - _OUTLINE, self.width() - _LEFT - _RIGHT, _OUTLINE - 8)
        found, each_s = self._live.outline()
        if not len(found):
            return
        gain, zero = self._live.gain(0)
        values = np.sort(found[:, :, 0] * gain + zero, axis=1)
        scale = fitted(float(values.min()), float(values.max()))
        at = (np.arange(int(box.width)) * len(values) / int(box.width)).astype(np.intp)
        name = self._live.taken.order.channels[0].name
        self._draw_band(painter, box, values[at, 0], values[at, 1], scale, conductor(self._live.study, name))
        paper.words(Box(6, box.top, _LEFT - 12, 14), "all of it", Role.SOFT)
        paper.words(Box(6, box.top + 13, _LEFT - 12, 14), with_unit(len(found) * each_s, unit("s"), 4), Role.SOFT)

    def _level_near(self, at: QPointF) -> tuple[Box, tuple[float, float]] | None:
        """Return lane and scale of the level line under the pointer."""
        if self._live is None or self._live.taken.order.start.on != "edge":
            return None
        start = self._live.taken.order.start
        for name, _, lane in self._lanes():
            if name == start.channel and name in self._scales:
                y = float(lane.y(np.array(start.level), self._scales[name]))
                if self._dragged or abs(y - at.y()) <= _NEAR:
                    return lane, self._scales[name]
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the level."""
        if event is not None and self._level_near(event.position()) is not None:
            self._dragged = True

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Move the level."""
        if event is None:
            return
        found = self._level_near(event.position())
        self.setCursor(Qt.CursorShape.SizeVerCursor if found else Qt.CursorShape.ArrowCursor)
        if self._dragged and found is not None:
            lane, scale = found
            share = (lane.bottom - event.position().y()) / lane.height
            self.level_moved.emit(scale[0] + min(max(share, 0.0), 1.0) * (scale[1] - scale[0]))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go of it."""
        self._dragged = False
