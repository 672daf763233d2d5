"""Stretches around events laid over each other."""

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.figures import OUTLIER, repeats_of
from pantelos.notation import counted
from pantelos.panels.panel import PanelKind, Span
from pantelos.panels.subjects import search_of, waveforms
from pantelos.paper import hues
from pantelos.paper.paper import Box, Dash, Paper, Role, beside_words, by_root, draw_axes, write_lines
from pantelos.progress import Progress
from pantelos.signal.shapes.repeats import Repeats
from pantelos.study.shown import Panel
from pantelos.units import Unit, unit


class RepeatsPicture(msgspec.Struct, frozen=True, eq=False):
    """Repeats laid over each other."""

    caption: str
    found: Repeats
    unit: Unit
    conductor: str
    rate_hz: float
    lines: tuple[str, ...]
    outliers_s: tuple[float, ...]


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> RepeatsPicture:
    """Return the stretches of a channel around events, laid over each other."""
    search, name = search_of(evaluation, panel), panel.channels[0]
    found = repeats_of(evaluation, name, search, panel.around_s, progress)
    outliers = tuple(evaluation.times.instant(at) for at in found.outliers(OUTLIER).tolist())
    odd = f"{len(outliers)} unlike the others" if outliers else "none unlike the others"
    return RepeatsPicture(
        f"{name} · at {search.name}",
        found,
        evaluation.names.unit(name),
        hues.conductor(evaluation.study, name),
        evaluation.record.rate_hz,
        (counted(len(found.events), "repeat"), odd),
        outliers,
    )


def paint(paper: Paper, box: Box, picture: RepeatsPicture, span: Span) -> None:
    """Draw the density of repeats, their mean, and lowest and highest."""
    found = picture.found
    area, beside = beside_words(box)
    across = (float(found.offsets[0]) / picture.rate_hz, float(found.offsets[-1]) / picture.rate_hz)
    draw_axes(paper, area, across, found.span, (unit("s"), picture.unit))
    with paper.clipped(area):
        paper.shades(area, by_root(found.density), picture.conductor)
        x = area.left + np.linspace(0, 1, len(found.offsets)) * area.width
        for line, dash, width in ((found.low, Dash.DOTTED, 1.0), (found.high, Dash.DOTTED, 1.0), (found.mean, Dash.SOLID, 1.4)):
            paper.line(x, area.y(line, found.span), Role.INK, width, dash)
        event = float(area.x(np.array(0.0), across))
        paper.rule(event, area.top, event, area.bottom, Role.EDGE)
    odd = "The events of the odd ones can be stepped through: see the menu of this panel." if picture.outliers_s else ""
    write_lines(paper, beside, picture.lines, odd)


def _odd_ones(picture: RepeatsPicture) -> tuple[str, tuple[float, ...]]:
    return "Go to the odd ones", picture.outliers_s


REPEATS = PanelKind(
    id="repeats",
    title="Repeats",
    help="Stretches around events laid over each other",
    subjects=waveforms,
    picture=picture_of,
    paint=paint,
    leads_to=_odd_ones,
    over_interval=False,
    at_events=True,
    narrowest=320,
    place=6,
)
