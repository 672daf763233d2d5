"""The Recorder page: a recorder, its channels, an order as a sentence, what follows from it, and what comes."""

import tempfile
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QFrame, QHBoxLayout, QLabel, QPushButton, QSplitter, QToolButton, QVBoxLayout, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.parts.questions import Answer, ask
from pantelos.desktop.recorder.channel_table import ChannelTable
from pantelos.desktop.recorder.connecting import Connecting
from pantelos.desktop.recorder.evidence_dialog import EvidenceDialog
from pantelos.desktop.recorder.folded_order import FoldedOrder
from pantelos.desktop.recorder.live_view import LiveView
from pantelos.desktop.recorder.order_form import OrderForm
from pantelos.desktop.recorder.session import Session
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import Theme
from pantelos.errors import PantelosError
from pantelos.folders import recordings_directory
from pantelos.recorder.driver import Recorder, Taken
from pantelos.recorder.live import Live
from pantelos.recorder.order import Order
from pantelos.recorder.recording import Recorded
from pantelos.recorder.studying import study_of
from pantelos.study import operations as op
from pantelos.study.model import Study
from pantelos.study.recordings import Recordings
from pantelos.study.report import Evidence
from pantelos.units import unit

_WIDE = 530
_WORTH_AN_END_S = 10.0
_CHECKED_V = 1.0  # the range of a self-check where none is chosen


class RecorderPage(QWidget):
    """What is recorded, and how it comes."""

    failed = pyqtSignal(PantelosError)
    said = pyqtSignal(str)
    recorded = pyqtSignal(object, object)  # study, recordings

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self.session = Session(self)
        self.connecting = Connecting(self.session)
        self.table, self.form = ChannelTable(), OrderForm()
        self.follows = QLabel(wordWrap=True)
        self.start, self.stop = QPushButton("Start"), QPushButton("Stop")
        self.measure = QToolButton(
            text="Measure ranges", toolTip="Let the recorder choose the range that uses its converter best"
        )
        self.check = QToolButton(
            text="Self-check", toolTip="Send known signals through outputs and inputs: what the chain can at best show"
        )
        self._fold = QToolButton(text="Fold", toolTip="Settings become their sentence; the lanes get the width")
        self.live = LiveView(runner, theme)
        self.side, self.folded = self._side(), FoldedOrder()
        self._path: Path | None = None
        self._found: tuple[Study, Recordings] | None = None
        self._lay_out()
        self._connect()
        self._look_at_order()

    # building

    def _lay_out(self) -> None:
        split = QSplitter()
        split.addWidget(self.side)
        split.addWidget(self.live)
        split.setSizes([_WIDE, 700])
        split.setStretchFactor(1, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.folded)
        whole.addWidget(split, 1)

    def fold(self, folded: bool = True) -> None:
        """Let the lanes have the width: settings become their sentence, or stand beside them again."""
        self.side.setVisible(not folded)
        self.folded.setVisible(folded)
        for at, button in enumerate((self.start, self.stop)):
            if folded:
                self.folded.row.addWidget(button)
            else:
                self._row.insertWidget(at, button)
            button.show()  # a widget that moves to another parent is hidden

    def _side(self) -> QFrame:
        """Return recorder, channels and order."""
        side = QFrame(objectName="side")
        side.setMinimumWidth(_WIDE)
        column = QVBoxLayout(side)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(8)
        column.addWidget(self.connecting)
        column.addWidget(self.table, 1)
        column.addWidget(self.form)
        column.addWidget(self.follows)
        row = self._row = QHBoxLayout()
        self.start.setDefault(True)
        for widget in (self.start, self.stop, self.measure, self.check):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(self._fold)
        column.addLayout(row)
        return side

    def _connect(self) -> None:
        self.connecting.failed.connect(self._failed)
        self.connecting.said.connect(self.said)
        self.session.connected.connect(self._connected)
        self.session.started.connect(self._started)
        self.session.ended.connect(self._ended)
        self.session.measured.connect(self._measured)
        self.session.failed.connect(self._failed)
        self.session.told.connect(self.live.state.setText)
        self.session.rested.connect(self._look_at_order)
        self.table.changed.connect(self._look_at_order)
        self.form.changed.connect(self._look_at_order)
        self._fold.clicked.connect(lambda _: self.fold(True))
        self.folded.unfold.clicked.connect(lambda: self.fold(False))
        self.start.clicked.connect(self.begin)
        self.stop.clicked.connect(self.session.stop)
        self.measure.clicked.connect(self._measure)
        self.check.clicked.connect(self._check)
        self.session.checked.connect(self._checked)
        self.live.trace.level_moved.connect(self._move_level)
        self.live.failed.connect(self.failed)
        self.live.open.clicked.connect(self._open)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.live.set_theme(theme)

    def take_focus(self) -> None:
        """Let keys go where they help first."""
        (self.connecting.address if self.session.recorder is None else self.start).setFocus()

    def may_leave(self) -> bool:
        """Ask about a recording that goes on; return whether it may be stopped."""
        if not self.session.recording:
            return True
        said = "A recording goes on. Stop it? What has come is kept."
        return ask(self, said, Answer.Yes | Answer.Cancel) == Answer.Yes

    def close_down(self) -> None:
        """Stop everything."""
        self.live.pause()
        self.session.close()
        self.connecting.simulated.stop()

    # connecting

    def _connected(self, recorder: Recorder) -> None:
        volt = unit("V")
        chains = [channel.scaling.text(volt) for channel in self._document.study.channels]
        self.table.show_inputs(recorder.inputs, [text for text in chains if text != "direct"])
        self.take_focus()

    def _failed(self, error: PantelosError) -> None:
        if self.session.recorder is None:
            self.connecting.lost()
        self.live.end_without(error)
        self._look_at_order()
        self.failed.emit(error)

    # ordering

    def _order(self) -> Order:
        return self.form.order(self.table.channels())

    def _outputs(self) -> tuple[str, ...]:
        return self.form.outputs_given(len(self.session.recorder.inputs) if self.session.recorder is not None else 0)

    def _look_at_order(self) -> None:
        """Say what follows from the order, or why it cannot be."""
        busy, order = self.session.busy, None
        try:
            found = self._order()
            self._outputs()
            order = found
            said = " · ".join(f"{label} <b>{text}</b>" for label, text in (*order.consequences(), *_end(order)))
        except PantelosError as error:
            said = str(error) if self.session.recorder is not None else ""
        self.follows.setText(said)
        if order is not None and not busy:
            self.folded.say(order)
        ready = order is not None and self.session.recorder is not None and not busy
        self.start.setEnabled(ready)
        self.measure.setEnabled(ready)
        self.check.setEnabled(ready)
        self.stop.setEnabled(busy)
        self.connecting.set_free(not busy)
        for widget in (self.table, self.form):
            widget.setEnabled(not busy)

    def _measure(self) -> None:
        self.session.measure(self._order())
        self._look_at_order()

    def _measured(self, order: Order) -> None:
        self.table.show_ranges(order)

    def _check(self) -> None:
        order = self._order()
        range_v = next((one.range_v for one in order.channels if one.range_v is not None), _CHECKED_V)
        self.session.check([one.input for one in order.channels], range_v, order.rate_hz)
        self.live.state.setText("Checking the chain: silence, a sine, a sine in noise…")
        self._look_at_order()

    def _checked(self, found: Evidence) -> None:
        self.live.state.setText("")
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
        self.live.state.setText("Setting the recorder…")
        self._look_at_order()

    def _started(self, live: Live) -> None:
        self.folded.say(live.taken.order)
        self.fold()
        self.live.begin(live)
        if live.taken.remarks:
            self.said.emit(". ".join(live.taken.remarks) + ".")

    def _ended(self, came: Recorded, taken: Taken) -> None:
        self.live.end(came)
        self._look_at_order()
        if came.failed is not None:
            self.failed.emit(came.failed)
        elif came.remarks:
            self.said.emit(". ".join(came.remarks) + ".")
        self._import(came.path, taken, self._offer)

    def _offer(self, found: tuple[Study, Recordings]) -> None:
        """Open what was recorded where nothing is open; else wait until it is asked for."""
        self._found = found
        self.live.open.setVisible(True)
        if self._document.record is None:
            self._open()

    def _open(self) -> None:
        if self.session.recording and self.live.live is not None and self._path is not None:
            self._import(self._path, self.live.live.taken, lambda found: self.recorded.emit(*found))
        elif self._found is not None:
            self.recorded.emit(*self._found)

    def _import(self, path: Path, taken: Taken, done: Callable[[tuple[Study, Recordings]], None]) -> None:
        self._runner.run(
            "recorded", lambda progress: study_of(path, taken.order, taken.steps_v, progress), done, self.failed.emit
        )


def _end(order: Order) -> tuple[tuple[str, str], ...]:
    """Return when it ends if it starts now; nothing where that is not known."""
    if not order.n_samples or not order.n_shots or order.start.on != "now":
        return ()
    end = datetime.now() + timedelta(seconds=order.n_samples * order.n_shots / order.rate_hz)
    return (("ends at", f"{end:%H:%M:%S}"),) if (end - datetime.now()).total_seconds() > _WORTH_AN_END_S else ()
