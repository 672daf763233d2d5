"""Stretches around events laid over each other."""

import msgspec

from pantelos.desktop.presenter import hues
from pantelos.desktop.presenter.panels.panel import PanelKind
from pantelos.desktop.presenter.panels.subjects import search_of, waveforms
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.figures import OUTLIER, repeats_of
from pantelos.progress import Progress
from pantelos.signal.repeats import Repeats
from pantelos.study.model import Panel
from pantelos.units import Unit


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
        (f"{len(found.events)} repeats", odd),
        outliers,
    )


REPEATS = PanelKind(
    id="repeats",
    title="Repeats",
    help="Stretches around events laid over each other",
    subjects=waveforms,
    picture=picture_of,
    painter="pantelos.desktop.traces.panels.figure_painters:draw_repeats",
    over_interval=False,
    at_events=True,
    narrowest=320,
    place=6,
)
