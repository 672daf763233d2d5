"""The rows of a campaign as a model: a record each, a column for each value."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QColor

from pantelos.campaigns.conditions import Limit, Standing, standing
from pantelos.campaigns.rows import Cell, Known
from pantelos.campaigns.words import said_in, unit_of
from pantelos.desktop.theme import Theme
from pantelos.units import Unit, unit

RECORD, FIRST_VALUE = 0, 1
_ROOT = QModelIndex()


class LedgerModel(QAbstractTableModel):
    """Serves texts and colours; what is drawn beside them is asked for by `value_at`."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.names: list[str] = []
        self.limits: dict[str, Limit] = {}
        self.odd: dict[int, str] = {}
        self.shown: list[Known] = []
        self.key = ""
        self.units: list[Unit] = []
        self._at: dict[int, int] = {}

    def show(self, names: Sequence[str], limits: dict[str, Limit], odd: dict[int, str], shown: Sequence[Known], key: str) -> None:
        """Show these records."""
        self.beginResetModel()
        self.names, self.limits, self.odd, self.shown, self.key = list(names), limits, odd, list(shown), key
        self.units = [unit_of(name, self.shown, tuple(limits.values())) for name in self.names]
        self._at = {known.id: row for row, known in enumerate(self.shown)}
        self.endResetModel()

    def land(self, known: Known) -> None:
        """Show what became of one record; nothing else is painted."""
        row = self._at.get(known.id)
        if row is not None:
            self.shown[row] = known
            self.dataChanged.emit(self.index(row, 0), self.index(row, self.columnCount() - 1))

    def rowCount(self, parent: QModelIndex = _ROOT) -> int:
        """Return how many records are shown."""
        return 0 if parent.isValid() else len(self.shown)

    def columnCount(self, parent: QModelIndex = _ROOT) -> int:
        """Return the record, its values, and the remark."""
        return 0 if parent.isValid() else len(self.names) + 2

    def cell(self, row: int, column: int) -> Cell | None:
        """Return the value in a place of the table, if one belongs there."""
        at = column - FIRST_VALUE
        return self.shown[row].cells.get(self.names[at]) if 0 <= at < len(self.names) else None

    def value_at(self, row: int, column: int) -> tuple[float, float] | None:
        """Return value and ±, SI; None where there is none."""
        cell = self.cell(row, column)
        if cell is None or cell.value is None:
            return None
        factor = unit(cell.unit or "1").factor
        return cell.value * factor, (cell.expanded or 0.0) * factor

    def standing_at(self, row: int, column: int) -> Standing | None:
        """Return how a value stands to its limit; None where it has none."""
        at = column - FIRST_VALUE
        limit = self.limits.get(self.names[at]) if 0 <= at < len(self.names) else None
        return standing(self.cell(row, column), limit) if limit is not None else None

    def remark(self, known: Known) -> str:
        """Return what is to be said of a record."""
        if known.sentence:
            return known.sentence.removeprefix(f"{known.name}.csv: ")
        why = [f"unlike the others: {self.odd[known.id]}"] if known.id in self.odd else []
        why += [f"{name}: {cell.remark}" for name, cell in known.cells.items() if cell.value is None]
        return "; ".join(why)

    def is_stale(self, known: Known) -> bool:
        """Return whether a row is of another recipe than the present one."""
        return known.state == "waiting" or known.recipe != self.key

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Return what a place of the table says."""
        known = self.shown[index.row()]
        last = index.column() == len(self.names) + FIRST_VALUE
        if role == Qt.ItemDataRole.DisplayRole:
            if index.column() == RECORD:
                return known.name
            if last or (known.sentence and index.column() == FIRST_VALUE):
                return self.remark(known) or ("waiting" if known.state == "waiting" else "")
            return self._text(known, index.column()) if known.state == "done" else ""
        if role == Qt.ItemDataRole.ToolTipRole:
            return self.remark(known) or known.path
        if role == Qt.ItemDataRole.ForegroundRole:
            return self._ink(index, known, last)
        if role == Qt.ItemDataRole.AccessibleTextRole:
            values = 0 < index.column() <= len(self.names)
            return f"{known.name}, {self.heading(index.column())} {self._text(known, index.column())}" if values else known.name
        return None

    def _text(self, known: Known, column: int) -> str:
        at = column - FIRST_VALUE
        return said_in(known.cells.get(self.names[at]), self.units[at])

    def heading(self, column: int) -> str:
        """Return the name of a value with its unit."""
        at = column - FIRST_VALUE
        symbol = self.units[at].symbol
        return self.names[at] if symbol in ("", "1") else f"{self.names[at]} [{symbol}]"

    def _ink(self, index: QModelIndex, known: Known, last: bool) -> QColor:
        theme = self.theme
        if self.is_stale(known):
            return QColor(theme.soft)
        if known.sentence:
            return QColor(theme.fault)
        columns = range(FIRST_VALUE, FIRST_VALUE + len(self.names)) if index.column() == RECORD else (index.column(),)
        stands = {self.standing_at(index.row(), column) for column in columns}
        if Standing.OUTSIDE in stands:
            return QColor(theme.fault)
        odd = index.column() == RECORD and known.id in self.odd
        return QColor(theme.caution if last or odd or Standing.UNDECIDED in stands else theme.ink)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Return what heads a column."""
        if orientation is not Qt.Orientation.Horizontal or role != Qt.ItemDataRole.DisplayRole:
            return None
        if section == RECORD:
            return "record"
        if section > len(self.names):
            return "remark"
        limit = self.limits.get(self.names[section - 1])
        return self.heading(section) + (f"  {limit.sign_shown} {limit.written}" if limit is not None else "")
