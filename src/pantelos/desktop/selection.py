"""What the user is looking at just now: chosen channels, events being stepped through, how edges snap. Not part of the study."""

from PyQt6.QtCore import QObject, pyqtSignal

from pantelos.desktop.presenter.snapping import Snap


class Selection(QObject):
    """Shared by all parts of the window that show it."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.channels: tuple[str, ...] = ()
        self.search: str | None = None  # the events whose level is drawn and that are stepped through
        self.at_event: int | None = None  # which of them
        self.snap = Snap.NONE

    def choose(self, name: str, add: bool = False) -> None:
        """Choose a channel, or add it to those chosen; one that is chosen is let go."""
        if not add:
            self.channels = () if self.channels == (name,) else (name,)
        elif name in self.channels:
            self.channels = tuple(other for other in self.channels if other != name)
        else:
            self.channels = (*self.channels, name)
        self.changed.emit()

    def follow(self, search: str | None, event: int | None = None) -> None:
        """Show the level of these events, and stand at one of them."""
        if (search, event) != (self.search, self.at_event):
            self.search, self.at_event = search, event
            self.changed.emit()

    def snap_to(self, snap: Snap) -> None:
        """Let edges snap."""
        self.snap = snap
        self.changed.emit()

    def forget(self) -> None:
        """Begin anew with another study."""
        self.channels, self.search, self.at_event = (), None, None
        self.changed.emit()
