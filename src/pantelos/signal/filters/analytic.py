"""The analytic signal: a waveform and itself a quarter of a turn later, whatever its frequency does."""

import numpy as np

from pantelos.signal.arrays import ComplexArray, FloatArray, Reader
from pantelos.signal.filters.filtering import continued


def analytic(
    read: Reader, defined: tuple[int, int], level: float, first: int, last: int, margin: int, periods: tuple[float, float]
) -> ComplexArray:
    """Return x + jH{x} of samples first to last, (last - first,), the mean `level` taken off; missing samples stay missing.

    Source: D. Gabor 1946, on the spectrum of the stretch and `margin` samples either side, faded out there. Beyond the first
    and the last sample that is `defined` the waveform goes on with its first and last period, in samples; reflected where they
    are 0.
    """
    outer = first, last
    first, last = min(max(first, defined[0]), defined[1]), max(min(last, defined[1]), defined[0])
    if last <= first:
        return np.full(outer[1] - outer[0], np.nan, dtype=np.complex128)
    low, high = max(first - margin, defined[0]), min(last + margin, defined[1])
    x = np.asarray(read(low, high)) - level
    missing = np.isnan(x)
    if missing.all():
        return np.full(outer[1] - outer[0], np.nan, dtype=np.complex128)
    if missing.any():
        good = np.flatnonzero(~missing)
        x = np.interp(np.arange(len(x)), good, x[good])
    before, behind = margin - (first - low), margin - (high - last)
    faded = _faded(
        np.concatenate([continued(x, periods[0], before), x, continued(x[::-1], periods[1], behind)[::-1]]), margin // 2
    )
    lines = np.fft.fft(faded)
    n = len(lines)
    lines[1 : (n + 1) // 2] *= 2
    lines[n // 2 + 1 :] = 0
    at = first - low + before
    found = np.asarray(np.fft.ifft(lines)[at : at + last - first])
    found[missing[first - low : last - low]] = np.nan
    return np.pad(found, (first - outer[0], outer[1] - last), constant_values=np.nan)


def _faded(x: FloatArray, n: int) -> FloatArray:
    """Return `x` whose first and last n samples fade in and out (half of a Hann window)."""
    n = min(n, len(x) // 4)
    ramp = 0.5 - 0.5 * np.cos(np.pi * (np.arange(n) + 0.5) / max(n, 1))
    faded = x.copy()
    faded[:n] *= ramp
    faded[len(x) - n :] *= ramp[::-1]
    return faded
