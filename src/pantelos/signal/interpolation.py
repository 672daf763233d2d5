"""Values between samples: quintic spline for waveforms, monotone cubic for uneven ones, the last one for states."""

import numpy as np

from pantelos.signal.arrays import FloatArray

MARGIN = 24  # samples beside a stretch, so that the ends of the spline do not matter
_LONGEST_STEP = 10.0  # middle steps: further apart, samples of an uneven recording are not joined


def resample(x: FloatArray, instants: FloatArray) -> FloatArray:
    """Return `x` (..., n_samples) at `instants` (n,), in samples, by a quintic spline; shape (..., n).

    Relative error of a component with 10 samples per period below 5e-6. Missing samples make the whole row
    missing: a spectrum needs every sample.
    """
    from scipy.interpolate import make_interp_spline  # half a second to load

    missing = np.isnan(x.sum(axis=-1))
    spline = make_interp_spline(np.arange(x.shape[-1]), np.nan_to_num(x), k=5, axis=-1)
    values = np.asarray(spline(instants), dtype=np.float64)
    values[missing] = np.nan
    return values


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
