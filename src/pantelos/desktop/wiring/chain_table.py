"""The table of scaling chains, one channel a row, edited in place; a live waveform at the end of each."""

import numpy as np
from PyQt6.QtCore import QItemSelectionModel, QModelIndex, QObject, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter
from PyQt6.QtWidgets import QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QTableView, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.drawing import painting
from pantelos.desktop.presenter.chain import DIRECTION, EDITABLE, NOW, TRANSDUCER
from pantelos.desktop.theme import Theme
from pantelos.desktop.wiring.chain_editor import ChainEditor, KeepsInk
from pantelos.desktop.wiring.chain_model import ChainModel
from pantelos.errors import PantelosError
from pantelos.paper import hues
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray

_Trigger = QTableView.EditTrigger
_POINTS, _READ_AT_ONCE = 300, 8000
_SHOWN_S = 0.06


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
        self.setItemDelegate(KeepsInk(self))
        self.setItemDelegateForColumn(NOW, _Sparkline(document, self.chain, self))
        self.setShowGrid(False)
        self.setAccessibleName("Scaling chains")
        self.setEditTriggers(_Trigger.DoubleClicked | _Trigger.EditKeyPressed | _Trigger.AnyKeyPressed)
        self.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        vertical, horizontal = self.verticalHeader(), self.horizontalHeader()
        assert vertical is not None and horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(30)
        horizontal.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for at, width in enumerate((84, 110, 90, 190, 90, 100, 180, 150)):
            self.setColumnWidth(at, width)
        horizontal.setSectionResizeMode(NOW, QHeaderView.ResizeMode.Stretch)
        self.doubleClicked.connect(self._double_clicked)
        for column in EDITABLE:
            self.setItemDelegateForColumn(column, ChainEditor(self.chain, self.rows_meant, theme, self))

    def rows_meant(self, index: QModelIndex) -> list[int]:
        """Return the rows an edit of a cell goes to: all that are selected, the edited one first."""
        model = self.selectionModel()
        chosen = [other.row() for other in model.selectedRows()] if model is not None else []
        return [index.row(), *(row for row in chosen if row != index.row())] if index.row() in chosen else [index.row()]

    def take_focus(self) -> None:
        """Stand at the first row where nothing is chosen yet."""
        self.setFocus()
        if not self.currentIndex().isValid():
            self.selectRow(0)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Keep several selected rows selected when one of them is pressed: a double click edits them all."""
        model, plain = self.selectionModel(), Qt.KeyboardModifier.NoModifier
        if event is not None and model is not None and event.modifiers() == plain:
            index = self.indexAt(event.position().toPoint())
            if len(model.selectedRows()) > 1 and index.isValid() and model.isRowSelected(index.row(), QModelIndex()):
                model.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.NoUpdate)
                return
        super().mousePressEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Typing with rows chosen means their transducers, wherever they were clicked; Enter edits too."""
        index = self.currentIndex()
        if event is not None and index.isValid() and self.state() is not QTableView.State.EditingState:
            starts = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2) or event.text().strip().isprintable()
            model = self.selectionModel()
            if starts and event.text() and model is not None and (index.column() not in EDITABLE or index.column() == 0):
                typed = event.key() not in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2)
                if typed or index.column() != 0:
                    index = index.siblingAtColumn(TRANSDUCER)
                    model.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.NoUpdate)
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.edit(index)
                return
        super().keyPressEvent(event)

    def _double_clicked(self, index: QModelIndex) -> None:
        if index.column() == DIRECTION:
            self.chain.turn_over(index.row())
