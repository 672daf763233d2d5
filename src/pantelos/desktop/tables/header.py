"""The headings of a table, in as many lines as their words need."""

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QHeaderView, QWidget

_PADDING = 18


class WrappedHeader(QHeaderView):
    """As high as its longest heading in the present widths."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.setSectionsClickable(True)
        self.setHighlightSections(False)

    def _text(self, section: int) -> str:
        model = self.model()
        return str(model.headerData(section, self.orientation()) or "") if model is not None else ""

    def _metrics(self) -> QFontMetrics:
        font = self.font()
        font.setBold(True)  # the widest it is drawn
        return QFontMetrics(font)

    def sectionSizeFromContents(self, section: int) -> QSize:
        """Ask for the width of the longest word."""
        metrics = self._metrics()
        words = self._text(section).replace("\u200b", " ").split()
        return QSize(max((metrics.horizontalAdvance(word) for word in words), default=0) + _PADDING, metrics.height())

    def sizeHint(self) -> QSize:
        """Ask for the height of the heading with most lines."""
        metrics, highest = self._metrics(), 0
        for section in range(self.count()):
            room = max(self.sectionSize(section) - _PADDING, 20)
            highest = max(highest, metrics.boundingRect(0, 0, room, 4000, Qt.TextFlag.TextWordWrap, self._text(section)).height())
        return QSize(super().sizeHint().width(), max(highest + 10, 28))
