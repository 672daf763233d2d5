"""One channel against another."""

import math
from collections.abc import Iterator

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.figures import XY, xy
from pantelos.errors import StudyError
from pantelos.notation import MISSING, number
from pantelos.notice import Notice, Severity
from pantelos.panels.panel import PanelKind, Span
from pantelos.panels.subjects import place_text, waveforms
from pantelos.paper import hues
from pantelos.paper.paper import Box, Dash, Paper, Role, beside_words, by_root, draw_axes, write_lines
from pantelos.progress import Progress
from pantelos.study.shown import Panel
from pantelos.units import Unit


class XYPicture(msgspec.Struct, frozen=True, eq=False):
    """One channel against another, and what the figure tells."""

    caption: str
    found: XY
    units: tuple[Unit, Unit]
    conductors: tuple[str, str]
    lines: tuple[str, ...]
    warning: str


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> XYPicture:
    """Return one channel against another; the panel's first is across, its second up."""
    if len(panel.channels) < 2:
        raise StudyError("Choose what goes across and what goes up in the title of this panel.")
    x, y = panel.channels[:2]
    found = xy(evaluation, x, y, panel.interval, progress)
    lines = [
        f"φ of {y} against {x}",
        f"ellipse  {_degrees(found.phase_ellipse_deg)}",
        f"spectrum  {_degrees(found.phase_spectrum_deg)}",
    ]
    if found.ratio is not None:
        lines.append(f"f  {found.ratio[0]} : {found.ratio[1]}")
    warning = ""
    if found.disagree:
        warning = "The two phases differ: another tone bends the figure. The spectrum tells the phase of the fundamental."
    elif found.ellipse is None:
        warning = "The points lie on no ellipse."
    return XYPicture(
        f"{y} against {x} · {place_text(evaluation, panel)}",
        found,
        (evaluation.names.unit(x), evaluation.names.unit(y)),
        (hues.conductor(evaluation.study, x), hues.conductor(evaluation.study, y)),
        tuple(lines),
        warning,
    )


def _disagreement(evaluation: Evaluation, panel: Panel) -> Iterator[Notice]:
    """Two ways to the same phase agree; of one that follows the view only what is seen is said."""
    if len(panel.channels) < 2 or panel.linked:
        return
    x, y = panel.channels[:2]
    found = xy(evaluation, x, y, panel.interval)
    if found.disagree:
        phases = f"ellipse {_degrees(found.phase_ellipse_deg)}, spectrum {_degrees(found.phase_spectrum_deg)}"
        said = f"two phases of {y} against {x} disagree"
        yield Notice(Severity.CAUTION, "methods.phase", said, f"{phases}: another tone bends the figure, trust the spectrum", y)


def _degrees(value: float) -> str:
    return f"{number(value, 4)}°" if math.isfinite(value) else MISSING


def paint(paper: Paper, box: Box, picture: XYPicture, span: Span) -> None:
    """Draw a figure of samples with its ellipse, and the phases beside it."""
    found = picture.found
    area, beside = beside_words(box)
    draw_axes(paper, area, found.span_x, found.span_y, picture.units)
    with paper.clipped(area):
        paper.shades(area, by_root(found.density), picture.conductors[1])
        if found.ellipse is not None:
            x, y = found.ellipse.points()
            paper.line(area.x(x, found.span_x), area.y(y, found.span_y), Role.EDGE, 1.2, Dash.DASHED)
    write_lines(paper, beside, picture.lines, picture.warning)


ACROSS_UP = PanelKind(
    id="xy",
    title="X–Y",
    help="One channel against another, with the phase by ellipse and by spectrum",
    subjects=waveforms,
    picture=picture_of,
    paint=paint,
    concerns=_disagreement,
    n_channels=2,
    narrowest=300,
    place=4,
)
