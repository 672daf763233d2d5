"""Paper of SVG: what figures draw as text in a page, the same bytes every time."""

from collections.abc import Iterator
from contextlib import contextmanager
from html import escape
from itertools import pairwise

import numpy as np

from pantelos.paper import letters
from pantelos.paper.colours import DAY, DAY_CONDUCTORS
from pantelos.paper.paper import Align, Box, Dash, Ink, Role
from pantelos.signal.arrays import AnyArray, FloatArray

POINT = 96 / 72  # pixels
_DASHES = {Dash.SOLID: "", Dash.DASHED: ' stroke-dasharray="5 3"', Dash.DOTTED: ' stroke-dasharray="1 2.5"'}
_ANCHOR = {Align.LEFT: "start", Align.CENTRE: "middle", Align.RIGHT: "end"}
_SHADES = 16  # levels of shade that are told apart


def colour(ink: Ink) -> str:
    """Return the colour of an ink on paper."""
    return DAY[ink.value] if isinstance(ink, Role) else DAY_CONDUCTORS.get(ink, DAY_CONDUCTORS[""])


class SvgPaper:
    """Gathers elements."""

    def __init__(self, width: float, height: float, name: str = "f") -> None:
        self._size, self._name = (width, height), name
        self._made: list[str] = []
        self._clips = 0

    def svg(self, title: str) -> str:
        """Return the picture."""
        width, height = self._size
        size = f"0 0 {_n(width)} {_n(height)}"
        head = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{size}" role="img" aria-label="{escape(title)}"'
        family = 'font-family="DejaVu Sans, sans-serif"'
        return f'{head} {family} width="{_n(width)}" height="{_n(height)}">{"".join(self._made)}</svg>'

    def line(self, x: FloatArray, y: FloatArray, ink: Ink, width: float = 1.0, dash: Dash = Dash.SOLID) -> None:
        """Draw a line through points; it is broken where one is missing."""
        known = np.isfinite(x) & np.isfinite(y)
        edges = np.flatnonzero(np.diff(np.concatenate(([0], known.astype(np.int8), [0]))))
        for a, b in list(pairwise(edges.tolist()))[::2]:
            points = " ".join(f"{_n(p)},{_n(q)}" for p, q in zip(x[a:b].tolist(), y[a:b].tolist(), strict=True))
            self._made.append(
                f'<polyline points="{points}" fill="none" stroke="{colour(ink)}" stroke-width="{_n(width)}"'
                f' stroke-linejoin="round"{_DASHES[dash]}/>'
            )

    def rule(self, x0: float, y0: float, x1: float, y1: float, ink: Ink, dash: Dash = Dash.SOLID) -> None:
        """Draw a thin upright or level line."""
        place = f'x1="{_n(x0)}" y1="{_n(y0)}" x2="{_n(x1)}" y2="{_n(y1)}"'
        self._made.append(f'<line {place} stroke="{colour(ink)}" stroke-width="1"{_DASHES[dash]}/>')

    def shape(self, x: FloatArray, y: FloatArray, ink: Ink) -> None:
        """Fill a shape."""
        points = " ".join(f"{_n(p)},{_n(q)}" for p, q in zip(np.asarray(x).tolist(), np.asarray(y).tolist(), strict=True))
        self._made.append(f'<polygon points="{points}" fill="{colour(ink)}"/>')

    def bar(self, box: Box, ink: Ink) -> None:
        """Fill a box."""
        self._made.append(f'<rect {_place(box)} fill="{colour(ink)}"/>')

    def ring(self, x: float, y: float, radius: float, ink: Ink) -> None:
        """Draw a circle."""
        self._made.append(f'<circle cx="{_n(x)}" cy="{_n(y)}" r="{_n(radius)}" fill="none" stroke="{colour(ink)}"/>')

    def shades(self, box: Box, shares: AnyArray, ink: Ink) -> None:
        """Fill a box with shades of one ink."""
        rows, columns = shares.shape
        levels = np.round(np.clip(shares, 0, 1) * _SHADES).astype(int)
        wide, high = box.width / columns, box.height / rows
        for row, level in enumerate(levels.tolist()):
            top = box.bottom - (row + 1) * high
            start = 0
            for k in range(1, columns + 1):
                if k == columns or level[k] != level[start]:
                    if level[start]:
                        part = Box(box.left + start * wide, top, (k - start) * wide, high)
                        self._made.append(
                            f'<rect {_place(part)} fill="{colour(ink)}" fill-opacity="{level[start] / _SHADES:g}"/>'
                        )
                    start = k

    def words(
        self, box: Box, text: str, ink: Ink, size: float = 8.0, bold: bool = False, align: Align = Align.LEFT, wrap: bool = False
    ) -> None:
        """Write words in a box."""
        pixels = size * POINT
        x = {Align.LEFT: box.left, Align.CENTRE: box.left + box.width / 2, Align.RIGHT: box.right}[align]
        weight = ' font-weight="bold"' if bold else ""
        for y, line in letters.placed(box, text, pixels, bold, wrap):
            self._made.append(
                f'<text x="{_n(x)}" y="{_n(y)}" font-size="{_n(pixels)}"{weight} text-anchor="{_ANCHOR[align]}"'
                f' fill="{colour(ink)}">{escape(line)}</text>'
            )

    def extent(self, text: str, size: float, bold: bool = False) -> tuple[float, float]:
        """Return width and height of words."""
        return letters.width(text, size * POINT, bold), letters.height(size * POINT)

    @contextmanager
    def clipped(self, box: Box) -> Iterator[None]:
        """Draw nothing outside a box for a while."""
        self._clips += 1
        name = f"{self._name}c{self._clips}"
        area = f'<defs><clipPath id="{name}"><rect {_place(box)}/></clipPath></defs>'
        self._made.append(f'{area}<g clip-path="url(#{name})">')
        yield
        self._made.append("</g>")


def _n(value: float) -> str:
    """Return a number of pixels, short."""
    return f"{value:.2f}".rstrip("0").rstrip(".")


def _place(box: Box) -> str:
    return f'x="{_n(box.left)}" y="{_n(box.top)}" width="{_n(max(box.width, 0))}" height="{_n(max(box.height, 0))}"'
