"""Taking a known frequency response off a waveform: a filter of linear reach, exact at given frequencies, right up to the ends.

The filter is the wanted response at even frequencies, turned into taps under a window; what the window bends is put right at the
given frequencies by a few more lines under a window of the same length. At the ends of a run of samples a periodic waveform goes
on with its own period; of any other the last samples are left without a value, as what lies beyond would count in them.

Source: design by frequency sampling and windowing (L. R. Rabiner and B. Gold 1975); overlap and add for long records.
"""

import math
from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np

from pantelos.signal.arrays import BoolArray, ComplexArray, FloatArray, Reader
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.signal.cycles.periodic_fit import fit_periodic
from pantelos.signal.filters.filtering import continued

_REACH = 1.5  # periods of the lowest given frequency, or of the smallest distance between two of them
_LONGEST, _SHORTEST = 1 << 19, 32  # samples either side
_FLAT = 0.5  # of the window
_SEEN = 1e-4  # of what lies beyond an end: so much of it may count in a sample that has a value
_PERIODIC = 0.1  # of the rms of the fundamental that is left by a waveform that goes on by its period
_TOLD_BY = 16  # cycles at an end
_MOST_RUNS = 32  # of which the ends are looked at


def correcting_taps(wanted: Callable[[FloatArray], ComplexArray], exact_hz: FloatArray, rate_hz: float) -> FloatArray:
    """Return the taps of a filter, (2 half + 1,), the middle one for the sample itself.

    Parameters
    ----------
    wanted : response at frequencies (n,), Hz, from 0 to half the rate; that at 0 Hz and at half the rate counts as real
    exact_hz : array (n,), frequencies at which the filter is exact; those from half the rate on do not count
    """
    exact = np.asarray(exact_hz[exact_hz < 0.5 * rate_hz], dtype=np.float64)
    apart = np.asarray(np.diff(exact, prepend=0.0), dtype=np.float64)
    spacing = float(apart[apart > 0].min(initial=0.5 * rate_hz))
    half = int(np.clip(math.ceil(_REACH * rate_hz / spacing), _SHORTEST, _LONGEST))
    length = 1 << (4 * half - 1).bit_length()
    lines = wanted(np.arange(length // 2 + 1, dtype=np.float64) * (rate_hz / length))
    lines[[0, -1]] = np.abs(lines[[0, -1]])
    around = np.fft.irfft(lines, length)
    n = np.arange(-half, half + 1)
    away = np.clip((np.abs(n) / (half + 1) - _FLAT) / (1 - _FLAT), 0.0, 1.0)
    taps = around[n] * 0.5 * (1 + np.cos(math.pi * away))
    if not len(exact):
        return np.asarray(taps)
    omega = 2 * math.pi * exact / rate_hz
    found = np.array([np.dot(taps, np.exp(-1j * w * n)) for w in omega])
    missing = wanted(exact) - found
    near, mirrored = (_hann_line(half, omega[:, None] + sign * omega[None, :]) for sign in (-1, 1))
    real, imaginary = (_solved(0.5 * (near + sign * mirrored), x) for sign, x in ((1, missing.real), (-1, missing.imag)))
    hann = 0.5 * (1 + np.cos(math.pi * n / (half + 1)))
    for w, a, b in zip(omega, real, imaginary, strict=True):
        taps += hann * (a * np.cos(w * n) - b * np.sin(w * n))
    return np.asarray(taps)


def _solved(lines: FloatArray, wanted: FloatArray) -> FloatArray:
    return np.asarray(np.linalg.lstsq(lines, wanted)[0])


def _hann_line(half: int, omega: FloatArray) -> FloatArray:
    """Return the transform of a Hann window of 2 half + 1 samples at angular frequencies per sample."""

    def rectangle(at: FloatArray) -> FloatArray:
        below = np.sin(0.5 * at)
        near = np.abs(below) < 1e-12
        whole = np.sin((half + 0.5) * at) / np.where(near, 1.0, below)
        return np.asarray(np.where(near, 2 * half + 1.0, whole))

    step = math.pi / (half + 1)
    return np.asarray(0.5 * rectangle(omega) + 0.25 * (rectangle(omega - step) + rectangle(omega + step)))


def reach_of(taps: FloatArray) -> int:
    """Return how many samples beside an end rest on what lies beyond it."""
    half = len(taps) // 2
    tails = np.cumsum(np.abs(taps[:half]) + np.abs(taps[:half:-1]))
    return half - int(np.searchsorted(tails, _SEEN))


def corrected(
    read: Reader, n_samples: int, rate_hz: float, taps: FloatArray, first: int, last: int, joints: Sequence[int] = ()
) -> FloatArray:
    """Return samples first to last of a waveform behind a filter, (last - first,); NaN where it is missing or not known.

    Parameters
    ----------
    joints : samples at which a run begins that tells nothing of the one before
    """
    from scipy.signal import oaconvolve

    half, spoiled = len(taps) // 2, reach_of(taps)
    low, high = max(first - half, 0), min(last + half, n_samples)
    if high == n_samples:
        low = max(min(low, high - _TOLD_BY * half), 0)
    x = read(low, high)
    found = np.full(len(x), np.nan)
    runs = _runs(np.isfinite(x), [at - low for at in joints if low < at < high])
    for start, stop in runs:
        if stop <= first - low or start >= last - low:
            continue
        run = x[start:stop]
        told = len(runs) <= _MOST_RUNS
        goes_on = start == 0 and low > 0, stop == len(x) and high < n_samples
        before = np.zeros(half) if goes_on[0] else _before(run, half, rate_hz, told)
        behind = np.zeros(half) if goes_on[1] else _before(run[::-1], half, rate_hz, told)[::-1]
        y = oaconvolve(np.concatenate([_filled(before, run[0]), run, _filled(behind, run[-1])]), taps, mode="valid")
        if np.isnan(before).any():
            y[:spoiled] = np.nan
        if np.isnan(behind).any():
            y[max(len(y) - spoiled, 0) :] = np.nan
        found[start:stop] = y
    return found[first - low : last - low]


def _filled(x: FloatArray, value: float) -> FloatArray:
    return np.where(np.isnan(x), value, x)


def _runs(given: BoolArray, joints: list[int]) -> list[tuple[int, int]]:
    """Return where runs of given samples start and stop."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], given, [False]]).astype(np.int8)))
    found = []
    for start, stop in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        inner = [start, *(at for at in joints if start < at < stop), stop]
        found += list(pairwise(inner))
    return found


def _before(run: FloatArray, n: int, rate_hz: float, told: bool) -> FloatArray:
    """Return the `n` samples before a run as its period tells them; NaN where it has none."""
    near = run[: _TOLD_BY * n]
    if told and len(near) > 2 * _SHORTEST:
        if float(np.ptp(near)) == 0.0:
            return np.full(n, near[0])
        cycles = find_cycles(lambda a, b: near[a:b], len(near), rate_hz)
        if len(cycles.crossings) >= 2:
            period = float(np.median(np.diff(cycles.smooth.crossings)))
            fit = fit_periodic(near[: round(_TOLD_BY * period)], 1 / period)
            if fit is not None and fit.residual < _PERIODIC:
                return continued(near, 1 / fit.rate, n)
    return np.full(n, np.nan)
