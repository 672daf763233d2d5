"""What the tools of the Traces page may ask of it."""

from typing import Any, Protocol

from PyQt6.QtCore import pyqtBoundSignal
from PyQt6.QtWidgets import QWidget

from pantelos.desktop.selection import Selection
from pantelos.desktop.traces.lanes import Lanes
from pantelos.desktop.traces.panels.row import PanelRow
from pantelos.desktop.traces.ruler import Ruler


class PageStage(Protocol):
    """The page, as those see it that act in it."""

    selection: Selection
    lanes: Lanes
    ruler: Ruler
    panels: PanelRow
    picture_pending: bool

    @property
    def widget(self) -> QWidget:
        """What menus and dialogs belong to."""

    @property
    def failed(self) -> pyqtBoundSignal:
        """What went wrong, a `PantelosError`."""

    @property
    def figure_wanted(self) -> pyqtBoundSignal:
        """A figure; "png", "svg" or "copy"."""

    def refresh(self) -> None:
        """Show the study anew."""

    def set_edges(self, edges: tuple[float, float] | None) -> None:
        """Draw the edges somewhere else."""

    def change_columns(self, step: str, **changes: Any) -> None:
        """Change the columns beside the lanes."""

    def edit_formula(self, name: str) -> None:
        """Put a formula into the derive line."""

    def toggle_drawer(self) -> None:
        """Show or hide the list of all channels."""
