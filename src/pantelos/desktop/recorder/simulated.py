"""The simulated recorder, started from the window: a process of its own, ended with the window."""

import sys

from PyQt6.QtCore import QObject, QProcess, pyqtSignal

from pantelos.errors import PantelosError


class SimulatedRecorder(QObject):
    """The process, and the address it tells."""

    ready = pyqtSignal(str)  # address
    failed = pyqtSignal(PantelosError)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._process = QProcess(self)
        self._process.readyReadStandardOutput.connect(self._read)
        self._process.finished.connect(self._ended)
        self._said = ""
        self._wanted = False

    def start(self, scene: str, inputs: int = 8) -> None:
        """Start it on a scene; one that runs is ended first."""
        self.stop()
        self._said, self._wanted = "", True
        arguments = ["-m", "pantelos", "recorder", scene, "--inputs", str(inputs), "--port", "0", "--hislip", "0", "--with-input"]
        self._process.start(sys.executable, arguments)

    def _read(self) -> None:
        self._said += bytes(self._process.readAllStandardOutput().data()).decode()
        lines = [line.partition(":")[2].strip() for line in self._said.splitlines() if line.startswith("address:")]
        if self._wanted and lines and self._said.endswith("\n"):
            self._wanted = False
            self.ready.emit(lines[0])

    def _ended(self) -> None:
        if self._wanted:
            self._wanted = False
            said = bytes(self._process.readAllStandardError().data()).decode().strip()
            self.failed.emit(PantelosError(f"The simulated recorder did not start: {said or 'it ended at once'}."))

    def stop(self) -> None:
        """End it."""
        self._wanted = False
        if self._process.state() is not QProcess.ProcessState.NotRunning:
            self._process.terminate()
            if not self._process.waitForFinished(3000):
                self._process.kill()
                self._process.waitForFinished(1000)
