"""Settings in one page: looks, how numbers are written, limits of chains that state none, and what is remembered."""

from collections.abc import Callable

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.parts.labels import breakable
from pantelos.errors import PantelosError
from pantelos.record.scaling import parse_scaling
from pantelos.settings import change_settings, forget_used, load_settings
from pantelos.units import unit

_THEMES = (("as the desktop says", ""), ("light", "light"), ("dark", "dark"))
_DATES = (("as the file tells; else day first, and said", ""), ("day first", "day"), ("month first", "month"))
_NUMBERS = (("comma between cells, decimal point", "point"), ("semicolon between cells, decimal comma", "comma"))


class SettingsDialog(QDialog):
    """Takes every change at once; nothing has to be confirmed."""

    def __init__(self, changed: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._changed = changed
        self.setWindowTitle("Settings")
        self.setMinimumWidth(520)
        settings = load_settings()
        self.theme, self.numbers, self.dates = QComboBox(), QComboBox(), QComboBox()
        written = settings.tables or "point"
        chosen = ((self.theme, _THEMES, settings.theme), (self.numbers, _NUMBERS, written), (self.dates, _DATES, settings.dates))
        for box, choices, present in chosen:
            for text, value in choices:
                box.addItem(text, value)
            box.setCurrentIndex([value for _, value in choices].index(present))
        self.accuracy = QLineEdit(settings.accuracy, placeholderText="none, as in 0.5 % + 20 mA")
        self.kept = QSpinBox(suffix=" MB", maximum=1 << 20, value=settings.kept_mb)
        self.kept.setToolTip("Room on the disk for numbers that took long, so that they are not computed twice")
        self._said = QLabel()
        self._said.setProperty("fault", True)
        self.remembered = QLabel()
        self.remembered.setWordWrap(True)
        self.remembered.setProperty("soft", True)
        self.forget = QPushButton("Forget all of this")
        form = QFormLayout()
        form.addRow("Colours", self.theme)
        form.addRow("CSV tables", self.numbers)
        form.addRow("Dates such as 03/04/2026", self.dates)
        form.addRow("Accuracy of a new channel", self.accuracy)
        form.addRow("", self._said)
        form.addRow("Results kept on disk, at most", self.kept)
        form.addRow("Remembered", self.remembered)
        form.addRow("", self.forget)
        column = QVBoxLayout(self)
        column.addLayout(form)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        for button in buttons.buttons():
            button.setIcon(button.icon().__class__())
        buttons.rejected.connect(self.close)
        column.addWidget(buttons)
        self.theme.activated.connect(lambda: self._take(theme=self.theme.currentData()))
        self.numbers.activated.connect(lambda: self._take(tables=self.numbers.currentData()))
        self.dates.activated.connect(lambda: self._take(dates=self.dates.currentData()))
        self.accuracy.editingFinished.connect(self._take_accuracy)
        self.kept.editingFinished.connect(lambda: self._take(kept_mb=self.kept.value()))
        self.forget.clicked.connect(self._forget)
        self._show_remembered()

    def _take(self, **changes: object) -> None:
        change_settings(**changes)
        self._changed()

    def _take_accuracy(self) -> None:
        """Keep the limits where they are understood; say what is wrong with them else."""
        text = self.accuracy.text().strip()
        try:
            if text:
                parse_scaling(f"accuracy {text}", unit("A" if text.endswith("A") else "V"))
        except PantelosError as error:
            self._said.setText(str(error))
            return
        self._said.clear()
        self._take(accuracy=text)

    def _show_remembered(self) -> None:
        settings = load_settings()
        parts = [
            f"files opened last: {', '.join(settings.recent)}" if settings.recent else "",
            f"transducers typed last: {', '.join(settings.transducers)}" if settings.transducers else "",
            f"hints put away: {', '.join(settings.hints_seen)}" if settings.hints_seen else "",
        ]
        self.remembered.setText(breakable("\n".join(part for part in parts if part)) or "nothing")
        self.forget.setEnabled(any(parts))

    def _forget(self) -> None:
        forget_used()
        self._show_remembered()
        self._changed()
