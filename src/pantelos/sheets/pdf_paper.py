"""Paper of a PDF page: what figures draw as lines and letters at a place of the page."""

from collections.abc import Iterator
from contextlib import contextmanager
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from pantelos.paper import letters
from pantelos.paper.paper import Align, Box, Dash, Ink
from pantelos.paper.svg import POINT, colour
from pantelos.signal.arrays import AnyArray, FloatArray

if TYPE_CHECKING:
    from fpdf import FPDF

FAMILY = "page"
_DASHES = {Dash.SOLID: (0.0, 0.0), Dash.DASHED: (5.0, 3.0), Dash.DOTTED: (1.0, 2.5)}
_SHADES = 12


class PdfPaper:
    """Draws pixels of a figure as points of a page: one pixel is `scale` points."""

    def __init__(self, page: "FPDF", left: float, top: float, scale: float) -> None:
        self._page, self._left, self._top, self._scale = page, left, top, scale

    def _x(self, x: float) -> float:
        return self._left + x * self._scale

    def _y(self, y: float) -> float:
        return self._top + y * self._scale

    def _stroke(self, ink: Ink, width: float, dash: Dash) -> None:
        self._page.set_draw_color(colour(ink))
        self._page.set_line_width(width * self._scale)
        on, off = _DASHES[dash]
        self._page.set_dash_pattern(dash=on * self._scale, gap=off * self._scale)

    def line(self, x: FloatArray, y: FloatArray, ink: Ink, width: float = 1.0, dash: Dash = Dash.SOLID) -> None:
        """Draw a line through points; it is broken where one is missing."""
        self._stroke(ink, width, dash)
        known = np.isfinite(x) & np.isfinite(y)
        edges = np.flatnonzero(np.diff(np.concatenate(([0], known.astype(np.int8), [0]))))
        for a, b in list(pairwise(edges.tolist()))[::2]:
            points = [(self._x(p), self._y(q)) for p, q in zip(x[a:b].tolist(), y[a:b].tolist(), strict=True)]
            if len(points) > 1:
                self._page.polyline(points)

    def rule(self, x0: float, y0: float, x1: float, y1: float, ink: Ink, dash: Dash = Dash.SOLID) -> None:
        """Draw a thin upright or level line."""
        self._stroke(ink, 0.8, dash)
        self._page.line(self._x(x0), self._y(y0), self._x(x1), self._y(y1))

    def shape(self, x: FloatArray, y: FloatArray, ink: Ink) -> None:
        """Fill a shape."""
        self._page.set_fill_color(colour(ink))
        points = [(self._x(p), self._y(q)) for p, q in zip(np.asarray(x).tolist(), np.asarray(y).tolist(), strict=True)]
        self._page.polygon(points, style="F")

    def bar(self, box: Box, ink: Ink) -> None:
        """Fill a box."""
        self._page.set_fill_color(colour(ink))
        self._page.rect(self._x(box.left), self._y(box.top), box.width * self._scale, box.height * self._scale, style="F")

    def ring(self, x: float, y: float, radius: float, ink: Ink) -> None:
        """Draw a circle."""
        self._stroke(ink, 1.0, Dash.SOLID)
        self._page.circle(x=self._x(x), y=self._y(y), radius=radius * self._scale, style="D")

    def shades(self, box: Box, shares: AnyArray, ink: Ink) -> None:
        """Fill a box with shades of one ink."""
        rows, columns = shares.shape
        levels = np.round(np.clip(shares, 0, 1) * _SHADES).astype(int)
        wide, high = box.width / columns, box.height / rows
        red, green, blue = (int(colour(ink)[k : k + 2], 16) for k in (1, 3, 5))
        for row, level in enumerate(levels.tolist()):
            start = 0
            for k in range(1, columns + 1):
                if k == columns or level[k] != level[start]:
                    if level[start]:
                        share = level[start] / _SHADES
                        self._page.set_fill_color(*(round(255 - share * (255 - part)) for part in (red, green, blue)))
                        left, top = box.left + start * wide, box.bottom - (row + 1) * high
                        width = (k - start) * wide * self._scale
                        self._page.rect(self._x(left), self._y(top), width, high * self._scale, style="F")
                    start = k

    def words(
        self, box: Box, text: str, ink: Ink, size: float = 8.0, bold: bool = False, align: Align = Align.LEFT, wrap: bool = False
    ) -> None:
        """Write words in a box."""
        pixels = size * POINT
        self._page.set_font(FAMILY, "B" if bold else "", pixels * self._scale)
        self._page.set_text_color(colour(ink))
        for y, line in letters.placed(box, text, pixels, bold, wrap):
            room = box.width - letters.width(line, pixels, bold)
            x = box.left + {Align.LEFT: 0.0, Align.CENTRE: room / 2, Align.RIGHT: room}[align]
            self._page.text(self._x(x), self._y(y), line)

    def extent(self, text: str, size: float, bold: bool = False) -> tuple[float, float]:
        """Return width and height of words."""
        return letters.width(text, size * POINT, bold), letters.height(size * POINT)

    @contextmanager
    def clipped(self, box: Box) -> Iterator[None]:
        """Draw nothing outside a box for a while."""
        with self._page.rect_clip(self._x(box.left), self._y(box.top), box.width * self._scale, box.height * self._scale):
            yield
