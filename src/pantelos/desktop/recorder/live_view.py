"""What comes of a recording, while it comes: waveforms at once, a panel and readings as soon as they are computed."""

import math
from typing import Any, TypeAlias

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QSizePolicy, QSplitter, QToolButton, QVBoxLayout, QWidget

from pantelos.desktop.parts.labels import ShortLabel
from pantelos.desktop.recorder.live_panel import LivePanel, picture_or_reason
from pantelos.desktop.recorder.live_trace import LiveTrace
from pantelos.desktop.recorder.shot_row import ShotRow
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import Theme
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.notation import counted, with_unit
from pantelos.reading.kinds import READINGS
from pantelos.recorder.live import Live, LivePart, LiveStretch
from pantelos.recorder.recording import Recorded
from pantelos.study.model import WHOLE_RECORD

Readings: TypeAlias = dict[str, list[tuple[str, str]]]  # by channel: kind, amount

_REDRAW_MS = 15
_READINGS = ("rms", "mean", "min", "max")


class LiveView(QWidget):
    """The right side of the Recorder page."""

    failed = pyqtSignal(PantelosError)

    def __init__(self, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._runner = runner
        self.trace, self.panel, self.row = LiveTrace(theme), LivePanel(theme), ShotRow(theme)
        self.each = QCheckBox("each", toolTip="The last twenty shots behind the one that is looked at, set on their starts")
        self.band = QCheckBox("band", toolTip="What all shots cover, behind the one that is looked at")
        for check in (self.each, self.band):
            check.setChecked(True)
            check.hide()
        self.state = ShortLabel()
        self.state.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.open = QPushButton("Open as a study", toolTip="Wiring, traces, tables of what has come")
        self.open.hide()
        self.earlier = QToolButton(text="◂", toolTip="The shot before")
        self.later = QToolButton(text="▸", toolTip="The shot after")
        self.newest = QPushButton("Newest", toolTip="Follow what comes again (Esc)")
        self.newest.hide()
        self.live: Live | None = None
        self.busy = self.reading = False  # a picture, or readings, are on their way
        self._to_read: tuple[Evaluation, LiveStretch] | None = None  # whose readings are wanted next
        self._shown: tuple[int, float] | None = None
        self.number: int | None = None  # of the shot that is looked at; None: the newest
        self._part: LivePart | None = None  # of what came before, that is looked at
        self._redraw = QTimer(self, interval=_REDRAW_MS)
        self._redraw.timeout.connect(self.look)
        self.earlier.clicked.connect(lambda: self.step(-1))
        self.later.clicked.connect(lambda: self.step(1))
        self.row.chosen.connect(self.look_at_shot)
        self.row.compared.connect(self.hold_against)
        for box in (self.each, self.band):
            box.toggled.connect(lambda _: self._choose_others())
        self.newest.clicked.connect(self.follow)
        self.trace.looked_at.connect(self.look_at)
        self.trace.followed.connect(self.follow)
        for box in (self.panel.kind, self.panel.channel):
            box.activated.connect(lambda _: self._show_again())
        self._lay_out()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        top = QHBoxLayout()
        top.setContentsMargins(12, 6, 12, 4)
        top.addWidget(self.state, 1)
        top.setSpacing(8)
        for widget in (self.each, self.band, self.newest, self.open, self.earlier, self.later):
            top.addWidget(widget)
        column.addLayout(top)
        halves = QSplitter(Qt.Orientation.Vertical)
        halves.addWidget(self.trace)
        halves.addWidget(self.panel)
        halves.setSizes([430, 230])
        column.addWidget(halves, 1)
        column.addWidget(self.row)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.trace.set_theme(theme)
        self.panel.set_theme(theme)
        self.row.set_theme(theme)

    def begin(self, live: Live) -> None:
        """Follow a recording that begins."""
        self.live, self._shown, self.number, self._part = live, None, None, None
        self.newest.hide()
        self.busy = self.reading = False
        self._to_read = None
        self.trace.show_live(live)
        self.trace.against = None
        self.row.show_live(live)
        for check in (self.each, self.band):
            check.setVisible(self.row.isVisibleTo(self))
        self.panel.offer([one.name for one in live.taken.order.channels])
        self.open.setVisible(not live.taken.order.n_samples)  # a long recording can be looked at before it ends
        self._redraw.start()

    def pause(self) -> None:
        """Follow no longer; what is shown stays."""
        self._redraw.stop()

    def end_without(self, error: PantelosError) -> None:
        """Show what came last, where nothing more comes and nothing is kept."""
        following = self._redraw.isActive()
        self.pause()
        self.look()
        self.state.setText("Ended by an error" if following else "")
        self.state.setToolTip(str(error))

    def end(self, came: Recorded) -> None:
        """Show all that came, and say what it is."""
        self.pause()
        self.look()
        where = came.path if came.failed is not None else came.path.name
        lost = f", {came.lost} samples lost" if came.lost else ""
        missed = f", {counted(came.missed, 'start')} missed" if came.missed else ""
        shots = counted(len(came.shots), "shot")
        self.state.setText(f"{came.n_rows} samples, {shots}{missed}{lost}, {came.ended.partition(':')[0]}: {where}")
        self.state.setToolTip(f"{came.path}: {came.ended}")

    def _say_state(self, live: Live) -> None:
        news = live.news
        if news is None:
            return
        waiting = "waiting for the start · " if news.rows.waiting else ""
        said = f"{news.trouble} · " if news.trouble else waiting
        said += f"{news.n_rows} samples · {counted(len(news.shots), 'shot')}"
        said += f" · {counted(news.missed, 'start')} missed" if news.missed else ""
        said += f" · {news.lost} lost" if news.lost else ""
        over = [one.name for one, n in zip(live.taken.order.channels, news.clipped, strict=False) if n]
        said += f" · clipped: {', '.join(over)}" if over else ""
        said += f" · connected again {counted(news.reconnected, 'time')}" if news.reconnected else ""
        self.state.setText(said)

    def step(self, by: int) -> None:
        """Look at the shot so many further on."""
        last = self.live.seen.all[-1].number if self.live is not None and self.live.seen.all else 0
        if last:
            self.look_at_shot(min(max((self.number or last) + by, 1), last))

    def look_at_shot(self, number: int) -> None:
        """Look at one shot, whatever comes meanwhile; at the newest again by *Newest* or Esc."""
        self.number, self._part = number, None
        self.newest.show()
        self._show_again()

    def hold_against(self, number: int) -> None:
        """Draw a shot over the one that is looked at; no more where it was drawn already."""
        self.trace.against = None if self.trace.against == number else number
        self._show_again()

    def _choose_others(self) -> None:
        self.trace.others, self.trace.scatter = self.each.isChecked(), self.band.isChecked()
        self.trace.update()

    def look_at(self, first: float, stop: float) -> None:
        """Look at a part of what came, in rows, while more comes."""
        if self.live is None:
            return
        part = self.live.part(first, stop)
        if part is not None and part != self._part:
            self._part = part
            self.newest.show()
            self._show_again()

    def follow(self) -> None:
        """Show what comes again."""
        self._part = self.number = None
        self.newest.hide()
        self._show_again()

    def _show_again(self) -> None:
        self._shown = None
        self.look()

    def look(self) -> None:
        """Show what is new."""
        live = self.live
        if live is None:
            return
        if self._redraw.isActive():
            self._say_state(live)
        if self._part is not None:
            self._look_at_part(live, self._part)
            return
        self.row.look(self.number, self.trace.against, max(self.panel.channel.currentIndex(), 0))
        if self.number is not None and self._shown is not None and self._shown[0] == self.number:
            return  # one shot does not change, whatever comes meanwhile
        stretch = live.stretch(self.number)
        if stretch is None or self._shown == _key(stretch):
            return
        self.trace.show_rows(stretch)
        if not self.busy:
            self._evaluate(live, stretch)

    def _look_at_part(self, live: Live, part: LivePart) -> None:
        """Show a part; what is computed of it once, where it is short enough."""
        self.trace.show_rows(part)
        if self.busy or self._shown is not None:
            return
        try:
            stretch = live.stretch_of(part)
        except PantelosError as error:
            self.follow()
            self.failed.emit(error)
            return
        if stretch is None:
            self._shown = (0, math.nan)
            self.trace.show_readings({}, (0, 0))
            self.panel.show_picture(self.panel.wanted(), None, "Readings and pictures are given of less than this: zoom in.")
        else:
            self._evaluate(live, stretch)

    def _evaluate(self, live: Live, stretch: LiveStretch) -> None:
        """Have the panel and the readings of a stretch computed."""
        self._shown, self.busy = _key(stretch), True
        panel, part, evaluation = self.panel.wanted(), self._part, live.evaluation(stretch)

        def shown(found: tuple[Any, str]) -> None:
            self.busy = False
            if self._part == part:
                self.panel.show_picture(panel, *found)
                self._read(evaluation, stretch)
            else:
                self._show_again()
            self.look()  # what came meanwhile, also where nothing more comes

        self._runner.run("live", lambda progress: picture_or_reason(evaluation, panel, progress), shown, self._gave_up)

    def _read(self, evaluation: Evaluation, stretch: LiveStretch) -> None:
        """Take readings of what is shown; they wait for the picture, which says more at a glance, and for those before them."""
        if self.reading:
            self._to_read = evaluation, stretch
            return
        self.reading, self._to_read, part = True, None, self._part

        def take(readings: Readings) -> None:
            self.reading = False
            if self._part == part:
                self.trace.show_readings(readings, (stretch.first, stretch.first + len(stretch.rows)))
            else:
                self._show_again()
            if self._to_read is not None:
                self._read(*self._to_read)

        self._runner.run("live readings", lambda _: _readings(evaluation), take, self._gave_up)

    def _gave_up(self, error: PantelosError) -> None:
        self.busy = self.reading = False
        self.failed.emit(error)


def _key(stretch: LiveStretch) -> tuple[int, float]:
    """Return what tells a stretch from another: a whole shot stays as it is, the last rows are others with each that comes."""
    return (stretch.shot, 0.0) if stretch.shot else (0, stretch.arrived)


def _readings(evaluation: Evaluation) -> Readings:
    """Return readings of each channel over a stretch."""
    return {
        one.name: [
            (kind, with_unit(reading.value, reading.unit, 4))
            for kind in _READINGS
            for reading in [evaluation.reading(READINGS[kind], (one.name,), WHOLE_RECORD)]
        ]
        for one in evaluation.study.channels
    }
