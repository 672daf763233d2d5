"""A list that shows no row in part."""

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QListWidget


class WholeRows(QListWidget):
    """Leaves room free at its foot rather than half a row."""

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Take as much room as whole rows need."""
        super().resizeEvent(event)
        row = self.sizeHintForRow(0)
        rest = (self.height() - 2 * self.frameWidth()) % row if row > 0 and self.count() * row > self.height() else 0
        if self.viewportMargins().bottom() != rest:
            self.setViewportMargins(0, 0, 0, rest)
