"""Where a waveform does not go on as before: ends, missing samples, steps; and its crossings seen from each side alone.

The filter that cycles are found with mixes both sides of a step for some cycles. Here a step is found by what one cycle differs
from the next, and the crossings within those cycles are placed anew by a periodic waveform fitted to one side of it, up to the
last sample that still belongs to that side.
"""

from functools import cache
from itertools import pairwise
from typing import NamedTuple

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray, median
from pantelos.signal.cycles.fundamental import LEAST_PEAK, Crossed, Floor
from pantelos.signal.cycles.periodic_fit import PeriodicFit, fit_periodic

_POINTS = 32  # of a cycle, at which it is held against the next
_STANDS_OUT, _LEAST = 8.0, 1e-3  # times what cycles usually differ by; of the size of the waveform
_BLOCK = 64  # cycles that tell what is usual
_MOST = 24  # steps: of a waveform that has more none is looked at, it is no steps that it is made of
_REACH, _REPLACED = 12, 8  # cycles that are fitted, and that the filter may have mixed
_REACHES = ((_REACH, _REPLACED), (4, 2.5))  # the same where the waveform does not keep its law for longer
_LEFT = 0.05  # of the rms of the fundamental that a fit may leave
_HOPELESS = 0.3  # of the rms of the fundamental: what leaves more does not become a fit by a changing frequency
_FEWEST_DRIFTING = 3.0  # cycles in which a changing frequency is seen
_UNSURE = 0.005  # turns
_CERTAIN, _BEYOND_DOUBT = 1e-6, 4.0  # turns; times what a fit is unsure by that the filter must be off to be corrected
_DRIFTS, _BETTER = 1e-7, 0.97  # of what is left: by so much better a fit with a changing frequency must be
_DEPARTS, _LEAST_DEPARTURE = 6.0, 1e-3  # times what is left, of the amplitude: where a waveform leaves its law
_TOGETHER = 2  # samples behind one that leaves it, of which another does: not one in noise
_ACROSS = 3.0  # cycles between what two sides surely reach, which they may span together
_LIKE_THE_FILTER = 2e-3  # turns that a fit and the filter may differ by some cycles away
_OF_ORDERS = 0.03  # turns that orders may move all crossings of the filter by
_JUMPS = 0.01  # turns between the two sides: above, the phase is not continuous
_SHORTEST = 0.97  # cycles
_LONG_GAP = 0.04  # of a cycle: shorter gaps are bridged by the filter
_NO_PERIODS = np.zeros(0)
_ON = 1e-6  # samples beyond an end at which a crossing still lies on it


class _Step(NamedTuple):
    """Between which crossings a step was told, and whether that was widened."""

    start: float
    stop: float
    widened: bool = False


class _Side(NamedTuple):
    """One end of a stretch: how far its samples surely reach, how far they may reach, and the fit up to there."""

    limit: float
    fit: PeriodicFit | None
    first: int  # sample that the positions of the fit count from
    apart: float  # turns by which the crossings of the filter are later
    replaced: float  # cycles within which they are replaced


class _Stretch(NamedTuple):
    """Samples between two seams: surely inside, and at most."""

    sure: tuple[int, int]
    most: tuple[int, int]


def with_own_sides(
    found: Crossed, x: FloatArray, rate_hz: float, floor: Floor, gaps: list[tuple[float, float]], margin: int
) -> Crossed:
    """Return the crossings, those beside seams placed from their own side, and where the phase jumps.

    Parameters
    ----------
    x : array (n_samples,), any unit, none missing
    gaps : runs of samples that were missing, positions
    margin : samples beside a seam that a filter before this one has mixed
    """
    periods = np.diff(found.crossings)
    good = found.sure[:-1] & found.sure[1:]
    if not good.any():
        return found
    usual = median(periods[good])
    gaps = [(start, stop) for start, stop in gaps if stop - start > _LONG_GAP * usual]
    if len(gaps) > _MOST:  # a waveform in shreds: each would be fitted by itself
        return found
    steps, largest = _steps(found.crossings, x, usual)
    floor = msgspec.structs.replace(floor, peak=max(floor.peak, LEAST_PEAK * largest))

    @cache
    def ends_of(one: _Stretch) -> tuple[_Side, _Side]:
        return _both_ends(x, one, found, usual, rate_hz, floor, margin)

    def sides_of(steps: list[_Step]) -> tuple[list[_Stretch], list[tuple[_Side, _Side]]]:
        stretches = _stretches(steps, gaps, len(x), margin, usual)
        return stretches, [ends_of(one) for one in stretches]

    stretches, sides = sides_of(steps)
    while (moved := _moved(steps, stretches, sides, usual)) != steps:
        steps = moved
        stretches, sides = sides_of(steps)
    for step in [step for step in steps if _unseen(step, stretches, sides)]:
        without = [other for other in steps if other is not step]
        merged = sides_of(without)
        around = [ends for one, ends in zip(*merged, strict=True) if one.most[0] < step.start < one.most[1]]
        if any(left.fit is not None and right.fit is not None for left, right in around):
            steps, (stretches, sides) = without, merged
    return _placed(found, len(x), sides, usual, margin)


def _moved(steps: list[_Step], stretches: list[_Stretch], sides: list[tuple[_Side, _Side]], usual: float) -> list[_Step]:
    """Return the steps, those that a waveform keeps its law all through moved by a cycle, or left out where they were already."""
    kept = []
    for step in steps:
        way = _goes_on(step, stretches, sides, usual)
        if way and not step.widened:
            kept.append(_Step(step.start - usual * (way < 0), step.stop + usual * (way > 0), True))
        elif not way:
            kept.append(step)
    return kept


def _goes_on(step: _Step, stretches: list[_Stretch], sides: list[tuple[_Side, _Side]], usual: float) -> int:
    """Return which way a waveform keeps the law of one side all through a step: 1 that before it, -1 that behind it, or 0."""
    low, high = _bounds(step, usual)
    for at, one in enumerate(stretches):
        left, right = sides[at]
        if right.fit is not None and abs(one.most[1] - high) <= 1 and right.limit >= one.most[1] - 1:
            return 1
        if left.fit is not None and at and abs(one.most[0] - low) <= 1 and left.limit <= one.most[0] + 1:
            return -1
    return 0


def _unseen(step: _Step, stretches: list[_Stretch], sides: list[tuple[_Side, _Side]]) -> bool:
    """Return whether nothing is fitted on either side of a step."""
    before = [ends[1].fit for one, ends in zip(stretches, sides, strict=True) if one.sure[1] <= step.start + 1]
    behind = [ends[0].fit for one, ends in zip(stretches, sides, strict=True) if one.sure[0] >= step.stop - 1]
    return not (before and before[-1]) and not (behind and behind[0])


def _bounds(step: _Step, usual: float) -> tuple[float, float]:
    """Return between which positions a step lies, told by two crossings that the filter may have moved."""
    return step.start - 0.1 * usual, step.stop + 0.6 * usual


def _steps(crossings: FloatArray, x: FloatArray, usual_period: float) -> tuple[list[_Step], float]:
    """Return between which positions steps lie, where a cycle differs unusually from the one before; and the largest peak.

    Where the second of the two is longer than usual, as at the beginning of silence, the step may lie as much later.
    """
    along = np.arange(_POINTS) / _POINTS
    at = crossings[:-1, None] + np.diff(crossings)[:, None] * along
    rows = np.interp(at, np.arange(len(x)), x)
    sizes = rows.std(axis=1)
    size, largest = median(sizes), float(np.sqrt(2) * sizes.max())
    if len(rows) < 2:
        return [], largest
    differ = np.sqrt(np.mean(np.square(np.diff(rows, axis=0)), axis=1))
    blocks = np.split(differ, range(_BLOCK, len(differ), _BLOCK))
    usual = np.concatenate([np.full(len(part), np.percentile(part, 25, method="lower")) for part in blocks])
    beside = np.pad(differ, 1)
    top = (differ >= beside[:-2]) & (differ > beside[2:])
    told = np.flatnonzero(top & (differ > np.maximum(_STANDS_OUT * usual, _LEAST * size)))
    if len(told) > _MOST:
        return [], largest
    longer = np.maximum(np.diff(crossings) - usual_period, 0.0)
    return [_Step(float(crossings[k]), float(crossings[k + 1] + longer[k + 1])) for k in told.tolist()], largest


def _stretches(steps: list[_Step], gaps: list[tuple[float, float]], n: int, margin: int, usual: float) -> list[_Stretch]:
    """Return the stretches between steps, missing samples and ends, in order; a step lies anywhere around its two crossings."""
    bounds = [(0.0, float(margin), float(margin))]
    for start, stop in sorted([_bounds(step, usual) for step in steps] + gaps):
        bounds.append((start, start, stop))
    is_gap = {start for start, _ in gaps}
    found = []
    edges = [*bounds, (float(n), float(n - margin), float(n - margin))]
    for (before, _, low), (after, high, _) in pairwise(edges):
        first = low + (margin + 1 if before in is_gap else 0)
        last = high - (margin + 1 if after in is_gap else 0)
        reach_low = first if before in is_gap or before == 0.0 else before
        step_after = next((b for a, _, b in bounds if a == after), after)
        reach_high = last if after in is_gap or after == float(n) else step_after
        if last > first:
            found.append(_Stretch((round(first), round(last)), (max(round(reach_low), 0), min(round(reach_high), n))))
    return found


def _both_ends(
    x: FloatArray, one: _Stretch, found: Crossed, usual: float, rate_hz: float, floor: Floor, margin: int
) -> tuple[_Side, _Side]:
    """Return what the waveform is at either end of a stretch."""
    low, high = one.sure
    inside = (found.crossings >= low) & (found.crossings <= high)
    periods = np.diff(found.crossings[inside])[found.sure[inside][:-1] & found.sure[inside][1:]] if inside.any() else _NO_PERIODS
    sides = []
    for way in (-1, 1):
        near = periods[:_REACH] if way < 0 else periods[-_REACH:]
        period = median(near) if len(near) else usual
        sides.append(_side(x, one, way, period, found, rate_hz, floor, margin))
    return sides[0], sides[1]


def _side(
    x: FloatArray, one: _Stretch, way: int, period: float, found: Crossed, rate_hz: float, floor: Floor, margin: int
) -> _Side:
    low, high = one.sure
    for reach, replaced in _REACHES:
        n = min(round(reach * period), high - low)
        if n < _SHORTEST * period or n < 8:
            continue
        first = low if way < 0 else high - n
        fit = _best_fit(x[first : first + n], 1 / period)
        if fit is None or not _serves(fit, rate_hz, floor):
            continue
        limit = _departure(x, fit, first, (low, one.most[0]) if way < 0 else (high, one.most[1]), margin)
        if abs(limit - (low if way < 0 else high)) > 1:  # it reaches further than was sure
            a, b = (limit, first + n) if way < 0 else (first, limit)
            again = _best_fit(x[a:b], fit.rate)
            if again is not None and _serves(again, rate_hz, floor):
                fit, first = again, a
        apart, differ = _apart(fit, first, found, one.most, replaced * period)
        alike = max(_LIKE_THE_FILTER, 3 * fit.turns_u)
        if differ > alike or abs(apart) > (_OF_ORDERS if reach == _REACH else alike):
            continue
        if _tells_more(fit, first, found, one.most, apart):
            return _Side(float(limit), fit, first, apart if reach == _REACH else 0.0, replaced)
    return _Side(float(low if way < 0 else high), None, 0, 0.0, 0.0)


def _best_fit(x: FloatArray, rate: float) -> PeriodicFit | None:
    """Return the fit with a steady frequency, or one that changes where that is clearly better."""
    steady = fit_periodic(x, rate)
    if steady is None or steady.residual <= _DRIFTS:
        return steady
    if steady.residual > _HOPELESS or len(x) * rate < _FEWEST_DRIFTING:
        return steady
    moving = fit_periodic(x, steady.rate, drifts=True, orders=((len(steady.coefficients) - 2) // 2,))
    return moving if moving is not None and moving.residual < _BETTER * steady.residual else steady


def _serves(fit: PeriodicFit, rate_hz: float, floor: Floor) -> bool:
    """Return whether the waveform is what the fit says: what is left is small, and it stands out."""
    return fit.residual < _LEFT and fit.turns_u < _UNSURE and fit.amplitude >= floor.at(fit.rate * rate_hz)


def _departure(x: FloatArray, fit: PeriodicFit, first: int, way: tuple[int, int], margin: int) -> int:
    """Return how far samples keep the law of the fit, from one place on to another, the margin of a filter less."""
    start, stop = way
    at = np.arange(start, stop) if stop >= start else np.arange(start - 1, stop - 1, -1)
    if not len(at):
        return start
    away = np.abs(x[at] - fit.values((at - first).astype(np.float64)))
    most = max(_DEPARTS * fit.residual * fit.amplitude / np.sqrt(2), _LEAST_DEPARTURE * fit.amplitude)
    beyond = away > most
    near = np.pad(beyond, (0, _TOGETHER))  # beside a crossing of both laws a sample may lie on either
    gone = np.flatnonzero(beyond & np.any([near[k : k + len(at)] for k in range(1, _TOGETHER + 1)], axis=0))
    kept = int(gone[0]) if len(gone) else len(at)
    if len(gone):
        kept = max(kept - margin - 1, 0)
    return start + kept if stop >= start else start - kept


def _apart(fit: PeriodicFit, first: int, found: Crossed, stretch: tuple[int, int], replaced: float) -> tuple[float, float]:
    """Return by how many turns the filter is later than a fit where no end of the stretch disturbs it, and how much that differs.

    The filter leaves a little of the orders in, which moves all of its crossings by as much. Nothing where nothing is left of it.
    """
    low = max(stretch[0] + replaced, first)
    high = min(stretch[1] - replaced, first + 2 * fit.half)
    own = found.sure & (found.crossings >= low) & (found.crossings <= high)
    if not own.any():
        return 0.0, 0.0
    turns = fit.turns_at(found.crossings[own] - first)
    off = turns - np.round(turns)
    return median(off), float(np.ptp(off))


def _tells_more(fit: PeriodicFit, first: int, found: Crossed, stretch: tuple[int, int], apart: float) -> bool:
    """Return whether a fit corrects the filter: where it is sure, or the filter is further off than the fit may be."""
    if fit.turns_u < _CERTAIN:
        return True
    low, high = max(stretch[0], first), min(stretch[1], first + 2 * fit.half)
    own = (found.crossings >= low) & (found.crossings <= high)
    turns = fit.turns_at(found.crossings[own] - first)
    off = np.abs(turns - np.round(turns) - apart)
    missed = int(np.ptp(fit.turns_at(np.array([low, high]) - first))) - np.count_nonzero(own & found.sure) > 1
    return bool(missed or not len(off) or off.max() > _BEYOND_DOUBT * fit.turns_u)


def _placed(found: Crossed, n: int, sides: list[tuple[_Side, _Side]], usual: float, margin: int) -> Crossed:
    """Return the crossings of the filter, but beside seams those of the fits."""
    at, sure = _without_orders(found.crossings, sides), found.sure.copy()
    kept = np.ones(len(at), dtype=bool)
    new: list[FloatArray] = []
    within = 0.0
    for ends in sides:
        for way, side in zip((-1, 1), ends, strict=True):
            if side.fit is None:
                continue
            low, high = _zone(side, way, ends, usual)
            slack = margin + 1.0
            low, high = (max(low - slack, 0.0), high) if way < 0 else (low, min(high + slack, n - 1.0))
            on = min(max(_ON, 5 * side.fit.turns_u / side.fit.rate), 0.5)  # an end is as near as the fit can tell
            crossings = side.fit.crossings(low - side.first - on, high - side.first + on) + side.first
            crossings = np.clip(crossings, 0.0, n - 1.0)
            kept &= (at < low - _ON) | (at > high + _ON)
            new.append(crossings)
            within = max(within, side.fit.turns_u / side.fit.rate)
    seams, jumps = [], []
    for (_, left), (right, _) in pairwise(sides):
        middle = 0.5 * (left.limit + right.limit)
        seams.append(middle)
        if left.fit is None or right.fit is None:
            continue
        turns = [float(side.fit.turns_at(np.array([middle - side.first]))[0]) for side in (left, right)]  # type: ignore[union-attr]
        if abs(turns[0] - turns[1] - round(turns[0] - turns[1])) > _JUMPS:
            jumps.append(middle)
            kept &= ~((at > left.limit) & (at < right.limit))
        elif right.limit - left.limit < _ACROSS / left.fit.rate:  # the law goes through: it tells what lies between
            kept &= ~((at > left.limit) & (at < right.limit))
            new.append(left.fit.crossings(left.limit - left.first, middle - left.first) + left.first)
            new.append(right.fit.crossings(middle - right.first, right.limit - right.first) + right.first)
    added = np.sort(np.concatenate([np.zeros(0), *new]))
    crossings = np.concatenate([at[kept], added])
    flags = np.concatenate([sure[kept], np.ones(len(added), dtype=bool)])
    order = np.argsort(crossings, kind="stable")
    crossings, flags = crossings[order], flags[order]
    twice = np.diff(crossings) < min(0.02 * usual + 2 * margin, 0.3 * usual)
    alone = np.concatenate([[True], ~twice])[: len(crossings)]  # there may be none left
    fitted = order >= np.count_nonzero(kept)
    return msgspec.structs.replace(
        found,
        crossings=crossings[alone],
        sure=flags[alone],
        fitted=fitted[alone],
        seams=np.array(seams),
        jumps=np.array(jumps),
        within=within,
    )


def _without_orders(at: FloatArray, sides: list[tuple[_Side, _Side]]) -> FloatArray:
    """Return the crossings of the filter without what orders move them by, as fits at either end of a stretch tell it."""
    moved = at.copy()
    for ends in sides:
        told = [(side.limit, side.apart / side.fit.rate) for side in ends if side.fit is not None]
        if told and any(by for _, by in told):
            places, by = zip(*told, strict=True)
            inside = (at > ends[0].limit) & (at < ends[1].limit)
            moved[inside] -= np.interp(at[inside], places, by)
    return moved


def _zone(side: _Side, way: int, ends: tuple[_Side, _Side], usual: float) -> tuple[float, float]:
    """Return between which positions the crossings of a fit count: as far as the filter mixes, and no further than it was fitted.

    It ends half-way between two crossings, so that none is taken twice.
    """
    assert side.fit is not None
    low, high = ends[0].limit, ends[1].limit
    far = side.limit - way * min(side.replaced / side.fit.rate, 2 * side.fit.half)
    far = min(max(far, low), high)
    turns = float(side.fit.turns_at(np.array([far - side.first]))[0])
    wanted = np.floor(turns) + 0.5
    far += (wanted - turns) / side.fit.rate
    return (side.limit, far) if way < 0 else (far, side.limit)
