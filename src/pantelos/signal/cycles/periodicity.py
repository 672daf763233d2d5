"""Whether a waveform repeats itself, and after what time: the autocorrelation as a second witness beside the spectrum."""

import math

import numpy as np

from pantelos.signal.arrays import FloatArray, median, quick_length

_CANDIDATE_CYCLES = 48  # in the stretch that is looked at
_SUB_HARMONICS = 12  # the largest multiple of the period that is tried
_HIGHER = 0.05  # by so much a multiple must repeat better
_LEAST = 0.5  # correlation with itself one period later
_FEW = 0.8  # the same where there are only a few cycles
_LONGEST = 1 << 18
_FEW_CYCLES = 4


def true_frequency(x: FloatArray, rate_hz: float, candidate_hz: float, at: float, band_hz: tuple[float, float]) -> float:
    """Return the frequency of a steady waveform near a candidate, or a whole part of it after which it repeats clearly better.

    The strongest line of a Hann spectrum near the candidate, interpolated between two lines; its half, third, … is accepted
    when the autocorrelation at that lag is higher by more than 5 %. NaN where the waveform does not repeat itself.

    Parameters
    ----------
    x : array (n_samples,), any unit, mean removed
    at : position in samples where the candidate stands out
    """
    period = rate_hz / candidate_hz
    part = _around(x, at, int(_CANDIDATE_CYCLES * period))
    correlation = _autocorrelation(part)
    lags = np.arange(1, _SUB_HARMONICS + 1) * period
    lags = lags[lags < 0.5 * len(part)]
    if len(lags):
        peaks = np.array([_best_near(correlation, lag, 0.15 * period) for lag in lags])
        if len(part) >= _FEW_CYCLES * period and peaks.max() < _LEAST * 0.5:
            return math.nan
        better = np.flatnonzero(peaks > peaks[0] + _HIGHER)
        if len(better) and peaks[0] < 1 - _HIGHER:
            first = next(int(k) for k in better if peaks[k] >= peaks.max() - _HIGHER)
            if candidate_hz / (first + 1) >= band_hz[0]:
                candidate_hz /= first + 1
    return strongest_line(_around(x, at, _LONGEST), rate_hz, (0.8 * candidate_hz, 1.25 * candidate_hz), candidate_hz)


def strongest_line(x: FloatArray, rate_hz: float, band_hz: tuple[float, float], otherwise: float = math.nan) -> float:
    """Return the strongest frequency of `x` in a band, Hz, within about a tenth of a line; `otherwise` where none peaks there."""
    if len(x) < 8:
        return otherwise
    step = quick_length(len(x)) - len(x) and 1 << max(len(x).bit_length() - 7, 0)
    x = x[: len(x) // step * step] if step else x  # a length that transforms fast
    hann = 0.5 - 0.5 * np.cos(2 * math.pi * np.arange(len(x)) / len(x))
    lines = np.abs(np.fft.rfft((x - x.mean()) * hann))
    freqs = np.fft.rfftfreq(len(x), 1 / rate_hz)
    inside = np.flatnonzero((freqs >= band_hz[0]) & (freqs <= band_hz[1]))
    inside = inside[(inside >= 2) & (inside < len(lines) - 1)]
    if not len(inside):
        return otherwise
    k = int(inside[lines[inside].argmax()])
    if not lines[k] > 0 or lines[k] < max(lines[k - 1], lines[k + 1]):
        return otherwise
    side = 1 if lines[k + 1] > lines[k - 1] else -1
    ratio = lines[k + side] / lines[k]
    return float((k + side * (2 * ratio - 1) / (ratio + 1)) * rate_hz / len(x))


def period_repeats(x: FloatArray, crossings: FloatArray) -> bool:
    """Return whether the waveform around a few crossings (positions in samples) looks the same one period later."""
    if len(crossings) < 2:
        return False
    period = median(np.diff(crossings))
    low = max(int(crossings[0] - period), 0)
    part = x[low : int(crossings[-1] + period) + 1]
    if len(part) < 1.6 * period:
        return False
    later = np.interp(np.arange(len(part) - int(period) - 1) + period, np.arange(len(part)), part)
    now = part[: len(later)]
    now, later = now - now.mean(), later - later.mean()
    size = math.sqrt(float(now @ now) * float(later @ later))
    return size > 0 and float(now @ later) / size >= _FEW


def _around(x: FloatArray, at: float, length: int) -> FloatArray:
    length = min(max(length, 8), len(x), _LONGEST)
    low = int(np.clip(at - length / 2, 0, len(x) - length))
    return x[low : low + length]


def _autocorrelation(x: FloatArray) -> FloatArray:
    """Return the correlation of `x` with itself, lag by lag, 1 at lag 0; each lag over what it shares."""
    n = len(x)
    x = x - x.mean()
    spectrum = np.abs(np.fft.rfft(x, quick_length(2 * n))) ** 2
    raw = np.fft.irfft(spectrum)[:n]
    squares = np.concatenate([[0.0], np.cumsum(x * x)])
    lags = np.arange(n)
    sizes = np.sqrt(np.maximum(squares[n - lags] * (squares[n] - squares[lags]), 1e-300))
    return np.asarray(raw / sizes)


def _best_near(correlation: FloatArray, lag: float, within: float) -> float:
    low, high = max(int(lag - within), 1), min(int(lag + within) + 2, len(correlation))
    return float(correlation[low:high].max()) if high > low else -1.0
