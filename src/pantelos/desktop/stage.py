"""What actions may ask of the window they act in: the document, its work, its pages, and each other."""

from collections.abc import Sequence
from pathlib import Path
from typing import Protocol

from PyQt6.QtWidgets import QWidget

from pantelos.demo.small import SmallDemo
from pantelos.desktop.document import Document
from pantelos.desktop.help.help_desk import HelpDesk
from pantelos.desktop.parts.notice_bar import NoticeBar
from pantelos.desktop.presenter.pace import Pace
from pantelos.desktop.runner import Runner
from pantelos.desktop.tables.page import TablesPage
from pantelos.desktop.theme import Theme
from pantelos.desktop.title_bar import Header
from pantelos.desktop.traces.page import TracesPage
from pantelos.desktop.wiring.page import WiringPage
from pantelos.errors import PantelosError
from pantelos.notice import Notice
from pantelos.study.model import Study
from pantelos.study.recordings import Recordings


class StudyFileActions(Protocol):
    """Opening, saving, exporting."""

    def ask_study(self) -> None:
        """Ask for a study and open it."""

    def open_demo(self, small: SmallDemo | None = None) -> None:
        """Open a demo."""

    def opened(self, study: Study, recordings: Recordings, path: Path | None, to_save: bool = False, stay: bool = False) -> None:
        """Show a study that has been read."""

    def save(self) -> None:
        """Save where the study came from."""

    def ask_save(self) -> None:
        """Ask where to save."""

    def ask_report(self, suffix: str) -> None:
        """Ask where the report or a bundle goes."""

    def ask_export(self, suffix: str) -> None:
        """Ask where tables go."""

    def ask_samples(self) -> None:
        """Ask what samples go where."""

    def may_leave(self) -> bool:
        """Return whether what is open may be left, asking about what is not saved."""


class ImportActions(Protocol):
    """Recordings coming in."""

    def ask(self, joining: bool = False) -> None:
        """Ask for recordings."""

    def show(self, paths: Sequence[Path], joining: bool = False) -> None:
        """Look into recordings and show what was understood."""

    def ask_relink(self) -> None:
        """Ask where the record is now."""

    def relink_from(self, study: Study, path: Path | None, missing: Path | None = None) -> None:
        """Ask where a record is that is not found."""


class CheckActions(Protocol):
    """The findings."""

    notices: tuple[Notice, ...]

    def show(self) -> None:
        """List them."""


class Stage(Protocol):
    """The window, as those see it that act in it."""

    theme: Theme
    document: Document
    runner: Runner
    pace: Pace
    header: Header
    notice_bar: NoticeBar
    wiring: WiringPage
    traces: TracesPage
    tables: TablesPage
    help_desk: HelpDesk

    @property
    def files(self) -> StudyFileActions:
        """Opening, saving, exporting."""

    @property
    def imports(self) -> ImportActions:
        """Recordings coming in."""

    @property
    def checking(self) -> CheckActions:
        """The findings."""

    @property
    def widget(self) -> QWidget:
        """What dialogs belong to."""

    def show_page(self, at: int) -> None:
        """Show Wiring, Traces or Tables."""

    def show_headline(self) -> None:
        """Say which interval the numbers belong to."""

    def show_error(self, error: PantelosError) -> None:
        """Say what went wrong."""

    def focus_derive(self) -> None:
        """Go to the derive line."""

    def settings_changed(self) -> None:
        """Take what the settings say."""

    def turn_theme(self) -> None:
        """Change between light and dark."""

    def leave(self) -> None:
        """Close the window."""

    def ask_title(self) -> None:
        """Ask for another title."""

    def open_campaign(self, path: Path) -> None:
        """Open a campaign on its page."""

    def find_action(self) -> None:
        """Search everything the window can do."""
