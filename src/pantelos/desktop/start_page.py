"""What is shown before anything is open: three cards."""

from PyQt6.QtCore import Qt, pyqtBoundSignal, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget


class StartPage(QWidget):
    """Open a record, open a study, open the demo; and what a crash left unsaved."""

    record_wanted = pyqtSignal()
    study_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    recovery_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        title = QLabel("Pantelos")
        title.setStyleSheet("font-size: 26px; font-weight: 600;")
        subtitle = QLabel("Power, energy and harmonics from recorded voltages and currents")
        subtitle.setProperty("soft", True)
        cards = QHBoxLayout()
        cards.setSpacing(18)
        for heading, text, button, signal in (
            (
                "A record",
                "A file from a recorder: CSV, WAV, COMTRADE, NumPy, Parquet or Arrow. "
                "You see what was understood before it is read.",
                "Open a record…",
                self.record_wanted,
            ),
            (
                "A study",
                "Wiring, intervals, formulas and tables you saved before, with the record they belong to.",
                "Open a study…",
                self.study_wanted,
            ),
            (
                "The demo",
                "The acceptance run of a goods lift drive: lifting, holding, lowering with energy returned, and a mains dip.",
                "Open the demo",
                self.demo_wanted,
            ),
        ):
            cards.addWidget(self._card(heading, text, button, signal))
        self._recovery = QPushButton("Open the study that was not saved")
        self._recovery.clicked.connect(self.recovery_wanted)
        hint = QLabel("Or drop a file on the window.")
        hint.setProperty("soft", True)
        column = QVBoxLayout(self)
        column.setContentsMargins(60, 20, 60, 20)
        column.addStretch(2)
        for widget in (title, subtitle):
            column.addWidget(widget, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addSpacing(28)
        column.addLayout(cards)
        column.addSpacing(16)
        column.addWidget(hint, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addWidget(self._recovery, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(3)
        self.offer_recovery(False)

    def _card(self, heading: str, text: str, button: str, signal: pyqtBoundSignal) -> QFrame:
        card = QFrame(objectName="card")
        title, body = QLabel(heading), QLabel(text)
        title.setProperty("heading", True)
        body.setWordWrap(True)
        body.setProperty("soft", True)
        press = QPushButton(button)
        press.clicked.connect(signal)
        column = QVBoxLayout(card)
        column.setContentsMargins(22, 20, 22, 20)
        column.addWidget(title)
        column.addWidget(body, 1, Qt.AlignmentFlag.AlignTop)
        column.addWidget(press)
        card.setMaximumWidth(330)
        card.setMinimumHeight(190)
        return card

    def offer_recovery(self, there: bool) -> None:
        """Offer what was kept from a crash, or not."""
        self._recovery.setVisible(there)
