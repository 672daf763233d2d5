"""The shots of a recording in a row: a picture of each, when it was, its peak; one is looked at, another held against it."""

from datetime import datetime, timedelta

import numpy as np
from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from pantelos.desktop.drawing.painting import columns_across, draw_envelope
from pantelos.desktop.drawing.qt_paper import QtPaper
from pantelos.desktop.theme import Theme
from pantelos.notation import with_unit
from pantelos.paper.axis import fitted
from pantelos.paper.hues import Weight, conductor
from pantelos.paper.paper import Align, Box, Dash, Role
from pantelos.recorder.live import Live
from pantelos.recorder.shots import COLUMNS, ShotSeen
from pantelos.units import unit

_CELL, _HIGH, _HEAD, _FOOT = 112, 96, 16, 16
_USUAL = 0.35  # opacity of the middle of all shots behind each


class ShotRow(QWidget):
    """Draws the shots, and says which one is chosen."""

    chosen = pyqtSignal(int)  # number of a shot
    compared = pyqtSignal(int)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Shots")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._theme = theme
        self._live: Live | None = None
        self.channel = 0
        self.number: int | None = None  # that is looked at; None: the newest
        self.against: int | None = None  # that is held against it
        self._first = 0  # of the cells that are seen
        self._state: tuple[int, int | None, int | None, int] | None = None  # newest shot, those looked at, channel: as drawn
        self.hide()

    def sizeHint(self) -> QSize:
        """Be as high as a cell."""
        return QSize(6 * _CELL, _HIGH)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme = theme
        self.update()

    def show_live(self, live: Live) -> None:
        """Begin with another recording."""
        self._live, self.number, self.against, self._first, self._state = live, None, None, 0, None
        order = live.taken.order
        self.setVisible(order.n_shots != 1 and bool(order.n_samples) and order.gate is None)

    def look(self, number: int | None, against: int | None, channel: int) -> None:
        """Show which shots are looked at, and by which channel."""
        seen = self.seen
        state = (seen[-1].number if seen else 0, number, against, channel)
        if state == self._state:  # asked with every picture; drawn where something is new
            return
        self._state = state
        self.number, self.against, self.channel = number, against, channel
        if seen:
            place = next((k for k, one in enumerate(seen) if one.number == (number or seen[-1].number)), len(seen) - 1)
            n = max(self.width() // _CELL, 1)
            self._first = min(max(self._first, place - n + 1), place)
            self.setAccessibleDescription(self._said(seen[place]))
        self.update()

    @property
    def seen(self) -> tuple[ShotSeen, ...]:
        """The shots that there are."""
        return self._live.seen.all if self._live is not None else ()

    def _said(self, shot: ShotSeen) -> str:
        """Return in words what a cell shows."""
        assert self._live is not None
        one = self._live.taken.order.channels[self.channel]
        symbol = one.scaling.resolve(unit("V"))[2]
        peak = with_unit(abs(float(shot.peaks[self.channel])), symbol, 4)
        said = f"Shot {shot.number}, {self._instant(shot)}: peak of {one.name} {peak}"
        said += ", unlike the others" if shot.number in self._live.seen.odd(self.channel) else ""
        return said + (", started without an edge" if shot.alone else "")

    def _instant(self, shot: ShotSeen) -> str:
        news = self._live.news if self._live is not None else None
        if news is None or not news.began:
            return f"{shot.at_s:.3f} s"
        at = datetime.fromisoformat(news.began).astimezone() + timedelta(seconds=shot.at_s)
        return f"{at:%H:%M:%S}.{at.microsecond // 1000:03d}"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw a cell for each shot that fits, all on one scale."""
        if self._live is None:
            return
        painter = QPainter(self)
        paper = QtPaper(painter, self._theme)
        seen, k = self.seen, self.channel
        if not seen:
            paper.words(Box(0, 0, self.width(), self.height()), "Shots stand here as they come", Role.SOFT, align=Align.CENTRE)
            return
        odd = self._live.seen.odd(k)
        low, high = (min(float(one.lows[k].min()) for one in seen), max(float(one.highs[k].max()) for one in seen))
        scale = fitted(low, high)
        middle = [np.median([ends[k] for ends in all_], axis=0) for all_ in ([s.lows for s in seen], [s.highs for s in seen])]
        one = self._live.taken.order.channels[k]
        ink = self._theme.conductor(conductor(self._live.study, one.name))
        symbol = one.scaling.resolve(unit("V"))[2]
        for place, shot in enumerate(seen[self._first : self._first + self.width() // _CELL + 1]):
            cell = Box(place * _CELL + 2, 2, _CELL - 4, _HIGH - 4)
            looked_at = shot.number == (self.number or seen[-1].number)
            if looked_at or shot.number == self.against:
                painter.fillRect(
                    QRectF(cell.left, cell.top, cell.width, cell.height),
                    QColor(self._theme.wash if looked_at else self._theme.panel),
                )
                paper.rule(cell.left, cell.bottom, cell.right, cell.bottom, Role.EDGE, Dash.SOLID if looked_at else Dash.DASHED)
            head = Box(cell.left + 4, cell.top, cell.width - 8, _HEAD)
            paper.words(head, str(shot.number), Role.INK, 9.5, bold=True)
            paper.words(head, self._instant(shot), Role.SOFT, 7.5, align=Align.RIGHT)
            picture = QRectF(cell.left + 4, cell.top + _HEAD, cell.width - 8, cell.height - _HEAD - _FOOT)
            columns = np.linspace(0, COLUMNS - 1, columns_across(painter, picture)).round().astype(int)
            painter.setOpacity(_USUAL)
            draw_envelope(painter, picture, middle[0][columns], middle[1][columns], scale, QColor(self._theme.soft), Weight.THIN)
            painter.setOpacity(1.0)
            draw_envelope(painter, picture, shot.lows[k][columns], shot.highs[k][columns], scale, ink, Weight.THIN)
            foot = Box(cell.left + 4, cell.bottom - _FOOT, cell.width - 8, _FOOT)
            unlike = shot.number in odd
            paper.words(foot, "peak", Role.SOFT, 7.5)
            said = with_unit(abs(float(shot.peaks[k])), symbol, 4)
            paper.words(foot, f"▲ {said}" if unlike else said, Role.FAULT if unlike else Role.INK, 8.5, unlike, Align.RIGHT)

    def _under(self, x: float) -> ShotSeen | None:
        place = self._first + int(x // _CELL)
        return self.seen[place] if 0 <= place < len(self.seen) else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Look at a shot; with Shift, hold it against the one that is looked at."""
        shot = self._under(event.position().x()) if event is not None else None
        if event is not None and shot is not None:
            held = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            (self.compared if held else self.chosen).emit(shot.number)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Step from shot to shot."""
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key())) if event is not None else None
        if by is None or not self.seen:
            super().keyPressEvent(event)
            return
        first, last = self.seen[0].number, self.seen[-1].number
        self.chosen.emit(min(max((self.number or last) + by, first), last))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Move along the row."""
        if event is not None:
            by = -1 if event.angleDelta().y() > 0 else 1
            self._first = min(max(self._first + by, 0), max(len(self.seen) - self.width() // _CELL, 0))
            self.update()

    def event(self, event: QEvent | None) -> bool:
        """Say what a cell shows when it is pointed at."""
        if isinstance(event, QHelpEvent):
            shot = self._under(event.pos().x())
            if shot is not None:
                QToolTip.showText(event.globalPos(), f"{self._said(shot)}. Shift and click: hold it against the other.", self)
                return True
        return super().event(event)
