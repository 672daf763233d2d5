"""Where the rules of intervals hold in a record."""

import math
from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.rules.rule import Instant, Length, Rule, rule_from
from pantelos.errors import PantelosError, StudyError
from pantelos.notation import counted, duration, with_unit
from pantelos.record.record import Record
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.shapes.steady import noise_widens, steady_stretches
from pantelos.study.model import Interval, Study
from pantelos.study.sentences import search_from

_BLOCKS = 4000  # that a record is cut into, to see where it is steady
_OF_LENGTH = 50  # blocks in the shortest stretch that is asked for, at least
_FEWEST = 5  # blocks in a stretch
_READ = 1 << 20


def with_places(study: Study, record: Record) -> tuple[Study, dict[str, str]]:
    """Return the study with every interval that has a rule where the rule finds it, and why some are not found.

    Those not found are left out of the study: numbers of theirs are not given, for that reason.
    """
    lost: dict[str, str] = {}
    for interval in study.intervals:
        if not interval.rule:
            continue
        try:
            found = find(Evaluation(study, record), interval)
        except PantelosError as error:
            lost[interval.name] = str(error)
            continue
        study = replace(study, intervals=tuple(found if one.name == interval.name else one for one in study.intervals))
    if lost:
        kept = tuple(one for one in study.intervals if one.name not in lost)
        active = study.active if study.active not in lost else kept[0].name if kept else None
        study = replace(study, intervals=kept, active=active)
    return study, lost


def find(evaluation: Evaluation, interval: Interval) -> Interval:
    """Return an interval where its rule finds it.

    Raises
    ------
    StudyError
        When the rule is not understood, or nothing in the record fits.
    """
    rule = rule_from(interval.rule)
    start, stop = _FINDERS[rule.form](evaluation, rule)
    low, high = evaluation.record.start_s, evaluation.times.instant(evaluation.record.n_samples)
    near = 0.5 / evaluation.record.rate_hz
    if start < low - near or stop > high + near:
        late = (
            f"the record ends {duration(stop - high, 3)} before it would"
            if stop > high
            else "it would begin before the record does"
        )
        raise StudyError(f'no place "{interval.name}" by its rule {rule.text}: {late}.')
    if not stop > start:
        raise StudyError(f'no place "{interval.name}" by its rule {rule.text}: it would end before it begins.')
    found = replace(interval, start_s=max(start, low), stop_s=min(stop, high))
    return evaluation.places.snapped(found) if rule.whole else found


def _at(evaluation: Evaluation, instant: Instant, behind: float = -math.inf) -> float:
    """Return an instant, s; of events only those behind another instant count."""
    if instant.at_start:
        return evaluation.record.start_s
    if instant.at_end:
        return evaluation.times.instant(evaluation.record.n_samples)
    if not instant.event:
        return instant.seconds
    study = evaluation.study
    named = next((search for search in study.searches if search.name == instant.event), None)
    search = named if named is not None else search_from(instant.event, evaluation.names.types)
    found = [evaluation.times.instant(at) for at in evaluation.events.find(search).positions.tolist()]
    found = [at for at in found if at > behind]
    if len(found) < abs(instant.number):
        how = "never happens" if not found else f"happens only {counted(len(found), 'time')}"
        low, high, words = _extent(evaluation, search.channel)
        inside = not search.level.relative and low < search.level.value < high and not found
        said = ". Its hysteresis is not passed; state a smaller one, such as hysteresis 1 %" if inside else ""
        raise StudyError(f'"{instant.event}" {how}: {search.channel} lies between {words} here{said}.')
    return found[instant.number - 1 if instant.number > 0 else instant.number] + instant.seconds


def _extent(evaluation: Evaluation, name: str) -> tuple[float, float, str]:
    """Return the smallest and the largest value of a channel, SI and in words."""
    wave = evaluation.samples.waveform(name)
    low, high = math.inf, -math.inf
    for first in range(0, wave.n_samples, _READ):
        x = wave.read(first, min(first + _READ, wave.n_samples))
        if np.isfinite(x).any():
            low, high = min(low, float(np.nanmin(x))), max(high, float(np.nanmax(x)))
    return low, high, f"{with_unit(low, wave.unit, 4)} and {with_unit(high, wave.unit, 4)}"


def _seconds(evaluation: Evaluation, length: Length, start: float, forwards: bool = True) -> float:
    """Return how long a length is, s, from an instant on or up to it."""
    if not length.cycles:
        return length.seconds
    cycles = evaluation.references.overall.cycles
    if cycles is None:
        raise StudyError("There is no reference channel with cycles to count. Choose one first.")
    (position,) = evaluation.times.positions(start)
    crossings = cycles.crossings
    at = int(np.searchsorted(crossings, position - 1e-6))
    other = at + length.cycles if forwards else at - 1 - length.cycles
    near = at if forwards else at - 1
    if not 0 <= min(near, other) or max(near, other) >= len(crossings):
        raise StudyError(
            f"there are no {length.cycles} cycles of the reference {'behind' if forwards else 'before'} that instant."
        )
    return abs(float(crossings[other] - crossings[near])) / evaluation.record.rate_hz


def _span(evaluation: Evaluation, rule: Rule) -> tuple[float, float]:
    assert rule.start is not None and rule.stop is not None
    start = _at(evaluation, rule.start)
    return start, _at(evaluation, rule.stop, start if rule.stop.event else -math.inf)


def _with_length(evaluation: Evaluation, rule: Rule) -> tuple[float, float]:
    assert rule.start is not None and rule.length is not None
    start = _at(evaluation, rule.start)
    return start, start + _seconds(evaluation, rule.length, start)


def _edge(evaluation: Evaluation, rule: Rule) -> tuple[float, float]:
    assert rule.length is not None
    low, high = evaluation.record.start_s, evaluation.times.instant(evaluation.record.n_samples)
    if rule.which == "first":
        return low, low + _seconds(evaluation, rule.length, low)
    return high - _seconds(evaluation, rule.length, high, forwards=False), high


def _extreme(evaluation: Evaluation, rule: Rule) -> tuple[float, float]:
    assert rule.length is not None
    (name,) = rule.names
    wave = _wave(evaluation, name)
    best, best_at = -math.inf, -1
    sign = 1 if rule.which == "largest" else -1
    for first in range(0, wave.n_samples, _READ):
        x = sign * wave.read(first, min(first + _READ, wave.n_samples))
        if np.isfinite(x).any() and float(np.nanmax(x)) > best:
            best, best_at = float(np.nanmax(x)), first + int(np.nanargmax(x))
    if best_at < 0:
        raise StudyError(f"{name} has no value anywhere.")
    at = evaluation.times.instant(best_at)
    if rule.side == "around":
        half = 0.5 * _seconds(evaluation, rule.length, at)
        return at - half, at + half
    length = _seconds(evaluation, rule.length, at, rule.side == "after")
    return (at - length, at) if rule.side == "before" else (at, at + length)


def _steady(evaluation: Evaluation, rule: Rule) -> tuple[float, float]:
    """Return the longest stretch in which channels keep their values; alternating ones their rms."""
    return max(every_steady(evaluation, rule), key=lambda one: one[1] - one[0])


def every_steady(evaluation: Evaluation, rule: Rule) -> list[tuple[float, float]]:
    """Return every stretch, s, in which channels keep their values, in the order of time.

    Raises
    ------
    StudyError
        When there is none: saying how long the longest is.
    """
    rate, n = evaluation.record.rate_hz, evaluation.record.n_samples
    shortest = _seconds(evaluation, rule.length, evaluation.record.start_s) if rule.length is not None else 0.0
    step = max(n // _BLOCKS, 1)
    if shortest:
        step = max(min(step, int(shortest * rate / _OF_LENGTH)), 1)
    coarsest = max(int((shortest * rate or n) / (2 * _FEWEST)), step)
    while True:
        rows = [_means(_wave(evaluation, name), step, is_alternating(evaluation, name)) for name in rule.names]
        there = [row[np.isfinite(row)] for row in rows]
        noisy = any(len(row) and noise_widens(row) > rule.band * float(np.median(np.abs(row))) for row in there)
        if not noisy or 2 * step > coarsest:
            break
        step *= 2  # longer blocks hold less noise
    fewest = max(math.ceil(shortest * rate / step), _FEWEST)
    found = steady_stretches(rows, rule.band, fewest)
    if not found:
        longest = steady_stretches(rows, rule.band, 1)
        most = max((end - first for first, end in longest), default=0) * step / rate
        raise StudyError(f"{rule.text}: the longest stretch that is so lasts {duration(most, 3)}.")
    instant = evaluation.times.instant
    return [(instant(first * step), instant(min(end * step, n))) for first, end in sorted(found)]


def _wave(evaluation: Evaluation, name: str) -> Waveform:
    if name not in evaluation.names.types:
        raise StudyError(f'There is no channel "{name}" to look at; there are {", ".join(evaluation.names.types)}.')
    return evaluation.samples.waveform(name)


def is_alternating(evaluation: Evaluation, name: str) -> bool:
    """Return whether a channel swings about zero: its size is its rms, not its mean."""
    wave = evaluation.samples.waveform(name)
    middle = wave.n_samples // 2
    x = wave.read(max(middle - _READ // 2, 0), min(middle + _READ // 2, wave.n_samples))
    x = x[np.isfinite(x)]
    return bool(len(x)) and abs(float(np.mean(x))) < 0.2 * float(np.sqrt(np.mean(x**2)))


def _means(wave: Waveform, step: int, alternating: bool) -> FloatArray:
    """Return means of blocks of samples, or their rms, (n // step,), NaN where a block misses samples."""
    n = wave.n_samples // step
    found = np.empty(n)
    at_once = max(_READ // step, 1)
    for first in range(0, n, at_once):
        last = min(first + at_once, n)
        x = wave.read(first * step, last * step).reshape(last - first, step)
        found[first:last] = np.sqrt(np.mean(x**2, axis=1)) if alternating else np.mean(x, axis=1)
    return found


_FINDERS: dict[str, Callable[[Evaluation, Rule], tuple[float, float]]] = {
    "span": _span,
    "length": _with_length,
    "edge": _edge,
    "steady": _steady,
    "extreme": _extreme,
}
