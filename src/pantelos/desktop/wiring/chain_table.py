"""The table of scaling chains, one channel a row, edited in place; a live waveform at the end of each."""

import numpy as np
from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QPainter
from PyQt6.QtWidgets import QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QTableView, QWidget

from pantelos.desktop import painting
from pantelos.desktop.document import Document
from pantelos.desktop.presenter.chain import COLUMNS, DIRECTION, EDITABLE, NOW, ChainRow, chain_rows, edited, editing_text
from pantelos.desktop.theme import Theme
from pantelos.errors import PantelosError
from pantelos.paper import hues
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.study import operations as op

_POINTS, _READ_AT_ONCE = 300, 8000
_SHOWN_S = 0.06


class ChainModel(QAbstractTableModel):
    """Serves the rows of the presenter and hands edits to its operations."""

    failed = pyqtSignal(PantelosError)

    def __init__(self, document: Document, theme: Theme, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self.theme = document, theme
        self.rows: list[ChainRow] = []

    def refresh(self) -> None:
        """Show the present study."""
        self.beginResetModel()
        evaluation = self._document.evaluation
        self.rows = chain_rows(evaluation) if evaluation is not None else []
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:
        """Return the number of channels."""
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:
        """Return the number of columns."""
        return len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """Return a heading."""
        if orientation is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section]
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """Return text, look and help of a cell."""
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.cells[index.column()]
        if role == Qt.ItemDataRole.EditRole:
            return editing_text(self._document.study, row.name, index.column())
        if role == Qt.ItemDataRole.ForegroundRole:
            if index.column() == 0:
                return self.theme.conductor(hues.conductor(self._document.study, row.name))
            if index.column() == DIRECTION and row.reversed:
                return QColor(self.theme.caution)
        if role == Qt.ItemDataRole.FontRole and index.column() == 0:
            font = QFont()
            font.setBold(True)
            return font
        if role == Qt.ItemDataRole.ToolTipRole:
            return {
                0: "Double-click to rename",
                2: "Double-click: unit and range, as in ±10 V",
                3: "Double-click: clamp 100 mV/A, divider 100:1, shunt 0.5 mohm, factor 10 A/V, offset 2 mV",
                DIRECTION: "Double-click to turn the direction over",
            }.get(index.column())
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Return what can be done with a cell."""
        usual = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return usual | Qt.ItemFlag.ItemIsEditable if index.column() in EDITABLE else usual

    def setData(self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """Take what was typed."""
        name = self.rows[index.row()].name
        if str(value) == editing_text(self._document.study, name, index.column()):
            return False
        try:
            self._document.take(edited(self._document.study, name, index.column(), str(value)), f"scale {name}")
        except PantelosError as error:
            self.failed.emit(error)
            return False
        return True

    def turn_over(self, row: int) -> None:
        """Reverse the direction of a channel."""
        name = self.rows[row].name
        self._document.take(op.reverse_channel(self._document.study, name), f"reverse {name}")


class _Sparkline(QStyledItemDelegate):
    """Draws three mains cycles of a channel from the middle of the active interval."""

    def __init__(self, document: Document, model: ChainModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._model = document, model

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Paint the waveform."""
        evaluation = self._document.evaluation
        if painter is None or evaluation is None:
            return
        name = self._model.rows[index.row()].name
        wave = evaluation.samples.waveform(name)
        start, stop = evaluation.times.span(None)
        first = int((start + stop) / 2)
        last = min(first + int(_SHOWN_S * wave.rate_hz), wave.n_samples)
        try:
            values = _thinned(wave, first, last)
        except PantelosError:  # the lanes say why
            return
        found = painting.waveform(values, QRectF(option.rect).adjusted(6, 5, -6, -5))
        if found is None:
            return
        colour = self._model.theme.conductor(hues.conductor(evaluation.study, name))
        painting.draw_samples(painter, *found, colour, hues.weight(evaluation.names.unit(name)), points=False)


def _thinned(wave: Waveform, first: int, last: int) -> FloatArray:
    """Return a few hundred of some samples, for a sketch; at a high rate only those are read."""
    step = max((last - first) // _POINTS, 1)
    if last - first <= _READ_AT_ONCE:
        return wave.read(first, last)[::step]
    return np.concatenate([wave.read(at, at + 1) for at in range(first, last, step)])


class ChainTable(QTableView):
    """The table itself."""

    def __init__(self, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.chain = ChainModel(document, theme, self)
        self.setModel(self.chain)
        self.setItemDelegateForColumn(NOW, _Sparkline(document, self.chain, self))
        self.setShowGrid(False)
        self.setAccessibleName("Scaling chains")
        self.setEditTriggers(QTableView.EditTrigger.DoubleClicked | QTableView.EditTrigger.EditKeyPressed)
        self.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None and horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(30)
        horizontal.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for at, width in enumerate((84, 130, 90, 190, 90, 100, 130, 150)):
            self.setColumnWidth(at, width)
        horizontal.setSectionResizeMode(NOW, QHeaderView.ResizeMode.Stretch)
        self.doubleClicked.connect(self._double_clicked)

    def _double_clicked(self, index: QModelIndex) -> None:
        if index.column() == DIRECTION:
            self.chain.turn_over(index.row())
