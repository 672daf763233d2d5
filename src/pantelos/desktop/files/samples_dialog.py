"""The export of samples: which channels, which stretch, which kind of file, and at which rate."""

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.presenter.sample_choice import first_choice, judged, places, with_channel, writable
from pantelos.engine.evaluation import Evaluation
from pantelos.formats.registry import FORMATS


class SamplesDialog(QDialog):
    """Shows what would be written; `choice` is what was chosen."""

    def __init__(self, evaluation: Evaluation, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._evaluation = evaluation
        self.choice = first_choice(evaluation)
        self.setWindowTitle("Export samples")
        self.resize(660, 440)
        self.channels = QListWidget()
        self.channels.setAccessibleName("Channels")
        for name in writable(evaluation):
            item = QListWidgetItem(f"{name}  [{evaluation.names.unit(name).symbol}]")
            item.setData(Qt.ItemDataRole.UserRole, name)
            item.setCheckState(Qt.CheckState.Checked)
            self.channels.addItem(item)
        self.interval, self.kind = QComboBox(), QComboBox()
        self.interval.setAccessibleName("Interval")
        self.interval.addItems(places(evaluation))
        self.interval.setCurrentText(self.choice.interval)
        self.kind.setAccessibleName("Kind of file")
        for known in FORMATS:
            for suffix in known.written:
                self.kind.addItem(f"{known.title}  {suffix}", suffix)
        self.kind.setCurrentIndex(self.kind.findData(self.choice.suffix))
        self.rate = QLineEdit(placeholderText="as recorded, or a lower one such as 2 kHz")
        self.rate.setAccessibleName("Rate")
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        button = self.buttons.addButton("Choose a file…", QDialogButtonBox.ButtonRole.AcceptRole)
        assert button is not None
        self.accept_button = button
        self._lay_out()
        self.channels.itemChanged.connect(self._ticked)
        self.interval.activated.connect(lambda at: self._take(interval=self.interval.currentText()))
        self.kind.activated.connect(lambda at: self._take(suffix=self.kind.currentData()))
        self.rate.textEdited.connect(lambda text: self._take(rate_text=text))
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self._judge()

    def _lay_out(self) -> None:
        form = QFormLayout()
        form.addRow("Interval", self.interval)
        form.addRow("Kind of file", self.kind)
        form.addRow("Rate", self.rate)
        right = QVBoxLayout()
        right.addLayout(form)
        right.addWidget(self.summary)
        right.addStretch(1)
        left = QVBoxLayout()
        left.addWidget(QLabel("Channels"))
        left.addWidget(self.channels)
        body = QHBoxLayout()
        body.setSpacing(16)
        body.addLayout(left, 2)
        body.addLayout(right, 3)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 16)
        whole.addLayout(body, 1)
        whole.addWidget(self.buttons)

    def _ticked(self, item: QListWidgetItem) -> None:
        name = item.data(Qt.ItemDataRole.UserRole)
        self.choice = with_channel(self.choice, self._evaluation, name, item.checkState() == Qt.CheckState.Checked)
        self._judge()

    def _take(self, **changes: str) -> None:
        self.choice = msgspec.structs.replace(self.choice, **changes)
        self._judge()

    def _judge(self) -> None:
        good, text = judged(self.choice, self._evaluation)
        self.summary.setText(text)
        self.summary.setProperty("fault", not good)
        style = self.summary.style()
        assert style is not None
        style.polish(self.summary)
        self.accept_button.setEnabled(good)
