"""The Campaign page: a finished study done again on many records, its table growing while it is looked at."""

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QModelIndex, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from pantelos.campaigns.conditions import chosen, limit_from
from pantelos.campaigns.recipe import applied, check_recipe
from pantelos.campaigns.report import points_of, write_campaign_report
from pantelos.campaigns.rows import Known, Wanted
from pantelos.campaigns.running import run
from pantelos.campaigns.store import SUFFIX, Campaign
from pantelos.campaigns.summary import summary_of, unlike_the_others
from pantelos.campaigns.tables import tables_of
from pantelos.desktop.campaign.course import Course
from pantelos.desktop.campaign.ledger import Foot, Ledger
from pantelos.desktop.campaign.ledger_model import FIRST_VALUE, LedgerModel
from pantelos.desktop.document import Document
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import Theme
from pantelos.errors import PantelosError
from pantelos.formula.compiled import Kind
from pantelos.notation import counted, duration
from pantelos.progress import Progress
from pantelos.sheets.writers import write_tables
from pantelos.study.model import Study
from pantelos.study.parts import files_meant
from pantelos.study.recordings import Recordings

_LANDED_MS = 150  # rows that land within that time are shown together
_REPORTS = (".pdf", ".html")
_TABLES = (".xlsx", ".csv", ".json")
_SIDE = 214


class CampaignPage(QWidget):
    """Recipe and records at the left, the ledger in the middle, the chosen value over all records below it."""

    failed = pyqtSignal(PantelosError)
    said = pyqtSignal(str)
    record_wanted = pyqtSignal(object, object)  # a study with the recipe applied, its recordings
    _landed = pyqtSignal(int)

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self.campaign: Campaign | None = None
        self.model = LedgerModel(theme)
        self.ledger, self.course = Ledger(self.model), Course(theme)
        self.foot = Foot(self.ledger, theme)
        self._records: list[Known] = []
        self._waiting: set[int] = set()
        self._column = FIRST_VALUE
        self._timer = QTimer(self, singleShot=True, interval=_LANDED_MS)
        self._timer.timeout.connect(self._show_landed)
        self._landed.connect(self._note_landed)
        self._pages = QStackedWidget()
        self._pages.addWidget(self._empty_page())
        self._pages.addWidget(self._full_page())
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self._pages)

    # building

    def _empty_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setAlignment(Qt.AlignmentFlag.AlignCenter)
        heading = QLabel("One study, many records")
        heading.setProperty("heading", True)
        text = QLabel(
            "A finished study is a recipe: how files are read, what each channel is, where its intervals lie by rule, what is "
            "taken. Point it at a folder, and every record becomes a row with its ±."
        )
        text.setWordWrap(True)
        text.setFixedWidth(460)
        text.setFixedHeight(text.heightForWidth(460) + 12)
        self.from_study = QPushButton("New campaign from this study…")
        self.from_study.clicked.connect(self.ask_new)
        opens = QPushButton("Open a campaign…")
        opens.clicked.connect(self.ask_open)
        for widget in (heading, text, self.from_study, opens):
            column.addWidget(widget, 0, Qt.AlignmentFlag.AlignHCenter)
            column.addSpacing(6)
        return page

    def _full_page(self) -> QWidget:
        page = QWidget()
        row = QHBoxLayout(page)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._side())
        middle = QVBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addLayout(self._head())
        table = QWidget()
        rows = QVBoxLayout(table)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        rows.addWidget(self.ledger, 1)
        rows.addWidget(self.foot)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(table)
        split.addWidget(self.course)
        split.setStretchFactor(0, 1)
        split.setSizes([480, 190])
        middle.addWidget(split, 1)
        row.addLayout(middle, 1)
        header, selection = self.ledger.horizontalHeader(), self.ledger.selectionModel()
        assert header is not None and selection is not None
        header.sectionClicked.connect(self.show_column)
        selection.currentRowChanged.connect(lambda now, before: self._mark(now))
        self.ledger.doubleClicked.connect(self.open_record)
        self.ledger.activated.connect(self.open_record)
        self.course.chosen.connect(self._choose_point)
        return page

    def _head(self) -> QHBoxLayout:
        head = QHBoxLayout()
        head.setContentsMargins(14, 8, 14, 8)
        self._title = QLabel()
        self._title.setProperty("heading", True)
        self.asked = QLineEdit(placeholderText="eta < 84 %, odd, failed, outside", accessibleName="Only these rows")
        self.asked.setFixedWidth(240)
        self.asked.returnPressed.connect(self.refresh)
        self._found = QLabel()
        self._found.setProperty("soft", True)
        head.addWidget(self._title)
        head.addStretch(1)
        head.setSpacing(10)
        head.addWidget(QLabel("Find"))
        head.addWidget(self.asked)
        head.addWidget(self._found)
        return head

    def _side(self) -> QFrame:
        side = QFrame(objectName="side")
        side.setFixedWidth(_SIDE)
        column = QVBoxLayout(side)
        column.setContentsMargins(12, 12, 12, 12)
        heading = QLabel("Recipe")
        heading.setProperty("heading", True)
        self._recipe = QLabel()
        self._recipe.setWordWrap(True)
        self._recipe.setTextFormat(Qt.TextFormat.RichText)
        self._counts = QLabel()
        self._counts.setWordWrap(True)
        self._bar = QProgressBar(textVisible=False)
        self._bar.setFixedHeight(8)
        column.addWidget(heading)
        scroll = QScrollArea(accessibleName="Recipe and records")
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setStyleSheet("background: transparent;")
        self._recipe.setAlignment(Qt.AlignmentFlag.AlignTop)
        scroll.setWidget(self._recipe)
        column.addWidget(scroll, 1)
        self.take_study = self._button(
            column, "Take the open study", self.take_open_study, "Make the open study the recipe; rows become stale"
        )
        self._button(column, "Value…", self.ask_value, "Take one more value of every record")
        self._button(column, "Limit…", self.ask_limit, "Hold a value against a limit")
        column.addSpacing(8)
        self._button(column, "Add files…", self.ask_files, "Take recordings into the campaign")
        self._button(column, "Add a folder…", self.ask_folder, "Take all recordings of a folder into the campaign")
        column.addWidget(self._bar)
        column.addWidget(self._counts)
        self.start = self._button(column, "Run", self.run_or_stop, "Take the values of all records that need it")
        column.addSpacing(8)
        label = QLabel("Hand over")
        label.setProperty("soft", True)
        column.addWidget(label)
        for suffixes in (_TABLES, _REPORTS):
            row = QHBoxLayout()
            for suffix in suffixes:
                button = QPushButton(suffix[1:].upper())
                button.clicked.connect(lambda _=False, suffix=suffix: self.ask_hand_over(suffix))
                row.addWidget(button)
            column.addLayout(row)
        self._button(column, "Another campaign…", self.ask_open, "Open another campaign")
        return side

    @staticmethod
    def _button(column: QVBoxLayout, text: str, does: Callable[[], None], said: str) -> QPushButton:
        button: QPushButton = QPushButton(text, toolTip=said)
        button.clicked.connect(lambda _=False: does())
        column.addWidget(button)
        return button

    # asked for

    def ask_new(self) -> None:
        """Ask for a name, and make a campaign of the open study."""
        name, _ = QFileDialog.getSaveFileName(
            self, "New campaign", f"{self._document.study.title}{SUFFIX}", f"Campaigns (*{SUFFIX})"
        )
        if name:
            self._try(lambda: self.make(Path(name).with_suffix(SUFFIX)))

    def make(self, path: Path) -> None:
        """Make a campaign of the open study, its single values taken of every record."""
        study, evaluation = self._document.study, self._document.evaluation
        check_recipe(study)
        names = evaluation.computable(Kind.SCALAR) if evaluation is not None else []
        wanted = [Wanted(name, name) for name in names] + [Wanted(text, text) for text in study.report.own if text not in names]
        path.unlink(missing_ok=True)  # the dialog has asked
        self._show(Campaign.new(path, study, wanted))

    def ask_open(self) -> None:
        """Ask for a campaign and open it."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a campaign", "", f"Campaigns (*{SUFFIX})")
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        """Open a campaign."""
        self._try(lambda: self._show(Campaign(path)))

    def ask_value(self) -> None:
        """Ask for one more value."""
        text, agreed = QInputDialog.getText(self, "Value", "Taken of every record, such as  eta = mean(p2) / mean(p1) in steady")
        if agreed and text.strip():
            self._try(lambda: self.add_value(text))

    def add_value(self, text: str) -> None:
        """Take one more value of every record; rows become stale."""
        assert self.campaign is not None
        self.campaign.set_wanted([*self.campaign.wanted, Wanted.from_text(text)])
        self.refresh()

    def ask_limit(self) -> None:
        """Ask for a limit."""
        text, agreed = QInputDialog.getText(self, "Limit", "A comparison, such as  eta >= 84 %")
        if agreed and text.strip():
            self._try(lambda: self.add_limit(text))

    def add_limit(self, text: str) -> None:
        """Hold a value against a limit; no value is computed anew."""
        assert self.campaign is not None
        limit = limit_from(text)
        self.campaign.set_limits([*(one for one in self.campaign.limits if one.name != limit.name), limit])
        self.refresh()

    def take_open_study(self) -> None:
        """Make the open study the recipe, and say how many rows that makes stale."""
        campaign, study = self.campaign, self._document.study
        if campaign is None:
            return

        def take() -> None:
            check_recipe(study)
            campaign.set_recipe(study)
            self.said.emit(f"{counted(len(campaign.to_do()), 'row')} of the former recipe wait to be computed anew.")
            self.refresh()

        self._try(take)

    def ask_files(self) -> None:
        """Ask for recordings."""
        names, _ = QFileDialog.getOpenFileNames(self, "Add recordings")
        if names:
            self.add([Path(name) for name in names])

    def ask_folder(self) -> None:
        """Ask for a folder of recordings."""
        name = QFileDialog.getExistingDirectory(self, "Add a folder of recordings")
        if name:
            self.add([Path(name)])

    def add(self, paths: Sequence[Path]) -> None:
        """Take recordings into the campaign."""

        def take() -> None:
            assert self.campaign is not None
            n = self.campaign.add(files_meant(paths))
            self.said.emit(f"{counted(n, 'record')} taken in.")
            self.refresh()

        self._try(take)

    def ask_hand_over(self, suffix: str) -> None:
        """Ask for a file, and write the table or the report to it."""
        if self.campaign is not None:
            name, _ = QFileDialog.getSaveFileName(self, "Hand over", str(self.campaign.path.with_suffix(suffix)), f"*{suffix}")
            if name:
                self.hand_over(Path(name).with_suffix(suffix))

    def hand_over(self, path: Path) -> None:
        """Write the rows that are shown."""
        campaign, rows = self.campaign, list(self.model.shown)
        if campaign is None:
            return

        def write() -> None:
            if path.suffix in _REPORTS:
                write_campaign_report(campaign, rows, path)
            else:
                write_tables(tables_of(campaign, rows), path)
            self.said.emit(f"{path}: {counted(len(rows), 'record')}")

        self._try(write)

    # running

    def running(self) -> bool:
        """Return whether records are being worked on."""
        return self._runner.busy("campaign")

    def run_or_stop(self) -> None:
        """Take the values of all records that need it, or stop doing so: rows that came stay."""
        campaign = self.campaign
        if campaign is None:
            return
        if self.running():
            self._runner.cancel("campaign")
            self.start.setText("Run")
            return
        path, ids = campaign.path, {Path(known.path): known.id for known in self._records}

        def job(progress: Progress) -> tuple[int, int]:
            own = Campaign(path)  # a connection of this thread
            try:
                return run(own, progress=progress, told=lambda where, row: self._landed.emit(ids.get(where, -1)))
            finally:
                own.close()

        self.start.setText("Stop")
        self._runner.run("campaign", job, self._ended, self._ended_badly)

    def _ended(self, counts: tuple[int, int]) -> None:
        self.start.setText("Run")
        self.refresh()
        self.said.emit(f"{counted(counts[0], 'record')} done, {counts[1]} without a row.")

    def _ended_badly(self, error: PantelosError) -> None:
        self.start.setText("Run")
        self.refresh()
        self.failed.emit(error)

    def _note_landed(self, id_: int) -> None:
        self._waiting.add(id_)
        if not self._timer.isActive():
            self._timer.start()

    def _show_landed(self) -> None:
        """Show rows that came since the last time; nothing else is read or painted."""
        if self.campaign is None:
            return
        found = {known.id: known for known in self.campaign.records(self._waiting)}
        self._waiting.clear()
        self._records = [found.get(known.id, known) for known in self._records]
        for known in found.values():
            self.model.land(known)
        self._show_counts()

    # showing

    def refresh(self) -> None:
        """Show the campaign as its file has it."""
        campaign = self.campaign
        self._pages.setCurrentIndex(0 if campaign is None else 1)
        self.from_study.setEnabled(self._document.record is not None)
        if campaign is None:
            return
        self.take_study.setEnabled(self._document.record is not None)
        self._records = campaign.records()
        names, limits = [one.name for one in campaign.wanted], campaign.limits
        odd = unlike_the_others(names, self._records)
        shown = self._records
        if text := self.asked.text().strip():
            try:
                asked = chosen(text, odd, limits)
                shown = [known for known in self._records if asked(known)]
            except PantelosError as error:
                self.failed.emit(error)
        self._found.setText(f"{len(shown)} of {len(self._records)}" if text else "")
        self.model.show(names, {limit.name: limit for limit in limits}, odd, shown, campaign.key)
        self.ledger.arrange()
        self.foot.show_summaries([summary_of(name, shown, limits) for name in names])
        self._title.setText(f"{campaign.recipe.title}: {counted(len(self._records), 'record')}")
        self._show_recipe(campaign)
        self._show_counts()
        self.show_column(self._column)

    def _show(self, campaign: Campaign) -> None:
        if self.campaign is not None:
            self.campaign.close()
        self.campaign = campaign
        self.refresh()

    def _show_recipe(self, campaign: Campaign) -> None:
        lines = [f"from the study “{campaign.recipe.title}”"]
        lines += [f"<b>{one.name}</b> {one.rule or 'fixed times'}" for one in campaign.recipe.intervals]
        lines += [f"<b>{one.name}</b> {one.expression if one.expression != one.name else ''}" for one in campaign.wanted]
        self._recipe.setText("<br>".join(lines))

    def _show_counts(self) -> None:
        states = [known.state for known in self._records]
        counts = {state: states.count(state) for state in ("done", "failed", "waiting")}
        took = [known.took_s for known in self._records if known.state == "done" and known.took_s > 0]
        text = ", ".join(f"{n} {state}" for state, n in counts.items() if n) or "no records yet"
        text += f"<br>a record takes {duration(sum(took) / len(took), 2)}" if took else ""
        self._counts.setText(text)
        self._bar.setRange(0, max(len(states), 1))
        self._bar.setValue(counts["done"] + counts["failed"])

    def show_column(self, column: int) -> None:
        """Show a value over all records that are shown."""
        if not FIRST_VALUE <= column < FIRST_VALUE + len(self.model.names):
            return
        self._column = column
        name = self.model.names[column - FIRST_VALUE]
        points = points_of(name, self.model.shown)
        self.course.show_points(name, points, self.model.limits.get(name), self.model.units[column - FIRST_VALUE])
        self._mark(self.ledger.currentIndex())

    def _with_points(self) -> list[int]:
        """Return the rows that have a point in the course."""
        return [row for row in range(len(self.model.shown)) if self.model.value_at(row, self._column) is not None]

    def _mark(self, index: QModelIndex) -> None:
        rows = self._with_points()
        self.course.mark(rows.index(index.row()) if index.isValid() and index.row() in rows else -1)

    def _choose_point(self, at: int) -> None:
        self.ledger.selectRow(self._with_points()[at])

    def open_record(self, index: QModelIndex) -> None:
        """Open a record with the recipe applied."""
        campaign = self.campaign
        if campaign is None or not index.isValid():
            return
        known, recipe, aliases = self.model.shown[index.row()], campaign.recipe, campaign.aliases

        def job(progress: Progress) -> tuple[Study, Recordings]:
            study, recordings, _ = applied(recipe, Path(known.path), aliases)
            return study, recordings

        self._runner.run("open", job, lambda found: self.record_wanted.emit(*found), self.failed.emit)

    def take_focus(self) -> None:
        """Let the keyboard begin in the ledger."""
        self.refresh()
        (self.ledger if self.campaign is not None else self.from_study).setFocus()

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.model.theme = self.course.theme = self.foot.theme = theme
        self.refresh()

    def _try(self, what: Callable[[], None]) -> None:
        try:
            what()
        except PantelosError as error:
            self.failed.emit(error)
