"""Mean, rms and extremes of stretches of any length, block by block in float64."""

import math

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.integrals import Rule, blocks, totals_between
from pantelos.signal.totals import BlockTotals
from pantelos.signal.window import Window


class Extremes(msgspec.Struct, frozen=True):
    """Smallest and largest valid sample, where they are, and how many samples were valid."""

    low: float
    high: float
    low_at: int
    high_at: int
    n_valid: int
    n_samples: int

    @property
    def coverage(self) -> float:
        """The share of valid samples, 0 to 1."""
        return self.n_valid / self.n_samples if self.n_samples else 0.0


def extremes(read: Reader, start: int, stop: int, progress: Progress | None = None) -> Extremes:
    """Return the extremes of samples `start` to `stop`; NaN where no sample is valid."""
    low, high, low_at, high_at, n_valid = math.inf, -math.inf, start, start, 0
    for first, last in blocks(start, stop):
        x = read(first, last)
        valid = len(x)
        if math.isnan(float(x.sum())):
            missing = np.isnan(x)
            valid -= int(missing.sum())
            if not valid:
                continue
            at_low, at_high = int(np.nanargmin(x)), int(np.nanargmax(x))
        else:
            at_low, at_high = int(x.argmin()), int(x.argmax())
        n_valid += valid
        if x[at_low] < low:
            low, low_at = float(x[at_low]), first + at_low
        if x[at_high] > high:
            high, high_at = float(x[at_high]), first + at_high
        if progress is not None:
            progress.at((last - start) / (stop - start))
    if not n_valid:
        low = high = math.nan
    return Extremes(low, high, low_at, high_at, n_valid, stop - start)


def window_means(
    read: Reader, window: Window, n_samples: int, progress: Progress | None = None, totals: BlockTotals | None = None
) -> tuple[FloatArray, FloatArray]:
    """Return the mean over a window of whatever `read` serves, by the rule the window asks for.

    Missing samples (NaN) are left out and the weights renormalised, row by row. `totals` are those of what `read` serves.

    Returns
    -------
    array (...), the leading shape of what `read` serves; NaN where nothing is valid
    array (...), share of the window that is valid, 0 to 1
    """
    if totals is not None:
        return _of_totals(read, window, totals)
    starts, stops = np.array([window.start]), np.array([window.stop])
    if window.rule is Rule.RECTANGULAR:
        starts, stops = np.array([float(window.first)]), np.array([float(window.end)])
    found = totals_between(read, starts, stops, n_samples, window.rule, True, window.within, progress)
    return found.means[..., 0], found.shares[..., 0]


def _of_totals(read: Reader, window: Window, totals: BlockTotals) -> tuple[FloatArray, FloatArray]:
    if window.rule is Rule.RECTANGULAR:
        total, measured = totals.of_samples(read, window.first, window.end)
        length = float(window.end - window.first)
    else:
        total, measured = totals.of_trapezoids(read, window.start, window.stop, window.within)
        length = window.stop - window.start
    mean = total / measured if measured > 0 else math.nan
    return np.asarray(mean), np.asarray(min(measured / length, 1.0) if length > 0 else 0.0)


def in_runs(marked: np.ndarray, run: int) -> int:
    """Return how many marked samples belong to runs of at least `run`."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], marked.astype(np.int8), [0]))))
    lengths = edges[1::2] - edges[::2]
    return int(lengths[lengths >= run].sum())
