"""Intervals by rule: every so many cycles, every so much time, between events."""

import re
from itertools import pairwise

import numpy as np

from pantelos.amounts import NUMBER, amount, figure
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.study.model import Interval

MOST = 2000  # intervals made at a time
RULES = ("every 10 cycles", "every 200 ms", "between events")
_EVERY = re.compile(rf"every\s+(?P<length>(?P<number>{NUMBER})\s*(?P<what>\S+))")


def intervals_by_rule(
    evaluation: Evaluation, text: str, within: str | None, progress: Progress | None = None
) -> tuple[Interval, ...]:
    """Return the intervals that a rule makes, within an interval or the whole record (None); names are free ones.

    Rules: `every 10 cycles` (of the reference), `every 200 ms`, `between NAME` (of events).

    Raises
    ------
    StudyError
        When the rule is not understood, or makes none or too many.
    """
    place = evaluation.times.interval(within) if within is not None else evaluation.times.interval("whole record")
    low, high = evaluation.times.positions(place.start_s, place.stop_s)
    edges, word = _edges(evaluation, text.strip(), low, high, progress)
    n = len(edges) - 1
    if n < 1:
        raise StudyError(f'"{text}" makes no interval in "{place.name}": it is too short for one. Choose a shorter length.')
    if n > MOST:
        raise StudyError(f'"{text}" makes {n} intervals; up to {MOST} are of use. Choose a longer length, or series over cycles.')
    instants = [evaluation.times.instant(edge) for edge in edges.tolist()]
    there = {(interval.start_s, interval.stop_s) for interval in evaluation.study.intervals}
    new = [(a, b) for a, b in pairwise(instants) if (a, b) not in there]
    if not new:
        raise StudyError(f'The intervals that "{text}" makes are all there already.')
    taken = {interval.name for interval in evaluation.study.intervals}
    names = [f"{word} {k + 1}" for k in range(len(new))]
    if taken & set(names):
        names = [f"{word} {len(taken) + k + 1}" for k in range(len(new))]
    return tuple(Interval(name, a, b) for name, (a, b) in zip(names, new, strict=True))


def _edges(evaluation: Evaluation, text: str, low: float, high: float, progress: Progress | None) -> tuple[FloatArray, str]:
    """Return the edges in samples, and the word that names the intervals."""
    if text.startswith("between "):
        search = evaluation.study.search(text.removeprefix("between ").strip().removeprefix("events ").strip())
        found = evaluation.events.find(search, progress).positions
        return found[(found >= low) & (found <= high)], search.name
    match = _EVERY.fullmatch(text)
    if match is None:
        raise StudyError(f'"{text}" is not a rule for intervals. Write one like {", ".join(RULES)}.')
    number, what = figure(match["number"]), match["what"]
    if not number > 0:
        raise StudyError(f'"{text}": the length must be above zero.')
    if what in ("cycles", "cycle"):
        cycles = evaluation.references.overall.cycles
        if cycles is None:
            raise StudyError("There is no reference channel with cycles to count. Choose one first.")
        crossings, _ = cycles.between(low, high)
        return np.asarray(crossings[:: max(int(number), 1)]), "cycles"
    step = amount(match["length"], "s", f"is neither a time nor cycles, in {text}.") * evaluation.record.rate_hz
    return np.asarray(low + step * np.arange(int((high - low) / step + 1e-9) + 1), dtype=np.float64), "block"
