"""The smooth phase of a reference: what its frequency does within seconds, without what tones beside it do to single crossings.

A tone near the fundamental moves every crossing to and fro. Instants of equal phase that followed it would bend the window of
IEC 61000-4-7, which is cut at its two ends only, and put into the orders what belongs between them. The mains themselves do not
change their frequency that fast: their law is a cubic over about two seconds around each crossing.

Source: locally weighted regression (W. S. Cleveland 1979).
"""

import numpy as np

from pantelos.signal.arrays import AnyArray, BoolArray, FloatArray, median

_REACH_S, _REACH_CYCLES = 1.0, 30  # either side, the longer one
_MOST_CYCLES = 500  # either side
_FEWEST = 6  # crossings
_DEGREES = ((0.3, 1), (0.8, 2))  # up to so many seconds a straight line, a parabola; else a cubic
_EXACT = 1e-5  # cycles: crossings that lie no further from the law are taken as they are
_OTHER = 0.02  # cycles: crossings that lie further follow something else, such as a run-up
_ROBUST = 6.0  # times the median distance, where a crossing counts nothing
_ROUNDS = 2
_AS_GOOD = 0.25  # of how far crossings usually lie from it: a straight line that is no further from a cubic serves as well


def smooth_law(crossings: FloatArray, runs: list[tuple[int, int]], rate_hz: float) -> FloatArray:
    """Return crossings (n,), samples, of unbroken runs (first, last), moved onto the smooth law where they scatter around one."""
    found = crossings.copy()
    for first, last in runs:
        found[first : last + 1] = _of_run(crossings[first : last + 1], rate_hz)
    return found


def _of_run(at: FloatArray, rate_hz: float) -> FloatArray:
    if len(at) < _FEWEST:
        return at
    period = median(np.diff(at))
    line = at[0] + (at[-1] - at[0]) / (len(at) - 1) * np.arange(len(at))
    seconds = (at[-1] - at[0]) / rate_hz
    degree = next((degree for most, degree in _DEGREES if seconds < most), 3)
    reach = int(np.clip(round(_REACH_S * rate_hz / period), _REACH_CYCLES, _MOST_CYCLES))
    left = at - line
    weights = np.ones(len(at))
    for _ in range(_ROUNDS):
        law = _regressed(left, weights, reach, degree)
        away = np.abs(left - law) / period
        usual = median(away)
        weights = np.square(np.clip(1 - np.square(away / max(_ROBUST * usual, 1e-12)), 0.0, 1.0))
        if usual < _EXACT / 10 or not (weights < 0.5).any():
            break
    if not away.max() > _EXACT:
        return at
    plain = _regressed(left, weights, reach, 1)
    middle = slice(len(at) // 4, len(at) - len(at) // 4)
    if np.abs(law - plain)[middle].max() < max(_EXACT, _AS_GOOD * usual) * period:
        law = plain  # near the ends a polynomial of less freedom follows a tone less
    other = _near(away > _OTHER, reach)
    return np.asarray(np.where(other, at, line + law))


def _near(marked: BoolArray, reach: int) -> BoolArray:
    """Return what lies within a reach of a run of marked crossings; a few alone are disturbed ones and mark nothing."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], marked.astype(np.int8), [0]))))
    found = np.zeros(len(marked), dtype=bool)
    for start, stop in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        if stop - start > 2:
            found[max(start - reach, 0) : stop + reach] = True
    return found


def _regressed(y: FloatArray, weights: FloatArray, reach: int, degree: int) -> FloatArray:
    """Return the local polynomial through y (n,) at each place: tricube weights, times those given, over `reach` either side.

    Near the ends over as many, so further to the side that is there.
    """
    n = len(y)
    if n <= 2 * reach + 1:
        return _one_sided(y, weights, np.arange(n), degree)
    found = np.empty(n)
    offsets = np.arange(-reach, reach + 1) / (reach + 1)
    powers = offsets[None, :] ** np.arange(2 * degree + 1)[:, None] * (1 - np.abs(offsets) ** 3) ** 3
    moments = np.stack([np.convolve(weights, row[::-1], mode="valid") for row in powers])
    sides = np.stack([np.convolve(y * weights, row[::-1], mode="valid") for row in powers[: degree + 1]])
    found[reach : n - reach] = _solved(moments, sides)
    part = slice(0, 2 * reach + 1)
    found[:reach] = _one_sided(y[part], weights[part], np.arange(reach), degree)
    found[n - reach :] = _one_sided(y[::-1][part], weights[::-1][part], np.arange(reach), degree)[::-1]
    return found


def _one_sided(y: FloatArray, weights: FloatArray, at: AnyArray, degree: int) -> FloatArray:
    """Return the same at some places, all of y (n,) counting."""
    apart = np.arange(len(y))[None, :] - at[:, None]
    offsets = apart / (np.abs(apart).max(axis=1, keepdims=True) + 1)
    shares = (1 - np.abs(offsets) ** 3) ** 3 * weights
    moments = np.stack([(shares * offsets**k).sum(axis=1) for k in range(2 * degree + 1)])
    sides = np.stack([(shares * offsets**k) @ y for k in range(degree + 1)])
    return _solved(moments, sides)


def _solved(moments: FloatArray, sides: FloatArray) -> FloatArray:
    """Return the constant of each polynomial from sums of powers (2 degree + 1, n) and of what is fitted (degree + 1, n)."""
    at = np.arange(len(sides))
    matrices: AnyArray = np.moveaxis(moments[at[:, None] + at[None, :]], -1, 0)
    return np.asarray(np.linalg.solve(matrices, np.moveaxis(sides, -1, 0)[..., None])[:, 0, 0])
