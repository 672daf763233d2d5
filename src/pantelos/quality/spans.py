"""The stretches that parameters are taken over: 10 s, windows of 10 or 12 cycles, 150 or 180 of them, 10 min, 2 h.

Source: IEC 61000-4-30: clock ticks begin a new sequence of windows at the first crossing behind them, the window in progress is
completed; a value of 10 min uses every window from the first begun behind its opening tick to the one in progress at the next.
"""

import msgspec
import numpy as np

from pantelos.signal.arrays import BoolArray, FloatArray
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import Window
from pantelos.signal.sums.integrals import Rule

IN_THREE_SECONDS = 15  # windows in 150 or 180 cycles
TEN_MINUTES_S, TWO_HOURS_S, TEN_SECONDS_S = 600.0, 7200.0, 10.0
_ON_TICK = 1e-6  # samples


class Span(msgspec.Struct, frozen=True, eq=False):
    """Stretches of one kind, rising, in samples."""

    starts: FloatArray  # (n,)
    stops: FloatArray  # (n,)

    def __len__(self) -> int:
        return len(self.starts)

    def touched_by(self, starts: FloatArray, stops: FloatArray) -> BoolArray:
        """Return which stretches hold a part of others, (n,)."""
        touched = np.zeros(len(self), dtype=bool)
        for start, stop in zip(starts.tolist(), stops.tolist(), strict=True):
            touched |= (self.starts < stop) & (start < self.stops)
        return touched


def ticks(every_s: float, n_samples: int, rate_hz: float, into_s: float) -> FloatArray:
    """Return the clock ticks inside a record and its two ends, rising, samples; `into_s` of the clock passed before it began."""
    first = (-into_s) % every_s
    inside = np.arange(first, n_samples / rate_hz - _ON_TICK, every_s) * rate_hz
    return np.unique(np.concatenate([[0.0], inside, [float(n_samples)]]))


def spans_between(edges: FloatArray) -> Span:
    """Return the stretches from tick to tick."""
    return Span(edges[:-1], edges[1:])


def windows_from(cycles: Cycles, start: float, stop: float, n_cycles: int) -> list[Window]:
    """Return windows of so many whole cycles from the first crossing at or behind `start`, to the one in progress at `stop`.

    Where the reference pauses, a new sequence begins behind the pause.
    """
    at = cycles.crossings
    k, last = int(np.searchsorted(at, start - _ON_TICK)), len(at) - 1
    changes = _changes(cycles, n_cycles)
    broken = np.flatnonzero(~cycles.whole)
    found = []
    while k + n_cycles <= last and at[k] < stop - _ON_TICK:
        pause = int(np.searchsorted(broken, k))
        if pause < len(broken) and broken[pause] < k + n_cycles:
            k = int(broken[pause]) + 1
            continue
        low, high = float(at[k]), float(at[k + n_cycles])
        f = n_cycles * cycles.rate_hz / (high - low)
        found.append(Window(low, high, n_cycles, Rule.TRAPEZOID, f, float(changes[k])))
        k += n_cycles
    return found


def _changes(cycles: Cycles, n_cycles: int) -> FloatArray:
    """Return by how much the period changes within so many cycles from each one on, largest over smallest less one, (n,)."""
    from scipy.ndimage import maximum_filter1d, minimum_filter1d  # a quarter of a second to load

    periods = np.diff(cycles.crossings)
    origin = -((n_cycles - 1) // 2) - (1 - n_cycles % 2)  # the stretch begins at the cycle
    high = maximum_filter1d(periods, n_cycles, origin=origin, mode="nearest")
    low = minimum_filter1d(periods, n_cycles, origin=origin, mode="nearest")
    return np.asarray(high / low - 1)


def standard_cycles(frequency_hz: float) -> int:
    """Return how many cycles a window holds: 10 at 50 Hz, 12 at 60 Hz, and as many as make 200 ms at others, at least 4."""
    return max(round(0.2 * frequency_hz), 4)


def frequencies(cycles: Cycles, over: Span) -> tuple[FloatArray, FloatArray]:
    """Return the frequency in each stretch, Hz, and how many whole cycles it counts, (n,) each; NaN without one.

    Whole cycles inside a stretch over their duration; cycles astride of its ends belong to none. Source: IEC 61000-4-30, 10 s.
    """
    at, whole = cycles.crossings, cycles.measured
    found, counts = np.full(len(over), np.nan), np.zeros(len(over))
    for k, (start, stop) in enumerate(zip(over.starts.tolist(), over.stops.tolist(), strict=True)):
        low, high = np.searchsorted(at, (start - _ON_TICK, stop + _ON_TICK)).tolist()
        inside = whole[low : max(high - 1, low)]
        lengths = np.diff(at[low:high])
        if not inside.any():
            continue
        n, length = (len(inside), at[high - 1] - at[low]) if inside.all() else (int(inside.sum()), lengths[inside].sum())
        found[k], counts[k] = n * cycles.rate_hz / length, n
    return found, counts
