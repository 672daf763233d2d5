"""Cycles of a reference channel: the instants that every cycle-bound number rests on, and how sure they are."""

import math
from collections.abc import Iterator
from functools import cached_property

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray, BoolArray, FloatArray, median, percentiles
from pantelos.signal.cycles.phase_law import smooth_law
from pantelos.signal.levels.partition import Partition, from_edges

# Cycles this close to an end of the record stand on what the waveform is continued by.
_UNCERTAIN_CYCLES = 1.5
_BEYOND = 1.05  # cycles beyond the first and last crossing that are taken to be there
_STEADY = 2e-3  # spread of the periods: below, one frequency serves for the whole record


class Cycles(msgspec.Struct, frozen=True, eq=False, dict=True):
    """Where the cycles of a reference begin, in samples; which of the stretches between are cycles, and which were measured."""

    crossings: FloatArray  # (n,), positions in samples, rising
    whole: BoolArray  # (n - 1,), True where crossing k to k + 1 is a cycle; elsewhere the reference paused
    rate_hz: float
    n_samples: int
    continued: BoolArray | None = None  # (n - 1,), cycles that were not seen but continue the last period; None: there are none
    why_not: str = ""  # why there are no cycles
    by_edges: bool = False  # they run from rise to rise of a signal of two levels
    placed_within: float = 0.0  # standard uncertainty of where a crossing lies between samples, in samples
    onset_within: float = 0.0  # the same of the first one, where it is the beginning of the waveform
    seams: FloatArray | None = None  # (n_seams,), where the waveform does not go on as before, samples; None: nowhere

    @cached_property
    def partition(self) -> Partition:
        """The record taken cycle by cycle."""
        placed = self.placed_within, self.onset_within
        return from_edges(self.crossings, "cycle", self.n_samples, self.rate_hz, self.whole, *placed, n_cycles=1)

    @cached_property
    def smooth(self) -> "Cycles":
        """The same cycles, their crossings on the smooth phase of the reference: what windows of several cycles are cut by."""
        if self.by_edges or len(self.crossings) < 2:
            return self
        follows = self.whole.copy()
        if self.seams is not None:
            follows[np.clip(np.searchsorted(self.crossings, self.seams) - 1, 0, len(follows) - 1)] = False
        law = smooth_law(self.crossings, list(unbroken(follows)), self.rate_hz)
        return self if np.array_equal(law, self.crossings) else msgspec.structs.replace(self, crossings=law)

    @cached_property
    def measured(self) -> BoolArray:
        """Return which cycles were seen in the waveform."""
        return self.whole if self.continued is None else self.whole & ~self.continued

    @cached_property
    def frequency_hz(self) -> float:
        """Frequency over all measured cycles, by choice those away from the ends; NaN when there are none."""
        return self.frequency_between(0.0, float(self.n_samples))

    @cached_property
    def spread(self) -> float:
        """How much the measured periods differ over the record, largest over smallest less one; NaN below two."""
        periods = np.diff(self.crossings)[self.measured]
        if len(periods) < 2:
            return math.nan
        low, high = percentiles(periods, 2, 98)
        return float(high / low - 1)

    @cached_property
    def scatter(self) -> float:
        """How much one period differs from the next, as a share of it: small for a waveform, large for noise; NaN below three."""
        periods = np.diff(self.crossings)[self.measured]
        return median(np.abs(np.diff(periods)) / periods[1:]) if len(periods) > 2 else math.nan

    def between(self, start: float, stop: float) -> tuple[FloatArray, BoolArray]:
        """Return crossings (positions) inside start to stop, and which of the stretches between them are cycles."""
        inside = self._inside(start, stop)
        return self.crossings[inside], self.whole[inside.start : max(inside.stop - 1, inside.start)]

    def _inside(self, start: float, stop: float) -> slice:
        slack = 1e-6  # an edge that was snapped to a crossing still holds it
        low, high = np.searchsorted(self.crossings, (start - slack, stop + slack)).tolist()
        return slice(low, high)

    def n_continued(self, start: float, stop: float) -> int:
        """Return how many cycles between two positions were not seen."""
        inside = self._inside(start, stop)
        if self.continued is None:
            return 0
        return int(np.count_nonzero(self.continued[inside.start : max(inside.stop - 1, inside.start)]))

    def _periods(self, start: float, stop: float) -> tuple[FloatArray, FloatArray]:
        """Return the periods of measured cycles between two positions: of all, and of those away from the ends of the record.

        The latter are all where too few would remain.
        """
        inside = self._inside(start, stop)
        part = slice(inside.start, max(inside.stop - 1, inside.start))
        measured, crossings = self.measured[part], self.crossings[inside]
        if not measured.any():
            return np.zeros(0), np.zeros(0)
        periods = np.diff(crossings)
        margin = _UNCERTAIN_CYCLES * median(periods[measured])
        sure = (crossings[:-1] >= margin) & (crossings[1:] <= self.n_samples - margin) & measured
        return periods[measured], periods[sure] if sure.any() else periods[measured]

    def change_between(self, start: float, stop: float) -> float:
        """Return by how much the frequency changes between two positions, largest over smallest less one; 0 below two cycles."""
        _, sure = self._periods(start, stop)
        if len(sure) < 2:
            return 0.0
        low, high = (sure.min(), sure.max()) if len(sure) < 50 else percentiles(sure, 2, 98)
        return float(high / low - 1)

    def frequency_between(self, start: float, stop: float) -> float:
        """Return the number of measured cycles over their time between two positions, Hz; NaN below one cycle.

        Cycles within 1.5 cycles of an end of the record are left out where others remain and the frequency is steady.
        """
        periods, sure = self._periods(start, stop)
        if not len(periods):
            return math.nan
        used = sure if np.ptp(sure) < _STEADY * median(sure) else periods
        return float(len(used) / used.sum() * self.rate_hz)

    def held_between(self, start: float, stop: float) -> float:
        """Return how many cycles lie between two positions, not necessarily whole; NaN where there are none near."""
        frequency = self.frequency_between(start, stop)
        if not self.spread >= _STEADY or len(self.crossings) < 2:
            known = frequency if math.isfinite(frequency) else self.frequency_hz
            return (stop - start) / self.rate_hz * known
        if math.isnan(frequency) and not self._inside(start, stop).stop:
            return math.nan
        return float(self._turns(stop) - self._turns(start))

    def _turns(self, position: float) -> float:
        return float(self.turns(np.array([position]))[0])

    def turns(self, positions: FloatArray) -> FloatArray:
        """Return the phase at positions (n,), in turns from the first crossing; beyond the ends with the period there.

        Where the reference pauses or its phase jumps, each half of the stretch goes on with the period beside it: a law that
        cut through would bend what is measured up to there.
        """
        at = self.crossings
        inside = np.interp(positions, at, np.arange(len(at)))
        before = (positions - at[0]) / (at[1] - at[0])
        after = len(at) - 1 + (positions - at[-1]) / (at[-1] - at[-2])
        if len(self._broken):
            self._from_either_side(positions, inside)
        return np.asarray(np.where(positions < at[0], before, np.where(positions > at[-1], after, inside)))

    def _from_either_side(self, positions: FloatArray, turns: FloatArray) -> None:
        at = self.crossings
        cell = np.clip(np.searchsorted(at, positions, side="right") - 1, 0, len(at) - 2)
        held = np.flatnonzero(~self.whole[cell])
        k, x = cell[held], positions[held]
        earlier, later = np.maximum(k - 1, 0), np.minimum(k + 1, len(at) - 2)
        left = np.where(self.whole[earlier], (x - at[k]) / (at[earlier + 1] - at[earlier]), np.nan)
        right = np.where(self.whole[later], 1 - (at[k + 1] - x) / (at[later + 1] - at[later]), np.nan)
        seams = np.zeros(0) if self.seams is None else self.seams
        seam = np.append(seams, np.inf)[np.searchsorted(seams, at[k])]  # the first one behind the crossing
        parted = np.where(seam < at[k + 1], seam, 0.5 * (at[k] + at[k + 1]))
        share = np.where(x < parted, left, right)
        turns[held] = np.where(np.isfinite(share), k + np.clip(share, 0.0, 1.0), turns[held])

    @cached_property
    def _broken(self) -> AnyArray:
        """Which stretches are no cycles."""
        return np.flatnonzero(~self.whole)

    def beside(self, start: float, stop: float) -> "Cycles":
        """Return the cycles without those that lie beyond a pause or a jump before `start` or behind `stop`.

        What is measured inside is then judged from the inside. All of them where no cycle would be left.
        """
        inside = self._inside(start, stop)
        if not len(self._broken) or inside.stop - inside.start < 2:
            return self
        before = int(np.searchsorted(self._broken, inside.start))
        behind = int(np.searchsorted(self._broken, inside.stop - 1))
        low = int(self._broken[before - 1]) + 1 if before else 0
        high = int(self._broken[behind]) + 1 if behind < len(self._broken) else len(self.crossings)
        if low == 0 and high == len(self.crossings):
            return self
        part = slice(low, high - 1)
        continued = None if self.continued is None else self.continued[part]
        return msgspec.structs.replace(self, crossings=self.crossings[low:high], whole=self.whole[part], continued=continued)

    def position_after(self, start: float, n_cycles: float) -> float:
        """Return the position so many cycles behind another one."""
        return float(self.positions_after(start, np.array([n_cycles]))[0])

    def positions_after(self, start: float, n_cycles: FloatArray) -> FloatArray:
        """Return the same for several numbers of cycles (n,), with the periods at the ends beyond the first and last crossing."""
        wanted, at = self._turns(start) + n_cycles, self.crossings
        n = len(at) - 1
        before, behind = np.minimum(wanted, 0.0) * (at[1] - at[0]), np.maximum(wanted - n, 0.0) * (at[-1] - at[-2])
        return np.asarray(np.interp(wanted, np.arange(n + 1), at) + before + behind)

    def positions_between(self, start: float, stop: float, n: int) -> FloatArray:
        """Return `n` positions from start on, evenly in phase up to (not including) stop."""
        from scipy.interpolate import PchipInterpolator  # half a second to load

        if (own := self.beside(start, stop)) is not self:
            return own.positions_between(start, stop, n)
        low, high = np.searchsorted(self.crossings, (start, stop)).tolist()
        near = self.crossings[max(low - 4, 0) : high + 4]
        first, last = self._turns(start), self._turns(stop)
        knots = np.arange(len(near)) + max(low - 4, 0)
        inside = (near > start) & (near < stop)
        turns = np.concatenate([knots[near <= start], [first], knots[inside], [last], knots[near >= stop]])
        places = np.concatenate([near[near <= start], [start], near[inside], [stop], near[near >= stop]])
        kept = np.concatenate([[True], (np.diff(turns) > 1e-6) & (np.diff(places) > 1e-6)])
        wanted = first + (last - first) / n * np.arange(n)
        return np.asarray(PchipInterpolator(turns[kept], places[kept], extrapolate=True)(wanted), dtype=np.float64)

    def covers(self, start: float, stop: float) -> bool:
        """Return whether the reference has cycles all the way between two positions, but for about one beyond its ends."""
        at = self.crossings
        if len(at) < 2:
            return False
        first, last = at[1] - at[0], at[-1] - at[-2]
        return bool(start > at[0] - _BEYOND * first and stop < at[-1] + _BEYOND * last)

    def local_frequency(self, position: float) -> float:
        """Return the frequency of the cycle at a position, Hz; NaN without cycles."""
        if len(self.crossings) < 2:
            return math.nan
        k = int(np.clip(np.searchsorted(self.crossings, position, side="right") - 1, 0, len(self.crossings) - 2))
        return float(self.rate_hz / (self.crossings[k + 1] - self.crossings[k]))


def unbroken(whole: BoolArray) -> Iterator[tuple[int, int]]:
    """Yield (first, one past last) of the cycles that follow each other without a pause."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], whole.astype(np.int8), [0]))))
    yield from zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)


def no_cycles(rate_hz: float, n_samples: int, why_not: str) -> Cycles:
    """Return what a channel without cycles has, and why."""
    return Cycles(np.zeros(0), np.zeros(0, dtype=bool), rate_hz, n_samples, why_not=why_not)
