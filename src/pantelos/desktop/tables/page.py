"""The Tables page: what is handed over. Left its contents, right the chosen sheet, or its table as a grid."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QSplitter, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from pantelos.checks import run_checks
from pantelos.desktop.document import Document
from pantelos.desktop.presenter.signing import signing
from pantelos.desktop.runner import Runner
from pantelos.desktop.tables.column_menu import GridColumnMenu
from pantelos.desktop.tables.grid_view import GridView
from pantelos.desktop.tables.sheet_list import SheetList
from pantelos.desktop.tables.sheet_view import SheetView
from pantelos.desktop.tables.supply_line import SupplyLine
from pantelos.desktop.tables.title_panel import TitlePanel
from pantelos.desktop.theme import Theme
from pantelos.engine.quality import quality_voltages
from pantelos.errors import PantelosError
from pantelos.progress import Progress
from pantelos.settings import load_settings
from pantelos.sheets.blocks import About, Sheet
from pantelos.sheets.columns import column_titles, with_columns
from pantelos.sheets.languages import language_names
from pantelos.sheets.table import Table
from pantelos.sheets.writers import write_tables
from pantelos.study import operations as op
from pantelos.study.model import Quality, Study
from pantelos.study.report import ColumnChoice
from pantelos.tables.building import build_tables
from pantelos.tables.bundle import BUNDLE_SUFFIX, write_bundle
from pantelos.tables.composition import compose, whole_sheet
from pantelos.tables.kinds import KINDS
from pantelos.tables.writing import write_report

_NARROW = 44  # pixels
_TITLE = "title"


class TablesPage(QWidget):
    """Shows sheets and tables of the study, and composes the report."""

    report_wanted = pyqtSignal(str)  # suffix
    tables_wanted = pyqtSignal(str, bool)  # suffix, whether the shown table only
    explain = pyqtSignal(object, QPoint)  # what a number of a sheet is about, where
    failed = pyqtSignal(PantelosError)
    said = pyqtSignal(str)
    written = pyqtSignal(object, str)  # path, what is in it
    go = pyqtSignal(float, float)  # a stretch of the record that is wanted in the traces, s

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self._shown_for: object = None
        self._filling = False
        self.contents = SheetList()
        self.accuracy = QCheckBox("± beside values", toolTip="Show the accuracy, where it is stated")
        self.worst = QCheckBox("worst orders first", toolTip="By what is left of their limit or by size; else in order")
        self.paper = QComboBox(toolTip="Paper of PDF and print", accessibleName="Paper")
        self.paper.addItems(["A4", "Letter"])
        self.language = QComboBox(
            toolTip="Language of the report that is written; the window stays English", accessibleName="Language of the report"
        )
        for code, name in language_names().items():
            self.language.addItem(name, code)
        for choice in (self.language, self.paper):
            choice.setMinimumWidth(_NARROW)  # of a narrow window they are the first to give way
        self.sheet, self.grid, self.supply, self.columns = SheetView(theme), GridView(theme), SupplyLine(), GridColumnMenu()
        self.title = TitlePanel(theme)
        self.as_grid = QToolButton(text="As grid", checkable=True, toolTip="The table behind the sheet, all columns as exported")
        self._views = QStackedWidget()
        for view in (self.sheet, self.grid):
            self._views.addWidget(view)
        split = QSplitter()
        split.addWidget(self.contents)
        split.addWidget(self._right())
        split.setSizes([212, 990])
        split.setStretchFactor(1, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(split)
        self._connect(document)

    def _right(self) -> QWidget:
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(0)
        top = QHBoxLayout()
        top.setContentsMargins(22, 0, 16, 0)
        top.setSpacing(5)
        top.addWidget(self.accuracy)
        top.addSpacing(18)
        top.addWidget(self.worst)
        top.addStretch(1)
        copy = QToolButton(text="Copy", toolTip="Copy what is shown with units, as text and as rich text")
        copy.clicked.connect(lambda: self._views.currentWidget().copy())  # type: ignore[union-attr]
        for widget in (self.columns, self.language, self.paper, copy, self.as_grid):
            top.addWidget(widget)
        column.addLayout(top)
        column.addWidget(self.supply)
        beside = QHBoxLayout()
        beside.setSpacing(0)
        beside.addWidget(self._views, 1)
        beside.addWidget(self.title)
        column.addLayout(beside, 1)
        return right

    def _connect(self, document: Document) -> None:
        document.changed.connect(self._study_changed)
        of = self.contents
        of.chosen.connect(self._show_chosen)
        of.arranged.connect(lambda found: self._take(lambda study: op.arrange_sheets(study, found), "sheets of the report"))
        of.places_chosen.connect(lambda places: self._change("intervals of the report", intervals=places))
        of.report_wanted.connect(self.report_wanted)
        of.tables_wanted.connect(self.tables_wanted)
        self.accuracy.toggled.connect(lambda on: self._change("± beside values", accuracy=on))
        self.worst.toggled.connect(lambda on: self._change("order of the orders", worst_first=on))
        self.paper.activated.connect(lambda _: self._change("paper", paper=self.paper.currentText()))
        self.language.activated.connect(lambda _: self._change("language of the report", language=self.language.currentData()))
        self.as_grid.toggled.connect(lambda _: self._show_chosen())
        self.sheet.explain.connect(self.explain)
        self.sheet.go.connect(self.go)
        self.sheet.chosen.connect(self._choose_own)
        self.columns.chosen.connect(self._choose_columns)
        self.supply.declared.connect(self._declare)
        self.supply.course.connect(self._show_course)
        self.supply.failed.connect(self.failed)
        self.title.fact.connect(lambda label, text: self._take(lambda study: op.set_fact(study, label, text), label))
        self.title.rule.connect(lambda rule: self._take(lambda study: op.set_quality(study, rule=rule), "decision rule"))
        self.title.equipment.connect(lambda lines: self._take(lambda study: op.set_equipment(study, lines), "equipment"))
        self.title.logo.connect(lambda path: self._take(lambda study: op.set_logo(study, path), "logo"))
        self.title.sealing.connect(lambda: self._take(op.seal, "close the report"))
        self.title.failed.connect(self.failed)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.sheet.set_theme(theme)
        self.grid.set_theme(theme)
        self.title.set_theme(theme)

    def show_grid(self, on: bool = True) -> None:
        """Show tables as grids where there are any, or as sheets."""
        self.as_grid.setChecked(on)

    def take_focus(self) -> None:
        """Let keys choose what is shown."""
        self.contents.kinds.setFocus()

    def select(self, id_: str) -> None:
        """Show a sheet or a table."""
        self.contents.select(id_)

    # following the study

    def _study_changed(self) -> None:
        if self.isVisible():
            self.compute()

    def compute(self) -> None:
        """Show what the study says of its report, and have what is shown computed off the interface thread."""
        study = self._document.study
        self._filling = True
        self.contents.fill(study)
        self.accuracy.setChecked(study.report.accuracy)
        self.worst.setChecked(study.report.worst_first)
        self.paper.setCurrentText(study.report.paper)
        self.language.setCurrentIndex(max(self.language.findData(study.report.language), 0))
        self.supply.show_declared(study.quality)
        self.title.show_study(study)
        self._filling = False
        self._show_chosen()

    def _show_chosen(self) -> None:
        evaluation, id_ = self._document.evaluation, self.contents.shown()
        if self._filling or evaluation is None or not id_:
            return
        kind = KINDS[id_]
        layout, as_grid = kind.layout, kind.layout is None or (self.as_grid.isChecked() and kind.build is not None)
        self._views.setCurrentWidget(self.grid if as_grid else self.sheet)
        self.as_grid.setEnabled(layout is not None and kind.build is not None)
        self.supply.setVisible(layout is not None and layout.of_supply)
        self.title.setVisible(id_ == _TITLE)
        self.worst.setVisible(layout is not None and layout.by_order and not as_grid)
        for widget in (self.accuracy, self.columns, self.language, self.paper):
            widget.setVisible(not as_grid)
        state = (self._document.study, id_, as_grid)
        if state == self._shown_for:
            return
        self._shown_for = None
        study = evaluation.study

        def sheet_job(progress: Progress) -> Sheet | Table | str:
            try:
                return whole_sheet(id_, evaluation, run_checks(evaluation) if id_ == _TITLE else (), progress)
            except PantelosError as error:
                return str(error)

        def table_job(progress: Progress) -> Sheet | Table | str:
            try:
                return build_tables(evaluation, [id_], study.report.intervals, progress).tables[0]
            except PantelosError as error:
                return str(error)

        def take(found: Sheet | Table | str) -> None:
            self._shown_for, choice = state, study.report.columns.get(id_)
            if as_grid:
                table, said = (found, "") if isinstance(found, Table) else (None, str(found))
                self.grid.show_table(table, kind.title, said)
                return
            sheet = found if isinstance(found, Sheet) else None
            self.columns.offer(column_titles(sheet) if sheet is not None else (), choice)
            if sheet is None:
                self.sheet.show_sheet(None, f"{kind.sheet_title}: {found}")
            else:
                self.sheet.show_sheet(with_columns(sheet, choice))

        if as_grid and (self.grid.model.table is None or self.grid.model.table.id != id_):
            self.grid.show_table(None, kind.title, "computing …")
        elif not as_grid and (self.sheet.sheet is None or self.sheet.sheet.id != id_):
            self.sheet.show_sheet(None, "computing …")
        self._runner.run("tables", table_job if as_grid else sheet_job, take)
        if id_ == _TITLE:
            self._runner.run("signing", lambda progress: signing(evaluation, run_checks(evaluation)), self.title.show_signing)

    # changing the study

    def _take(self, change: Callable[[Study], Study], title: str) -> None:
        if self._filling:
            return
        try:
            changed = change(self._document.study)
            if changed != self._document.study:
                self._document.take(changed, title)
        except PantelosError as error:
            self.failed.emit(error)

    def _change(self, title: str, **changes: object) -> None:
        self._take(lambda study: op.set_report(study, **changes), title)

    def _choose_columns(self, choice: ColumnChoice | None) -> None:
        kind = KINDS[self.contents.shown()]
        self._take(lambda study: op.choose_columns(study, kind.id, choice), f"columns of {kind.sheet_title.lower()}")

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
        kind = KINDS.get(about.table)
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
            if path.suffix == BUNDLE_SUFFIX:
                return ", ".join(write_bundle(evaluation, notices, path, None, progress))
            made = compose(evaluation, notices, progress)
            write_report(made, evaluation, path)
            left = f"; not given: {', '.join(title for title, _ in made.not_given)}" if made.not_given else ""
            return ", ".join(sheet.title for sheet in made.sheets) + left

        self._runner.run("report", job, lambda what: self.written.emit(path, what))

    def export(self, path: Path, alone: bool = False) -> None:
        """Compute and write all tables, or the shown one `alone`, off the interface thread."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        wanted = [self.contents.shown()] if alone else None
        comma, places = load_settings().tables == "comma", self._document.study.report.intervals

        def job(progress: Progress) -> str:
            made = build_tables(evaluation, wanted, places, progress)
            write_tables(made, path, comma)
            return ", ".join(table.title for table in made.tables)

        self._runner.run("export", job, lambda what: self.written.emit(path, what))
