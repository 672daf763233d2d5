"""Values or recorded codes by size."""

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.figures import Values, values_of
from pantelos.notation import beside, counted, number, with_unit
from pantelos.panels.panel import PanelKind, PanelOption, Span
from pantelos.panels.subjects import place_text, waveforms
from pantelos.paper import hues
from pantelos.paper.paper import Box, Dash, Paper, Role, beside_words, draw_axes, write_lines
from pantelos.progress import Progress
from pantelos.study.shown import Panel
from pantelos.units import ONE, Unit


class HistogramPicture(msgspec.Struct, frozen=True, eq=False):
    """How values or codes are distributed."""

    caption: str
    found: Values
    unit: Unit
    conductor: str
    lines: tuple[str, ...]


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> HistogramPicture:
    """Return the values or codes of a channel by size."""
    name = panel.channels[0]
    found, shown = values_of(evaluation, name, panel.interval, panel.codes, progress), evaluation.names.unit(name)
    if found.codes is not None:
        lines = [
            f"mean  {number(found.mean, 6)}",
            f"σ  {number(found.sigma, 4)}",
            f"{found.codes[0]} of {found.codes[1]} codes used",
        ]
        shown = ONE
    else:
        lines = [
            f"mean  {beside(found.mean, found.sigma, shown)}",
            f"σ  {with_unit(found.sigma, shown, 4)}",
            counted(found.found.n, "sample"),
        ]
    what = "codes" if panel.codes else "values"
    return HistogramPicture(
        f"{name} · {what} · {place_text(evaluation, panel)}", found, shown, hues.conductor(evaluation.study, name), tuple(lines)
    )


def paint(paper: Paper, box: Box, picture: HistogramPicture, span: Span) -> None:
    """Draw bars per class, the mean and one standard deviation either side."""
    found, shown = picture.found.found, picture.found
    if not found.n:
        return
    area, beside = beside_words(box)
    across, up = (float(found.edges[0]), float(found.edges[-1])), (0.0, float(found.counts.max()) * 1.08)
    draw_axes(paper, area, across, up, (picture.unit, ONE))
    starts = np.arange(0, len(found.counts), max(int(len(found.counts) / max(area.width, 1)), 1))
    tallest = np.maximum.reduceat(found.counts, starts)
    width = area.width / len(starts)
    tops = area.y(tallest.astype(np.float64), up)
    for at in np.flatnonzero(tallest).tolist():
        wide = max(width - (1 if width > 3 else 0), 1.0)
        paper.bar(Box(area.left + at * width, tops[at], wide, area.bottom - tops[at]), picture.conductor)
    with paper.clipped(area):
        for by, dash in ((0.0, Dash.SOLID), (-shown.sigma, Dash.DASHED), (shown.sigma, Dash.DASHED)):
            x = float(area.x(np.array(shown.mean + by), across))
            paper.rule(x, area.top, x, area.bottom, Role.EDGE, dash)
    write_lines(paper, beside, picture.lines)


HISTOGRAM = PanelKind(
    id="histogram",
    title="Histogram",
    help="Values or recorded codes by size",
    subjects=waveforms,
    picture=picture_of,
    paint=paint,
    live=True,
    narrowest=300,
    options=(PanelOption("codes", (("values", False), ("codes as recorded", True))),),
    place=5,
)
