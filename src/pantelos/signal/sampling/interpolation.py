"""Values between samples: quintic spline for waveforms, monotone cubic for uneven ones, the last one for states."""

from itertools import pairwise

import numpy as np

from pantelos.signal.arrays import FloatArray

MARGIN = 32  # samples beside a stretch, so that the ends of the spline do not matter
_AT_ENDS = 30  # samples from either end that are served by a spline without assumptions about what lies beyond
_END = 96  # samples that such a spline is made of
# Row k: what t to the power of k has in the B-spline at t + 2, t + 1, ..., t - 3.
QUINTIC = (
    np.array(
        [
            [1, 26, 66, 26, 1, 0],
            [-5, -50, 0, 50, 5, 0],
            [10, 20, -60, 20, 10, 0],
            [-10, 20, 0, -20, 10, 0],
            [5, -20, 30, -20, 5, 0],
            [-1, 5, -10, 10, -5, 1],
        ]
    )
    / 120
)
_LONGEST_STEP = 10.0  # middle steps: further apart, samples of an uneven recording are not joined


def resample(x: FloatArray, instants: FloatArray) -> FloatArray:
    """Return `x` (..., n_samples) at `instants` (n,), in samples, by a quintic spline; shape (..., n).

    Relative error of a component with 10 samples per period below 5e-6. Missing samples make the whole row
    missing: a spectrum needs every sample. B-spline coefficients by recursive filters (M. Unser, A. Aldroubi, M. Eden 1993).
    """
    n = x.shape[-1]
    missing = np.isnan(x.sum(axis=-1))
    known = np.nan_to_num(x) if missing.any() else x
    if n <= 2 * _END:
        values = _plain(known, instants)
    else:
        values = _inside(known, instants)
        first, last = instants < _AT_ENDS, instants > n - 1 - _AT_ENDS
        if first.any():
            values[..., first] = _plain(known[..., :_END], instants[first])
        if last.any():
            values[..., last] = _plain(known[..., -_END:], instants[last] - (n - _END))
    values[missing] = np.nan
    return values


def _plain(x: FloatArray, instants: FloatArray) -> FloatArray:
    """Return the quintic spline through a few samples, nothing assumed beyond them."""
    from scipy.interpolate import make_interp_spline  # half a second to load

    return np.asarray(make_interp_spline(np.arange(x.shape[-1]), x, k=5, axis=-1)(instants), dtype=np.float64)


def _inside(x: FloatArray, instants: FloatArray) -> FloatArray:
    """Return the quintic spline some way from the ends, beyond which samples are taken as mirrored."""
    from scipy.ndimage import spline_filter1d  # a quarter of a second to load
    from scipy.sparse import csr_array

    n, rows = x.shape[-1], x.reshape(-1, x.shape[-1])
    low = np.clip(np.floor(instants), 2, n - 4).astype(np.int32)
    places = low[:, None] + np.arange(-2, 4, dtype=np.int32)
    ends = np.arange(0, places.size + 1, 6, dtype=np.int32)
    shares = csr_array((_shares_of_six(instants - low).ravel(), places.ravel(), ends), shape=(len(instants), n))
    values = np.empty((len(rows), len(instants)))
    for row, made in zip(rows, values, strict=True):
        made[:] = shares @ spline_filter1d(row, 5, mode="mirror")
    return values.reshape(*x.shape[:-1], len(instants))


def _shares_of_six(t: FloatArray) -> FloatArray:
    """Return the quintic B-spline at t + 2, t + 1, ..., t - 3 for t (n,) in 0 to 1: shape (n, 6)."""
    powers = np.empty((6, len(t)))
    powers[0] = 1.0
    for below, power in pairwise(powers):
        np.multiply(below, t, out=power)
    return np.asarray(powers.T @ QUINTIC)


def between_samples(x: FloatArray, instants: FloatArray) -> FloatArray:
    """Return a waveform (n_samples,) at `instants` (n,), in samples; NaN beside a missing sample and outside.

    Quintic spline; gaps are bridged before and taken out again, so that they disturb nothing beside them.
    """
    n = len(x)
    outside = (instants < 0) | (instants > n - 1)
    if n < 8:
        return np.where(outside, np.nan, np.interp(instants, np.arange(n), x))
    missing = np.isnan(x)
    if missing.all():
        return np.full(len(instants), np.nan)
    if missing.any():
        x = np.interp(np.arange(n), np.flatnonzero(~missing), x[~missing])
    values = resample(x, np.clip(instants, 0, n - 1))
    low = np.clip(np.floor(instants).astype(np.intp), 0, n - 1)
    high = np.clip(np.ceil(instants).astype(np.intp), 0, n - 1)
    values[outside | missing[low] | missing[high]] = np.nan
    return values


def held(x: FloatArray, instants: FloatArray) -> FloatArray:
    """Return a state (n_samples,) at `instants` (n,), in samples: each lasts until the next one; NaN outside."""
    at = np.clip(np.floor(instants + 1e-9).astype(np.intp), 0, len(x) - 1)
    return np.where((instants < -1e-9) | (instants >= len(x)), np.nan, x[at])


def between_instants(times_s: FloatArray, x: FloatArray, at_s: FloatArray, step_s: float) -> FloatArray:
    """Return an uneven waveform, samples `x` at rising `times_s` (n_samples,), at other instants (n,).

    Monotone cubic interpolation (Fritsch and Carlson 1980), which never leaves the range of the two samples
    beside it. NaN outside, beside missing samples, and where samples are more than ten middle steps apart.
    """
    from scipy.interpolate import PchipInterpolator

    given = ~np.isnan(x)
    if np.count_nonzero(given) < 2:
        return np.full(len(at_s), np.nan)
    values = np.asarray(PchipInterpolator(times_s[given], x[given], extrapolate=False)(at_s), dtype=np.float64)
    after = np.clip(np.searchsorted(times_s, at_s, side="left"), 1, len(times_s) - 1)
    exact = times_s[after] == at_s
    wide = times_s[after] - times_s[after - 1] > _LONGEST_STEP * step_s
    values[(wide | ~given[after] | ~given[after - 1]) & ~exact] = np.nan
    values[exact & ~given[after]] = np.nan
    return values
