"""The order as its sentence, in one line above the lanes, which then have the width of the page."""

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QWidget

from pantelos.desktop.parts.labels import ShortLabel
from pantelos.recorder.order import Order


class FoldedOrder(QFrame):
    """What is recorded, in a sentence, and the way back to its settings."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("side")
        self.sentence = ShortLabel()
        self.unfold = QToolButton(text="Unfold", toolTip="Recorder, inputs and order stand beside the lanes again")
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(14, 6, 14, 6)
        self.row.addWidget(self.sentence, 1)
        self.row.addWidget(self.unfold)
        self.hide()

    def say(self, order: Order) -> None:
        """Say another order."""
        self.sentence.setText(order.sentence())
