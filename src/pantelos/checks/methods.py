"""Two ways to the same number agree."""

import math
from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.reading.kinds import reading_kind
from pantelos.units import unit

_FREQUENCIES_AGREE = 0.005
_EDGES_AGREE = 0.01
_LONGEST = 1 << 23  # samples: beyond, finding edges takes longer than a check is worth


def methods(evaluation: Evaluation) -> Iterator[Notice]:
    """Check that two ways to the same number agree: frequency by fundamental, edges and cursors."""
    yield from _frequency_of_reference(evaluation)
    yield from _cursors(evaluation)


def _frequency(evaluation: Evaluation, reading: str, name: str) -> float:
    kind = reading_kind(reading)
    assert kind is not None
    try:
        return evaluation.reading(kind, [name]).value
    except PantelosError:
        return math.nan


def _frequency_of_reference(evaluation: Evaluation) -> Iterator[Notice]:
    name = evaluation.references.overall.channel
    if name is None or evaluation.study.active is None or name not in evaluation.names.types:
        return
    start, stop = evaluation.times.span(None)
    if stop - start > _LONGEST:
        return
    one, other = (_frequency(evaluation, reading, name) for reading in ("frequency", "edge_frequency"))
    if math.isfinite(one) and math.isfinite(other) and abs(other / one - 1) > _FREQUENCIES_AGREE:
        said = f"fundamental {with_unit(one, unit('Hz'), 5)}, edges {with_unit(other, unit('Hz'), 5)}"
        detail = f"{said}: it has several edges per cycle or none"
        yield Notice(Severity.CAUTION, "methods.frequency", f"two frequencies of {name} disagree", detail, name)


def _cursors(evaluation: Evaluation) -> Iterator[Notice]:
    """Edges that ride on one channel, about a whole number of its cycles apart, tell its frequency too."""
    interval = evaluation.study.active_interval
    if interval is None or interval.rides[0] is None or interval.rides[0] != interval.rides[1]:
        return
    name = interval.rides[0]
    frequency = _frequency(evaluation, "frequency", name) if name in evaluation.names.types else math.nan
    n_cycles = round(frequency * interval.length_s) if math.isfinite(frequency) else 0
    if not 1 <= n_cycles <= 5:
        return
    by_edges = n_cycles / interval.length_s
    if _EDGES_AGREE < abs(by_edges / frequency - 1) < 0.1:
        said = f"edges {with_unit(by_edges, unit('Hz'), 4)}, automatic {with_unit(frequency, unit('Hz'), 5)}"
        detail = f"{said}: move the edges onto crossings"
        yield Notice(Severity.CAUTION, "methods.cursors", f"the edges on {name} tell another frequency", detail, name)


CHECK = Check("methods", "Two ways to the same number agree", methods, place=9)
