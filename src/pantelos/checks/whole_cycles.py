"""Intervals hold whole cycles of every reference, seen and of one frequency."""

import math
from collections.abc import Iterator

import numpy as np

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import CHANGING, SHOWN_WITHIN_CYCLES, cycles_in, evaluation_window
from pantelos.study import operations as op
from pantelos.study.finding import Finding, Remedy
from pantelos.study.model import Interval, Study
from pantelos.units import unit

_MOST_PLACES = 5  # where cycles are interrupted, that are said one by one


_SAME = 0.01  # of the frequency: two references that are one mains


def cycles(evaluation: Evaluation) -> Iterator[Notice]:
    """Check that every interval holds whole cycles of every reference, that these were seen, and that their frequency is one."""
    for reference in evaluation.references.used():
        if reference.cycles is None or reference.channel is None:
            continue
        apart = _runs_apart(evaluation, reference.cycles)
        places = [evaluation.times.interval(None)] if apart else None
        yield from _of_reference(evaluation, reference.channel, reference.cycles, places)
        for interval in evaluation.study.intervals:
            yield from _in_interval(evaluation, interval, reference.channel, reference.cycles, apart)


def _runs_apart(evaluation: Evaluation, found: Cycles) -> bool:
    """Return whether a reference turns at another frequency than the one intervals are snapped to: a machine beside its mains.

    No interval is whole in both; what is read of it rests on the whole cycles inside, as its tables say.
    """
    overall = evaluation.references.overall.cycles
    if overall is None or overall is found:
        return False
    here = [cycles.frequency_between(*evaluation.times.span(None)) for cycles in (overall, found)]
    return not abs(here[1] / here[0] - 1) < _SAME if all(math.isfinite(f) and f > 0 for f in here) else True


def _in_interval(evaluation: Evaluation, interval: Interval, name: str, found: Cycles, apart: bool) -> Iterator[Notice]:
    span = evaluation.times.span(interval.name)
    n_cycles, window = cycles_in(found, *span), evaluation_window(found, *span)
    missed = math.isfinite(n_cycles) and (n_cycles < 0.5 or abs(n_cycles - round(n_cycles)) > SHOWN_WITHIN_CYCLES)
    if missed and not apart:  # by less, what is read is made whole at its end
        used = f"readings use the {window.n_cycles} whole cycles inside" if window.n_cycles else "readings use all samples"
        yield Finding(
            Severity.NOTE,
            "interval.broken-cycles",
            f"{interval.name} holds {n_cycles:.2f} cycles of {name}",
            f"{used}; snap it to make it whole",
            name,
            remedy=Remedy(f"Snap {interval.name} to whole cycles", lambda study: _snapped(evaluation.on(study), interval.name)),
            at_s=interval.start_s,
            interval=interval.name,
        )
    if window.change > CHANGING and (not apart or interval.name == evaluation.study.active):
        yield Notice(
            Severity.CAUTION,
            "interval.changing-frequency",
            f"the frequency of {name} changes by {100 * window.change:.0f} % in {interval.name}",
            "means, THD and harmonics of the whole interval mix cycles of different length: see them per cycle, or take "
            "a shorter interval",
            name,
            at_s=interval.start_s,
            interval=interval.name,
        )


def _snapped(evaluation: Evaluation, name: str) -> Study:
    """Return the study with an interval moved to whole cycles of the reference, and active."""
    interval = evaluation.places.snapped(evaluation.study.interval(name))
    study = op.activate(evaluation.study, name)
    return op.move_interval(study, name, interval.start_s, interval.stop_s, evaluation.record.grid)


def _of_reference(evaluation: Evaluation, name: str, found: Cycles, places: list[Interval] | None) -> Iterator[Notice]:
    """Say where the cycles of a reference were not seen, and where they pause; within some places only, where such are given."""
    said = (
        (
            found.whole & ~found.measured,
            "shows no cycles from {0} to {1}",
            "the last period is continued there; what is read per cycle is that of the interruption",
        ),
        (~found.whole, "cannot be followed from {0} to {1}", "there is no cycle there: numbers over cycles leave it out"),
    )
    for marked, text, detail in said:
        edges = np.flatnonzero(np.diff(np.concatenate(([0], marked.astype(np.int8), [0]))))
        for start, stop in zip(edges[::2].tolist()[:_MOST_PLACES], edges[1::2].tolist(), strict=False):
            times = [evaluation.times.instant(float(found.crossings[k])) for k in (start, stop)]
            if places is not None and not any(place.start_s < times[1] and times[0] < place.stop_s for place in places):
                continue
            words = [with_unit(t, unit("s"), 6) for t in times]
            yield Notice(Severity.CAUTION, "reference.interrupted", f"{name} {text.format(*words)}", detail, name, at_s=times[0])


CHECK = Check("cycles", "Intervals hold whole cycles that were seen", cycles, place=6)
