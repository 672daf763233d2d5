"""The menu of the files opened last."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QMenu, QWidget

from pantelos.desktop.parts.menus import offer
from pantelos.settings import recent_files


class RecentMenu(QMenu):
    """Filled anew whenever it is opened."""

    def __init__(self, chosen: Callable[[Path], None], parent: QWidget) -> None:
        super().__init__("Open re&cent", parent)
        self._chosen = chosen
        self.aboutToShow.connect(self.fill)

    def fill(self) -> None:
        """Offer what is still there."""
        self.clear()
        for path in recent_files():
            offer(self, str(path), lambda path=path: self._chosen(path))  # type: ignore[misc]
        if self.isEmpty():
            offer(self, "nothing yet", lambda: None)
