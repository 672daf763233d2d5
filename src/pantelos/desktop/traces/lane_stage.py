"""What gestures and what is painted over the traces may ask of the lanes."""

from typing import Protocol

from PyQt6.QtCore import pyqtBoundSignal

from pantelos.desktop.document import Document
from pantelos.desktop.selection import Selection
from pantelos.desktop.theme import Theme
from pantelos.desktop.traces.lane_painter import LanePainter
from pantelos.desktop.traces.lane_places import LanePlaces
from pantelos.study.model import EventSearch


class Gliding(Protocol):
    """The view going on by itself."""

    @property
    def moving(self) -> bool:
        """Whether it does."""

    def begin(self, speed: float) -> None:
        """Begin, at a speed in widths per second."""


class LaneStage(Protocol):
    """The lanes, as those see them that act in them."""

    document: Document
    selection: Selection
    theme: Theme
    painter: LanePainter
    places: LanePlaces
    edges: tuple[float, float] | None
    pointer_s: float | None

    @property
    def glide(self) -> Gliding:
        """The view going on by itself."""

    @property
    def interval_drawn(self) -> pyqtBoundSignal:
        """A new interval, from and to, s."""

    @property
    def edges_dragged(self) -> pyqtBoundSignal:
        """Both edges, s, and whether they were let go."""

    def search(self) -> EventSearch | None:
        """Return the events whose level is drawn."""

    def preview_search(self, search: EventSearch | None) -> None:
        """Draw another level than that of the study."""

    def preview_scale(self, lane: int, scale: tuple[float, float] | None) -> None:
        """Draw a lane on another scale than that of the study."""

    def carry_label(self, channel: str) -> None:
        """Let a channel be dropped somewhere."""

    def end_gesture(self) -> None:
        """Give the present gesture up."""

    def repaint_all(self) -> None:
        """Paint everything anew."""
