"""What a figure is drawn on: lines, areas and words in pixels, of inks by name. A figure knows no toolkit and no theme."""

from collections.abc import Iterable
from contextlib import AbstractContextManager
from enum import Enum, StrEnum
from typing import Protocol

import msgspec
import numpy as np

from pantelos.paper.axis import value_ticks
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.units import Unit

LEFT, FOOT, BESIDE = 58, 30, 150  # room for the numbers of both axes, and for words beside a figure
_FAR = 4000.0  # pixels beyond a box from which on it does not matter how far a value lies
_LINE = 17.0  # from one line of words to the next


class Role(Enum):
    """An ink by what it is for; the hue of a conductor is named by the conductor."""

    INK = "ink"
    SOFT = "soft"
    RULE = "rule"
    EDGE = "edge"
    CAUTION = "caution"
    FAULT = "fault"
    GOOD = "good"
    GROUND = "ground"


Ink = Role | str  # the name of a conductor, empty where there is none


class Dash(StrEnum):
    """How a line is drawn."""

    SOLID = "solid"
    DASHED = "dashed"
    DOTTED = "dotted"


class Align(StrEnum):
    """Where words stand in their box."""

    LEFT = "left"
    CENTRE = "centre"
    RIGHT = "right"


class Box(msgspec.Struct, frozen=True):
    """A rectangle in pixels, y downwards."""

    left: float
    top: float
    width: float
    height: float

    @property
    def right(self) -> float:
        """Its right edge."""
        return self.left + self.width

    @property
    def bottom(self) -> float:
        """Its lower edge."""
        return self.top + self.height

    def within(self, left: float = 0.0, top: float = 0.0, right: float = 0.0, bottom: float = 0.0) -> "Box":
        """Return what is left of it between margins."""
        return Box(self.left + left, self.top + top, self.width - left - right, self.height - top - bottom)

    def x(self, values: FloatArray, scale: tuple[float, float]) -> FloatArray:
        """Return places across of values on a scale, shape as given."""
        return np.asarray(self.left + (np.asarray(values) - scale[0]) / (scale[1] - scale[0]) * self.width)

    def y(self, values: FloatArray, scale: tuple[float, float]) -> FloatArray:
        """Return heights of values on a scale, shape as given; far values are kept near the picture."""
        places = self.bottom - (np.asarray(values) - scale[0]) / (scale[1] - scale[0]) * self.height
        return np.asarray(np.clip(places, self.top - _FAR, self.bottom + _FAR))


class Paper(Protocol):
    """What figures are drawn on. Sizes of words are in points, all else in pixels."""

    def line(self, x: FloatArray, y: FloatArray, ink: Ink, width: float = 1.0, dash: Dash = Dash.SOLID) -> None:
        """Draw a line through points, shape (n,) each; it is broken where one is missing."""

    def rule(self, x0: float, y0: float, x1: float, y1: float, ink: Ink, dash: Dash = Dash.SOLID) -> None:
        """Draw a thin upright or level line on whole pixels."""

    def shape(self, x: FloatArray, y: FloatArray, ink: Ink) -> None:
        """Fill a shape with corners (n,)."""

    def bar(self, box: Box, ink: Ink) -> None:
        """Fill a box on whole pixels."""

    def ring(self, x: float, y: float, radius: float, ink: Ink) -> None:
        """Draw a circle."""

    def shades(self, box: Box, shares: AnyArray, ink: Ink) -> None:
        """Fill a box with shades of one ink: shares (rows, columns) between 0 and 1, the lowest row first."""

    def words(
        self, box: Box, text: str, ink: Ink, size: float = 8.0, bold: bool = False, align: Align = Align.LEFT, wrap: bool = False
    ) -> None:
        """Write words in the middle of a box's height, shortened to its width; with `wrap` from its top, in lines."""

    def extent(self, text: str, size: float, bold: bool = False) -> tuple[float, float]:
        """Return width and height of words."""

    def clipped(self, box: Box) -> AbstractContextManager[None]:
        """Draw nothing outside a box for a while."""


def draw_axes(paper: Paper, area: Box, across: tuple[float, float], up: tuple[float, float], units: tuple[Unit, Unit]) -> None:
    """Draw both axes of an area with numbers and units, across first."""
    marks, symbol = value_ticks(*up, units[1], max(area.height / 26, 2))
    draw_value_axis(paper, area, ((mark.value, mark.text) for mark in marks), up)
    paper.words(Box(area.left - LEFT + 4, area.top - 15, LEFT - 9, 14), symbol, Role.SOFT, align=Align.RIGHT)
    marks, symbol = value_ticks(*across, units[0], max(area.width / 70, 2))
    for mark, x in zip(marks, area.x(np.array([mark.value for mark in marks]), across).tolist(), strict=True):
        paper.rule(x, area.top, x, area.bottom, Role.RULE)
        paper.words(Box(x - 40, area.bottom + 3, 80, 13), mark.text, Role.SOFT, align=Align.CENTRE)
    paper.words(Box(area.right - 60, area.bottom + 15, 60, 13), symbol, Role.SOFT, align=Align.RIGHT)


def draw_value_axis(
    paper: Paper, area: Box, marks: Iterable[tuple[float, str]], scale: tuple[float, float], room: float = LEFT - 4
) -> None:
    """Draw thin rules across an area and the numbers left of them."""
    for value, text in marks:
        y = float(area.y(np.array(value), scale))
        if area.top + 2 <= y <= area.bottom - 2:
            paper.rule(area.left, y, area.right, y, Role.RULE)
            top = min(max(y - 7, area.top), area.bottom - 14)
            paper.words(Box(area.left - room, top, room - 5, 14), text, Role.SOFT, align=Align.RIGHT)


def write_lines(paper: Paper, box: Box, lines: Iterable[str], caution: str = "") -> None:
    """Write a few lines of figures, and below them what to be careful about."""
    y = box.top
    for line in lines:
        paper.words(Box(box.left, y, box.width, 16), line, Role.INK, 9, bold=True)
        y += _LINE
    room, (wide, high) = box.bottom - y - 4, paper.extent(caution, 8.0)
    if caution and room >= high:  # where it does not fit in full, its beginning: the figures come first
        fits = room >= high * (1 + 1.1 * wide / box.width)
        paper.words(Box(box.left, y + 4, box.width, room if fits else high), caution, Role.CAUTION, wrap=fits)


def beside_words(box: Box) -> tuple[Box, Box]:
    """Return where a figure with axes lies within a panel, and where words stand beside it."""
    area = box.within(LEFT, 16, max(min(BESIDE + 14, box.width - LEFT - 60), 0), FOOT + 2)
    return area, Box(area.right + 12, area.top, BESIDE, area.height + FOOT)


def by_root(density: AnyArray) -> FloatArray:
    """Return counts as shares of shade: roots, so that the rare is seen beside the frequent, and a single one at all."""
    faintest = 0.2
    most = float(density.max(initial=0.0)) or 1.0
    return np.where(density > 0, faintest + (1 - faintest) * np.sqrt(density / most), 0.0)
