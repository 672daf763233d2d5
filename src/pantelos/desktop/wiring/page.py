"""The Wiring page put together."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QMenu,
    QSplitter,
    QStackedWidget,
    QTabBar,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from pantelos.desktop.document import Document
from pantelos.desktop.parts.notices import NoticeCard
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import Theme
from pantelos.desktop.wiring.chain_strip import ChainStrip
from pantelos.desktop.wiring.chain_table import ChainTable
from pantelos.desktop.wiring.first_connection import FirstConnection
from pantelos.desktop.wiring.scheme_view import SchemeView
from pantelos.engine.proposal import proposals
from pantelos.errors import PantelosError
from pantelos.notice import Notice
from pantelos.power.wirings import WIRINGS, wiring
from pantelos.study import operations as op
from pantelos.study.suggestion import Suggestion, follow, follow_all, free_channels, free_name, misplaced


class WiringPage(QWidget):
    """Says what each channel is."""

    failed = pyqtSignal(PantelosError)
    said = pyqtSignal(str)
    remedy_wanted = pyqtSignal(object)

    def __init__(self, document: Document, runner: Runner, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._document, self._runner = document, runner
        self._proposals: tuple[Suggestion, ...] = ()
        self._asked: tuple[str, ...] | None = None  # what the channels were that the proposals are for
        self.tabs = QTabBar()
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("Connections")
        self._change = self._menu_button(
            "Change connection", "Another kind of connection; channels stay where it has the same sockets"
        )
        self._add = self._menu_button("Add connection", "Add a connection of another part of the set-up")
        self.scheme = SchemeView(document, theme)
        self.first = FirstConnection()
        self.first.kind_chosen.connect(self.add)
        self.first.suggestion_chosen.connect(self.follow)
        self.first.all_chosen.connect(self.follow_all)
        self.notices = NoticeCard("Does the wiring make sense?", theme)
        self.notices.remedy_wanted.connect(self.remedy_wanted)
        self.table = ChainTable(document, theme)
        self.power_chain = ChainStrip(document, runner, theme)
        self.power_chain.chosen.connect(self.show_connection)
        self.power_chain.failed.connect(self.failed)
        self._said = QLabel()
        self._said.setProperty("caution", True)
        self._said.setWordWrap(True)
        self._said.setFixedHeight(34)  # always there, so that nothing moves when it speaks
        self._lay_out()
        document.changed.connect(self.refresh)
        self.tabs.currentChanged.connect(self._choose)
        self.scheme.socket_chosen.connect(self.ask_channel)
        self.table.chain.failed.connect(self.failed)

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.setContentsMargins(18, 8, 12, 4)
        head.addWidget(self.tabs)
        head.addStretch(1)
        head.addWidget(self._change)
        head.addSpacing(8)
        head.addWidget(self._add)
        upper = QWidget()
        row = QHBoxLayout(upper)
        row.setContentsMargins(6, 0, 14, 8)
        self.drawing = QStackedWidget()
        self.drawing.addWidget(self.scheme)
        self.drawing.addWidget(self.first)
        drawn = QVBoxLayout()
        drawn.addWidget(self.drawing, 1)
        drawn.addWidget(self._said)
        row.addLayout(drawn, 2)
        side = QVBoxLayout()
        side.addWidget(self.notices)
        row.addLayout(side, 1)
        self.notices.setMinimumWidth(240)
        self.notices.setMaximumWidth(330)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(upper)
        split.addWidget(self.table)
        split.setSizes([410, 250])
        split.setStretchFactor(0, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self.power_chain)
        column.addWidget(split, 1)

    def _menu_button(self, text: str, help_text: str) -> QToolButton:
        button = QToolButton(text=text, toolTip=help_text)
        button.setProperty("boxed", True)
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(button)
        adding = text.startswith("Add")
        self._fill_kinds(menu, self.add if adding else self.change)
        if not adding:
            menu.addSeparator()
            action = menu.addAction("Remove this connection")
            assert action is not None
            action.triggered.connect(self.remove)
        button.setMenu(menu)
        return button

    def _fill_kinds(self, menu: QMenu, chosen: Callable[[str], None]) -> None:
        for kind in WIRINGS:
            action = menu.addAction(kind.title)
            assert action is not None
            action.triggered.connect(lambda _=False, kind=kind.id: chosen(kind))

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.scheme.set_theme(theme)
        self.notices.set_theme(theme)
        self.power_chain.set_theme(theme)
        self.table.chain.theme = theme
        self.table.viewport().update()  # type: ignore[union-attr]

    def refresh(self) -> None:
        """Show the present study."""
        connections = self._document.study.connections
        names = [connection.name for connection in connections]
        shown = [self.tabs.tabText(at) for at in range(self.tabs.count())]
        if names != shown:
            self.tabs.blockSignals(True)
            while self.tabs.count():
                self.tabs.removeTab(0)
            for name in names:
                self.tabs.addTab(name)
            self.tabs.blockSignals(False)
        if self.scheme.connection not in names:
            self.scheme.connection = names[0] if names else None
        if self.scheme.connection is not None:
            self.tabs.setCurrentIndex(names.index(self.scheme.connection))
        self.drawing.setCurrentWidget(self.scheme if names else self.first)
        self._propose()
        self._say_misplaced()
        self._change.setEnabled(self.scheme.connection is not None)
        self.scheme.update()
        self.table.chain.refresh()
        self.power_chain.refresh()

    def show_connection(self, name: str) -> None:
        """Show another connection."""
        self.scheme.connection = name
        self.refresh()

    def _propose(self) -> None:
        """Have looked at what the channels without a place look like."""
        evaluation = self._document.evaluation
        names = free_channels(self._document.study) if evaluation is not None else []
        asked = tuple(evaluation.names.identity(name) for name in names) if evaluation is not None else ()
        if asked == self._asked:
            return
        self._asked = asked
        if evaluation is None:
            self._take_proposals([])
        else:
            self._runner.run("proposals", lambda progress: proposals(evaluation), self._take_proposals)

    def _take_proposals(self, found: list[Suggestion]) -> None:
        if tuple(found) == self._proposals and self.first.uses:
            return
        self._proposals = tuple(found)
        self.first.offer(found)
        typing = self.table.isAncestorOf(QApplication.focusWidget())
        if self.drawing.currentWidget() is self.first and self.isVisible() and not typing:
            self.take_focus()
        menu = self._add.menu()
        assert menu is not None
        menu.clear()
        for proposal in found[:3]:
            action = menu.addAction(f"Use {proposal.text}")
            assert action is not None
            action.triggered.connect(lambda _=False, s=proposal: self.follow(s))
        if found:
            menu.addSeparator()
        self._fill_kinds(menu, self.add)

    def _say_misplaced(self) -> None:
        """Say at once what does not belong into the socket it sits in, as far as units tell."""
        study, name = self._document.study, self.scheme.connection
        said = []
        if name is not None:
            connection = study.connection(name)
            kind = wiring(connection.wiring)
            said = [text for s, ch in connection.sockets.items() if (text := misplaced(study, ch, kind.socket(s))) is not None]
        more = f" ({len(said) - 1} more like this)" if len(said) > 1 else ""
        self._said.setText(said[0] + more if said else "")
        self._said.setVisible(self.drawing.currentWidget() is self.scheme)
        self._said.setToolTip("\n".join(said))

    def take_focus(self) -> None:
        """Let the keyboard begin where the next thing to do is: the proposal, else the chains."""
        if self.drawing.currentWidget() is self.first and self.first.uses:
            self.first.uses[0].setFocus()
        else:
            self.table.take_focus()

    def show_notices(self, notices: tuple[Notice, ...]) -> None:
        """Show the findings of the checks."""
        self.notices.show_notices(notices)

    def _choose(self, at: int) -> None:
        if at >= 0:
            self.scheme.connection = self.tabs.tabText(at)
            self.refresh()

    def add(self, kind: str) -> None:
        """Add a connection and show it."""
        self.scheme.connection = free_name(self._document.study, wiring(kind))
        self._document.take(op.add_connection(self._document.study, self.scheme.connection, kind), "add connection")

    def follow(self, suggestion: Suggestion) -> None:
        """Add what the names of the channels suggest."""
        name = free_name(self._document.study, suggestion.wiring, suggestion.called)
        self.scheme.connection = name
        self._document.take(follow(self._document.study, name, suggestion), "add connection")
        self.take_focus()

    def follow_all(self, found: Sequence[Suggestion]) -> None:
        """Add every connection that is suggested, in one step."""
        study = follow_all(self._document.study, found)
        self.scheme.connection = study.connections[0].name if study.connections else None
        self._document.take(study, "add connections")
        self.take_focus()

    def change(self, kind: str) -> None:
        """Make the shown connection one of another kind."""
        name = self.scheme.connection
        if name is None:
            return
        before = self._document.study.connection(name).sockets.values()
        self._document.take(op.change_wiring(self._document.study, name, kind), "change connection")
        left = [channel for channel in before if channel not in self._document.study.connection(name).sockets.values()]
        if left:
            self.said.emit(f"{wiring(kind).title} has no socket for {', '.join(left)}; they are not placed any more.")

    def remove(self) -> None:
        """Remove the shown connection."""
        if self.scheme.connection is not None:
            self._document.take(op.remove_connection(self._document.study, self.scheme.connection), "remove connection")

    def ask_channel(self, socket: str, place: QPoint) -> None:
        """Offer the channels for a socket."""
        connection = self.scheme.connection
        if connection is None:
            return
        study = self._document.study
        menu = QMenu(self)
        sitting = study.connection(connection).sockets.get(socket)
        title = menu.addAction(wiring(study.connection(connection).wiring).socket(socket).title)
        assert title is not None
        title.setEnabled(False)
        menu.addSeparator()
        for name in study.names:
            action = menu.addAction(name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(name == sitting)
            action.triggered.connect(lambda _=False, name=name: self.place(socket, name))
        if sitting is not None:
            menu.addSeparator()
            empty = menu.addAction(f"Take {sitting} out")
            assert empty is not None
            empty.triggered.connect(
                lambda: self._document.take(op.take_channel_out(study, connection, socket), f"take {sitting} out")
            )
        menu.popup(place)

    def place(self, socket: str, channel: str) -> None:
        """Put a channel into a socket of the shown connection."""
        if self.scheme.connection is not None:
            self._document.take(
                op.place_channel(self._document.study, self.scheme.connection, socket, channel), f"place {channel}"
            )
