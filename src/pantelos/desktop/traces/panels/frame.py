"""The frame of a panel: its title, the menu that sets what it shows, and its body."""

from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QObject, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QToolButton, QVBoxLayout, QWidget

from pantelos.desktop.document import Document
from pantelos.desktop.labels import ShortLabel
from pantelos.desktop.menus import offer, submenu
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.panels.body import PanelBody
from pantelos.desktop.traces.panels.canvas import PanelCanvas
from pantelos.engine.evaluation import Evaluation
from pantelos.panels import panel_kind
from pantelos.panels.panel import Option
from pantelos.study.model import Panel


class PanelFrame(QWidget):
    """A panel with its title: what it shows, of which channel, over which interval."""

    changed = pyqtSignal(int, object)  # which panel, what it becomes; None takes it away
    moved = pyqtSignal(int, int)  # which panel, by how many places
    fill_wanted = pyqtSignal(int)  # let this panel fill the window, or bring it back
    picture_wanted = pyqtSignal(int, str)  # which panel; "png", "svg" or "copy"
    odd_wanted = pyqtSignal(object)  # instants to step through

    def __init__(self, index: int, panel: Panel, document: Document, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.panel, self._index, self._document = panel, index, document
        self._title = QLabel(f"<b>{panel_kind(panel.kind).title}</b>")
        self._caption = ShortLabel()
        self._caption.setProperty("soft", True)
        choose = QToolButton(text="▾", toolTip="Choose what this panel shows", accessibleName="Panel settings")
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
        body: PanelBody = kind.widget(self._document, self.panel, theme) if kind.widget else PanelCanvas(kind, theme)
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

    # showing

    def show_picture(self, picture: Any) -> None:
        """Show what was computed."""
        self.body.show_picture(picture)
        self._caption.setText(picture.caption)

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
        for at in range(kind.n_channels):
            title = ("across", "up")[at] if kind.n_channels > 1 else ""
            self._offer_channels(evaluation, at, title)
        for option in kind.options:
            self._offer_option(evaluation, option)
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
        self._offer(self.menu, "Remove panel", None, None)

    def _offer_channels(self, evaluation: Evaluation, at: int, title: str) -> None:
        subjects = panel_kind(self.panel.kind).subjects(evaluation)
        menu = self.menu if len(subjects) <= 12 and not title else submenu(self.menu, title or "Channel")
        for name in subjects:
            channels = list(self.panel.channels) + [name] * (at + 1 - len(self.panel.channels))
            channels[at] = name
            chosen = at < len(self.panel.channels) and self.panel.channels[at] == name
            self._offer(menu, name, chosen, replace(self.panel, channels=tuple(channels)))

    def _offer_option(self, evaluation: Evaluation, option: Option) -> None:
        """Offer the choices of an option; those that share the first part of their text in a section of their own."""
        name = self.panel.channels[0] if self.panel.channels else ""
        if option.kinds and (name not in evaluation.names.types or evaluation.names.kind(name) not in option.kinds):
            return
        self.menu.addSeparator()
        sections: dict[str, QMenu] = {}
        for text, value in option.choices:
            section, stroke, title = text.partition("/")
            menu = self.menu
            if stroke:
                sections.setdefault("", submenu(self.menu, option.field.capitalize()) if not sections else sections[""])
                menu = sections.get(section) or sections.setdefault(section, submenu(sections[""], section))
            chosen = getattr(self.panel, option.field) == value
            self._offer(menu, title if stroke else text, chosen, replace(self.panel, **{option.field: value}))

    def _offer_intervals(self) -> None:
        self.menu.addSeparator()
        free = self.panel.interval is None and not self.panel.linked
        self._offer(self.menu, "active interval", free, replace(self.panel, interval=None, linked=False))
        self._offer(self.menu, "linked: what is visible", self.panel.linked, replace(self.panel, interval=None, linked=True))
        menu = self.menu if len(self._document.study.intervals) <= 8 else submenu(self.menu, "Pin to")
        for interval in self._document.study.intervals:
            chosen = self.panel.interval == interval.name
            self._offer(menu, f"pin to {interval.name}", chosen, replace(self.panel, interval=interval.name, linked=False))

    def _offer_own(self) -> None:
        """Offer what the picture that is shown leads to."""
        leads_to, picture = panel_kind(self.panel.kind).leads_to, self.body.picture
        text, instants = leads_to(picture) if leads_to is not None and picture is not None else ("", ())
        if instants:
            self.menu.addSeparator()
            offer(self.menu, text, lambda: self.odd_wanted.emit(instants))

    def _offer(self, menu: QMenu, text: str, chosen: bool | None, panel: Panel | None) -> None:
        offer(menu, text, lambda: self.changed.emit(self._index, panel), chosen)
