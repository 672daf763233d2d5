"""Means and extremes of windows that slide over a waveform: centred, of one length or of whole cycles."""

import math

import numpy as np

from pantelos.signal.arrays import BoolArray, FloatArray
from pantelos.signal.sums.fractional_ends import ends
from pantelos.signal.validity import MIN_COVERAGE, given


def window_means(x: FloatArray, lows: FloatArray, highs: FloatArray) -> FloatArray:
    """Return the mean of the straight lines between samples of `x` (n,) over windows lows to highs, (n_windows,), samples.

    Windows that reach beyond `x`, or of which more than 5 % is missing, have none (NaN).
    """
    n = len(x)
    inside = (lows >= 0) & (highs <= n - 1) & (highs > lows)
    found = np.full(len(lows), np.nan)
    if n < 2 or not inside.any():
        return found
    a, b = lows[inside], highs[inside]
    missing = np.isnan(x)
    if not missing.any():
        level = float(x.mean())  # taken off, so that digits stay
        found[inside] = level + (_running(x - level, b) - _running(x - level, a)) / (b - a)
        return found
    known = np.where(missing, np.nan, 1.0)  # trapezoids that touch what is missing contribute nothing, neither area nor time
    area, length = (_running(y, b) - _running(y, a) for y in (x, known))
    with np.errstate(invalid="ignore", divide="ignore"):
        found[inside] = given(area / length, length / (b - a))
    return found


def _running(y: FloatArray, at: FloatArray) -> FloatArray:
    """Return the integral of the straight lines between samples of `y` up to positions; gaps contribute nothing."""
    running = np.zeros(len(y))
    np.cumsum(np.nan_to_num(0.5 * (y[:-1] + y[1:]), nan=0.0), out=running[1:])
    k = np.minimum(at.astype(np.intp), len(y) - 2)
    return np.asarray(running[k] + np.nan_to_num(ends(y, at, 0, len(y), smooth=False).linear, nan=0.0))


def window_extremes(x: FloatArray, lows: FloatArray, highs: FloatArray, largest: bool) -> FloatArray:
    """Return the largest or smallest sample of windows lows to highs, (n_windows,), whole samples, the last one included.

    A table of extremes over powers of two answers every window with two looks (M. A. Bender and M. Farach-Colton 2000).
    """
    n = len(x)
    inside = (lows >= 0) & (highs <= n - 1) & (highs >= lows)
    found = np.full(len(lows), np.nan)
    if not inside.any():
        return found
    pick, nothing = (np.maximum, -np.inf) if largest else (np.minimum, np.inf)
    missing: BoolArray = np.isnan(x)
    a, b = lows[inside].astype(np.intp), highs[inside].astype(np.intp)
    steps = np.frexp((b - a + 1).astype(np.float64))[1] - 1
    level = np.where(missing, nothing, x)
    values = np.empty(len(a))
    for step in range(int(steps.max()) + 1):
        here = steps == step
        values[here] = pick(level[a[here]], level[b[here] + 1 - (1 << step)])
        if len(level) > (1 << step):
            level = pick(level[: -(1 << step)], level[(1 << step) :])
    counted = np.concatenate([[0], np.cumsum(~missing)])
    share = (counted[b + 1] - counted[a]) / (b - a + 1)
    found[inside] = np.where(share >= MIN_COVERAGE, values, np.nan)
    return found


def around(first: int, last: int, length: float) -> tuple[FloatArray, FloatArray]:
    """Return the ends of windows of one length around samples first to last, (last - first,) each, samples."""
    at = np.arange(first, last, dtype=np.float64)
    return at - 0.5 * length, at + 0.5 * length


def around_in_cycles(first: int, last: int, crossings: FloatArray, n_cycles: float) -> tuple[FloatArray, FloatArray]:
    """Return the same for windows of so many cycles: NaN where cycles do not reach that far."""
    at, places = np.arange(first, last, dtype=np.float64), np.arange(len(crossings), dtype=np.float64)
    turns = np.interp(at, crossings, places, left=math.nan, right=math.nan)
    half = 0.5 * n_cycles
    return tuple(  # type: ignore[return-value]
        np.interp(turns + shift, places, crossings, left=math.nan, right=math.nan) for shift in (-half, half)
    )
