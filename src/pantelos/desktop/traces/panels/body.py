"""What a panel shows below its title, be it painted or a list, and what can happen in it."""

from typing import Any

from PyQt6.QtCore import QPoint, QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.theme import Theme


class PanelBody(QWidget):
    """The body of a panel; a kind with a widget of its own overrides what it needs."""

    span_changed = pyqtSignal(object)  # what is shown across, or None for what is shown at first
    clicked = pyqtSignal(QPoint)  # where on the screen it was asked what stands behind
    event_chosen = pyqtSignal(str, int)  # events, which of them
    search_named = pyqtSignal(str)  # the events this panel is to show
    panel_changed = pyqtSignal(object)  # what the panel becomes

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.picture: Any = None
        self.message = ""
        self.stale = True
        self.span: tuple[float, float] | None = None

    def show_picture(self, picture: Any) -> None:
        """Show what was computed."""
        self.picture, self.message, self.stale = picture, "", False
        self.update()

    def show_message(self, text: str) -> None:
        """Say why there is nothing to show."""
        self.message = text
        self.update()

    def grey(self) -> None:
        """Mark what is shown as no longer current."""
        self.stale = True
        self.update()

    def set_theme(self, theme: Theme) -> None:
        """Use other colours."""
        self.theme = theme
        self.update()

    def show_span(self, span: tuple[float, float] | None) -> None:
        """Show a stretch across, where it can be zoomed."""

    def stand_at(self, search: str | None, event: int | None) -> None:
        """Mark an event, where that search is listed."""

    def drawn_size(self) -> QSize:
        """Return the size of what `draw` draws."""
        return self.size()

    def draw(self, painter: QPainter, rect: QRectF, theme: Theme) -> None:
        """Draw what is shown, for a picture to hand over."""
        painter.drawPixmap(rect.topLeft(), self.grab())
