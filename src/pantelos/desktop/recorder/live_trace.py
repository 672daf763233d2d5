"""The waveforms of a live recording: a lane for each channel, its level to drag, and the outline of all that came below."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.drawing.painting import columns_across, draw_envelope
from pantelos.desktop.drawing.qt_paper import QtPaper, box_of
from pantelos.desktop.theme import Theme
from pantelos.notation import with_unit
from pantelos.paper.axis import fitted, value_ticks
from pantelos.paper.hues import Weight, conductor
from pantelos.paper.paper import Align, Box, Dash, Role, draw_value_axis
from pantelos.recorder.live import Live, LivePart, LiveStretch
from pantelos.recorder.shots import COLUMNS
from pantelos.signal.arrays import FloatArray
from pantelos.signal.sampling.bands import bands_of_samples
from pantelos.units import Unit, unit

_LEFT, _RIGHT, _FOOT, _OUTLINE = 92, 142, 22, 40
_LINE = 14  # pixels of a reading
_LOWEST, _LEAST, _MOST = 34, 220, 316  # pixels: of a lane with its name and unit, of all lanes at least, and as a demand
_LOW = 44  # pixels of a lane that has no room for three lines
_NEAR = 6  # pixels from the level line that take hold of it
_FADED = 190  # of 255: what is not shown of the outline
_MEANT = 4  # pixels from which on a movement is one
_ZOOM = 1.25  # by a step of the wheel
_OF_SCATTER, _OF_OTHERS = 0.16, 0.3  # opacity of what lies behind a shot
_MOST_OTHERS = 20


class LiveTrace(QWidget):
    """Draws."""

    level_moved = pyqtSignal(float)  # SI
    looked_at = pyqtSignal(float, float)  # rows, from one to another
    followed = pyqtSignal()  # what comes is to be seen again

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Live traces")
        self._theme = theme
        self._live: Live | None = None
        self._shown: LiveStretch | LivePart | None = None
        self._readings: dict[str, list[tuple[str, str]]] = {}
        self._read_of: tuple[float, float] | None = None  # the rows that they are of
        self._scales: dict[str, tuple[float, float]] = {}
        self.others = self.scatter = True  # the other shots, and the band of all, are drawn behind the one that is looked at
        self.against: int | None = None  # the number of a shot that is held against it
        self._held: str = ""  # what the pointer has hold of: "level", "outline", "lanes"
        self._from = self._to = QPointF()
        self._taken = (0.0, 0.0)  # rows that were shown when the pointer took hold
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMinimumHeight(_LEAST)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self.update()

    def show_live(self, live: Live | None) -> None:
        """Begin with another recording."""
        self._live, self._shown, self._scales, self._readings = live, None, {}, {}
        n = len(live.taken.order.channels) if live is not None else 0
        self.setMinimumHeight(min(max(n * _LOWEST + _FOOT + _OUTLINE + 8, _LEAST), _MOST))
        self.update()

    def show_readings(self, readings: dict[str, list[tuple[str, str]]], of: tuple[float, float]) -> None:
        """Show readings of some rows, from one to behind another; they are grey beside any others."""
        self._readings, self._read_of = readings, of
        self.update()

    @property
    def readings(self) -> dict[str, list[tuple[str, str]]]:
        """The readings that stand beside the lanes."""
        return self._readings

    @property
    def readings_are_of_what_is_shown(self) -> bool:
        """Whether they belong to the rows that are drawn."""
        shown = self._shown
        if shown is None:
            return False
        stop = shown.first + len(shown.rows) if isinstance(shown, LiveStretch) else shown.stop
        return self._read_of == (shown.first, stop)

    def show_rows(self, shown: LiveStretch | LivePart) -> None:
        """Show other rows."""
        self._shown = shown
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

    def _scale(self, name: str, lows: FloatArray, highs: FloatArray) -> tuple[float, float]:
        """Return a scale that holds what is shown and what was; it only grows."""
        low, high = (float(np.fmin.reduce(lows)), float(np.fmax.reduce(highs))) if len(lows) else (math.nan, math.nan)
        low, high = (low, high) if math.isfinite(high - low) else (-1.0, 1.0)
        known = self._scales.get(name, (math.inf, -math.inf))
        if low < known[0] or high > known[1]:
            self._scales[name] = fitted(min(low, known[0]), max(high, known[1]))
        return self._scales[name]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw lanes, level and outline."""
        painter = QPainter(self)
        paper = QtPaper(painter, self._theme)
        live, shown = self._live, self._shown
        if live is None or shown is None:
            said = "Nothing recorded yet. Choose channels, then press Start." if live is None else "Waiting for the start…"
            paper.words(box_of(QRectF(self.rect())), said, Role.SOFT, 10, align=Align.CENTRE)
            return
        lanes = self._lanes()
        first = lanes[0][2]
        ink_of_readings = Role.INK if self.readings_are_of_what_is_shown else Role.SOFT
        n_columns = columns_across(painter, QRectF(first.left, first.top, first.width, first.height))
        bands = live.bands(shown.first, shown.stop, n_columns) if isinstance(shown, LivePart) else []
        for k, (name, symbol, lane) in enumerate(lanes):
            values = live.values(shown.rows, k) if isinstance(shown, LiveStretch) else np.zeros(0)
            lows, highs = bands[k] if bands else (values, values)
            scale = self._scale(name, *(self._with_scatter(k, lows, highs) if not bands else (lows, highs)))
            marks, said = value_ticks(*scale, symbol, max(lane.height / 22, 2 if lane.height < _LOW else 3))
            draw_value_axis(paper, lane, ((mark.value, mark.text) for mark in marks), scale)
            ink = conductor(live.study, name)
            if isinstance(shown, LiveStretch) and shown.shot:
                self._draw_shots(painter, lane, k, shown.shot, scale, ink)
            paper.words(Box(6, lane.top, _LEFT - 44, 16), name, ink, 9.5, bold=True)
            paper.words(Box(6, lane.top + 15, _LEFT - 44, 13), said, Role.SOFT)
            if live.news is not None and live.news.clipped[k : k + 1] not in ((), (0,)):
                below = Box(6, lane.top + 28, _LEFT - 12, 13)
                beside = Box(25, lane.top + 15, _LEFT - 44, 13)  # where a lane is too low for a third line
                low = lane.height < _LOW
                paper.words(beside if low else below, "clipped", Role.FAULT, 7.5 if low else 8.5, bold=True)
            if bands:
                self._draw_band(painter, lane, lows, highs, scale, ink)
            elif len(values) > 2 * n_columns:
                self._draw_band(painter, lane, *bands_of_samples(values, n_columns), scale, ink)
            else:
                places = np.linspace(lane.left, lane.right, len(values))
                with paper.clipped(lane):
                    paper.line(places, lane.y(values, scale), ink)
            for at, (label, said) in enumerate(self._readings.get(name, [])[: max(int(lane.height / _LINE), 1)]):
                line = Box(lane.right + 10, lane.top + at * _LINE, _RIGHT - 18, _LINE)
                paper.words(line, label, Role.SOFT)
                paper.words(line, said, ink_of_readings, 8.5, align=Align.RIGHT)
            self._draw_level(paper, name, lane, scale)
            paper.rule(6, lane.bottom + 3, lane.right, lane.bottom + 3, Role.RULE)
        self._draw_time(paper, shown)
        self._draw_outline(painter, paper)

    def _with_scatter(self, column: int, lows: FloatArray, highs: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Return ends that a scale is to hold: of what is shown, and of the shots behind it."""
        assert self._live is not None
        band = self._live.seen.band
        if band is None or not (self.others or self.scatter):
            return lows, highs
        return np.append(lows, band[0][column].min()), np.append(highs, band[1][column].max())

    def _draw_shots(self, painter: QPainter, lane: Box, column: int, number: int, scale: tuple[float, float], ink: str) -> None:
        """Draw the shots behind the one that is looked at: each faintly, what all of them cover, and one to compare."""
        assert self._live is not None
        seen, area = self._live.seen, QRectF(lane.left, lane.top, lane.width, lane.height)
        places = np.linspace(0, COLUMNS - 1, columns_across(painter, area)).round().astype(int)
        colour = self._theme.conductor(ink)

        def draw(lows: FloatArray, highs: FloatArray, colour: QColor, opacity: float) -> None:
            painter.setOpacity(opacity)
            draw_envelope(painter, area, lows[column][places], highs[column][places], scale, colour, Weight.THIN)
            painter.setOpacity(1.0)

        if self.scatter and seen.band is not None:
            draw(*seen.band, colour, _OF_SCATTER)
        for shot in seen.all[-_MOST_OTHERS:] if self.others else ():
            if shot.number != number:
                draw(shot.lows, shot.highs, colour, _OF_OTHERS)
        against = next((shot for shot in seen.all if shot.number == self.against != number), None)
        if against is not None:
            draw(against.lows, against.highs, QColor(self._theme.edge), 1.0)

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

    def _draw_time(self, paper: QtPaper, shown: LiveStretch | LivePart) -> None:
        assert self._live is not None
        area = Box(_LEFT, 8, self.width() - _LEFT - _RIGHT, self.height() - _FOOT - _OUTLINE - 8)
        start, shot = shown.start_s, shown.shot if isinstance(shown, LiveStretch) else 0
        stop = start + len(shown.rows) / self._live.taken.order.rate_hz if isinstance(shown, LiveStretch) else shown.stop_s
        marks, symbol = value_ticks(start, stop, unit("s"), max(area.width / 90, 2))
        for mark in marks:
            x = area.left + (mark.value - start) / (stop - start) * area.width
            paper.rule(x, area.bottom, x, area.bottom + 3, Role.SOFT)
            paper.words(Box(x + 3, area.bottom + 2, 60, 13), mark.text, Role.SOFT)
        paper.words(Box(6, area.bottom + 2, _LEFT - 12, 13), f"shot {shot}, {symbol}" if shot else symbol, Role.SOFT)
        if start < 0 < stop:
            x = area.left - start / (stop - start) * area.width
            paper.rule(x, area.top, x, area.bottom, Role.EDGE)

    def _outline_box(self) -> Box:
        return Box(_LEFT, self.height() - _OUTLINE, self.width() - _LEFT - _RIGHT, _OUTLINE - 8)

    def _draw_outline(self, painter: QPainter, paper: QtPaper) -> None:
        """Draw all that came, of the first channel, and where what is shown lies in it."""
        assert self._live is not None
        box, n = self._outline_box(), self._live.n_rows
        bands = self._live.bands(0, n, int(box.width)) if n else []
        if not bands:
            paper.words(box, self._live.why_no_outline, Role.SOFT)
            return
        lows, highs = bands[0]
        scale = fitted(float(np.fmin.reduce(lows)), float(np.fmax.reduce(highs)))
        whole = self._live.part(0, n)
        paper.words(Box(6, box.top, _LEFT - 12, 14), "all of it", Role.SOFT)
        paper.words(Box(6, box.top + 13, _LEFT - 12, 14), with_unit(whole.stop_s if whole else 0.0, unit("s"), 4), Role.SOFT)
        if self._held == "outline":
            places = sorted((self._from.x(), self._to.x()))
        elif isinstance(self._shown, LivePart):
            places = [box.left + row / n * box.width for row in (self._shown.first, self._shown.stop)]
        else:
            places = []
        self._draw_band(painter, box, lows, highs, scale, conductor(self._live.study, self._live.taken.order.channels[0].name))
        if places:
            faded = QColor(self._theme.ground)
            faded.setAlpha(_FADED)
            for left, right in ((box.left, places[0]), (places[1], box.right)):
                painter.fillRect(QRectF(left, box.top, max(right - left, 0.0), box.height), faded)
            for x in (places[0] - 1, places[1] + 1):
                paper.rule(x, box.top - 3, x, box.bottom + 3, Role.INK)

    def _level_near(self, at: QPointF) -> tuple[Box, tuple[float, float]] | None:
        """Return lane and scale of the level line under the pointer."""
        if self._live is None or self._live.taken.order.start.on != "edge":
            return None
        start = self._live.taken.order.start
        for name, _, lane in self._lanes():
            if name == start.channel and name in self._scales:
                y = float(lane.y(np.array(start.level), self._scales[name]))
                if self._held == "level" or abs(y - at.y()) <= _NEAR:
                    return lane, self._scales[name]
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the level, of a part of the outline, or of what is shown."""
        if event is None or self._live is None or self._shown is None:
            return
        at = event.position()
        self._from = self._to = at
        self._taken = self._rows_shown()
        outline = self._outline_box()
        if self._level_near(at) is not None:
            self._held = "level"
        elif outline.top <= at.y() <= outline.bottom:
            self._held = "outline"
        elif self._can_look_back():
            self._held = "lanes"

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Move what is held."""
        if event is None:
            return
        at = self._to = event.position()
        found = self._level_near(at)
        self.setCursor(Qt.CursorShape.SizeVerCursor if found else Qt.CursorShape.ArrowCursor)
        if self._held == "level" and found is not None:
            lane, scale = found
            share = (lane.bottom - at.y()) / lane.height
            self.level_moved.emit(scale[0] + min(max(share, 0.0), 1.0) * (scale[1] - scale[0]))
        elif self._held == "lanes" and abs(at.x() - self._from.x()) >= _MEANT:
            first, stop = self._taken
            by = (self._from.x() - at.x()) / self._outline_box().width * (stop - first)
            self.looked_at.emit(first + by, stop + by)
        elif self._held == "outline":
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Look at the part of the outline that was drawn; at as much as before around a click."""
        held, self._held = self._held, ""
        if event is None or held != "outline" or self._live is None or not self._can_look_back():
            self.update()
            return
        box = self._outline_box()
        low, high = ((x - box.left) / box.width * self._live.n_rows for x in sorted((self._from.x(), event.position().x())))
        if abs(event.position().x() - self._from.x()) < _MEANT:
            first, stop = self._rows_shown()
            low, high = low - (stop - first) / 2, low + (stop - first) / 2
        self.looked_at.emit(low, high)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """See less around the pointer, or more."""
        if event is None or not self._can_look_back():
            return
        first, stop = self._rows_shown()
        box = self._outline_box()
        share = min(max((event.position().x() - box.left) / box.width, 0.0), 1.0)
        by = _ZOOM ** (-event.angleDelta().y() / 120)
        around = first + share * (stop - first)
        self.looked_at.emit(around - (around - first) * by, around + (stop - around) * by)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Follow what comes again on Escape."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.followed.emit()
        else:
            super().keyPressEvent(event)

    def _can_look_back(self) -> bool:
        return self._live is not None and self._shown is not None and bool(self._live.bands(0, 1, 1))

    def _rows_shown(self) -> tuple[float, float]:
        """Return the rows that are shown, counted through the whole recording."""
        assert self._live is not None and self._shown is not None
        if isinstance(self._shown, LivePart):
            return self._shown.first, self._shown.stop
        return self._shown.first, self._shown.first + len(self._shown.rows)
