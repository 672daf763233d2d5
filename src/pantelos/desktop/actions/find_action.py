"""Search over everything: type a word, choose with the arrow keys, Enter."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from pantelos.desktop.actions.commands import Command, Menu
from pantelos.desktop.presenter.finding import Findable, search
from pantelos.desktop.stage import Stage
from pantelos.help_pages import help_pages, search_pages
from pantelos.study.powers import OfferedPower, offered_powers
from pantelos.tables.bundle import BUNDLE_SUFFIX

_NOTHING = "Nothing is called that. Try a word such as harmonics, interval, export or wiring."
_PASSAGES = 5  # of the help, at the end of the list


def findables(window: Stage, commands: Sequence[tuple[Command, QAction]]) -> list[Findable]:
    """Return what the window can do, and the channels, intervals and formulas that it can show."""
    study = window.document.study
    found = []
    for command, action in commands:
        title = command.title.replace("&", "")
        if command.menu is Menu.INTERVAL and study.active is not None:
            title = f"{title} · interval {study.active}"
        elif command.menu in (Menu.LANE, Menu.EVENT, Menu.INTERVAL):
            title = f"{title} · {command.menu.replace('&', '').lower()}"
        if action.isVisible():
            found.append(Findable(title, action.toolTip(), action.trigger, action.shortcut().toString(), action.isEnabled()))
    derived = {formula.name for formula in study.formulas}
    for name in study.names:
        what = "Show its lane on the Traces page" if name not in derived else "Show the lane of this formula on the Traces page"
        found.append(Findable(f"{'Formula' if name in derived else 'Channel'} {name}", what, _lane_shower(window, name)))
    found += [Findable(f"Power of {of.connection}", of.expression, _power_shower(window, of)) for of in offered_powers(study)]
    said = "Show it, and read every number there"
    found += [Findable(f"Interval {one.name}", said, _interval_shower(window, one.name)) for one in study.intervals]
    for suffix, what in ((".html", "HTML"), (".pdf", "PDF"), (".xlsx", "XLSX"), (BUNDLE_SUFFIX, "bundle")):
        said = "Study, recordings, tables and report in one file" if suffix == BUNDLE_SUFFIX else f"The ticked sheets as {what}"
        found.append(Findable(f"Hand over: {what}…", said, _hander(window, suffix), "", window.document.record is not None))
    return found


def _lane_shower(window: Stage, name: str) -> Callable[[], None]:
    def show() -> None:
        window.show_page(1)
        window.traces.show_lane(name)

    return show


def _power_shower(window: Stage, of: OfferedPower) -> Callable[[], None]:
    def show() -> None:
        window.show_page(1)
        window.traces.panels.follow(of.name, of.expression)

    return show


def _interval_shower(window: Stage, name: str) -> Callable[[], None]:
    def show() -> None:
        window.show_page(1)
        window.traces.intervals.zoom_to(name)

    return show


def _hander(window: Stage, suffix: str) -> Callable[[], None]:
    return lambda: window.files.ask_report(suffix)


class FindAction(QDialog):
    """Lists what holds every word typed, or what the trade means by it; help pages last."""

    def __init__(self, window: Stage, things: Sequence[Findable], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._window, self._things = window, list(things)
        self._shown: list[Findable] = []
        self.setWindowTitle("Find an action")
        self.resize(560, 380)
        self.edit = QLineEdit(placeholderText="what do you want to do?")
        self.list = QListWidget()
        self.list.setAccessibleName("What was found")
        column = QVBoxLayout(self)
        column.addWidget(self.edit)
        column.addWidget(self.list)
        self.edit.textChanged.connect(self._filter)
        self.edit.returnPressed.connect(self._run)
        self.list.itemActivated.connect(self._run)
        self.edit.installEventFilter(self)
        self._filter("")

    def _filter(self, text: str) -> None:
        self.list.clear()
        self._shown = search(self._things, text)
        if text.strip():
            self._shown += self._passages(text)
        for thing in self._shown:
            item = QListWidgetItem(f"{thing.title}{'      ' + thing.key if thing.key else ''}\n{thing.explained}")
            if not thing.enabled:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)
        if not self._shown:
            self.list.addItem(QListWidgetItem(_NOTHING))
        self.list.setCurrentRow(0)

    def _passages(self, text: str) -> list[Findable]:
        """Return where the documentation speaks of it."""
        found: dict[str, Findable] = {}
        for passage in search_pages(help_pages(), text):
            place = f"{passage.page.name}#{passage.heading}"
            if place not in found and len(found) < _PASSAGES:
                found[place] = Findable(f"Help: {passage.heading}", passage.line[:120], self._help_shower(place))
        return list(found.values())

    def _help_shower(self, place: str) -> Callable[[], None]:
        return lambda: self._window.help_desk.show(place)

    def _run(self) -> None:
        at = self.list.currentRow()
        if 0 <= at < len(self._shown) and self._shown[at].enabled:
            self.accept()
            self._shown[at].run()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Let the arrow keys move in the list while typing."""
        if isinstance(event, QKeyEvent) and event.type() is QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
        return super().eventFilter(watched, event)
