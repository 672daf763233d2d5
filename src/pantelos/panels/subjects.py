"""What panels may be given."""

from collections.abc import Sequence

from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import from_to
from pantelos.power.wirings import wiring
from pantelos.study.model import EventSearch, Interval
from pantelos.study.shown import Panel


def place_text(evaluation: Evaluation, panel: Panel) -> str:
    """Return the interval a panel is taken over, in words."""
    pinned = "pinned: " if panel.interval is not None and panel.stretch_s is None else ""
    return pinned + evaluation.times.name(panel.interval)


def stretch_name(panel: Panel) -> str:
    """Return what a stretch of its own is called."""
    start, stop = panel.stretch_s or (0.0, 0.0)
    return from_to(start, stop)


def over_its_stretch(panel: Panel) -> Panel:
    """Return a panel over the interval that stands for a stretch of its own; as it is where it has none."""
    return panel if panel.stretch_s is None else replace(panel, interval=stretch_name(panel))


def with_stretches(evaluation: Evaluation, panels: Sequence[Panel], *more: Interval) -> Evaluation:
    """Return the engine on a study in which the stretches of panels are intervals too."""
    named = {stretch_name(panel): panel.stretch_s for panel in panels if panel.stretch_s is not None}
    own = tuple(Interval(name, *ends) for name, ends in named.items())
    linked = more if any(panel.linked for panel in panels) else ()
    if not (own or linked):
        return evaluation
    return evaluation.on(replace(evaluation.study, intervals=(*evaluation.study.intervals, *own, *linked)))


def alternating_connections(evaluation: Evaluation) -> list[str]:
    """Return the connections that have phasors."""
    return [c.name for c in evaluation.study.connections if wiring(c.wiring).alternating]


def signals(evaluation: Evaluation) -> list[str]:
    """Return what has one value per sample."""
    return [name for name, (of, _) in evaluation.names.types.items() if of is Kind.SIGNAL]


def waveforms(evaluation: Evaluation) -> list[str]:
    """Return what has samples, values per piece too."""
    return [name for name, (of, _) in evaluation.names.types.items() if of in (Kind.SIGNAL, Kind.SERIES)]


def everything(evaluation: Evaluation) -> list[str]:
    """Return every name."""
    return list(evaluation.names.types)


def nothing(evaluation: Evaluation) -> list[str]:
    """Return no name: the panel is given none."""
    return []


def search_of(evaluation: Evaluation, panel: Panel) -> EventSearch:
    """Return the search whose events a panel shows."""
    if panel.search is None:
        raise StudyError("Choose events in the title of this panel, or say above the list what to look for.")
    return evaluation.study.search(panel.search)
