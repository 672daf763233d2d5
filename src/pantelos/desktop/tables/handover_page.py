"""The Tables page: what is handed over. Left its contents, right the chosen sheet, or everything as a grid."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from pantelos.checks import run_checks
from pantelos.desktop.document import Document
from pantelos.desktop.runner import Runner
from pantelos.desktop.tables.column_menu import GridColumnMenu
from pantelos.desktop.tables.page import TablesPage
from pantelos.desktop.tables.sheet_view import SheetView
from pantelos.desktop.tables.supply_line import SupplyLine
from pantelos.desktop.tables.whole_rows import WholeRows
from pantelos.desktop.theme import Theme
from pantelos.engine.quality import quality_voltages
from pantelos.errors import PantelosError
from pantelos.handover.blocks import About, Sheet
from pantelos.handover.columns import column_titles, with_columns
from pantelos.handover.composition import chosen_places, chosen_sheets, compose, whole_sheet
from pantelos.handover.sheets import SHEETS
from pantelos.handover.writing import WRITTEN, write_report
from pantelos.progress import Progress
from pantelos.report.registry import TABLES
from pantelos.study import operations as op
from pantelos.study.model import ColumnChoice, Quality, Study

_ID = Qt.ItemDataRole.UserRole
_BUNDLE = ".pantelos-bundle"
_HANDED_OVER = (("PDF", ".pdf"), ("HTML", ".html"), ("XLSX", ".xlsx"), ("CSV", ".csv"), ("JSON", ".json"), ("Bundle", _BUNDLE))
_FIRST = "power"


class HandoverPage(QWidget):
    """Composes the hand-over."""

    file_wanted = pyqtSignal(str)  # suffix
    explain = pyqtSignal(object, QPoint)
    failed = pyqtSignal(PantelosError)
    said = pyqtSignal(str)
    go = pyqtSignal(float, float)  # a stretch of the record that is wanted in the traces, s

    def __init__(self, document: Document, runner: Runner, theme: Theme, grid: TablesPage, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner, self.grid = document, runner, grid
        self._shown_for: object = None
        self._filling = False
        self.sheets, self.intervals = WholeRows(), WholeRows()
        self.sheets.setAccessibleName("Sheets of the report")
        self.sheets.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        self.intervals.setAccessibleName("Intervals side by side")
        self.accuracy = QCheckBox("± beside values", toolTip="Show the accuracy, where it is stated")
        self.worst = QCheckBox("worst orders first", toolTip="By what is left of their limit or by size; else in order")
        self.paper = QComboBox(toolTip="Paper of PDF and print")
        self.paper.addItems(["A4", "Letter"])
        self.view, self.supply, self.columns = SheetView(theme), SupplyLine(), GridColumnMenu()
        self.as_grid = QToolButton(text="As grid", checkable=True, toolTip="All columns of all tables, as they are exported")
        self._stack = QStackedWidget()
        self._stack.addWidget(self._composer())
        self._stack.addWidget(grid)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._stack)
        self._back = QToolButton(grid, text="As sheets", toolTip="Sheets that read like pages of a report")
        self._back.clicked.connect(lambda: self.show_grid(False))
        self._connect(document)

    def _connect(self, document: Document) -> None:
        document.changed.connect(self._study_changed)
        self.sheets.currentItemChanged.connect(lambda *_: self._show_chosen())
        self.sheets.itemChanged.connect(lambda *_: self._arranged())
        model = self.sheets.model()
        assert model is not None
        model.rowsMoved.connect(lambda *_: self._arranged())
        self.intervals.itemChanged.connect(lambda *_: self._take_intervals())
        self.accuracy.toggled.connect(lambda on: self._change("± beside values", accuracy=on))
        self.worst.toggled.connect(lambda on: self._change("order of the orders", worst_first=on))
        self.paper.activated.connect(lambda _: self._change("paper", paper=self.paper.currentText()))
        self.as_grid.toggled.connect(self.show_grid)
        self.view.explain.connect(self.explain)
        self.view.go.connect(self.go)
        self.view.chosen.connect(self._choose_own)
        self.columns.chosen.connect(self._choose_columns)
        self.supply.declared.connect(self._declare)
        self.supply.course.connect(self._show_course)
        self.supply.failed.connect(self.failed)

    def _composer(self) -> QWidget:
        split = QSplitter()
        split.addWidget(self._side())
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(0)
        top = QHBoxLayout()
        top.setContentsMargins(22, 0, 16, 0)
        top.addWidget(self.accuracy)
        top.addSpacing(18)
        top.addWidget(self.worst)
        top.addStretch(1)
        copy = QToolButton(text="Copy", toolTip="Copy this sheet with units, as text and as rich text")
        copy.clicked.connect(self.view.copy_sheet)
        for widget in (self.columns, self.paper, copy, self.as_grid):
            top.addWidget(widget)
        column.addLayout(top)
        column.addWidget(self.supply)
        column.addWidget(self.view, 1)
        split.addWidget(right)
        split.setSizes([212, 990])
        split.setStretchFactor(1, 1)
        return split

    def _side(self) -> QWidget:
        side = QFrame(objectName="side")
        column = QVBoxLayout(side)
        column.setContentsMargins(8, 12, 8, 12)
        for widget in (self.sheets, self.intervals):
            widget.setStyleSheet("background: transparent;")
            widget.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            widget.setTextElideMode(Qt.TextElideMode.ElideRight)
            widget.setMinimumHeight(48)
        heading = QLabel("Sheets")
        heading.setProperty("heading", True)
        column.addWidget(heading)
        column.addWidget(self.sheets, 3)
        for title, widget in (("Intervals side by side", self.intervals),):
            label = QLabel(title)
            label.setProperty("soft", True)
            column.addWidget(label)
            column.addWidget(widget, 2)
        label = QLabel("Hand over")
        label.setProperty("soft", True)
        column.addWidget(label)
        buttons = QGridLayout()
        for at, (title, suffix) in enumerate(_HANDED_OVER):
            button = QPushButton(title, toolTip=_help_of(suffix))
            button.clicked.connect(lambda _=False, suffix=suffix: self.file_wanted.emit(suffix))
            buttons.addWidget(button, at // 3, at % 3)
        column.addLayout(buttons)
        return side

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.view.set_theme(theme)
        self.grid.set_theme(theme)

    def show_grid(self, on: bool = True) -> None:
        """Show all tables as grids, or the sheets."""
        self.as_grid.blockSignals(True)
        self.as_grid.setChecked(on)
        self.as_grid.blockSignals(False)
        self._stack.setCurrentIndex(1 if on else 0)
        self.compute()

    def take_focus(self) -> None:
        """Let keys choose sheets, or tables."""
        (self.grid.kinds if self.as_grid.isChecked() else self.sheets).setFocus()

    def compute(self) -> None:
        """Have what is shown computed off the interface thread."""
        if self.as_grid.isChecked():
            self.grid.compute()
        else:
            self._fill()
            self._show_chosen()

    def select(self, id_: str) -> None:
        """Show a sheet."""
        for at in range(self.sheets.count()):
            item = self.sheets.item(at)
            if item is not None and item.data(_ID) == id_:
                self.sheets.setCurrentRow(at)

    # following the study

    def _study_changed(self) -> None:
        if self.isVisible():
            self.compute()

    def _fill(self) -> None:
        """Show what the study says of its report."""
        study = self._document.study
        self._filling = True
        current = self.sheets.currentItem()
        wanted = str(current.data(_ID)) if current is not None else _FIRST
        self.sheets.clear()
        for kind, on in chosen_sheets(study.report):
            item = QListWidgetItem(kind.title)
            item.setData(_ID, kind.id)
            item.setToolTip(kind.help)
            item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
            self.sheets.addItem(item)
        self.select(wanted)
        places = chosen_places(study)
        self.intervals.clear()
        for interval in study.intervals:
            item = QListWidgetItem(interval.name)
            item.setToolTip(f"{interval.start_s:.6g} s to {interval.stop_s:.6g} s")
            item.setCheckState(Qt.CheckState.Checked if interval.name in places else Qt.CheckState.Unchecked)
            self.intervals.addItem(item)
        self.accuracy.setChecked(study.report.accuracy)
        self.worst.setChecked(study.report.worst_first)
        self.paper.setCurrentText(study.report.paper)
        self.supply.show_declared(study.quality)
        self._filling = False

    def shown(self) -> str:
        """Return the sheet that is chosen."""
        item = self.sheets.currentItem()
        return str(item.data(_ID)) if item is not None else ""

    def _show_chosen(self) -> None:
        evaluation, id_ = self._document.evaluation, self.shown()
        if self._filling or evaluation is None or not id_:
            return
        self.supply.setVisible(SHEETS[id_].of_supply)
        self.worst.setVisible(SHEETS[id_].by_order)
        state = (self._document.study, id_)
        if state == self._shown_for:
            return
        self._shown_for = None
        if self.view.sheet is None or self.view.sheet.id != id_:
            self.view.show_sheet(None, "computing …")

        def job(progress: Progress) -> Sheet | str:
            try:
                return whole_sheet(id_, evaluation, run_checks(evaluation) if id_ == "title" else (), progress)
            except PantelosError as error:
                return str(error)

        def take(found: Sheet | str) -> None:
            self._shown_for, choice = state, evaluation.study.report.columns.get(id_)
            self.columns.offer(() if isinstance(found, str) else column_titles(found), choice)
            if isinstance(found, str):
                self.view.show_sheet(None, f"{SHEETS[id_].title}: {found}")
            else:
                self.view.show_sheet(with_columns(found, choice))

        self._runner.run("sheet", job, take)

    # changing the study

    def _take(self, change: Callable[[Study], Study], title: str) -> None:
        if self._filling:
            return
        try:
            self._document.take(change(self._document.study), title)
        except PantelosError as error:
            self.failed.emit(error)

    def _change(self, title: str, **changes: object) -> None:
        self._take(lambda study: op.set_report(study, **changes), title)

    def _items(self, of: QListWidget) -> list[QListWidgetItem]:
        return [item for at in range(of.count()) if (item := of.item(at)) is not None]

    def _arranged(self) -> None:
        found = [(str(item.data(_ID)), item.checkState() is Qt.CheckState.Checked) for item in self._items(self.sheets)]
        self._take(lambda study: op.arrange_sheets(study, found), "sheets of the report")

    def _take_intervals(self) -> None:
        kept = tuple(item.text() for item in self._items(self.intervals) if item.checkState() is Qt.CheckState.Checked)
        self._change("intervals of the report", intervals=kept)

    def _choose_columns(self, choice: ColumnChoice | None) -> None:
        id_ = self.shown()
        self._take(lambda study: op.choose_columns(study, id_, choice), f"columns of {SHEETS[id_].title.lower()}")

    def _declare(self, of: Quality) -> None:
        changes = {name: getattr(of, name) for name in of.__struct_fields__}
        self._take(lambda study: op.set_quality(study, **changes), "what is declared of the supply")

    def _show_course(self, id_: str) -> None:
        """Show a parameter of quality as a lane, and go there."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        try:
            voltages = quality_voltages(evaluation)
            self._document.take(op.show_course(self._document.study, id_, voltages), f"{op.COURSES[id_].title} as a lane")
        except PantelosError as error:
            self.failed.emit(error)
            return
        self.go.emit(evaluation.record.start_s, evaluation.record.start_s + evaluation.record.duration_s)

    def _choose_own(self, about: About) -> None:
        """Put the formula behind a number on the user's own sheet."""
        evaluation = self._document.evaluation
        kind = TABLES.get(about.table)
        if evaluation is None or kind is None or kind.explain is None:
            return
        explain = kind.explain

        def job(progress: Progress) -> str:
            found = explain(evaluation, dict(about.heads), about.key, ())
            return found.formula if found is not None else ""

        def take(formula: str) -> None:
            if not formula:
                self.said.emit("This number has no formula of its own, so it cannot stand on another sheet.")
                return
            own = self._document.study.report.own
            if formula not in own:
                self._change("own values", own=(*own, formula))
            self.said.emit(f"{formula} stands on the sheet of own values.")

        self._runner.run("own", job, take)

    # handing over

    def write(self, path: Path) -> None:
        """Compose the report and write it, or everything as a bundle, off the interface thread."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return

        def job(progress: Progress) -> str:
            notices = run_checks(evaluation)
            if path.suffix == _BUNDLE:
                from pantelos.handover.bundle import write_bundle  # here, for the sake of a quick start

                return f"{path.name}: {', '.join(write_bundle(evaluation, notices, path, None, progress))}"
            made = compose(evaluation, notices, progress)
            write_report(made, evaluation, path)
            left = f"; not given: {', '.join(title for title, _ in made.not_given)}" if made.not_given else ""
            return f"{path.name}: {', '.join(sheet.title for sheet in made.sheets)}{left}"

        self._runner.run("report", job, self.said.emit)


def _help_of(suffix: str) -> str:
    if suffix == _BUNDLE:
        return "Study, recordings, tables and report in one file"
    if suffix in WRITTEN:
        return f"The ticked sheets as {suffix[1:].upper()}"
    return f"All tables as {suffix[1:].upper()}"
