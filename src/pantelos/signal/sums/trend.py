"""The straight line through a stretch, by least squares."""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import Reader
from pantelos.signal.sums.integrals import CompensatedSum, blocks


class StraightLine(msgspec.Struct, frozen=True):
    """Slope per sample, value in the middle of the stretch, and the standard error of the slope."""

    slope: float
    middle: float
    slope_error: float


def trend(read: Reader, start: int, stop: int) -> StraightLine:
    """Return the least-squares line through samples `start` to `stop`; missing ones left out.

    Source: textbook least squares, time centred first; s_b = sqrt(SSE / (N - 2) / Σ(t - t̄)²).
    """
    centre = 0.5 * (start + stop - 1)
    sums = CompensatedSum((6,))  # n, t, t², x, tx, x²
    shift = math.nan
    for low, high in blocks(start, stop):
        x = np.asarray(read(low, high))
        t = np.arange(low, high) - centre
        given = ~np.isnan(x)
        x, t = x[given], t[given]
        if not len(x):
            continue
        if math.isnan(shift):
            shift = float(x[0])  # a large mean must not hide a small slope
        x = x - shift
        sums.add(np.array([len(x), t.sum(), t @ t, x.sum(), t @ x, x @ x]))
    n, t1, t2, x1, tx, x2 = sums.value
    if n < 2:
        return StraightLine(math.nan, math.nan, math.nan)
    spread = t2 - t1 * t1 / n
    slope = (tx - t1 * x1 / n) / spread
    rest = max((x2 - x1 * x1 / n) - slope * slope * spread, 0.0)
    error = math.sqrt(rest / (n - 2) / spread) if n > 2 else math.nan
    return StraightLine(float(slope), float(x1 / n - slope * t1 / n + shift), error)
