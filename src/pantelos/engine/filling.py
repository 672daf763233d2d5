"""Intervals by rule: every so many cycles, every so much time, between events, every operating point."""

import re
from collections.abc import Mapping
from itertools import pairwise

import numpy as np
from msgspec.structs import replace

from pantelos.amounts import NUMBER, amount, figure
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.rules import every_steady, is_alternating, rule_from
from pantelos.errors import StudyError
from pantelos.notation import duration, number, prefix_for
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind
from pantelos.signal.arrays import FloatArray
from pantelos.study.model import Interval

MOST = 2000  # intervals made at a time
RULES = ("every 10 cycles", "every 200 ms", "between events", "every stretch where n and M are steady within 1 % for 2 s")
_POINTS = re.compile(r"every (?=stretch where )")
_EVERY = re.compile(rf"every\s+(?P<length>(?P<number>{NUMBER})\s*(?P<what>\S+))")


def intervals_by_rule(
    evaluation: Evaluation, text: str, within: str | None, progress: Progress | None = None
) -> tuple[Interval, ...]:
    """Return the intervals that a rule makes, within an interval or the whole record (None); names are free ones.

    Rules: `every 10 cycles` (of the reference), `every 200 ms`, `between NAME` (of events), and `every stretch where n and M are
    steady within 1 % for 2 s`: operating points, named by what they hold.

    Raises
    ------
    StudyError
        When the rule is not understood, or makes none or too many.
    """
    place = evaluation.times.interval(within) if within is not None else evaluation.times.interval("whole record")
    if _POINTS.match(text.strip()) is not None:
        return _operating_points(evaluation, text.strip(), place)
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


def _operating_points(evaluation: Evaluation, text: str, place: Interval) -> tuple[Interval, ...]:
    """Return the steady stretches within a place, each named by the means of what is steady, with its dwell time as a note."""
    asked = replace(rule_from(_POINTS.sub("longest ", text)), text=text)
    found = [(max(a, place.start_s), min(b, place.stop_s)) for a, b in every_steady(evaluation, asked)]
    shortest = asked.length.seconds if asked.length is not None else 0.0
    kept = [(a, b) for a, b in found if b > a and b - a >= shortest]
    if not kept:
        raise StudyError(f'"{asked.text}" is nowhere so in "{place.name}".')
    taken = {interval.name for interval in evaluation.study.intervals}
    made, kinds = [], {name: "rms" if is_alternating(evaluation, name) else "mean" for name in asked.names}
    for start, stop in kept:
        interval = Interval("?", start, stop, note=f"dwell {duration(stop - start, 4)}; {asked.text}")
        stem = _held(evaluation, interval, kinds)
        name = next(free for k in range(1, MOST) if (free := stem if k == 1 else f"{stem} ({k})") not in taken)
        taken.add(name)
        made.append(replace(interval, name=name))
    return tuple(made)


def _held(evaluation: Evaluation, place: Interval, kinds: Mapping[str, str]) -> str:
    """Return what channels hold over a stretch, in words: `1450 min⁻¹, 48.2 N·m`."""
    within = evaluation.on(replace(evaluation.study, intervals=(*evaluation.study.intervals, place)))
    said = []
    for name, kind in kinds.items():
        found = reading_kind(kind)
        assert found is not None
        value = within.reading(found, [name], place.name).value
        scale, symbol = prefix_for(value, evaluation.names.unit(name))
        said.append(f"{number(float(f'{value / scale:.3g}'), 3)} {symbol}".rstrip())  # 9.9996 is the 10.0 it is held at
    return ", ".join(said)


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
