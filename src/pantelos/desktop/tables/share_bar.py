"""A thin bar under every share of the fundamental, so that a column of harmonics reads as a chart too."""

from PyQt6.QtCore import QModelIndex, QRectF
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QWidget

from pantelos.desktop.tables.table_model import TableModel
from pantelos.tables.kinds.orders import SHARE

_THICK = 3


class ShareBar(QStyledItemDelegate):
    """Draws cells as usual; those in percent of order 1 get a bar, full width for 100 %."""

    def __init__(self, model: TableModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model = model

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Paint the cell and its bar."""
        super().paint(painter, option, index)
        table = self._model.table
        if painter is None or table is None or table.columns[index.column()].unit != SHARE:
            return
        value = table.rows[index.row()][index.column()]
        if isinstance(value, float):
            room = QRectF(option.rect).adjusted(8, 0, -8, 0)
            colour = QColor(self._model.theme.conductor(table.columns[index.column()].conductor))
            colour.setAlpha(130)
            width = min(value, 100.0) / 100 * room.width()
            painter.fillRect(QRectF(room.right() - width, room.bottom() - _THICK, width, _THICK), colour)
