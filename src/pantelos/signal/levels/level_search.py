"""Crossings of a level with hysteresis over records of any length: buckets in which nothing can happen are not read."""

import math
from collections.abc import Iterator
from typing import Any

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import BLOCK, AnyArray, BoolArray, FloatArray, Numbers, Reader
from pantelos.signal.sampling.pyramid import BUCKET, Pyramid
from pantelos.signal.sums.integrals import blocks

_APART = 8  # times as many buckets in between: those are read one by one
_AT_ONCE = 1024  # buckets looked at together
_PART = 1 << 18  # samples handed to the machine at a time
_MISSING = 2  # the mark of a missing sample, beside 1 above, -1 below, 0 in the band
_WAY = 64  # samples of the way back from a confirmation that are looked at first
_WORTH_SKIPPING = 0.5  # of the buckets: when more have to be read, reading straight through is quicker


class Crossings(msgspec.Struct, frozen=True, eq=False):
    """Where a level was crossed, in samples, rising order, and which of them rose."""

    positions: FloatArray  # (n_crossings,)
    rising: BoolArray  # (n_crossings,)

    @property
    def rises(self) -> FloatArray:
        """Positions of the rising crossings."""
        return np.asarray(self.positions[self.rising])

    @property
    def falls(self) -> FloatArray:
        """Positions of the falling crossings."""
        return np.asarray(self.positions[~self.rising])


def level_crossings(
    read: Reader, start: int, stop: int, level: float, half_width: float = 0.0, progress: Progress | None = None
) -> Crossings:
    """Return the crossings of a level between two samples, read straight through.

    A crossing is armed beyond one side of the band level ± half_width, confirmed beyond the other, and placed
    between the last two samples around the level before that, interpolated linearly. A missing sample resets. Without
    a band, a fall through samples on the level is placed at the last of them.

    Source: IEEE 181 (reference level instants); the hysteresis is a state machine of ours.

    Parameters
    ----------
    read : callable (start, stop) -> array (stop - start,), any unit
    start, stop : int, the stretch in samples
    level, half_width : float, unit of what `read` serves; half_width at least 0
    """
    machine = _Machine(read, level, half_width)
    for low, high in blocks(start, stop):
        machine.take(read(low, high), low)
        if progress is not None:
            progress.at((high - start) / (stop - start))
    return machine.found()


def crossings_in_numbers(
    numbers: Numbers, pyramid: Pyramid, start: int, stop: int, level: float, half_width: float, progress: Progress | None = None
) -> Crossings:
    """Return the same of recorded numbers in their own type, with the help of their pyramid.

    Only buckets in which the state changes are read, together with the way back to where it was last known.
    """
    machine = _Machine(lambda a, b: numbers[a:b], level, half_width, numbers.dtype)
    for x, places, share in _parts(numbers, pyramid, start, stop, machine):
        machine.take(x, places)
        if progress is not None:
            progress.at(share)
    return machine.found()


def _parts(
    numbers: Numbers, pyramid: Pyramid, start: int, stop: int, machine: "_Machine"
) -> Iterator[tuple[AnyArray, AnyArray | int, float]]:
    """Yield what the machine has to see: samples, their places, and how far it is through."""
    first, end = -(-start // BUCKET), stop // BUCKET
    wanted = _buckets_to_read(pyramid, first, end, machine) if first < end else None
    if wanted is None:
        for low, high in blocks(start, stop, _PART):
            yield numbers[low:high], low, (high - start) / (stop - start)
        return
    yield numbers[start : first * BUCKET], start, 0.0
    for low, high in blocks(0, len(wanted), _AT_ONCE):
        chosen = wanted[low:high]
        places = ((chosen + first) * BUCKET)[:, None] + np.arange(BUCKET)
        yield _buckets(numbers, chosen + first), places.ravel(), high / len(wanted)
    yield numbers[end * BUCKET : stop], end * BUCKET, 1.0


def _buckets(numbers: Numbers, chosen: AnyArray) -> AnyArray:
    """Return the numbers of some buckets, which rise, one behind the other: at once where they lie near each other."""
    low, high = int(chosen[0]), int(chosen[-1]) + 1
    if high - low <= _APART * len(chosen):
        return np.asarray(numbers[low * BUCKET : high * BUCKET].reshape(-1, BUCKET)[chosen - low].ravel())
    gaps = np.flatnonzero(np.diff(chosen) > 1)
    begins, ends = chosen[np.append(0, gaps + 1)], chosen[np.append(gaps, -1)] + 1  # of runs without a gap
    return np.concatenate([numbers[a * BUCKET : b * BUCKET] for a, b in zip(begins.tolist(), ends.tolist(), strict=True)])


def _buckets_to_read(pyramid: Pyramid, first: int, end: int, machine: "_Machine") -> AnyArray | None:
    """Return the buckets, counted from `first`, that may change the state; None when straight through is quicker.

    What lies between two of them never leaves the state that the first of them ends in.
    """
    lows, highs = pyramid.lows[0][first:end], pyramid.highs[0][first:end]
    above, below = machine.above(highs), machine.below(lows)
    missing = np.isnan(lows)
    told = np.flatnonzero(above | below | missing)  # buckets that say something about the state
    if not len(told):
        return told
    both = (above & below)[told] | missing[told]
    sign = above[told]
    change = np.ones(len(told), dtype=bool)
    change[1:] = both[1:] | both[:-1] | (sign[1:] != sign[:-1])
    at = np.flatnonzero(change)
    since = told[np.maximum(at - 1, 0)]  # the way back: from the last bucket in which the state was known
    begun = np.bincount(since, minlength=end - first + 1) - np.bincount(told[at] + 1, minlength=end - first + 1)
    wanted = np.flatnonzero(np.cumsum(begun[:-1]) > 0)
    return None if len(wanted) > _WORTH_SKIPPING * (end - first) else wanted


class _Bound:
    """A value that samples are compared with, as one of their own type; all or none reach what lies beyond it."""

    def __init__(self, value: float, bounds: "np.iinfo[Any] | None", up: bool) -> None:
        self._value: Any = value
        self._all = self._none = False
        if bounds is not None:
            whole = math.ceil(value) if up else math.floor(value)
            beyond, before = whole > bounds.max, whole < bounds.min
            self._all, self._none = (before, beyond) if up else (beyond, before)
            self._value = min(max(whole, bounds.min), bounds.max)

    def reached_by(self, x: AnyArray) -> BoolArray:
        """Return which samples are at or above it; a bound made with `up`. Missing ones are not."""
        return np.full(np.shape(x), self._all) if self._all or self._none else np.asarray(x >= self._value)

    def missed_by(self, x: AnyArray) -> BoolArray:
        """Return which samples are below it; a bound made with `up`. Missing ones are not."""
        return np.full(np.shape(x), self._none) if self._all or self._none else np.asarray(x < self._value)

    def passed_by(self, x: AnyArray) -> BoolArray:
        """Return which samples are above it; a bound made without `up`. Missing ones are not."""
        return np.full(np.shape(x), self._none) if self._all or self._none else np.asarray(x > self._value)

    def not_passed_by(self, x: AnyArray) -> BoolArray:
        """Return which samples are at or below it; a bound made without `up`. Missing ones are not."""
        return np.full(np.shape(x), self._all) if self._all or self._none else np.asarray(x <= self._value)


class _Machine:
    """The state machine, fed with consecutive samples; what is left out between them must not change the state."""

    def __init__(self, read: Reader, level: float, half_width: float, dtype: "np.dtype[Any] | None" = None) -> None:
        self._read, self._level = read, level
        self._sharp = half_width <= 0
        bounds = np.iinfo(dtype) if dtype is not None and dtype.kind in "iu" else None
        self._may_miss = dtype is None or dtype.kind == "f"
        # Whole numbers are compared with whole numbers in their own type: several times faster.
        self._high = _Bound(level + half_width, bounds, up=True)
        self._low = _Bound(level - half_width, bounds, up=False)
        self._least_not_below = _Bound(level, bounds, up=True)
        self._most_not_above = _Bound(level, bounds, up=False)
        self._state = 0  # -1 below, 1 above, 0 not known
        self._positions: list[FloatArray] = []
        self._rising: list[BoolArray] = []

    def above(self, x: AnyArray) -> BoolArray:
        """Return where the upper side is reached."""
        return self._high.reached_by(x)

    def below(self, x: AnyArray) -> BoolArray:
        """Return where the lower side is reached; without a band that is everything below the level."""
        return self._least_not_below.missed_by(x) if self._sharp else self._low.not_passed_by(x)

    def take(self, x: AnyArray, places: AnyArray | int) -> None:
        """Take the next samples, which lie at `places`, or from that place on."""
        if not len(x):
            return
        entries, kinds = self._entries(x)
        if not len(entries):
            return
        before = np.concatenate(([self._state], kinds[:-1]))
        turned = (kinds != before) & (kinds != 0) & (before != 0)
        self._state = int(kinds[-1])
        if turned.any():
            rising = kinds[turned] == 1
            self._positions.append(self._placed(x, entries[turned], rising, places))
            self._rising.append(rising)

    def _entries(self, x: AnyArray) -> tuple[AnyArray, AnyArray]:
        """Return where a state is entered, and which: 1 above, -1 below, 0 missing."""
        above = self.above(x)
        missing = self._may_miss and bool(np.isnan(np.add.reduce(x)))
        if self._sharp and not missing:  # everything is above or below: one comparison tells both
            entries = np.concatenate(([0], _changes(above)))
            return entries, np.where(above[entries], 1, -1)
        state = above.view(np.int8) - self.below(x).view(np.int8)
        if missing:
            state[np.isnan(x)] = _MISSING
        entries = np.concatenate(([0], _changes(state)))
        entries = entries[state[entries] != 0]
        kinds = state[entries]
        return entries, np.where(kinds == _MISSING, 0, kinds)

    def _placed(self, x: AnyArray, confirmed: AnyArray, rising: BoolArray, places: AnyArray | int) -> FloatArray:
        """Return where the level was crossed last before each confirmation."""
        pair = confirmed - 1  # the sample before the level is crossed
        searched = pair < 0 if self._sharp else ~self._on_former_side(x[np.maximum(pair, 0)], rising) | (pair < 0)
        waiting = np.flatnonzero(searched)
        if 0 < len(waiting) * _WAY < len(x) // 4:  # a short way back is looked at for all at once
            ways = np.maximum(confirmed[waiting, None] - np.arange(_WAY), 0)
            former = self._on_former_side(x[ways], rising[waiting, None])
            steps = former.argmax(axis=1)
            pair[waiting] -= steps - 1
            waiting = waiting[steps == 0]
        if len(waiting) and not self._sharp:
            pair[waiting] = self._last_crossed(x, confirmed[waiting], rising[waiting])
        first = np.asarray(x[pair], dtype=np.float64)
        with np.errstate(divide="ignore", invalid="ignore"):
            share = (self._level - first) / (np.asarray(x[pair + 1], dtype=np.float64) - first)
        positions = (pair + places if isinstance(places, int) else places[pair]) + share
        for k in np.flatnonzero(pair < 0):
            at = int(confirmed[k])
            positions[k] = self._searched_back(at + places if isinstance(places, int) else int(places[at]), bool(rising[k]))
        return np.asarray(positions)

    def _on_former_side(self, x: AnyArray, rising: BoolArray) -> BoolArray:
        """Return which samples lie on the side that a crossing comes from."""
        return np.asarray(np.where(rising, self._least_not_below.missed_by(x), self._most_not_above.passed_by(x)))

    def _last_crossed(self, x: AnyArray, confirmed: AnyArray, rising: BoolArray) -> AnyArray:
        """Return the same for slow passages, all of them at once; -1 where the passage began in an earlier part."""
        pair = np.full(len(confirmed), -1)
        sides = self._least_not_below.missed_by(x), self._most_not_above.passed_by(x)
        for which, side in zip((rising, ~rising), sides, strict=True):
            changes = _changes(side)
            crossed = np.concatenate((changes[~side[changes]] - 1, [-1]))
            pair[which] = crossed[np.searchsorted(crossed[:-1], confirmed[which]) - 1]
        return pair

    def _searched_back(self, confirmed: int, rising: bool) -> float:
        """Return the crossing of a passage that began in an earlier part, block by block backwards."""
        if self._sharp:
            before, after = np.asarray(self._read(confirmed - 1, confirmed + 1), dtype=np.float64)
            return float(confirmed - 1 + (self._level - before) / (after - before))
        stop = confirmed + 1
        while stop > 1:
            start = max(stop - BLOCK, 0)
            x = np.asarray(self._read(start, stop), dtype=np.float64)
            pairs = np.flatnonzero(
                (x[:-1] < self._level) & (x[1:] >= self._level) if rising else (x[:-1] > self._level) & (x[1:] <= self._level)
            )
            if len(pairs):
                k = int(pairs[-1])
                return float(start + k + (self._level - x[k]) / (x[k + 1] - x[k]))
            stop = start + 1
        return float(confirmed)

    def found(self) -> Crossings:
        """Return the crossings confirmed so far."""
        if not self._positions:
            return Crossings(np.zeros(0), np.zeros(0, dtype=bool))
        return Crossings(np.concatenate(self._positions), np.concatenate(self._rising))


def _changes(marks: AnyArray) -> AnyArray:
    """Return where marks of one byte differ from the one before. Eight at a time are looked at, for changes are rare."""
    n = len(marks) - 1
    differ = np.zeros(-(-n // 8) * 8, dtype=np.uint8)
    np.bitwise_xor(marks[1:].view(np.uint8), marks[:-1].view(np.uint8), out=differ[:n])
    eights = np.flatnonzero(differ.view(np.uint64) != 0)
    row, column = np.nonzero(differ.reshape(-1, 8)[eights] != 0)
    return np.asarray(8 * eights[row] + column + 1)
