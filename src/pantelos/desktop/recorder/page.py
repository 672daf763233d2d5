"""The Recorder page: a recorder, its channels, an order as a sentence, what follows from it, and what comes."""

import tempfile
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, TypeAlias

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.document import Document
from pantelos.desktop.recorder.channel_table import ChannelTable
from pantelos.desktop.recorder.evidence_dialog import EvidenceDialog
from pantelos.desktop.recorder.live_panel import LivePanel, picture_or_reason
from pantelos.desktop.recorder.live_trace import LiveTrace
from pantelos.desktop.recorder.order_form import OrderForm
from pantelos.desktop.recorder.session import Session
from pantelos.desktop.recorder.simulated import SimulatedRecorder
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import Theme
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.folders import recordings_directory
from pantelos.notation import counted, with_unit
from pantelos.reading.kinds import READINGS
from pantelos.recorder.driver import Recorder, Taken
from pantelos.recorder.live import Live
from pantelos.recorder.order import Order
from pantelos.recorder.recording import Recorded
from pantelos.recorder.studying import study_of
from pantelos.simulator.scenes import SCENES
from pantelos.study import operations as op
from pantelos.study.model import WHOLE_RECORD, Evidence, Study
from pantelos.study.recordings import Recordings
from pantelos.units import unit

Readings: TypeAlias = dict[str, list[tuple[str, str]]]  # by channel: kind, amount

_REDRAW_MS = 15
_WIDE = 530
_WORTH_AN_END_S = 10.0
_CHECKED_V = 1.0  # the range of a self-check where none is chosen
_READINGS = ("rms", "mean", "min", "max")


class RecorderPage(QWidget):
    """What is recorded, and how it comes."""

    failed = pyqtSignal(PantelosError)
    said = pyqtSignal(str)
    recorded = pyqtSignal(object, object)  # study, recordings

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self.session, self.simulated = Session(self), SimulatedRecorder(self)
        self.address = QLineEdit(
            placeholderText="host:port or a VISA address; empty: this computer", toolTip="Where the recorder is"
        )
        self.scene = QComboBox(toolTip="What the inputs of a simulated recorder see")
        for scene in SCENES:
            self.scene.addItem(scene.title, scene.id)
        self.identity = QLabel("Not connected")
        self.identity.setProperty("soft", True)
        self.identity.setWordWrap(True)
        self.table, self.form = ChannelTable(), OrderForm()
        self.follows = QLabel(wordWrap=True)
        self.start, self.stop = QPushButton("Start"), QPushButton("Stop")
        self.measure = QToolButton(
            text="Measure ranges", toolTip="Let the recorder choose the range that uses its converter best"
        )
        self.check = QToolButton(
            text="Self-check", toolTip="Send known signals through outputs and inputs: what the chain can at best show"
        )
        self.state = QLabel()
        self.state.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.trace, self.panel = LiveTrace(theme), LivePanel(theme)
        self.open = QPushButton("Open as a study", toolTip="Wiring, traces, tables of what has come")
        self.open.hide()
        self._path: Path | None = None
        self._found: tuple[Study, Recordings] | None = None
        self.earlier = QToolButton(text="◂", toolTip="The shot before")
        self.later = QToolButton(text="▸", toolTip="The shot after")
        self._live: Live | None = None
        self._shown: tuple[int, float] | None = None
        self._back, self._busy, self._reading = 0, False, False
        self._redraw = QTimer(self, interval=_REDRAW_MS)
        self._lay_out()
        self._connect()
        self._look_at_order()

    # building

    def _lay_out(self) -> None:
        split = QSplitter()
        split.addWidget(self._side())
        split.addWidget(self._live_side())
        split.setSizes([_WIDE, 700])
        split.setStretchFactor(1, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(split)

    def _side(self) -> QWidget:
        """Return recorder, channels and order."""
        side = QFrame(objectName="side")
        side.setMinimumWidth(_WIDE)
        column = QVBoxLayout(side)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(8)
        connect, simulate = QPushButton("Connect"), QPushButton("Simulate")
        connect.clicked.connect(self.connect_to_address)
        simulate.setToolTip("Start a simulated recorder that sees the scene beside, and connect to it")
        simulate.clicked.connect(self.simulate)
        self._connect_buttons = (connect, simulate)
        for heading, first, button in (("Recorder", self.address, connect), ("or a simulated one", self.scene, simulate)):
            row = QHBoxLayout()
            label = QLabel(heading)
            label.setProperty("heading" if first is self.address else "soft", True)
            label.setFixedWidth(118)
            row.addWidget(label)
            row.addWidget(first, 1)
            row.addWidget(button)
            column.addLayout(row)
        column.addWidget(self.identity)
        column.addWidget(self.table, 1)
        column.addWidget(self.form)
        column.addWidget(self.follows)
        row = QHBoxLayout()
        self.start.setDefault(True)
        for widget in (self.start, self.stop, self.measure, self.check):
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
        return side

    def _live_side(self) -> QWidget:
        """Return what comes."""
        side = QWidget()
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        top = QHBoxLayout()
        top.setContentsMargins(12, 6, 12, 4)
        top.addWidget(self.state, 1)
        for widget in (self.open, self.earlier, self.later):
            top.addWidget(widget)
        column.addLayout(top)
        halves = QSplitter(Qt.Orientation.Vertical)
        halves.addWidget(self.trace)
        halves.addWidget(self.panel)
        halves.setSizes([430, 230])
        column.addWidget(halves, 1)
        return side

    def _connect(self) -> None:
        self.address.returnPressed.connect(self.connect_to_address)
        self.simulated.ready.connect(self._simulated)
        self.simulated.failed.connect(self._failed)
        self.session.connected.connect(self._connected)
        self.session.started.connect(self._started)
        self.session.ended.connect(self._ended)
        self.session.measured.connect(self._measured)
        self.session.failed.connect(self._failed)
        self.table.changed.connect(self._look_at_order)
        self.form.changed.connect(self._look_at_order)
        self.start.clicked.connect(self.begin)
        self.stop.clicked.connect(self.session.stop)
        self.measure.clicked.connect(self._measure)
        self.check.clicked.connect(self._check)
        self.session.checked.connect(self._checked)
        self.trace.level_moved.connect(self._move_level)
        self.open.clicked.connect(self._open)
        self.earlier.clicked.connect(lambda: self._go_back(1))
        self.later.clicked.connect(lambda: self._go_back(-1))
        for box in (self.panel.kind, self.panel.channel):
            box.activated.connect(lambda _: self._show_again())
        self._redraw.timeout.connect(self._look)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.trace.set_theme(theme)
        self.panel.set_theme(theme)

    def take_focus(self) -> None:
        """Let keys go where they help first."""
        (self.address if self.session.recorder is None else self.start).setFocus()

    def close_down(self) -> None:
        """Stop everything."""
        self._redraw.stop()
        self.session.close()
        self.simulated.stop()

    # connecting

    def connect_to_address(self) -> None:
        """Connect to what is typed."""
        self.identity.setText("Connecting…")
        self.session.connect_to(self.address.text())

    def simulate(self) -> None:
        """Start a simulated recorder and connect to it."""
        self.identity.setText("Starting a simulated recorder…")
        self.simulated.start(self.scene.currentData())

    def _simulated(self, address: str) -> None:
        self.address.setText(address)
        self.connect_to_address()

    def _connected(self, recorder: Recorder) -> None:
        self.identity.setText(f"{recorder.identity} · {counted(len(recorder.inputs), 'input')}")
        volt = unit("V")
        chains = [channel.scaling.text(volt) for channel in self._document.study.channels]
        self.table.show_inputs(recorder.inputs, [text for text in chains if text != "direct"])
        self.take_focus()

    def _failed(self, error: PantelosError) -> None:
        if self.session.recorder is None:
            self.identity.setText("Not connected")
        self._redraw.stop()
        self._look_at_order()
        self.failed.emit(error)

    # ordering

    def _order(self) -> Order:
        return self.form.order(self.table.channels())

    def _outputs(self) -> tuple[str, ...]:
        return self.form.outputs_given(len(self.session.recorder.inputs) if self.session.recorder is not None else 0)

    def _look_at_order(self) -> None:
        """Say what follows from the order, or why it cannot be."""
        recording, order = self.session.recording, None
        try:
            found = self._order()
            self._outputs()
            order = found
            said = " · ".join(f"{label} <b>{text}</b>" for label, text in (*order.consequences(), *_end(order)))
        except PantelosError as error:
            said = str(error) if self.session.recorder is not None else ""
        self.follows.setText(said)
        ready = order is not None and self.session.recorder is not None and not recording
        self.start.setEnabled(ready)
        self.measure.setEnabled(ready)
        self.check.setEnabled(ready)
        self.stop.setEnabled(recording)
        for widget in (self.table, self.form, *self._connect_buttons):
            widget.setEnabled(not recording)

    def _measure(self) -> None:
        self.session.measure(self._order())

    def _measured(self, order: Order) -> None:
        self.table.show_ranges(order)

    def _check(self) -> None:
        order = self._order()
        range_v = next((one.range_v for one in order.channels if one.range_v is not None), _CHECKED_V)
        self.session.check([one.input for one in order.channels], range_v, order.rate_hz)
        self.state.setText("Checking the chain: silence, a sine, a sine in noise…")
        self._look_at_order()

    def _checked(self, found: Evidence) -> None:
        self.state.setText("")
        self._look_at_order()
        dialog = EvidenceDialog(found, self._document.record is not None, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self._document.take(op.keep_evidence(self._document.study, found), "a self-check of the chain")

    def _move_level(self, level: float) -> None:
        try:
            self.form.move_level(self._order(), level)
        except PantelosError as error:
            self.failed.emit(error)

    # recording

    def begin(self) -> None:
        """Start."""
        try:
            order = self._order()
            self._outputs()
            folder = recordings_directory()
            name = f"{datetime.now():%Y-%m-%d-%H%M%S}"
            path = Path(tempfile.mkdtemp(prefix=f"{name}-", dir=folder)) / f"{name}.recording"
        except PantelosError as error:
            self.failed.emit(error)
            return
        except OSError as cause:
            self.failed.emit(PantelosError(f"Recordings cannot be kept: {cause.strerror}. Make room, or free the folder."))
            return
        self._path, self._found = path, None
        self.session.start(order, path, self._outputs(), self.form.loop.isChecked())
        self.state.setText("Setting the recorder…")
        self._look_at_order()

    def _started(self, live: Live) -> None:
        self._live, self._shown, self._back = live, None, 0
        self.open.hide()
        self.trace.show_live(live)
        self.panel.offer([one.name for one in live.taken.order.channels])
        if live.taken.remarks:
            self.said.emit(". ".join(live.taken.remarks) + ".")
        self._redraw.start()
        self.open.setVisible(not live.taken.order.n_samples)  # a long recording can be looked at before it ends

    def _ended(self, came: Recorded, taken: Taken) -> None:
        self._redraw.stop()
        self._look()
        self._say_state()
        self._look_at_order()
        lost = f", {came.lost} samples lost" if came.lost else ""
        missed = f", {counted(came.missed, 'start')} missed" if came.missed else ""
        self.state.setText(
            f"{came.n_rows} samples, {counted(len(came.shots), 'shot')}{missed}{lost}, {came.ended}: {came.path.name}"
        )
        self.state.setToolTip(str(came.path))
        if came.remarks:
            self.said.emit(". ".join(came.remarks) + ".")
        if came.n_rows:
            self._import(came.path, taken, self._offer)

    def _offer(self, found: tuple[Study, Recordings]) -> None:
        """Open what was recorded where nothing is open; else wait until it is asked for."""
        self._found = found
        self.open.setVisible(True)
        if self._document.record is None:
            self._open()

    def _open(self) -> None:
        if self.session.recording and self._live is not None and self._path is not None:
            self._import(self._path, self._live.taken, lambda found: self.recorded.emit(*found))
        elif self._found is not None:
            self.recorded.emit(*self._found)

    def _import(self, path: Path, taken: Taken, done: Callable[[tuple[Study, Recordings]], None]) -> None:
        self._runner.run(
            "recorded", lambda progress: study_of(path, taken.order, taken.steps_v, progress), done, self.failed.emit
        )

    def _say_state(self) -> None:
        news = self._live.news if self._live is not None else None
        if news is None or self._live is None:
            return
        waiting = "waiting for the start · " if news.rows.waiting else ""
        lost = f" · {counted(news.missed, 'start')} missed" if news.missed else ""
        lost += f" · {news.lost} lost" if news.lost else ""
        over = [one.name for one, n in zip(self._live.taken.order.channels, news.clipped, strict=False) if n]
        lost += f" · <b>clipped: {', '.join(over)}</b>" if over else ""
        again = f" · connected again {counted(news.reconnected, 'time')}" if news.reconnected else ""
        self.state.setText(f"{waiting}{news.n_rows} samples · {counted(len(news.shots), 'shot')}{lost}{again}")

    def _go_back(self, by: int) -> None:
        n = len(self._live.news.shots) if self._live is not None and self._live.news is not None else 0
        self._back = min(max(self._back + by, 0), max(n - 1, 0))
        self._show_again()

    def _show_again(self) -> None:
        self._shown = None
        self._look()

    def _look(self) -> None:
        """Show what is new: the waveforms at once, panel and readings as soon as they are computed."""
        live = self._live
        if live is None:
            return
        if self.session.recording:
            self._say_state()
        stretch = live.stretch(self._back)
        if stretch is None or self._shown == (stretch.shot, stretch.arrived):
            return
        self.trace.show_stretch(stretch)
        if not self._busy:
            self._shown, self._busy = (stretch.shot, stretch.arrived), True
            panel, evaluation = self.panel.wanted(), live.evaluation(stretch)

            def shown(found: tuple[Any, str]) -> None:
                self._busy = False
                self.panel.show_picture(panel, *found)
                self._read(evaluation)

            self._runner.run("live", lambda progress: picture_or_reason(evaluation, panel, progress), shown, self._gave_up)

    def _read(self, evaluation: Evaluation) -> None:
        """Take readings of what is shown; they wait for the picture, which says more at a glance."""
        if not self._reading:
            self._reading = True
            self._runner.run("live readings", lambda _: _readings(evaluation), self._take, self._gave_up)

    def _take(self, readings: Readings) -> None:
        self._reading = False
        self.trace.readings = readings
        self.trace.update()

    def _gave_up(self, error: PantelosError) -> None:
        self._busy = self._reading = False
        self.failed.emit(error)


def _end(order: Order) -> tuple[tuple[str, str], ...]:
    """Return when it ends if it starts now; nothing where that is not known."""
    if not order.n_samples or not order.n_shots or order.start.on != "now":
        return ()
    end = datetime.now() + timedelta(seconds=order.n_samples * order.n_shots / order.rate_hz)
    return (("ends at", f"{end:%H:%M:%S}"),) if (end - datetime.now()).total_seconds() > _WORTH_AN_END_S else ()


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
