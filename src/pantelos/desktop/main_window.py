"""The main window: header, rail, three pages, and the commands that act on the document."""

from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QInputDialog, QMainWindow, QMenu, QStackedWidget, QVBoxLayout, QWidget

from pantelos.desktop.actions.commands import Command, Menu, Needs, commands, shortcuts
from pantelos.desktop.actions.find_action import FindAction, findables
from pantelos.desktop.campaign.page import CampaignPage
from pantelos.desktop.document import Document
from pantelos.desktop.explanations import Explaining
from pantelos.desktop.files.recent_menu import RecentMenu
from pantelos.desktop.files.start_page import StartPage
from pantelos.desktop.files.study_files import Files
from pantelos.desktop.findings import Checking
from pantelos.desktop.help.help_desk import HELP, HelpDesk
from pantelos.desktop.importing.work import Imports
from pantelos.desktop.parts.notice_bar import NoticeBar
from pantelos.desktop.parts.page_hint import PageHint
from pantelos.desktop.presenter.headline import headline
from pantelos.desktop.presenter.keys import keys_text
from pantelos.desktop.presenter.pace import Pace
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.rail import Rail
from pantelos.desktop.recorder.page import RecorderPage
from pantelos.desktop.runner import Runner
from pantelos.desktop.tables.page import TablesPage
from pantelos.desktop.theme import DARK, LIGHT, Theme, apply_theme, chosen_theme
from pantelos.desktop.title_bar import Header
from pantelos.desktop.traces.page import TracesPage
from pantelos.desktop.wiring.page import WiringPage
from pantelos.desktop.work_shown import WorkShown
from pantelos.errors import PantelosError
from pantelos.recorder.link import RecorderBusy
from pantelos.settings import recent_files
from pantelos.study.model import Study
from pantelos.study.recordings import Recordings

_PAGES = ("Wiring", "Traces", "Tables", "Recorder", "Campaign")
_RECORDER, _CAMPAIGN = _PAGES.index("Recorder"), _PAGES.index("Campaign")
_WITHOUT_RECORD = (_RECORDER, _CAMPAIGN)


class MainWindow(QMainWindow):
    """Everything the user sees; what it does is in operations, presenters and jobs."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.document = Document(self)
        self.runner = Runner(self)
        self.pace = Pace()
        self.files = Files(self)
        self.imports = Imports(self)
        self.header = Header(theme)
        self.notice_bar = NoticeBar()
        self.hint = PageHint()
        self.start = StartPage()
        self.wiring = WiringPage(self.document, self.runner, theme)
        self.traces = TracesPage(self.document, self.runner, theme)
        self.tables = TablesPage(self.document, self.runner, theme)
        self.recorder = RecorderPage(self.document, self.runner, theme)
        self.campaign = CampaignPage(self.document, self.runner, theme)
        self.checking = Checking(self)
        self.explaining = Explaining(self)
        self._actions: dict[str, QAction] = {}
        self._work = WorkShown(self.runner, self.header, self.pace, lambda: self.document.record is not None, self)
        for widget, place in (
            (self.traces.panels, "user-guide#Panels"),
            (self.traces.derive, "formula-language"),
            (self.traces.lanes, "user-guide#Ledger"),
            (self.traces.ruler, "user-guide#Edges"),
            (self.wiring.table, "command-line#Scaling chains"),
            (self.header.checks, "user-guide#When something goes wrong"),
        ):
            widget.setProperty(HELP, place)
        self._pages = QStackedWidget()
        self.help_desk = HelpDesk(self, self._pages.currentIndex, keys_text(shortcuts()))
        for page in (self.wiring, self.traces, self.tables, self.recorder, self.campaign, self.start):
            self._pages.addWidget(page)
        self._rail = Rail(_PAGES)
        self._rail.chosen.connect(self.show_page)
        self._lay_out()
        self._make_menus()
        self._connect()
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.setWindowTitle("Pantelos")
        self._refresh()

    @property
    def widget(self) -> QWidget:
        """What dialogs belong to."""
        return self

    # building

    def _lay_out(self) -> None:
        body = QWidget()
        row = QHBoxLayout(body)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._rail)
        row.addWidget(self._pages, 1)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self.notice_bar)
        column.addWidget(self.hint)
        column.addWidget(body, 1)
        self.setCentralWidget(whole)

    def _make_menus(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        menus: dict[Menu, QMenu] = {}
        for menu in Menu:
            made = bar.addMenu(str(menu))
            assert made is not None
            made.setToolTipsVisible(True)
            menus[menu] = made
        self._commands = commands()
        for command in self._commands:
            action = QAction(command.title, self)
            action.setToolTip(command.help)
            action.setStatusTip(command.help)
            action.triggered.connect(self._runner_of(command))
            menus[command.menu].addAction(action)
            self._actions[command.id] = action
        self.recent = RecentMenu(lambda path: self.files.open_paths([path]), self)
        menus[Menu.FILE].insertMenu(self._actions["demo.open"], self.recent)

    def _runner_of(self, command: Command) -> Callable[[], None]:
        def run() -> None:
            try:
                if command.on_traces and self.document.record is not None and self._pages.currentWidget() is not self.traces:
                    self.show_page(1)
                command.run(self)
            except PantelosError as error:
                self.show_error(error)

        return run

    def _give_keys(self) -> None:
        """Let keys act where their effect can be seen."""
        on_traces = self._pages.currentWidget() is self.traces
        for command in self._commands:
            keys = command.shortcut if on_traces or not command.on_traces else ""
            self._actions[command.id].setShortcut(QKeySequence(keys))

    def _connect(self) -> None:
        self._pages.currentChanged.connect(self._give_keys)
        self._give_keys()
        self.document.changed.connect(self._refresh)
        self.runner.failed.connect(self.show_error)
        self.header.checks_wanted.connect(self.checking.show)
        self.wiring.remedy_wanted.connect(self.checking.mend)
        for page in (self.wiring, self.traces):
            page.failed.connect(self.show_error)
        self.traces.explain.connect(self.explaining.reading)
        self.traces.explain_value.connect(self.explaining.readout)
        self.traces.drawn.connect(self.show_headline)
        self.traces.numbered.connect(self.checking.run)
        self.traces.figure_wanted.connect(self.files.hand_over_figure)
        self.traces.numbers_wanted.connect(self.files.ask_panel_numbers)
        self.tables.grid.explain.connect(self.explaining.table_cell)
        self.tables.tables_wanted.connect(self.files.ask_export)
        self.tables.explain.connect(self.explaining.cell)
        self.tables.report_wanted.connect(self.files.ask_report)
        self.tables.failed.connect(self.show_error)
        self.tables.said.connect(self.notice_bar.say)
        self.tables.written.connect(self.files.say_written)
        self.wiring.said.connect(self.notice_bar.say)
        self.tables.go.connect(self._go_to)
        self.recorder.failed.connect(self._recorder_failed)
        self.recorder.said.connect(self.notice_bar.say)
        self.recorder.recorded.connect(self._open_recorded)
        self.campaign.failed.connect(self.show_error)
        self.campaign.said.connect(self.notice_bar.say)
        self.campaign.record_wanted.connect(self._open_recorded)
        self.start.recorder_wanted.connect(lambda: self.show_page(_RECORDER))
        self.start.record_wanted.connect(self.imports.ask)
        self.start.study_wanted.connect(self.files.ask_study)
        self.start.demo_wanted.connect(self.files.open_demo)
        self.start.small_demo_wanted.connect(self.files.open_demo)
        self.start.recent_wanted.connect(lambda path: self.files.open_paths([path]))
        self.start.recovery_wanted.connect(self.files.recover)

    # showing

    def show_page(self, at: int) -> None:
        """Show a page; while nothing is open, the cards for all but the recorder and the campaign."""
        if self.document.record is None and at not in _WITHOUT_RECORD:
            self._pages.setCurrentWidget(self.start)
            self._refresh()
            return
        self._rail.mark(at)
        self._pages.setCurrentIndex(at)
        self.hint.show_for(_PAGES[at].lower())
        page = self._pages.currentWidget()
        self._refresh()
        if page is self.tables:
            self.tables.compute()
            self.tables.take_focus()
        elif page in (self.wiring, self.recorder, self.campaign):
            page.take_focus()
        else:
            self.traces.lanes.setFocus()

    def _go_to(self, start_s: float, stop_s: float) -> None:
        """Show a stretch of the record in the traces."""
        self.document.show(TimeView(start_s, stop_s))
        self.show_page(1)

    def _recorder_failed(self, error: PantelosError) -> None:
        """Say what went wrong; a recorder that is busy can be stopped."""
        self.show_error(error)
        if isinstance(error, RecorderBusy):
            self.notice_bar.offer("Stop that recording", self.recorder.session.abort)

    def _open_recorded(self, study: Study, recordings: Recordings) -> None:
        """Open what was recorded, unless what is open is not to be left."""
        if self.document.record is None or self.files.may_leave():
            self.files.opened(study, recordings, None, to_save=True)

    def _refresh(self) -> None:
        there = self.document.record is not None
        study = self.document.study
        recording = self._pages.currentWidget() in (self.recorder, self.campaign)
        self._rail.setVisible(there or recording)
        self.header.setVisible(there or self.runner.busy())
        if not there and not recording:
            self._pages.setCurrentWidget(self.start)
            self.hint.hide()
            self.start.offer_recovery(self.document.recovery.found())
            self.start.offer_recent(recent_files())
        for command in self._commands:
            enabled = (
                there if command.needs is Needs.RECORD else study.active is not None if command.needs is Needs.INTERVAL else True
            )
            self._actions[command.id].setEnabled(enabled)
        for which, step in (("undo", self.document.history.undo_step), ("redo", self.document.history.redo_step)):
            action = self._actions[f"edit.{which}"]
            action.setEnabled(step is not None)
            action.setText(f"&{which.capitalize()} {step or ''}".rstrip())
        name = self.document.path.name if self.document.path is not None else study.title
        self.setWindowTitle(f"{name} – Pantelos" if there else "Pantelos")
        self.show_headline()

    def show_headline(self) -> None:
        """Say which interval the numbers belong to."""
        of_interval = self._pages.currentWidget() is not self.campaign  # whose numbers belong to no interval of this record
        evaluation = self.document.evaluation if of_interval else None
        title = self.document.study.title if self.document.record is not None else "Pantelos"
        self.header.show_headline(
            headline(evaluation, title, self.traces.selection.channels),
            self.document.modified and self.document.record is not None,
        )

    def show_error(self, error: PantelosError) -> None:
        """Show what went wrong as one sentence under the header, until it is closed or something else is said."""
        self.notice_bar.say(str(error), fault=True)

    def turn_theme(self) -> None:
        """Change between light and dark."""
        self.set_theme(LIGHT if self.theme is DARK else DARK)

    def set_theme(self, theme: Theme) -> None:
        """Use other colours everywhere."""
        self.theme = theme
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        apply_theme(app, theme)
        for part in (self.header, self.wiring, self.traces, self.tables, self.recorder, self.campaign):
            part.set_theme(theme)
        self.checking.show_count()
        self.show_headline()

    def settings_changed(self) -> None:
        """Take what the settings say."""
        self.set_theme(chosen_theme())
        self.start.offer_recent(recent_files())

    # leaving and dropping

    def leave(self) -> None:
        """Close the window."""
        self.close()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Ask about unsaved changes and stop the work before going."""
        if event is None:
            return
        if self.recorder.may_leave() and self.files.may_leave():
            self.recorder.close_down()
            self.runner.close()
            event.accept()
        else:
            event.ignore()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Accept files."""
        mime = event.mimeData() if event is not None else None
        if event is not None and mime is not None and mime.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Open what was dropped."""
        mime = event.mimeData() if event is not None else None
        if event is not None and mime is not None and mime.urls():
            event.acceptProposedAction()
            self.files.open_paths([Path(url.toLocalFile()) for url in mime.urls() if url.toLocalFile()])

    # view

    def focus_derive(self) -> None:
        """Go to the derive line."""
        self.show_page(1)
        self.traces.derive.edit.setFocus()

    # study

    def ask_title(self) -> None:
        """Ask for another title."""
        title, agreed = QInputDialog.getText(self, "Title", "Title of the study", text=self.document.study.title)
        if agreed and title.strip():
            self.document.take(replace(self.document.study, title=title.strip()), "title")

    # help

    def open_campaign(self, path: Path) -> None:
        """Open a campaign on its page."""
        self.campaign.open(path)
        self.show_page(_CAMPAIGN)

    def find_action(self) -> None:
        """Search everything the window can do."""
        FindAction(self, findables(self, [(command, self._actions[command.id]) for command in self._commands]), self).open()
