"""The rail at the left: a button for each page."""

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QFrame, QToolButton, QVBoxLayout, QWidget

_WIDTH, _HEIGHT = 86, 44  # pixels of a button


class Rail(QFrame):
    """Says which page is shown, and asks for others."""

    chosen = pyqtSignal(int)

    def __init__(self, pages: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="rail")
        self.setFixedWidth(_WIDTH)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(2)
        self._buttons = QButtonGroup(self)
        for at, text in enumerate(pages):
            button = QToolButton(text=text, checkable=True)
            button.setFixedSize(_WIDTH, _HEIGHT)
            button.clicked.connect(lambda _=False, at=at: self.chosen.emit(at))
            self._buttons.addButton(button, at)
            column.addWidget(button)
        column.addStretch(1)

    def mark(self, at: int) -> None:
        """Show which page is open."""
        button = self._buttons.button(at)
        if button is not None:
            button.setChecked(True)
