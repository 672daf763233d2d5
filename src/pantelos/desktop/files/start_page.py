"""What is shown before anything is open: four cards."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtBoundSignal, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QToolButton, QVBoxLayout, QWidget

from pantelos.demo.small import SMALL_DEMOS
from pantelos.study.recovery import Kept

_DEMOS_BESIDE = 2


class StartPage(QWidget):
    """Open a record, record one, open a study, open the demo; and what a crash left unsaved."""

    record_wanted = pyqtSignal()
    study_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    recorder_wanted = pyqtSignal()
    small_demo_wanted = pyqtSignal(object)
    recent_wanted = pyqtSignal(object)
    recovery_wanted = pyqtSignal(object)  # which of those that were kept

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
                "A file from a recorder: text, workbook, WAV, COMTRADE, HDF5, NumPy, Parquet, Arrow, "
                "packed text. You see what was understood before it is read.",
                "Open a record…",
                self.record_wanted,
            ),
            (
                "A recorder",
                "Record to order: channels, rate, start on an edge; waveform and spectrum as it comes. A simulated one is here.",
                "Record…",
                self.recorder_wanted,
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
        self._recovery, self._recent = QVBoxLayout(), QVBoxLayout()
        for column in (self._recovery, self._recent):
            column.setSpacing(2)
        demos = QVBoxLayout()
        demos.addWidget(self._soft("Small demos:"), 0, Qt.AlignmentFlag.AlignHCenter)
        for at in range(0, len(SMALL_DEMOS), _DEMOS_BESIDE):
            row = QHBoxLayout()
            row.addStretch(1)
            for demo in SMALL_DEMOS[at : at + _DEMOS_BESIDE]:
                opens = QToolButton(text=demo.title, toolTip=demo.help)
                opens.clicked.connect(lambda _=False, demo=demo: self.small_demo_wanted.emit(demo))
                row.addWidget(opens)
            row.addStretch(1)
            demos.addLayout(row)
        hint = QLabel("Or drop a file on the window.")
        hint.setProperty("soft", True)
        inner = QWidget()  # with much to recover, in a small window, it is taller than there is room
        scroll = QScrollArea(accessibleName="What can be opened")
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scroll)
        column = QVBoxLayout(inner)
        column.setContentsMargins(60, 20, 60, 20)
        column.addStretch(2)
        for widget in (title, subtitle):
            column.addWidget(widget, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addSpacing(28)
        column.addLayout(cards)
        column.addSpacing(16)
        column.addWidget(hint, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addLayout(demos)
        column.addSpacing(10)
        column.addLayout(self._recovery)
        column.addLayout(self._recent)
        column.addStretch(3)
        scroll.setWidget(inner)

    def _soft(self, text: str) -> QLabel:
        label = QLabel(text)
        label.setProperty("soft", True)
        return label

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

    def offer_recovery(self, kept: Sequence[Kept]) -> None:
        """Offer what was kept from a crash: which study, and when."""
        _clear(self._recovery)
        for one in kept[:3]:
            button = QPushButton(f"Open {one.text}")
            button.clicked.connect(lambda _=False, one=one: self.recovery_wanted.emit(one))
            self._recovery.addWidget(button, 0, Qt.AlignmentFlag.AlignHCenter)

    def offer_recent(self, paths: Sequence[Path]) -> None:
        """Offer what was opened last."""
        _clear(self._recent)
        if paths:
            self._recent.addWidget(self._soft("Opened last"), 0, Qt.AlignmentFlag.AlignHCenter)
        for path in paths[:5]:
            button = QToolButton(text=short_path(path), toolTip=str(path))
            button.clicked.connect(lambda _=False, path=path: self.recent_wanted.emit(path))
            self._recent.addWidget(button, 0, Qt.AlignmentFlag.AlignHCenter)


def short_path(path: Path) -> str:
    """Return the name of a file and the folder it is in."""
    return f"{path.name}  ·  {path.parent.name}" if path.parent.name else path.name


def _clear(column: QVBoxLayout) -> None:
    while column.count():
        item = column.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            widget.hide()
            widget.deleteLater()
