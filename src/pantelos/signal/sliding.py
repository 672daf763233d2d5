"""Means and extremes of windows that slide over a waveform: centred, of one length or of whole cycles."""

import math

import numpy as np

from pantelos.signal.arrays import BoolArray, FloatArray
from pantelos.signal.validity import MIN_COVERAGE


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
    whole = ~(missing[:-1] | missing[1:])  # trapezoids that touch what is missing contribute nothing, neither area nor time
    y = np.where(missing, 0.0, x)
    area = _running(y, b, whole) - _running(y, a, whole)
    length = _running(np.ones(n), b, whole) - _running(np.ones(n), a, whole)
    with np.errstate(invalid="ignore", divide="ignore"):
        found[inside] = np.where(length >= MIN_COVERAGE * (b - a), area / length, np.nan)
    return found


def _running(y: FloatArray, at: FloatArray, whole: BoolArray | None = None) -> FloatArray:
    """Return the integral of the straight lines between samples of `y` up to positions; only over those that are whole."""
    areas = 0.5 * (y[:-1] + y[1:])
    running = np.empty(len(y))
    running[0] = 0.0
    np.cumsum(areas if whole is None else np.where(whole, areas, 0.0), out=running[1:])
    k = np.minimum(at.astype(np.intp), len(y) - 2)
    part = at - k
    rest = y[k] * part + 0.5 * (y[k + 1] - y[k]) * part**2
    return np.asarray(running[k] + (rest if whole is None else np.where(whole[k], rest, 0.0)))


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
