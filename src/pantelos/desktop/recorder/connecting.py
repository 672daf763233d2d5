"""Which recorder: one by its address, one that is found, or a simulated one with a scene before its inputs."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QCompleter, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from pantelos.desktop.recorder.session import Session
from pantelos.desktop.recorder.simulated import SimulatedRecorder
from pantelos.errors import PantelosError
from pantelos.notation import counted
from pantelos.recorder.driver import Recorder
from pantelos.simulator.scenes import SCENES

_LABEL = 118  # pixels


class Connecting(QWidget):
    """Asks for a recorder, connects the session to it, and says which one it is."""

    failed = pyqtSignal(PantelosError)
    said = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self.simulated = session, SimulatedRecorder(self)
        self.address = QLineEdit(
            placeholderText="host:port or a VISA address; empty: this computer",
            toolTip="Where the recorder is",
            accessibleName="Address of the recorder",
        )
        self.scene = QComboBox(
            toolTip="What the inputs of a simulated recorder see", accessibleName="Scene of the simulated recorder"
        )
        for scene in SCENES:
            self.scene.addItem(scene.title, scene.id)
        self.identity = QLabel("Not connected")
        self.identity.setProperty("soft", True)
        self.identity.setWordWrap(True)
        self._find = QPushButton("Find", toolTip="Look for recorders that VISA lists, and at the usual port of this computer")
        self._connect = QPushButton("Connect")
        self._simulate = QPushButton(
            "Simulate", toolTip="Start a simulated recorder that sees the scene beside, and connect to it"
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        for heading, role, widgets in (
            ("Recorder", "heading", (self.address, self._find, self._connect)),
            ("or a simulated one", "soft", (self.scene, self._simulate)),
        ):
            row, label = QHBoxLayout(), QLabel(heading)
            label.setProperty(role, True)
            label.setFixedWidth(_LABEL)
            row.addWidget(label)
            for widget in widgets:
                row.addWidget(widget, 1 if widget is widgets[0] else 0)
            column.addLayout(row)
        column.addWidget(self.identity)
        self._find.clicked.connect(session.find)
        self._connect.clicked.connect(self.connect_to_address)
        self._simulate.clicked.connect(self.simulate)
        self.address.returnPressed.connect(self.connect_to_address)
        self.simulated.ready.connect(self._take)
        self.simulated.failed.connect(self.failed)
        session.found.connect(self._take_found)
        session.connected.connect(self._connected)

    def set_free(self, free: bool) -> None:
        """Let another recorder be chosen, or not."""
        for button in (self._find, self._connect, self._simulate):
            button.setEnabled(free)

    def connect_to_address(self) -> None:
        """Connect to what is typed."""
        self.identity.setText("Connecting…")
        self._session.connect_to(self.address.text())

    def simulate(self) -> None:
        """Start a simulated recorder and connect to it."""
        self.identity.setText("Starting a simulated recorder…")
        self.simulated.start(self.scene.currentData())

    def lost(self) -> None:
        """Say that there is none."""
        self.identity.setText("Not connected")

    def _take_found(self, addresses: list[str]) -> None:
        """Connect to the only one, or offer all."""
        if not addresses:
            self.said.emit("No recorder was found. Type its address, or simulate one.")
            return
        self.address.setText(addresses[0])
        self.address.setCompleter(QCompleter(addresses, self.address))
        if len(addresses) == 1:
            self.connect_to_address()

    def _take(self, address: str) -> None:
        self.address.setText(address)
        self.connect_to_address()

    def _connected(self, recorder: Recorder) -> None:
        self.identity.setText(f"{recorder.identity} · {counted(len(recorder.inputs), 'input')}")
