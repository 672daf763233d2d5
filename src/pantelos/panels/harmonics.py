"""Share of the fundamental per order."""

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import with_unit
from pantelos.panels.panel import PanelKind, Span
from pantelos.panels.subjects import place_text
from pantelos.paper import hues
from pantelos.paper.axis import ticks
from pantelos.paper.paper import Align, Box, Paper, Role, draw_value_axis
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.signal.distortion import total_harmonic_distortion
from pantelos.study.model import Panel


class HarmonicsPicture(msgspec.Struct, frozen=True, eq=False):
    """Share of the fundamental per order, percent, order 1 first."""

    caption: str
    percent: FloatArray
    headline: str
    conductor: str


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> HarmonicsPicture:
    """Return the orders of a channel against its fundamental."""
    name = panel.channels[0]
    orders = evaluation.harmonics([name], panel.interval, progress)
    rms = orders.rms[0]
    caption = f"{name} · {place_text(evaluation, panel)} · {int(orders.weights.sum())} cycles"
    given = rms[1] > evaluation.samples.low_signal(name)
    with np.errstate(invalid="ignore", divide="ignore"):
        percent = np.where(given, 100 * rms[1:] / rms[1], np.nan)
    thd = 100 * float(total_harmonic_distortion(rms))
    headline = (
        f"THD {thd:.2f} %   {with_unit(float(rms[1]), evaluation.names.unit(name), 4)}" if given else "no fundamental to speak of"
    )
    return HarmonicsPicture(caption, percent, headline, hues.conductor(evaluation.study, name))


def paint(paper: Paper, box: Box, picture: HarmonicsPicture, span: Span) -> None:
    """Draw bars of the share of the fundamental per order."""
    area = box.within(44, 8, 10, 30)
    paper.words(Box(area.left, box.top + 2, area.width, 18), picture.headline, Role.INK, 10, bold=True, align=Align.RIGHT)
    percent = picture.percent
    if not np.isfinite(percent).any():
        return
    upper = float(np.nanmax(percent[1:])) if np.isfinite(percent[1:]).any() else 1.0
    scale = (0.0, min(max(upper * 1.25, 1.0), 110.0))
    draw_value_axis(paper, area, ((mark.value, mark.text) for mark in ticks(*scale, area.height / 28)), scale, room=44)
    paper.words(Box(box.left + 2, box.top + 2, 44, 14), "% of 1", Role.SOFT)
    width = area.width / (len(percent) + 1)
    tops = np.maximum(area.y(percent, scale), area.top + 16)
    for order in (np.flatnonzero(np.isfinite(percent)) + 1).tolist():
        x, top = area.left + order * width, float(tops[order - 1])
        paper.bar(Box(x - width * 0.35, top, max(width * 0.7, 1.0), area.bottom - top), picture.conductor)
        if percent[order - 1] > scale[1]:  # order 1 is cut so that the others can be seen
            paper.bar(Box(x - width * 0.35 - 1, top + 6, width * 0.7 + 2, 3), Role.GROUND)
    paper.words(Box(area.right - 40, area.bottom - 15, 40, 14), "order", Role.SOFT, align=Align.RIGHT)
    last = -100.0
    for order in range(1, len(percent) + 1):
        x = area.left + order * width
        if (order == 1 or order % 6 in (1, 5)) and x - last > 20:
            paper.words(Box(x - 14, area.bottom + 4, 28, 14), str(order), Role.SOFT, align=Align.CENTRE)
            last = x


HARMONICS = PanelKind(
    id="harmonics",
    title="Harmonics",
    help="Share of the fundamental per order",
    subjects=lambda evaluation: evaluation.references.harmonic_channels(),
    picture=picture_of,
    paint=paint,
    place=2,
)
