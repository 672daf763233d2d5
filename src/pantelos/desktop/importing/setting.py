"""Where a recording goes: into a new study or the open one, and how it is set against the first recording."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QWidget

from pantelos.desktop.presenter.import_plan import SETTINGS


class SettingChooser(QWidget):
    """One line of choices; emits `changed`."""

    changed = pyqtSignal()

    def __init__(self, may_join: bool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.into = QComboBox()
        self.into.setAccessibleName("Import into")
        for title in ("a new study", "the open study"):
            self.into.addItem(title)
        self.how = QComboBox()
        self.how.setAccessibleName("Set against the first recording")
        for known in SETTINGS:
            self.how.addItem(known.title, known)
        self.operand = QLineEdit()
        self.operand.setAccessibleName("What it is set by")
        self._into_label, self._how_label = QLabel("Import into"), QLabel("Set against the first recording")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for widget in (self._into_label, self.into, self._how_label, self.how):
            row.addWidget(widget)
        row.addWidget(self.operand, 1)
        row.addStretch(1)
        for widget in (self._into_label, self.into):
            widget.setVisible(may_join)
        self.into.activated.connect(self.changed)
        self.how.activated.connect(self._chosen)
        self.operand.textEdited.connect(self.changed)
        self._chosen()

    def _chosen(self) -> None:
        known = SETTINGS[self.how.currentIndex()]
        self.operand.setPlaceholderText(known.operand)
        self.operand.setVisible(bool(known.operand) and not self.how.isHidden())
        self.changed.emit()

    def show_text(self, text: str) -> None:
        """Show the setting of the recording that is looked at; nothing where it is the first of all."""
        joined = bool(text)
        for widget in (self._how_label, self.how):
            widget.setVisible(joined)
        word, _, operand = text.partition(" ")
        at = next((k for k, known in enumerate(SETTINGS) if known.word == word), 0)
        self.how.setCurrentIndex(at)
        if self.operand.text().strip() != operand:
            self.operand.setText(operand)
        self.operand.setPlaceholderText(SETTINGS[at].operand)
        self.operand.setVisible(joined and bool(SETTINGS[at].operand))

    @property
    def text(self) -> str:
        """The setting as it would be written on the command line."""
        known = SETTINGS[self.how.currentIndex()]
        return f"{known.word} {self.operand.text().strip()}".strip() if known.operand else known.word
