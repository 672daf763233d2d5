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
        self.offers = QHBoxLayout()
        close = QToolButton(text="×", toolTip="Close this notice", accessibleName="Close this notice")
        close.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 6, 10, 6)
        row.addWidget(self.text, 1)
        row.addLayout(self.offers)
        row.addWidget(close, 0, Qt.AlignmentFlag.AlignTop)
        self.hide()

    def say(self, text: str, fault: bool = False) -> None:
        """Show a sentence."""
        self.text.setText(text)
        self.text.setProperty("fault", fault)
        style = self.text.style()
        assert style is not None
        style.polish(self.text)
        while (item := self.offers.takeAt(0)) is not None:
            button = item.widget()
            if button is not None:
                button.deleteLater()
        self.show()

    def offer(self, title: str, do: Callable[[], None]) -> None:
        """Offer something beside the sentence, behind what is offered already."""

        def press() -> None:
            self.hide()
            do()

        button = QPushButton(title)
        button.clicked.connect(press)
        self.offers.addWidget(button)

    def withdraw(self, text: str) -> None:
        """Hide a sentence that is no longer true, where it is still the one that is shown."""
        if self.text.text() == text:
            self.hide()
