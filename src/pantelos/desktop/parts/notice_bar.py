"""One sentence under the header: what went wrong or how a number came about, until it is closed."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QToolButton, QWidget


class NoticeBar(QFrame):
    """Hidden until there is something to say."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="notice")
        self.text = QLabel()
        self.text.setWordWrap(True)
        self.text.setTextFormat(Qt.TextFormat.PlainText)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._remedy = QPushButton()
        self._remedy.clicked.connect(self._press)
        self._do: Callable[[], None] | None = None
        close = QToolButton(text="×", toolTip="Close this notice", accessibleName="Close this notice")
        close.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 6, 10, 6)
        row.addWidget(self.text, 1)
        row.addWidget(self._remedy)
        row.addWidget(close, 0, Qt.AlignmentFlag.AlignTop)
        self.hide()

    def say(self, text: str, fault: bool = False) -> None:
        """Show a sentence."""
        self.text.setText(text)
        self.text.setProperty("fault", fault)
        style = self.text.style()
        assert style is not None
        style.polish(self.text)
        self._remedy.hide()
        self.show()

    def offer(self, title: str, do: Callable[[], None]) -> None:
        """Offer a remedy beside the sentence."""
        self._do = do
        self._remedy.setText(title)
        self._remedy.show()

    def _press(self) -> None:
        self.hide()
        if self._do is not None:
            self._do()
