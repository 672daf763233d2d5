"""Labels that never ask for more room than there is: shortened with a tooltip, or broken anywhere."""

import re

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QWidget

_LONG = re.compile(r"\S{16,}")
_BREAK = "\u200b"  # a line may be broken here, and nothing is seen of it


def breakable(text: str) -> str:
    """Return a text whose long words may be broken at the end of a line."""
    return _LONG.sub(lambda word: _BREAK.join(word[0][at : at + 8] for at in range(0, len(word[0]), 8)), text)


class ShortLabel(QLabel):
    """One line, shortened in the middle or at the end where it does not fit; the whole of it in its tooltip."""

    def __init__(self, parent: QWidget | None = None, middle: bool = False) -> None:
        super().__init__(parent)
        self._mode = Qt.TextElideMode.ElideMiddle if middle else Qt.TextElideMode.ElideRight
        self._help = ""
        self.setTextFormat(Qt.TextFormat.PlainText)

    def setText(self, text: str | None) -> None:
        """Show a text."""
        super().setText(text)
        self.updateGeometry()

    def shortened(self) -> bool:
        """Return whether the text is wider than there is room for."""
        return self.fontMetrics().horizontalAdvance(self.text()) > self.contentsRect().width()

    def minimumSizeHint(self) -> QSize:
        """Need room for a few letters."""
        wanted = super().minimumSizeHint()
        return QSize(min(wanted.width(), 40), wanted.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Write as much as there is room for."""
        painter = QPainter(self)
        room = self.contentsRect()
        shown = self.fontMetrics().elidedText(self.text(), self._mode, room.width())
        if not self._help:
            super().setToolTip(self.text() if shown != self.text() else "")
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(room, self.alignment() | Qt.AlignmentFlag.AlignVCenter, shown)

    def setToolTip(self, text: str | None) -> None:
        """Say something else than the whole text when pointed at."""
        self._help = text or ""
        super().setToolTip(text)
