"""Transitions, settling and pulses: what a step or a pulse train is described by.

Source: IEEE 181 and IEC 60469 (terms and reference levels). Positions and durations are in samples.
"""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import BoolArray, FloatArray, Reader, median
from pantelos.signal.levels.level_search import Crossings, level_crossings
from pantelos.signal.levels.levels import Levels
from pantelos.signal.sums.integrals import blocks

HYSTERESIS = 0.05  # of the amplitude either side, by default
_NOISE_BAND = 3.0  # times the noise either side, where that is more
_WIDEST = 0.25  # of the amplitude
_PAUSE = 1.6  # usual periods


def reference_crossings(read: Reader, start: int, stop: int, found: Levels, share: float = 0.5) -> Crossings:
    """Return the crossings of a level at a share of the amplitude; the band around it is wider than the noise."""
    return level_crossings(read, start, stop, found.at(share), band_around(found))


def band_around(found: Levels) -> float:
    """Return half the width of the band around a level: 5 % of the amplitude or three times the noise, never a quarter of it."""
    half_width = max(HYSTERESIS * abs(found.amplitude), _NOISE_BAND * found.noise)
    return min(half_width, _WIDEST * abs(found.amplitude))


def transition_times(
    read: Reader, start: int, stop: int, found: Levels, rising: bool, low: float = 0.1, high: float = 0.9
) -> FloatArray:
    """Return transition durations in samples: from the last crossing of the first level before the middle to the first after it.

    Parameters
    ----------
    low, high : shares of the amplitude, 10 % and 90 % by default
    """
    first_share, last_share = (low, high) if rising else (high, low)
    middles = reference_crossings(read, start, stop, found)
    middles_at = middles.rises if rising else middles.falls
    begun, ended = (level_crossings(read, start, stop, found.at(share)) for share in (first_share, last_share))
    before, after = (c.rises if rising else c.falls for c in (begun, ended))
    first, last = np.searchsorted(before, middles_at) - 1, np.searchsorted(after, middles_at)
    good = (first >= 0) & (last < len(after))
    return np.asarray(after[last[good]] - before[first[good]])


class Pulses(msgspec.Struct, frozen=True, eq=False):
    """Whole periods of a pulse train: where they begin, how long they are, how long they are high."""

    starts: FloatArray  # (n_pulses,)
    periods: FloatArray  # (n_pulses,)
    widths: FloatArray  # (n_pulses,)

    @property
    def duty(self) -> float:
        """Time high over time, over all whole periods; NaN without one."""
        return float(self.widths.sum() / self.periods.sum()) if len(self.periods) else math.nan


def pulses(crossings: Crossings) -> Pulses:
    """Return the periods from rise to rise, each with the fall between."""
    rises, falls = crossings.rises, crossings.falls
    starts, ends = rises[:-1], rises[1:]
    at = np.searchsorted(falls, starts, side="right")
    inside = at < len(falls)
    starts, ends, at = starts[inside], ends[inside], at[inside]
    return Pulses(starts, ends - starts, falls[at] - starts)


def single_pulse(crossings: Crossings) -> Pulses:
    """Return the first rise that a fall follows, as a pulse whose period is not known but longer than itself."""
    rises, falls = crossings.rises, crossings.falls
    behind = falls[falls > rises[0]] if len(rises) else falls[:0]
    if not len(behind):
        return Pulses(*(np.zeros(0) for _ in range(3)))
    width = behind[:1] - rises[:1]
    return Pulses(rises[:1], width, width)


def without_pauses(found: Pulses) -> tuple[Pulses, int]:
    """Return pulses without periods clearly longer than the usual one, and how many those were: of one step among several."""
    if not len(found.periods):
        return found, 0
    kept = found.periods < _PAUSE * median(found.periods)
    return Pulses(found.starts[kept], found.periods[kept], found.widths[kept]), int(np.count_nonzero(~kept))


def nearest(own: FloatArray, other: FloatArray) -> FloatArray:
    """Return how far behind the nearest of some positions each of one's own lies, shape of `own`."""
    at = np.clip(np.searchsorted(other, own), 1, len(other) - 1) if len(other) > 1 else np.zeros(len(own), dtype=np.intp)
    before, after = own - other[np.maximum(at - 1, 0)], own - other[at]
    return np.where(np.abs(before) < np.abs(after), before, after)


class PeriodsInside(msgspec.Struct, frozen=True, eq=False):
    """The whole periods from rise to rise inside each of some stretches, (n_stretches,) each; durations in samples."""

    counts: FloatArray
    time: FloatArray  # of the periods together
    width: FloatArray  # high within them
    quiet: BoolArray  # there is no edge inside
    high: FloatArray  # 1 where a quiet stretch is high, 0 where it is low, NaN where that is not known


def periods_inside(crossings: Crossings, starts: FloatArray, stops: FloatArray) -> PeriodsInside:
    """Return the whole periods inside stretches `starts` to `stops`, (n_stretches,), samples; edges on their ends count."""
    slack = 1e-6
    rises, positions = crossings.rises, crossings.positions
    found = pulses(crossings)
    high = np.concatenate([[0.0], np.cumsum(found.widths)])
    first = np.searchsorted(rises, starts - slack, "left")
    last = np.maximum(np.searchsorted(rises, stops + slack, "right") - 1, 0)
    n = len(found.periods)
    first, last = np.minimum(first, n), np.minimum(last, n)  # the last rise of all may lack a fall: its period is none
    counts = np.maximum(last - first, 0)
    edges = np.append(rises, np.nan)
    at = np.searchsorted(positions, starts + slack, "left")
    quiet = np.searchsorted(positions, stops - slack, "left") <= at
    rising = crossings.rising
    state = np.full(len(starts), np.nan)
    if len(rising):
        before, behind = np.maximum(at - 1, 0), np.minimum(at, len(rising) - 1)
        state = np.where(at > 0, rising[before], ~rising[behind]).astype(np.float64)
    time = np.where(counts > 0, edges[last] - edges[first], 0.0)
    return PeriodsInside(
        counts.astype(np.float64), time, np.where(counts > 0, high[last] - high[first], 0.0), quiet & (counts == 0), state
    )


class Settling(msgspec.Struct, frozen=True):
    """When a step response last left the band around its final value."""

    settled_at: float  # samples; NaN when it never settles
    initial: float
    final: float


def settling(read: Reader, start: int, stop: int, tolerance: float, wanted: float | None = None, tail: float = 0.05) -> Settling:
    """Return when the waveform is inside final ± tolerance · |final − initial| for good.

    The initial value is the first valid sample, the final one the mean of the last part of the stretch.

    Parameters
    ----------
    tolerance : share of the step, 0.02 for 2 %
    wanted : the final value; None: the mean of the last part
    tail : share of the stretch whose mean is the final value
    """
    last_part = read(max(stop - max(round(tail * (stop - start)), 1), start), stop)
    last_part = last_part[~np.isnan(last_part)]
    initial = _first_valid(read, start, stop)
    if not len(last_part) or math.isnan(initial):
        return Settling(math.nan, initial, math.nan)
    final = float(last_part.mean()) if wanted is None else wanted
    band = tolerance * abs(final - initial)
    end = stop
    while end > start:
        low = max(end - (1 << 16), start)
        x = read(low, min(end + 1, stop))
        out = np.flatnonzero(np.abs(x - final) > band)
        if len(out):
            k = int(out[-1])
            if low + k >= stop - 1:
                return Settling(math.nan, initial, final)  # it leaves the band at the very end
            inner, outer = abs(float(x[k + 1]) - final), abs(float(x[k]) - final)
            share = (outer - band) / (outer - inner) if math.isfinite(inner) and outer > inner else 1.0
            return Settling(low + k + share, initial, final)
        end = low
    return Settling(float(start), initial, final)


def settled_between(
    values: FloatArray, places: FloatArray, tolerance: float, wanted: float | None = None, tail: float = 0.05
) -> Settling:
    """Return the same of values (n,) that stand for places (n,), samples, straight lines between them."""
    if not len(values):
        return Settling(math.nan, math.nan, math.nan)
    initial, n_last = float(values[0]), max(round(tail * len(values)), 1)
    final = float(values[-n_last:].mean()) if wanted is None else wanted
    band = tolerance * abs(final - initial)
    away = np.abs(values - final)
    out = np.flatnonzero(away > band)
    if not len(out):
        return Settling(float(places[0]), initial, final)
    k = int(out[-1])
    if k == len(values) - 1:
        return Settling(math.nan, initial, final)
    share = (away[k] - band) / (away[k] - away[k + 1])
    return Settling(float(places[k] + share * (places[k + 1] - places[k])), initial, final)


def _first_valid(read: Reader, start: int, stop: int) -> float:
    for low, high in blocks(start, stop):
        x = read(low, high)
        valid = np.flatnonzero(~np.isnan(x))
        if len(valid):
            return float(x[valid[0]])
    return math.nan
