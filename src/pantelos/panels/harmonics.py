"""Orders of a channel: components or groups, as share, level or size, over the windows of an interval."""

import math

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import minus, with_unit
from pantelos.panels.panel import PanelKind, PanelOption, Span
from pantelos.panels.subjects import place_text
from pantelos.paper import hues
from pantelos.paper.axis import ticks
from pantelos.paper.paper import Align, Box, Paper, Role, draw_value_axis
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.signal.harmonics.distortion import total_harmonic_distortion
from pantelos.signal.harmonics.harmonic_windows import over_windows
from pantelos.study.shown import OrdersShown, Panel
from pantelos.units import Unit

_DEEPEST_DB = 80.0
_BETWEEN = ("interharmonic", "centred")  # order 0 is below the fundamental


class HarmonicsPicture(msgspec.Struct, frozen=True, eq=False):
    """A level per order, the lowest first."""

    caption: str
    percent: FloatArray  # of the fundamental, dB of it, or size in the unit shown
    headline: str
    conductor: str
    first: int = 1  # the lowest order
    symbol: str = "% of 1"
    decibels: bool = False


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> HarmonicsPicture:
    """Return the orders of a channel."""
    name, shown = panel.channels[0], panel.orders
    taken = _components if shown.of == "component" and shown.over == "rms" else _windows
    rms, caption = taken(evaluation, panel, progress)
    unit = evaluation.names.unit(name)
    fundamental = float(rms[1]) if shown.of not in _BETWEEN else float(_fundamental(evaluation, panel, progress))
    given = fundamental > evaluation.samples.low_signal(name)
    first = 0 if shown.of in _BETWEEN else 1
    levels = _levels(rms[first:], fundamental if given else math.nan, shown, unit)
    symbol = {"percent": "% of 1", "dB": "dB of 1", "unit": unit.symbol}[shown.level]
    return HarmonicsPicture(
        caption,
        levels,
        _headline(rms, fundamental, shown, unit, given),
        hues.conductor(evaluation.study, name),
        first,
        symbol,
        shown.level == "dB",
    )


def _components(evaluation: Evaluation, panel: Panel, progress: Progress) -> tuple[FloatArray, str]:
    """Return the rms of the orders over every cycle of the interval."""
    name = panel.channels[0]
    orders = evaluation.harmonics([name], panel.interval, progress)
    return orders.rms[0], f"{name} · {place_text(evaluation, panel)} · {int(orders.weights.sum())} cycles"


def _windows(evaluation: Evaluation, panel: Panel, progress: Progress) -> tuple[FloatArray, str]:
    """Return components or groups over windows of so many cycles."""
    name, shown = panel.channels[0], panel.orders
    found = evaluation.harmonic_windows([name], panel.interval, progress)
    made = over_windows(found.sizes(shown.of)[:, 0])[("rms", "max", "p95").index(shown.over)]
    said = {"rms": "rms", "max": "maximum", "p95": "95 %"}[shown.over]
    kind = next(text.partition(":")[0] for text, value in _OF.choices if value == shown.of)
    windows = f"{said} of {len(found.starts)} windows of {found.n_cycles} cycles"
    return made, f"{name} · {place_text(evaluation, panel)} · {kind} · {windows}"


def _fundamental(evaluation: Evaluation, panel: Panel, progress: Progress) -> float:
    found = evaluation.harmonic_windows([panel.channels[0]], panel.interval, progress)
    return float(over_windows(np.abs(found.phasors[:, 0, 1]))[0])


def _levels(rms: FloatArray, fundamental: float, shown: OrdersShown, unit: Unit) -> FloatArray:
    with np.errstate(invalid="ignore", divide="ignore"):
        match shown.level:
            case "unit":
                return np.asarray(rms / unit.factor)
            case "dB":
                return np.asarray(20 * np.log10(rms / fundamental))
        return np.asarray(100 * rms / fundamental)


def _headline(rms: FloatArray, fundamental: float, shown: OrdersShown, unit: Unit, given: bool) -> str:
    if not given:
        return "no fundamental to speak of"
    size = with_unit(fundamental, unit, 4)
    if shown.of in _BETWEEN or shown.over != "rms":
        return size
    name = {"component": "THD", "harmonic": "THDG", "subgroup": "THDS"}[shown.of]
    return f"{name} {100 * float(total_harmonic_distortion(rms)):.2f} %   {size}"


def paint(paper: Paper, box: Box, picture: HarmonicsPicture, span: Span) -> None:
    """Draw bars of a level per order."""
    area = box.within(44, 8, 10, 30)
    paper.words(Box(area.left, box.top + 2, area.width, 18), picture.headline, Role.INK, 10, bold=True, align=Align.RIGHT)
    levels = picture.percent
    if not np.isfinite(levels).any():
        return
    scale = _scale(picture)
    draw_value_axis(paper, area, ((mark.value, minus(mark.text)) for mark in ticks(*scale, area.height / 28)), scale, room=44)
    paper.words(Box(box.left + 2, box.top + 2, 60, 14), picture.symbol, Role.SOFT)
    width = area.width / (len(levels) + 1)
    tops = np.maximum(area.y(levels, scale), area.top + 16)
    for at in np.flatnonzero(np.isfinite(levels)).tolist():
        x, top = area.left + (at + 1) * width, min(float(tops[at]), area.bottom)
        paper.bar(Box(x - width * 0.35, top, max(width * 0.7, 1.0), area.bottom - top), picture.conductor)
        if levels[at] > scale[1]:  # order 1 is cut so that the others can be seen
            paper.bar(Box(x - width * 0.35 - 1, top + 6, width * 0.7 + 2, 3), Role.GROUND)
    paper.words(Box(area.right - 40, area.bottom - 15, 40, 14), "order", Role.SOFT, align=Align.RIGHT)
    _write_orders(paper, area, picture, width)


def _scale(picture: HarmonicsPicture) -> tuple[float, float]:
    """Return the levels at the foot and the head of the axis: beside order 1 the others are seen."""
    levels = picture.percent
    if picture.decibels:
        top = float(np.nanmax(np.where(np.isfinite(levels), levels, -np.inf)))
        finite = levels[np.isfinite(levels)]
        low = 10 * math.floor(float(finite.min()) / 10)
        return max(low, top - _DEEPEST_DB), top + 5
    others = levels[1:] if picture.first else levels
    upper = float(np.nanmax(others)) if np.isfinite(others).any() else 1.0
    if picture.symbol.startswith("%"):
        return 0.0, min(max(upper * 1.25, 1.0 if picture.first else 0.01), 110.0)
    return 0.0, upper * 1.25 or 1.0


def _write_orders(paper: Paper, area: Box, picture: HarmonicsPicture, width: float) -> None:
    last = -100.0
    for at in range(len(picture.percent)):
        order, x = at + picture.first, area.left + (at + 1) * width
        if (order == 1 or order % 6 in (1, 5)) and x - last > 20:
            paper.words(Box(x - 14, area.bottom + 4, 28, 14), str(order), Role.SOFT, align=Align.CENTRE)
            last = x


_OF = PanelOption(
    "orders.of",
    (
        ("components: the line of each order", "component"),
        ("groups: lines half way to the neighbours, for emission", "harmonic"),
        ("subgroups: with the lines beside, for power quality", "subgroup"),
        ("interharmonic groups: between the orders", "interharmonic"),
        ("interharmonic subgroups: without the lines beside orders", "centred"),
    ),
    title="What",
)
HARMONICS = PanelKind(
    id="harmonics",
    title="Harmonics",
    help="Orders of a channel: components or groups",
    subjects=lambda evaluation: evaluation.references.harmonic_channels(),
    picture=picture_of,
    paint=paint,
    live=True,
    options=(
        _OF,
        PanelOption(
            "orders.level", (("% of order 1", "percent"), ("dB of order 1", "dB"), ("in its unit", "unit")), title="Level axis"
        ),
        PanelOption(
            "orders.over",
            (("rms over the windows", "rms"), ("largest window", "max"), ("95 % of the windows", "p95")),
            title="Windows",
        ),
    ),
    place=2,
)
