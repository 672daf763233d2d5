"""A table as a grid: all its columns, as they are exported, and beside them how it was computed."""

from PyQt6.QtCore import QModelIndex, QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication, QFrame, QLabel, QScrollArea, QSplitter, QTableView, QVBoxLayout, QWidget

from pantelos.desktop.parts.labels import ShortLabel, breakable
from pantelos.desktop.tables.header import WrappedHeader
from pantelos.desktop.tables.share_bar import ShareBar
from pantelos.desktop.tables.table_model import TableModel
from pantelos.desktop.theme import Theme
from pantelos.sheets.table import Table

_NARROWEST, _WIDEST = 52, 150  # pixels of a column


class GridView(QSplitter):
    """Shows one table."""

    explain = pyqtSignal(object, int, int, QPoint)  # table, row, column, where

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.title, self.subtitle = ShortLabel(), ShortLabel()
        self.title.setProperty("heading", True)
        self.subtitle.setProperty("soft", True)
        self.model = TableModel(theme, self)
        self.view = QTableView()
        self.view.setAccessibleName("Table")
        self.view.setHorizontalHeader(WrappedHeader(self.view))
        self.view.setModel(self.model)
        self.view.clicked.connect(self._clicked)
        self.view.setItemDelegate(ShareBar(self.model, self.view))
        self.view.setAlternatingRowColors(True)
        self.view.setShowGrid(False)
        self.view.setSelectionMode(QTableView.SelectionMode.ExtendedSelection)
        vertical, horizontal = self.view.verticalHeader(), self.view.horizontalHeader()
        assert vertical is not None and horizontal is not None
        horizontal.setResizeContentsPrecision(60)  # rows looked at for the width of a column
        vertical.hide()
        vertical.setDefaultSectionSize(26)
        self._method = QLabel()
        self._method.setWordWrap(True)
        self._method.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._method.setTextFormat(Qt.TextFormat.PlainText)
        self._method.setProperty("soft", True)
        self._method.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.addWidget(self._table())
        self.addWidget(self._explained())
        self.setSizes([740, 250])
        self.setStretchFactor(0, 1)

    def _table(self) -> QWidget:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(22, 10, 8, 8)
        for widget in (self.title, self.subtitle):
            column.addWidget(widget)
        column.addWidget(self.view, 1)
        return middle

    def _explained(self) -> QWidget:
        side = QWidget()
        column = QVBoxLayout(side)
        column.setContentsMargins(14, 10, 12, 8)
        heading = QLabel("How this was computed")
        heading.setProperty("heading", True)
        column.addWidget(heading)
        scroll = QScrollArea(accessibleName="What the table says of itself")
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setWidget(self._method)
        column.addWidget(scroll, 1)
        return side

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.model.theme = theme
        self.model.show_table(self.model.table)

    def show_table(self, table: Table | None, title: str, said: str = "") -> None:
        """Show another table, or say why there is none."""
        self.model.show_table(table)
        self.title.setText(title)
        self.subtitle.setText(said or (table.subtitle if table is not None else ""))
        self._method.setText(breakable("\n\n".join(table.method)) if table is not None else "")
        self.view.resizeColumnsToContents()
        for column in range(self.model.columnCount()):
            self.view.setColumnWidth(column, min(max(self.view.columnWidth(column), _NARROWEST), _WIDEST))
        self.view.updateGeometries()

    def _clicked(self, index: QModelIndex) -> None:
        """Ask what stands behind a number."""
        table, viewport = self.model.table, self.view.viewport()
        value = table.rows[index.row()][index.column()] if table is not None else None
        if table is not None and viewport is not None and isinstance(value, float):
            place = viewport.mapToGlobal(self.view.visualRect(index).center())
            self.explain.emit(table, index.row(), index.column(), place)

    def copy(self) -> None:
        """Copy the table with units, for a spreadsheet."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.model.as_text())
