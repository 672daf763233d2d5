"""The frame of a panel: its title, the menu that sets what it shows, and its body."""

from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QObject, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QToolButton, QVBoxLayout, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.parts.labels import ShortLabel
from pantelos.desktop.parts.menus import offer, submenu
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.panels.body import PanelBody
from pantelos.desktop.traces.panels.canvas import PanelCanvas
from pantelos.desktop.traces.panels.entries import PanelEntries
from pantelos.engine.evaluation import Evaluation
from pantelos.panels import panel_kind
from pantelos.panels.panel import PanelOption
from pantelos.study.model import WHOLE_RECORD
from pantelos.study.shown import Panel


class PanelFrame(QWidget):
    """A panel with its title: what it shows, of which channel, over which interval."""

    changed = pyqtSignal(int, object)  # which panel, what it becomes; None takes it away
    moved = pyqtSignal(int, int)  # which panel, by how many places
    fill_wanted = pyqtSignal(int)  # let this panel fill the window, or bring it back
    picture_wanted = pyqtSignal(int, str)  # which panel; "png", "svg" or "copy"
    formula_wanted = pyqtSignal(str, str)  # a name and what it stands for, to be shown over time
    numbers_wanted = pyqtSignal(object)  # the panel whose numbers are to be written
    odd_wanted = pyqtSignal(object)  # instants to step through

    def __init__(self, index: int, panel: Panel, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.panel, self._index, self._document = panel, index, document
        self._title = QLabel(f"<b>{panel_kind(panel.kind).title}</b>")
        self._caption = ShortLabel()
        self._caption.setToolTip("")
        self._caption.setProperty("soft", True)
        self._earlier = self._stepper("◂", "Move the stretch of this panel to where it begins", -1)
        self._later = self._stepper("▸", "Move the stretch of this panel to where it ends", 1)
        choose = QToolButton(
            text="▾", toolTip="Choose what this panel shows", accessibleName=f"Settings of {panel_kind(panel.kind).title}"
        )
        choose.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(choose)
        self.menu.aboutToShow.connect(self.fill_menu)
        choose.setMenu(self.menu)
        head = QWidget(objectName="side")
        head.setToolTip("Double-click to let this panel fill the window, and again to bring it back")
        head.installEventFilter(self)
        row = QHBoxLayout(head)
        row.setContentsMargins(10, 1, 4, 1)
        row.addWidget(self._title)
        row.addWidget(self._caption, 1)
        row.addWidget(self._earlier)
        row.addWidget(self._later)
        self._back = QToolButton(text="Back to the traces", toolTip="Bring all panels and the traces back (double click, Esc)")
        self._back.clicked.connect(lambda: self.fill_wanted.emit(self._index))
        self._back.hide()
        row.addWidget(self._back)
        row.addWidget(choose)
        self.body = self._make_body(theme)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(head)
        column.addWidget(self.body, 1)
        self.setMinimumWidth(panel_kind(panel.kind).narrowest)

    def _make_body(self, theme: Theme) -> PanelBody:
        kind = panel_kind(self.panel.kind)
        body: PanelBody = kind.widget(self._document, self.panel, theme) if kind.widget else PanelCanvas(kind, self.panel, theme)
        body.panel_changed.connect(lambda panel: self.changed.emit(self._index, panel))
        body.search_named.connect(lambda name: self.changed.emit(self._index, replace(self.panel, search=name)))
        return body

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """A double click on the title lets the panel fill the window."""
        if event is not None and event.type() is QEvent.Type.MouseButtonDblClick:
            self.fill_wanted.emit(self._index)
        return False

    def show_filling(self, filling: bool) -> None:
        """Show the way back while this panel fills the window."""
        self._back.setVisible(filling)

    def _stepper(self, text: str, tip: str, by: int) -> QToolButton:
        """Return a button that moves a stretch of its own by its length; not there where the panel has none."""
        button = QToolButton(text=text, toolTip=tip, accessibleName=tip)
        button.clicked.connect(lambda: self.step(by))
        button.setVisible(self.panel.stretch_s is not None)
        return button

    def step(self, by: int) -> None:
        """Move the stretch of this panel by its length, as far as the record goes."""
        own, whole = self.panel.stretch_s, self._document.whole
        if own is not None:
            length = own[1] - own[0]
            start = min(max(own[0] + by * length, whole.start_s), whole.stop_s - length)
            self.changed.emit(self._index, replace(self.panel, stretch_s=(start, start + length)))

    # showing

    def show_picture(self, picture: Any) -> None:
        """Show what was computed."""
        self.body.show_picture(picture)
        self._caption.setText(picture.caption)
        self._caption.setToolTip(picture.caption)

    def show_message(self, text: str) -> None:
        """Say why there is nothing to show."""
        self.body.show_message(text)
        self._caption.setText(", ".join(self.panel.channels))

    def grey(self) -> None:
        """Mark what is shown as no longer current."""
        self.body.grey()

    # menu

    def fill_menu(self) -> None:
        """Offer everything this panel can show, and what can be done with it."""
        self.menu.clear()
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        kind = panel_kind(self.panel.kind)
        if kind.entries:
            offer(self.menu, "Settings…", self.ask_entries)
        for at in range(kind.n_channels):
            title = kind.roles[at] if kind.n_channels > 1 else ""
            self._offer_channels(evaluation, at, title)
        if kind.several:
            self._offer_more(evaluation)
        for option in kind.options:
            self._offer_option(evaluation, option)
        self._offer_edges()
        if kind.at_events:
            self.menu.addSeparator()
            for search in self._document.study.searches:
                self._offer(
                    self.menu, f"events {search.name}", self.panel.search == search.name, replace(self.panel, search=search.name)
                )
        if kind.over_interval:
            self._offer_intervals()
        self._offer_own()
        self.menu.addSeparator()
        for text, by in (("Move left", -1), ("Move right", 1)):
            offer(self.menu, text, partial(self.moved.emit, self._index, by))
        offer(self.menu, "Fill the window, or back", lambda: self.fill_wanted.emit(self._index))
        for text, how in (("Save as PNG…", "png"), ("Save as SVG…", "svg"), ("Copy picture", "copy")):
            offer(self.menu, text, partial(self.picture_wanted.emit, self._index, how))
        if panel_kind(self.panel.kind).numbers:
            offer(self.menu, "Save numbers…", self._ask_numbers)
        self._offer(self.menu, "Remove panel", None, None)

    def _offer_channels(self, evaluation: Evaluation, at: int, title: str) -> None:
        subjects = panel_kind(self.panel.kind).subjects(evaluation)
        menu = self.menu if len(subjects) <= 12 and not title else submenu(self.menu, title or "Channel")
        for name in subjects:
            channels = list(self.panel.channels) + [name] * (at + 1 - len(self.panel.channels))
            if panel_kind(self.panel.kind).several:
                channels = [other for other in channels if other != name or other == channels[at]]
            channels[at] = name
            chosen = at < len(self.panel.channels) and self.panel.channels[at] == name
            self._offer(menu, name, chosen, replace(self.panel, channels=tuple(channels)))

    def _offer_option(self, evaluation: Evaluation, option: PanelOption) -> None:
        """Offer the choices of an option; those that share the first part of their text in a section of their own."""
        name = self.panel.channels[0] if self.panel.channels else ""
        if option.kinds and (name not in evaluation.names.types or evaluation.names.kind(name) not in option.kinds):
            return
        if option.title:
            menu = submenu(self.menu, option.title)
        else:
            menu = self.menu
            menu.addSeparator()
        sections: dict[str, QMenu] = {}
        for text, value in option.choices:
            section, stroke, title = text.partition("/")
            place = menu
            if stroke:
                place = sections.get(section) or sections.setdefault(section, submenu(menu, section))
            chosen = option.value(self.panel) == value
            self._offer(place, title if stroke else text, chosen, option.chosen(self.panel, value))

    def _offer_more(self, evaluation: Evaluation) -> None:
        """Offer the channels that are laid over the first one, each on or off."""
        menu = submenu(self.menu, "Lay over it")
        leading, more = self.panel.channels[:1], self.panel.channels[1:]
        for name in panel_kind(self.panel.kind).subjects(evaluation):
            if name not in leading:
                shown = tuple(other for other in more if other != name) if name in more else (*more, name)
                self._offer(menu, name, name in more, replace(self.panel, channels=(*leading, *shown)))

    def _offer_edges(self) -> None:
        """Offer the two edges, where there are such."""
        kind, picture = panel_kind(self.panel.kind), self.body.picture
        if kind.edges is None or kind.with_edges is None:
            return
        there = kind.edges(self.panel)
        if there is not None:
            self._offer(self.menu, "Take edges a and b away", None, kind.with_edges(self.panel, None))
        elif picture is not None and kind.reach is not None:
            reach = kind.reach(picture)
            span = self.body.span or reach.first
            ends = tuple(reach.value_at(share, span) for share in (0.25, 0.5))
            near = kind.near or (lambda picture, value, within: value)
            placed = tuple(near(picture, value, 0.2 * (span[1] - span[0])) for value in ends)
            self._offer(self.menu, "Edges a and b", None, kind.with_edges(self.panel, (placed[0], placed[1])))

    def _ask_numbers(self) -> None:
        """Ask for the numbers to be written; of a panel that follows the view those of what is visible."""
        view, panel = self._document.view, self.panel
        self.numbers_wanted.emit(replace(panel, linked=False, stretch_s=(view.start_s, view.stop_s)) if panel.linked else panel)

    def ask_entries(self) -> None:
        """Open the typed settings."""
        kind = panel_kind(self.panel.kind)
        opened = PanelEntries(kind.title, kind.entries, self.panel, lambda panel: self.changed.emit(self._index, panel), self)
        opened.open_below(self._title)

    def _offer_intervals(self) -> None:
        self.menu.addSeparator()
        own = self.panel.stretch_s
        free = self.panel.interval is None and not self.panel.linked and own is None
        plain = replace(self.panel, interval=None, linked=False, stretch_s=None)
        self._offer(self.menu, "active interval", free, plain)
        self._offer(self.menu, "linked: what is visible", self.panel.linked, replace(plain, linked=True))
        view = self._document.view
        here = (view.start_s, view.stop_s) if own is None else own
        self._offer(self.menu, "a stretch of its own, moved with ◂ ▸", own is not None, replace(plain, stretch_s=here))
        menu = self.menu if len(self._document.study.intervals) <= 8 else submenu(self.menu, "Pin to")
        for name in (*(interval.name for interval in self._document.study.intervals), WHOLE_RECORD):
            self._offer(menu, f"pin to {name}", self.panel.interval == name, replace(plain, interval=name))

    def _offer_own(self) -> None:
        """Offer what the picture that is shown leads to."""
        leads_to, picture = panel_kind(self.panel.kind).leads_to, self.body.picture
        text, instants = leads_to(picture) if leads_to is not None and picture is not None else ("", ())
        if instants:
            self.menu.addSeparator()
            offer(self.menu, text, lambda: self.odd_wanted.emit(instants))
        follows = panel_kind(self.panel.kind).follows
        for said, name, formula in follows(self.panel) if follows is not None else ():
            offer(self.menu, said, partial(self.formula_wanted.emit, name, formula))

    def _offer(self, menu: QMenu, text: str, chosen: bool | None, panel: Panel | None) -> None:
        offer(menu, text, lambda: self.changed.emit(self._index, panel), chosen)
