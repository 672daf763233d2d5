"""Mean, rms and extremes of stretches of any length, block by block in float64."""

import math

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import Reader
from pantelos.signal.sums.integrals import blocks


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


def in_runs(marked: np.ndarray, run: int) -> int:
    """Return how many marked samples belong to runs of at least `run`."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], marked.astype(np.int8), [0]))))
    lengths = edges[1::2] - edges[::2]
    return int(lengths[lengths >= run].sum())
