"""The way from what is under the pointer to the page about it."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QPoint
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.help.help_window import HelpWindow

HELP = "help"  # the property of a widget that names its place in the documentation: page#heading
_PAGES = ("Wiring (F2)", "Traces (F3)", "Tables (F4)", "Import")  # headings of the user guide, as the pages of the window stand


def help_place(window: QWidget, at: QPoint | None = None) -> str:
    """Return the place in the documentation about what is under the pointer (or a place of the window); empty where none is."""
    child = window.childAt(at if at is not None else window.mapFromGlobal(QCursor.pos()))
    while child is not None and child is not window:
        place = child.property(HELP)
        if place:
            return str(place)
        child = child.parentWidget()
    return ""


class HelpDesk(QObject):
    """Opens the documentation where it is needed."""

    def __init__(self, window: QWidget, page: Callable[[], int], keys_html: str) -> None:
        super().__init__(window)
        self._window, self._page, self._keys = window, page, keys_html
        self.shown: HelpWindow | None = None

    def show(self, place: str = "") -> None:
        """Open the documentation, at a named place, else at what is under the pointer, else at the page that is shown."""
        if self.shown is None:
            self.shown = HelpWindow(self._keys, self._window)
        name, _, heading = (place or help_place(self._window) or f"user-guide#{_PAGES[self._page()]}").partition("#")
        self.shown.open_at(name, heading)
