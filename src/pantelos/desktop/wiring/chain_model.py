"""The rows of the scaling chains as Qt asks for them, and what typing into them does."""

from collections.abc import Sequence

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont

from pantelos.desktop.document import Document
from pantelos.desktop.presenter.chain import (
    COLUMNS,
    DIRECTION,
    EDITABLE,
    TRANSDUCER,
    ChainRow,
    chain_rows,
    edited_all,
    editing_text,
    effect,
)
from pantelos.desktop.theme import Theme
from pantelos.errors import PantelosError
from pantelos.notation import counted
from pantelos.paper import hues
from pantelos.record.transducer import TransducerKind
from pantelos.settings import load_settings, remember_transducer
from pantelos.study import operations as op
from pantelos.study.model import Study


class ChainModel(QAbstractTableModel):
    """Serves the rows of the presenter and hands edits to its operations."""

    failed = pyqtSignal(PantelosError)

    def __init__(self, document: Document, theme: Theme, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self.theme = document, theme
        self.rows: list[ChainRow] = []

    def refresh(self) -> None:
        """Show the present study."""
        evaluation = self._document.evaluation
        rows = chain_rows(evaluation) if evaluation is not None else []
        if len(rows) == len(self.rows):  # what is selected stays selected
            self.rows = rows
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(COLUMNS) - 1))
            return
        self.beginResetModel()
        self.rows = rows
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
                3: "Type a figure: 100 mV/A, 60 mV/240 A, 200:1, 100 A/5 A, 0.25 ohm, 10 A/V, 100 degC/V; "
                "with several rows chosen it goes into all of them",
                DIRECTION: "Double-click to turn the direction over",
            }.get(index.column())
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Return what can be done with a cell."""
        usual = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return usual | Qt.ItemFlag.ItemIsEditable if index.column() in EDITABLE else usual

    def tried(self, rows: Sequence[int], column: int, text: str) -> Study:
        """Return the study as it would be with a text in a cell of some rows; raises what does not fit."""
        return edited_all(self._document.study, [self.rows[row].name for row in rows], column, text)

    def take(self, rows: Sequence[int], column: int, text: str) -> None:
        """Take what was typed into a cell of some rows; raises what does not fit."""
        names = [self.rows[row].name for row in rows]
        study = self.tried(rows, column, text)
        if study == self._document.study:
            return
        what = "rename" if column == 0 else "scale"
        self._document.take(study, f"{what} {names[0] if len(names) == 1 else f'{len(names)} channels'}")
        if column == TRANSDUCER:
            remember_transducer(text)

    def effect(self, rows: Sequence[int], column: int, text: str) -> str:
        """Return what a text would make of the first of some rows; raises what does not fit."""
        study, evaluation = self.tried(rows, column, text), self._document.evaluation
        if column == 0 or evaluation is None:
            return ""
        more = f"  (and {counted(len(rows) - 1, 'more channel')})" if len(rows) > 1 else ""
        return effect(evaluation, study, self.rows[rows[0]].name) + more

    def last_used(self) -> list[str]:
        """Return the transducers of this study, and those typed last."""
        scalings = (channel.scaling for channel in self._document.study.channels)
        used = [str(s.transducer) for s in scalings if s.transducer.kind is not TransducerKind.DIRECT]
        return list(dict.fromkeys([*used, *load_settings().transducers]))

    def setData(self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """Take what was typed into one cell."""
        name, before = self.rows[index.row()].name, self._document.study
        if str(value) == editing_text(before, name, index.column()):
            return False
        try:
            self.take([index.row()], index.column(), str(value))
        except PantelosError as error:
            self.failed.emit(error)
            return False
        return self._document.study is not before

    def turn_over(self, row: int) -> None:
        """Reverse the direction of a channel."""
        name = self.rows[row].name
        self._document.take(op.reverse_channel(self._document.study, name), f"reverse {name}")
