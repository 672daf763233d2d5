"""What panels may be given."""

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.power.wirings import wiring
from pantelos.study.model import EventSearch, Panel


def place_text(evaluation: Evaluation, panel: Panel) -> str:
    """Return the interval a panel is taken over, in words."""
    pinned = "pinned: " if panel.interval is not None else ""
    return pinned + evaluation.times.name(panel.interval)


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
