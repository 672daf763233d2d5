"""A table for Qt: the same values the exports write, shown with the digits that fit a line."""

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, Qt
from PyQt6.QtGui import QColor

from pantelos.desktop.parts.labels import breakable
from pantelos.desktop.theme import Theme
from pantelos.notation import MISSING, digits_after_point, minus
from pantelos.sheets.table import Table, TableCell

_DIGITS = 6


def _decimals(table: Table, column: int) -> dict[str, int]:
    """Return the decimals of a column by the unit of the row ("" where the unit stands over the column).

    The largest number of a unit has six digits, and all points stand in line.
    """
    sizes: dict[str, float] = {}
    for row in table.rows:
        value = row[column]
        if isinstance(value, float):
            unit = _unit_of(table, row)
            sizes[unit] = max(sizes.get(unit, 0.0), abs(value))
    return {unit: digits_after_point(size, _DIGITS) for unit, size in sizes.items()}


def _unit_of(table: Table, row: tuple[TableCell, ...]) -> str:
    """Return the unit a row states for itself, or nothing."""
    at = next((k for k, column in enumerate(table.columns) if column.key == "unit"), None)
    return str(row[at]) if at is not None else ""


def _alignment(table: Table, column: int) -> Qt.AlignmentFlag:
    text = any(isinstance(row[column], str) for row in table.rows)
    return (Qt.AlignmentFlag.AlignLeft if text else Qt.AlignmentFlag.AlignRight) | Qt.AlignmentFlag.AlignVCenter


class TableModel(QAbstractTableModel):
    """Serves one table."""

    def __init__(self, theme: Theme, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.table: Table | None = None
        self._decimals: list[dict[str, int]] = []
        self._alignments: list[Qt.AlignmentFlag] = []

    def show_table(self, table: Table | None) -> None:
        """Show another table."""
        self.beginResetModel()
        self.table = table
        columns = range(len(table.columns)) if table is not None else range(0)
        self._decimals = [_decimals(table, at) for at in columns] if table is not None else []
        self._alignments = [_alignment(table, at) for at in columns] if table is not None else []
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:
        """Return the number of rows."""
        return len(self.table.rows) if self.table is not None and not parent.isValid() else 0

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:
        """Return the number of columns."""
        return len(self.table.columns) if self.table is not None else 0

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """Return title and unit of a column, its help, and how it is aligned."""
        if self.table is None or orientation is not Qt.Orientation.Horizontal:
            return None
        column = self.table.columns[section]
        if role == Qt.ItemDataRole.DisplayRole:
            return breakable(f"{column.title}\n{column.unit}" if column.unit else column.title)
        if role == Qt.ItemDataRole.ToolTipRole:
            return column.help or column.title
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return self._alignments[section].value | Qt.TextFlag.TextWordWrap.value
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """Return text, exact value and look of a cell."""
        if self.table is None:
            return None
        value, column = self.table.rows[index.row()][index.column()], self.table.columns[index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            if isinstance(value, float):
                decimals = self._decimals[index.column()][_unit_of(self.table, self.table.rows[index.row()])]
                return minus(f"{value:.{decimals}f}")
            return MISSING if value is None else str(value)
        if role == Qt.ItemDataRole.ToolTipRole and isinstance(value, float):
            return f"{column.title} = {value!r} {column.unit}"
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return self._alignments[index.column()]
        if role == Qt.ItemDataRole.ForegroundRole and column.conductor:
            return QColor(self.theme.conductor(column.conductor))
        return None

    def as_text(self) -> str:
        """Return the table as tab-separated text with units in the heading, for the clipboard."""
        if self.table is None:
            return ""
        lines = ["\t".join(column.heading for column in self.table.columns)]
        lines += ["\t".join("" if cell is None else str(cell) for cell in row) for row in self.table.rows]
        return "\n".join(lines)
