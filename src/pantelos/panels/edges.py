"""What every shown channel reads at a and b."""

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.instants import EdgeValues, edge_values
from pantelos.formula.compiled import Kind
from pantelos.panels.panel import PanelKind, Takes
from pantelos.panels.subjects import nothing, place_text
from pantelos.paper import hues
from pantelos.progress import Progress
from pantelos.study.shown import Panel


class EdgeTable(msgspec.Struct, frozen=True):
    """What every shown channel reads at the edges."""

    caption: str
    rows: tuple[EdgeValues, ...]
    conductors: tuple[str, ...]


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> EdgeTable:
    """Return what the shown channels read at both edges."""
    place = evaluation.times.interval(panel.interval)
    names = [
        n
        for lane in evaluation.study.lanes
        for n in lane.channels
        if n in evaluation.names.types and evaluation.names.kind(n) is not Kind.SCALAR
    ]
    rows = tuple(edge_values(evaluation, names, place.start_s, place.stop_s))
    caption = f"{place_text(evaluation, panel)} · a {place.start_s:.6g} s · b {place.stop_s:.6g} s"
    return EdgeTable(caption, rows, tuple(hues.conductor(evaluation.study, row.name) for row in rows))


EDGES = PanelKind(
    id="edges",
    title="Values at edges",
    help="What every shown channel reads at a and b",
    subjects=nothing,
    picture=picture_of,
    body="pantelos.desktop.traces.panels.lists:EdgesBody",
    takes=Takes.NOTHING,
    n_channels=0,
    narrowest=300,
    place=8,
)
