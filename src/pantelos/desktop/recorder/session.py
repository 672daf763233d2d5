"""The connection to a recorder off the interface thread: one thing after the other, answers as signals."""

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from pantelos.errors import PantelosError
from pantelos.recorder.driver import Recorder
from pantelos.recorder.link import found_addresses
from pantelos.recorder.live import Live
from pantelos.recorder.order import Order
from pantelos.recorder.recording import record
from pantelos.recorder.self_check import self_check
from pantelos.recorder.signals import outputs_from
from pantelos.recorder.waiting import Waiting

_SINE_HZ, _FEWEST_SAMPLES = 50.0, 20  # of the sine of a self-check; samples of a period


class Session(QObject):
    """One recorder and what is done with it."""

    connected = pyqtSignal(object)  # Recorder
    started = pyqtSignal(object)  # Live
    ended = pyqtSignal(object, object)  # Recorded, Taken
    measured = pyqtSignal(object)  # Order, with ranges
    checked = pyqtSignal(object)  # Evidence
    found = pyqtSignal(object)  # addresses
    rested = pyqtSignal()  # nothing more is asked of the recorder
    told = pyqtSignal(str)  # what is waited for
    failed = pyqtSignal(PantelosError)
    _done = pyqtSignal(object, object)  # a signal, its arguments

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="recorder")
        self._stop = threading.Event()
        self._waiting = Waiting(self._stop.is_set, self.told.emit)
        self._recorder: Recorder | None = None
        self.recording = False
        self.busy = False  # something is asked of the recorder, or waited for
        self._gave = False  # outputs were set before

    @property
    def recorder(self) -> Recorder | None:
        """The recorder that is connected."""
        return self._recorder

    def connect_to(self, address: str) -> None:
        """Connect; another one is let go of."""

        def job() -> None:
            if self._recorder is not None:
                self._recorder.close()
                self._recorder = None
            self._recorder = Recorder(address, waiting=self._waiting)
            self.connected.emit(self._recorder)

        self._run(job)

    def find(self) -> None:
        """Look for recorders."""
        self._run(lambda: self.found.emit(found_addresses()))

    def measure(self, order: Order) -> None:
        """Measure ranges where none is stated."""

        def job() -> None:
            if self._recorder is not None:
                self.measured.emit(self._recorder.measured(order))

        self._run(job)

    def check(self, inputs: Sequence[int], range_v: float, rate_hz: float) -> None:
        """Send known signals through outputs and inputs."""
        self.recording = True

        def job() -> None:
            try:
                assert self._recorder is not None
                frequency = min(_SINE_HZ, rate_hz / _FEWEST_SAMPLES)
                found = self_check(self._recorder, inputs, range_v, rate_hz, frequency, True, None, self._waiting)
            finally:
                self.recording = False
            self.checked.emit(found)

        self._run(job)

    def abort(self) -> None:
        """Stop what the recorder records, for whomever."""

        def job() -> None:
            if self._recorder is not None:
                self._recorder.stop()

        self._run(job)

    def start(self, order: Order, path: Path, outputs: Sequence[str] = (), loop: bool = False) -> None:
        """Record until it ends or is stopped; `outputs` are what the outputs give meanwhile, as texts."""
        self.recording = True

        def job() -> None:
            try:
                assert self._recorder is not None
                if outputs or loop or self._gave:
                    self._recorder.give(outputs_from(outputs, len(self._recorder.inputs)), loop)
                    self._gave = bool(outputs or loop)
                taken = self._recorder.take(order)
                live = Live(taken)
                self.started.emit(live)
                came = record(self._recorder, taken, path, live.add, None, self._waiting)
            finally:
                self.recording = False
            self.ended.emit(came, taken)

        self._run(job)

    def stop(self) -> None:
        """Stop what is going on, or is waited for; what came is kept."""
        self._stop.set()

    def _run(self, job: Callable[[], None]) -> None:
        self._stop.clear()

        def watched() -> None:
            try:
                job()
            except PantelosError as error:
                self.failed.emit(error)
            self.busy = False
            self.rested.emit()

        self.busy = True
        self._pool.submit(watched)

    def close(self) -> None:
        """Stop, and let go of the recorder."""
        self._stop.set()
        self._pool.shutdown(wait=True)
        if self._recorder is not None:
            self._recorder.close()
            self._recorder = None
