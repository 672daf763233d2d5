"""The Tables page put together: which table, which intervals, the table itself, and how it was computed."""

from pathlib import Path

from PyQt6.QtCore import QModelIndex, QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QSplitter,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.document import Document
from pantelos.desktop.parts.labels import ShortLabel, breakable
from pantelos.desktop.runner import Runner
from pantelos.desktop.tables.header import WrappedHeader
from pantelos.desktop.tables.share_bar import ShareBar
from pantelos.desktop.tables.table_model import TableModel
from pantelos.desktop.tables.whole_rows import WholeRows
from pantelos.desktop.theme import Theme
from pantelos.progress import Progress
from pantelos.report.registry import TABLES, build_tables
from pantelos.report.table import TableSet
from pantelos.report.writers import WRITERS, write_tables
from pantelos.settings import load_settings
from pantelos.study.model import WHOLE_RECORD

_BESIDE = 3  # buttons in a row


class TablesPage(QWidget):
    """Shows the tables of the study as they will be exported."""

    export_wanted = pyqtSignal(str)
    explain = pyqtSignal(object, int, int, QPoint)  # table, row, column, where

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self.tables: TableSet | None = None
        self._shown_for: object = None
        self._asked: set[str] = set()  # tables that are made on request, and were
        self.kinds = WholeRows()
        self.kinds.setAccessibleName("Tables")
        self.intervals = WholeRows()
        self.intervals.setAccessibleName("Intervals in the tables")
        self._title, self._subtitle = ShortLabel(), ShortLabel()
        self._title.setProperty("heading", True)
        self._subtitle.setProperty("soft", True)
        self.model = TableModel(theme, self)
        self.view = QTableView()
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
        split = QSplitter()
        split.addWidget(self._side())
        split.addWidget(self._middle())
        split.addWidget(self._explained())
        split.setSizes([232, 680, 260])
        split.setStretchFactor(1, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(split)
        document.changed.connect(self._study_changed)
        self.kinds.currentRowChanged.connect(self._show_table)
        self.intervals.itemChanged.connect(self.compute)

    def _side(self) -> QWidget:
        side = QFrame(objectName="side")
        column = QVBoxLayout(side)
        column.setContentsMargins(8, 12, 8, 12)
        self.kinds.setStyleSheet("background: transparent;")
        self.intervals.setStyleSheet("background: transparent;")
        self.intervals.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.intervals.setTextElideMode(Qt.TextElideMode.ElideRight)
        for kind in TABLES:
            item = QListWidgetItem(kind.title)
            item.setToolTip(kind.help)
            self.kinds.addItem(item)
        self.kinds.setMaximumHeight(34 * len(TABLES) + 8)
        self.kinds.setMinimumHeight(70)
        self.intervals.setMinimumHeight(50)
        column.addWidget(self.kinds, 2)
        column.addWidget(self._soft("Intervals"))
        column.addWidget(self.intervals, 1)
        column.addWidget(self._soft("Hand over"))
        grid = QGridLayout()
        for at, writer in enumerate(WRITERS):
            what = "the table that is shown" if writer.single else "all tables"
            button = QPushButton(writer.title, toolTip=f"Write {what} to a {writer.title} file")
            button.clicked.connect(lambda _=False, suffix=writer.suffix: self.export_wanted.emit(suffix))
            grid.addWidget(button, at // _BESIDE, at % _BESIDE)
        self.alone = QCheckBox("shown table only", toolTip="Write the table that is shown, without the others")
        column.addWidget(self.alone)
        copy = QPushButton("Copy", toolTip="Copy the shown table with units, for a spreadsheet")
        copy.clicked.connect(self.copy)
        grid.addWidget(copy, len(WRITERS) // _BESIDE, len(WRITERS) % _BESIDE)
        column.addLayout(grid)
        return side

    def _soft(self, text: str) -> QLabel:
        label = QLabel(text)
        label.setProperty("soft", True)
        return label

    def _middle(self) -> QWidget:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(18, 14, 8, 8)
        column.addWidget(self._title)
        column.addWidget(self._subtitle)
        column.addWidget(self.view, 1)
        return middle

    def _explained(self) -> QWidget:
        side = QWidget()
        column = QVBoxLayout(side)
        column.setContentsMargins(14, 14, 12, 8)
        heading = QLabel("How this was computed")
        heading.setProperty("heading", True)
        column.addWidget(heading)
        scroll = QScrollArea()
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setWidget(self._method)
        column.addWidget(scroll, 1)
        return side

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.model.theme = theme
        self.model.show_table(self.model.table)

    def _study_changed(self) -> None:
        """Keep the list of intervals; tables are computed when the page is looked at."""
        names = [interval.name for interval in self._document.study.intervals] or [WHOLE_RECORD]
        shown = [self._item(at).text() for at in range(self.intervals.count())]
        if names != shown:
            unchecked = {
                self._item(at).text()
                for at in range(self.intervals.count())
                if self._item(at).checkState() is Qt.CheckState.Unchecked
            }
            self.intervals.blockSignals(True)
            self.intervals.clear()
            for name in names:
                item = QListWidgetItem(name)
                item.setCheckState(Qt.CheckState.Unchecked if name in unchecked else Qt.CheckState.Checked)
                self.intervals.addItem(item)
            self.intervals.blockSignals(False)
        if self.isVisible():
            self.compute()

    def _item(self, at: int) -> QListWidgetItem:
        item = self.intervals.item(at)
        assert item is not None
        return item

    def chosen_intervals(self) -> list[str]:
        """Return the intervals that are ticked."""
        items = (self._item(at) for at in range(self.intervals.count()))
        return [item.text() for item in items if item.checkState() is Qt.CheckState.Checked]

    def choose_intervals(self, names: list[str]) -> None:
        """Tick these intervals and no others."""
        for at in range(self.intervals.count()):
            item = self._item(at)
            item.setCheckState(Qt.CheckState.Checked if item.text() in names else Qt.CheckState.Unchecked)

    def compute(self) -> None:
        """Have the tables computed off the interface thread."""
        evaluation, intervals = self._document.evaluation, self.chosen_intervals()
        asked = tuple(sorted(self._asked))
        state = (self._document.study, tuple(intervals), asked)
        if evaluation is None or state == self._shown_for:
            return
        if not intervals:
            self._subtitle.setText("Tick an interval to fill the tables.")
            return
        self._subtitle.setText("computing …")

        def job(progress: Progress) -> TableSet:
            return build_tables(evaluation, None, intervals, progress, asked)

        def take(tables: TableSet) -> None:
            self._shown_for = state
            self.show_tables(tables)

        self._runner.run("tables", job, take)

    def show_tables(self, tables: TableSet) -> None:
        """Show computed tables; those the study cannot fill are greyed."""
        self.tables = tables
        there = {table.id for table in tables.tables}
        for at, kind in enumerate(TABLES):
            item = self.kinds.item(at)
            if item is not None:
                item.setFlags(
                    Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
                    if kind.id in there or (kind.on_request and kind.id not in self._asked)
                    else Qt.ItemFlag.NoItemFlags
                )
        if self.kinds.currentRow() < 0:
            self.kinds.setCurrentRow(1 if "power" in there else 0)
        self._show_table(self.kinds.currentRow())

    def _show_table(self, at: int) -> None:
        if self.tables is None or at < 0:
            return
        kind = TABLES[TABLES.names[at]]
        table = next((table for table in self.tables.tables if table.id == kind.id), None)
        self.model.show_table(table)
        if table is None and kind.on_request and kind.id not in self._asked:
            self._asked.add(kind.id)
            self._title.setText(kind.title)
            self.compute()
            return
        self._title.setText(TABLES[TABLES.names[at]].title)
        self._subtitle.setText(table.subtitle if table is not None else "nothing to show yet")
        self._method.setText(breakable("\n\n".join(table.method)) if table is not None else "")
        self.view.resizeColumnsToContents()
        for column in range(self.model.columnCount()):
            self.view.setColumnWidth(column, min(max(self.view.columnWidth(column), 52), 150))
        self.view.updateGeometries()

    def select(self, id_: str) -> None:
        """Show the table of that id."""
        self.kinds.setCurrentRow(TABLES.names.index(id_))

    def _clicked(self, index: QModelIndex) -> None:
        """Ask what stands behind a number."""
        table = self.model.table
        value = table.rows[index.row()][index.column()] if table is not None else None
        if table is None or not isinstance(value, float):
            return
        place = self.view.visualRect(index).center()
        viewport = self.view.viewport()
        assert viewport is not None
        self.explain.emit(table, index.row(), index.column(), viewport.mapToGlobal(place))

    def copy(self) -> None:
        """Copy the shown table to the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.model.as_text())

    def export(self, path: Path) -> None:
        """Compute and write all tables off the interface thread."""
        evaluation, intervals = self._document.evaluation, self.chosen_intervals()
        if evaluation is None:
            return
        single = any(writer.single for writer in WRITERS if writer.suffix == path.suffix.lower())
        alone = (single or self.alone.isChecked()) and self.kinds.currentRow() >= 0
        wanted = [TABLES.names[self.kinds.currentRow()]] if alone else None
        comma = load_settings().tables == "comma"

        def job(progress: Progress) -> Path:
            write_tables(build_tables(evaluation, wanted, intervals, progress), path, comma)
            return path

        self._runner.run("export", job, self._exported)

    def _exported(self, path: Path) -> None:
        self._subtitle.setText(f"written to {path}")
