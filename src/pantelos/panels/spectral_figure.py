"""How spectra are drawn: lines over frequency, present, mean, highest and lowest told apart without colour, tones, two edges."""

import math
from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from pantelos.notation import with_unit
from pantelos.paper.axis import decade_ticks, ticks
from pantelos.paper.paper import Align, Box, Dash, Ink, Paper, Role, draw_value_axis
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.study.shown import Spectral
from pantelos.units import Unit, unit

_VOLT = unit("V")  # any unit that takes prefixes
_DEEPEST = 9.0  # decades shown below the highest line
_BELOW_MEDIAN = 0.8  # decades
_LIST = 258  # pixels beside the figure
_COLUMNS = ((0, 62), (64, 54), (120, 54), (176, 26), (204, 40))  # of the list: left and width
_WIDE, _HIGH = 560, 150  # pixels from which on there is room for words


class DrawnCurve(msgspec.Struct, frozen=True, eq=False):
    """One line of the figure: levels per spectral line, as the axis shows them."""

    levels: FloatArray  # (n_lines,)
    ink: Ink
    width: float
    dash: Dash
    lowest: bool = False  # of a pixel column the lowest level is drawn, else the highest
    name: str = ""


class SpectralPicture(msgspec.Struct, frozen=True, eq=False):
    """What is drawn of one or several spectra."""

    caption: str
    spacing_hz: float
    curves: tuple[DrawnCurve, ...]  # drawn in this order
    leading: FloatArray  # the levels that the axis is fitted to, and that the edges read
    logarithmic_levels: bool  # levels are powers of ten of a value with a unit; else plain numbers
    unit: Unit  # of the value
    symbol: str
    per_decade: float  # levels per decade of amplitude or power: 1, or 20 and 10 for decibels; 0 for a linear axis
    top_hz: float
    first_hz: float  # the lowest frequency shown at first
    settings: Spectral
    headline: str = ""
    said: tuple[str, ...] = ()  # softer lines below it
    cautions: tuple[str, ...] = ()
    listed: tuple[tuple[str, ...], ...] = ()  # tones: frequency, size, level, order, phase
    marked_hz: tuple[tuple[str, float], ...] = ()  # (name, frequency)
    edges_text: str = ""
    names: tuple[tuple[str, Ink], ...] = ()  # of the channels, where there are several

    @property
    def half_hz(self) -> float:
        """The highest frequency there is."""
        return (len(self.leading) - 1) * self.spacing_hz

    @property
    def span(self) -> tuple[float, float]:
        """The frequencies shown at first."""
        low = max(self.first_hz, self.spacing_hz) if self.settings.logarithmic else self.first_hz
        return low, self.top_hz


def area_of(box: Box) -> Box:
    """Return where the lines of a spectrum lie within a panel."""
    return box.within(62, 8, 18, 30)


def area_with_list(picture: SpectralPicture) -> Callable[[Box], Box]:
    """Return what tells where the lines lie, where tones are listed beside them."""

    def area(box: Box) -> Box:
        return box.within(62, 8, 18 + (_LIST if picture.listed and box.width >= _WIDE else 0), 30)

    return area


def paint(paper: Paper, box: Box, picture: SpectralPicture, span: tuple[float, float] | None) -> None:
    """Draw spectra; `span` is the stretch of frequencies shown, Hz, None the one shown at first."""
    low, high = span or picture.span
    area = area_with_list(picture)(box)
    first = max(int(low / picture.spacing_hz), 0)
    last = min(math.ceil(high / picture.spacing_hz) + 1, len(picture.leading))
    if last - first < 2:
        return
    x_of = across_of(area, (low, high), picture.settings.logarithmic)
    scale = _scale(picture, first, last)
    _draw_levels(paper, area, picture, scale)
    draw_frequency_axis(paper, area, (low, high), picture.settings.logarithmic, x_of)
    for name, frequency in picture.marked_hz:
        if low < frequency < high:
            x = float(x_of(np.array(frequency)))
            paper.rule(x, area.top + 14, x, area.bottom, Role.RULE, Dash.DOTTED)
            paper.words(Box(x - 12, area.top, 24, 12), name, Role.SOFT, 7, align=Align.CENTRE)
    columns = x_of(np.arange(first, last) * picture.spacing_hz)
    with paper.clipped(area):
        for curve in picture.curves:
            _draw_curve(paper, area, curve, columns, first, last, scale)
        _draw_edges(paper, area, picture, x_of)
    _write(paper, box, area, picture)


def across_of(area: Box, span: tuple[float, float], logarithmic: bool) -> Callable[[AnyArray], FloatArray]:
    """Return what tells where frequencies stand across an area."""
    if not logarithmic:
        return lambda f: area.x(f, span)
    ends = math.log10(span[0]), math.log10(span[1])
    return lambda f: area.x(np.log10(np.maximum(f, 0.5 * span[0])), ends)


def _scale(picture: SpectralPicture, first: int, last: int) -> tuple[float, float]:
    """Return the levels at the foot and the head of the axis."""
    shown = [curve.levels[first:last] for curve in picture.curves]
    tops = [float(x[np.isfinite(x)].max(initial=-np.inf)) for x in shown]
    top = max(tops)
    if not math.isfinite(top):
        return 0.0, 1.0
    if not picture.per_decade:
        return 0.0, (top or 1.0) * 1.1
    leading = picture.leading[first:last]
    finite = leading[np.isfinite(leading)]
    middle = float(np.median(finite)) if len(finite) else top
    decade = picture.per_decade
    return max(middle - _BELOW_MEDIAN * decade, top - _DEEPEST * decade), top + 0.3 * decade


def _draw_levels(paper: Paper, area: Box, picture: SpectralPicture, scale: tuple[float, float]) -> None:
    """Draw the axis of levels."""
    if picture.logarithmic_levels:
        decades = decade_ticks(10 ** scale[0], 10 ** scale[1], area.height / 22)
        marks = [
            (math.log10(value), with_unit(value, picture.unit, 1) if _prefixed(picture) else _power(value)) for value in decades
        ]
    else:
        marks = [(mark.value, mark.text) for mark in ticks(*scale, area.height / 30)]
    draw_value_axis(paper, area, marks, scale, room=62)
    if not (picture.logarithmic_levels and _prefixed(picture)):
        paper.words(Box(area.left + 4, area.top - 2, 120, 14), picture.symbol, Role.SOFT)


def _prefixed(picture: SpectralPicture) -> bool:
    """Return whether values are written with prefixes of their unit: not of squares and densities."""
    return picture.settings.scale in ("rms", "peak")


def _power(value: float) -> str:
    """Return a power of ten with a prefix in place of the unit, which stands above the axis."""
    return with_unit(value, _VOLT, 1).removesuffix(_VOLT.symbol)


def draw_frequency_axis(
    paper: Paper, area: Box, span: tuple[float, float], logarithmic: bool, x_of: Callable[[AnyArray], FloatArray]
) -> None:
    """Draw the axis of frequencies."""
    factor, symbol = (1000.0, "kHz") if span[1] >= 5000 else (1.0, "Hz")
    if logarithmic:
        decades = decade_ticks(*span, area.width / 40)
        marks, symbol = [(f, f"{f:g}" if f < 1000 else f"{f / 1000:g} k") for f in decades], "Hz"
    else:
        marks = [(mark.value, mark.text) for mark in ticks(*span, area.width / 70, factor)]
    for value, text in marks:
        x = float(x_of(np.array(value)))
        paper.words(Box(x - 40, area.bottom + 4, 80, 14), text, Role.SOFT, align=Align.CENTRE)
    paper.words(Box(area.right - 30, area.bottom - 15, 30, 14), symbol, Role.SOFT, align=Align.RIGHT)


def _draw_curve(
    paper: Paper, area: Box, curve: DrawnCurve, columns: FloatArray, first: int, last: int, scale: tuple[float, float]
) -> None:
    """Draw a line; where several spectral lines share a column of pixels, the highest of them, or the lowest."""
    levels = np.nan_to_num(curve.levels[first:last], nan=-1e300, neginf=-1e300)
    places = columns.astype(int)
    starts = np.flatnonzero(np.diff(places, prepend=places[0] - 1))
    pick = np.minimum if curve.lowest else np.maximum
    y = area.y(pick.reduceat(levels, starts), scale)
    paper.line(np.where(len(starts) < len(places), places[starts] + 0.5, columns[starts]), y, curve.ink, curve.width, curve.dash)


def _draw_edges(paper: Paper, area: Box, picture: SpectralPicture, x_of: Callable[[AnyArray], FloatArray]) -> None:
    """Draw the two edges and their names."""
    for name, frequency in zip("ab", picture.settings.edges_hz or (), strict=False):
        x = float(x_of(np.array(frequency)))
        paper.rule(x, area.top, x, area.bottom, Role.EDGE)
        paper.bar(Box(x - 7, area.top, 14, 13), Role.EDGE)
        paper.words(Box(x - 7, area.top, 14, 13), name, Role.GROUND, 8, bold=True, align=Align.CENTRE)


def _write(paper: Paper, box: Box, area: Box, picture: SpectralPicture) -> None:
    """Write what is found above the lines, at the right; tones beside them where there is room."""
    if area.height < _HIGH - 60:
        return
    y, left = area.top + (14.0 if picture.marked_hz or picture.settings.edges_hz else 0.0), area.left + 30
    lines: list[tuple[str, Ink, bool]] = []
    if picture.edges_text:
        lines.append((picture.edges_text, Role.EDGE, True))
    if picture.headline:
        lines.append((picture.headline, Role.INK, True))
    if area.height >= _HIGH:
        lines += [(text, Role.SOFT, False) for text in picture.said]
        lines += [(name, ink, True) for name, ink in picture.names]
    lines += [(f"⚑ {text}", Role.CAUTION, False) for text in picture.cautions[: 3 if area.height >= _HIGH else 1]]
    for text, ink, bold in lines:
        paper.words(Box(left, y, area.right - left, 15), text, ink, 8.5 if bold else 8, bold=bold, align=Align.RIGHT)
        y += 15
    if picture.listed and box.width >= _WIDE:
        _write_list(paper, Box(area.right + 14, area.top, _LIST - 14, area.height), picture.listed)


def _write_list(paper: Paper, box: Box, rows: Sequence[tuple[str, ...]]) -> None:
    """Write tones in columns, as many as there is room for."""
    room = max(int(box.height // 14), 1)
    shown = rows if len(rows) <= room else rows[: room - 1]
    for k, row in enumerate(shown):
        for text, (left, width) in zip(row, _COLUMNS, strict=True):
            paper.words(Box(box.left + left, box.top + 14 * k, width, 14), text, Role.INK, 8, align=Align.RIGHT)
    if len(rows) > room:
        paper.words(Box(box.left, box.bottom - 14, box.width, 14), f"and {len(rows) - len(shown)} more", Role.SOFT, 8)
