"""The strip: the whole record, the view as a frame to move and stretch, intervals as labelled bars."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.strip_channel import bar_rows, strip_channel
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.selection import Selection
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.lane_overlay import occupied
from pantelos.notation import from_to
from pantelos.paper import hues
from pantelos.paper.axis import fitted, ticks

_MARGIN = 14
_WAVE = 38
_BAR = 17
_FOOT = 15
_REACH = 6
_A_DRAG = 3  # pixels: less is a click
_HELP = (
    "The whole record: drag the frame to move the view, its sides to stretch it; "
    "click an interval to make it active, drag it to move it"
)


class Strip(QWidget):
    """Drag inside the frame to move it, its sides to stretch it, elsewhere to draw a new one; click a bar to activate it."""

    activated = pyqtSignal(str)
    zoom_to = pyqtSignal(str)
    moved = pyqtSignal(str, float, float)  # interval, start, stop

    def __init__(self, document: Document, selection: Selection, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._selection, self._theme = document, selection, theme
        self._bar: tuple[str, float, float] | None = (
            None  # an interval being moved: name, where it was taken hold of, by how much
        )
        self._wave: tuple[tuple[object, ...], QImage] | None = None
        self._hold: tuple[str, float, TimeView] | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Whole record")
        self.setToolTip(_HELP)
        selection.changed.connect(self.update)
        self.fit()

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self._theme, self._wave = theme, None
        self.update()

    def fit(self) -> None:
        """Take the height that the bars need."""
        self.setAccessibleDescription(
            "; ".join(f"{one.name}, {from_to(one.start_s, one.stop_s)}" for one in self._document.study.intervals)
        )
        n_rows = max([row for _, row in bar_rows(self._document.study)], default=0) + 1
        self.setFixedHeight(_WAVE + n_rows * _BAR + _FOOT + 10)
        self.update()

    def _width(self) -> float:
        return max(self.width() - 2 * _MARGIN, 10)

    def _x(self, t_s: float) -> float:
        return _MARGIN + self._document.whole.to_x(t_s, self._width())

    def _time(self, x: float) -> float:
        return self._document.whole.to_time(min(max(x - _MARGIN, 0.0), self._width()), self._width())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the envelope, the bars, the frame and the time marks."""
        painter = QPainter(self)
        theme = self._theme
        painter.fillRect(self.rect(), QColor(theme.panel))
        if self._document.evaluation is None:
            return
        image = self._envelope()
        if image is not None:
            painter.drawImage(QPointF(_MARGIN, 3), image)
        self._paint_events(painter)
        painter.setFont(painting.tabular(8))
        bars = self._bars()
        for rect, name, active in bars:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
            painter.setPen(QPen(QColor(theme.edge if active else theme.rule), 1.4 if active else 1))
            painter.setBrush(QColor(theme.wash if active else theme.ground))
            painter.drawRoundedRect(rect, 2, 2)
            painter.setPen(QColor(theme.edge if active else theme.ink))
            self._write_name(painter, rect, name, [other for other, _, _ in bars])
        painter.setPen(QColor(theme.soft))
        for mark in ticks(self._document.grid.start_s, self._document.grid.stop_s, self._width() / 120):
            text = f"{mark.text} s"
            half = painter.fontMetrics().horizontalAdvance(text) / 2 + 1
            middle = min(max(self._x(mark.value), half), self.width() - half)  # the first and last stand within the strip
            painter.drawText(QRectF(middle - 50, self.height() - _FOOT, 100, 13), Qt.AlignmentFlag.AlignCenter, text)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setPen(QPen(QColor(theme.ink), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(self._frame())

    def _write_name(self, painter: QPainter, rect: QRectF, name: str, bars: list[QRectF]) -> None:
        """Write the name of an interval into its bar, else beside it, as far as no other bar of that row stands there."""
        wanted = painter.fontMetrics().horizontalAdvance(name) + 8
        following = [other.left() for other in bars if other.top() == rect.top() and other.left() > rect.left()]
        free = min([*following, float(self.width())]) - rect.right() - 6
        beside = rect.width() < wanted and free > rect.width()
        box = QRectF(rect.right() + 3, rect.top(), free, rect.height()) if beside else rect.adjusted(5, 0, -2, 0)
        said = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(min(wanted, box.width())))
        if len(said) > 1 or said == name:  # a lone ellipsis says nothing
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, said)

    def _paint_events(self, painter: QPainter) -> None:
        """Draw a tick at every event that is followed, one per pixel at the most."""
        evaluation = self._document.evaluation
        search = next((s for s in self._document.study.searches if s.name == self._selection.search), None)
        if evaluation is None or search is None or not evaluation.events.known(search):
            return
        columns = occupied(evaluation.events.find(search).positions, 0.0, float(evaluation.record.n_samples), int(self._width()))
        tick = QColor(self._theme.edge)
        tick.setAlpha(255 if len(columns) < self._width() / 4 else 90)
        painter.setPen(QPen(tick, 1))
        for column in columns:
            painter.drawLine(QPointF(_MARGIN + column + 0.5, _WAVE), QPointF(_MARGIN + column + 0.5, _WAVE + 5))

    def _frame(self) -> QRectF:
        view = self._document.view
        left, right = self._x(view.start_s), self._x(view.stop_s)
        return QRectF(left, 2, max(right - left, 5), _WAVE + 2)

    def _envelope(self) -> QImage | None:
        evaluation = self._document.evaluation
        assert evaluation is not None
        name = strip_channel(evaluation)
        if name is None:
            return None
        width, ratio = int(self._width()), self.devicePixelRatioF()
        state = (evaluation.names.identity(name), width, ratio)
        if self._wave is None or self._wave[0] != state:
            whole = self._document.whole
            image = QImage(int(width * ratio), int(_WAVE * ratio), QImage.Format.Format_ARGB32_Premultiplied)
            image.setDevicePixelRatio(ratio)
            image.fill(Qt.GlobalColor.transparent)
            painter, rect = QPainter(image), QRectF(0, 0, width, _WAVE)
            n_columns = painting.columns_across(painter, rect)
            lows, highs = evaluation.drawing.envelope(name, whole.start_s, whole.stop_s, n_columns)
            colour = self._theme.conductor(hues.conductor(evaluation.study, name))
            colour.setAlpha(120)
            given = np.isfinite(lows).any()
            extent = fitted(float(np.nanmin(lows)), float(np.nanmax(highs))) if given else (-1.0, 1.0)
            painting.draw_envelope(painter, rect, lows, highs, extent, colour, hues.Weight.PLAIN)
            painter.end()
            self._wave = (state, image)
        return self._wave[1]

    def _bars(self) -> list[tuple[QRectF, str, bool]]:
        """Return box, name and whether active of every interval."""
        study = self._document.study
        found = []
        for interval, row in bar_rows(study):
            by = self._bar[2] if self._bar is not None and self._bar[0] == interval.name else 0.0
            left, right = self._x(interval.start_s + by), self._x(interval.stop_s + by)
            box = QRectF(left, _WAVE + 8 + row * _BAR, max(right - left, 4), _BAR - 3)
            found.append((box, interval.name, interval.name == study.active))
        return found

    def bar_at(self, place: QPointF) -> str | None:
        """Return the interval whose bar is at a place."""
        return next((name for rect, name, _ in self._bars() if rect.adjusted(-3, 0, 3, 0).contains(place)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the frame or one of its sides, activate a bar, or begin a new frame."""
        if event is None or self._document.record is None:
            return
        place = event.position()
        bar = self.bar_at(place)
        if bar is not None:
            self.activated.emit(bar)
            self._bar = (bar, self._time(place.x()), 0.0)
            return
        frame = self._frame()
        x = place.x()
        if abs(x - frame.left()) <= _REACH and frame.width() > 3 * _REACH:
            kind = "left"
        elif abs(x - frame.right()) <= _REACH and frame.width() > 3 * _REACH:
            kind = "right"
        else:
            kind = "move" if frame.contains(place) else "draw"
        self._hold = (kind, self._time(x), self._document.view)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Move, stretch or draw the frame, or move an interval."""
        if event is not None and self._bar is not None:
            name, start, _ = self._bar
            self._bar = (name, start, self._shift(name, self._time(event.position().x()) - start))
            self.update()
        if event is None or self._hold is None:
            if event is not None and self._bar is None:
                self._say(event.position())
            return
        kind, start, view = self._hold
        now = self._time(event.position().x())
        moved = {
            "move": view.moved(now - start),
            "left": TimeView(min(now, view.stop_s), view.stop_s),
            "right": TimeView(view.start_s, max(now, view.start_s)),
            "draw": TimeView(min(start, now), max(start, now)),
        }[kind]
        if moved.length_s > 0:
            self._document.show(moved, "strip")

    def _shift(self, name: str, by_s: float) -> float:
        """Return how far an interval can be moved within the record."""
        interval, grid = self._document.study.interval(name), self._document.grid
        return min(max(by_s, grid.start_s - interval.start_s), grid.stop_s - interval.stop_s)

    def _say(self, place: QPointF) -> None:
        """Show the note of the interval under the pointer."""
        name = self.bar_at(place)
        note = self._document.study.interval(name).note if name is not None else ""
        self.setToolTip(f"{name}: {note}" if note else _HELP)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go."""
        bar, self._bar = self._bar, None
        if bar is not None and abs(bar[2]) * self._width() > _A_DRAG * self._document.whole.length_s:
            interval = self._document.study.interval(bar[0])
            self.moved.emit(bar[0], interval.start_s + bar[2], interval.stop_s + bar[2])
        self.update()
        self._hold = None
        self._document.views.settle()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Zoom to an interval."""
        if event is not None and (bar := self.bar_at(event.position())) is not None:
            self.zoom_to.emit(bar)
