"""Fewer samples: low-pass filter with linear phase, then every nth sample."""

import math
from collections.abc import Callable

import numpy as np

from pantelos.signal.arrays import FloatArray, Reader

PASSBAND = 0.8  # of half the new rate: flat within 0.001 dB
STOPBAND_DB = 80.0  # from half the new rate on
_TRANSITION = 1.0 - PASSBAND
_TAPS_PER_STEP = (STOPBAND_DB - 7.95) / (2.285 * math.pi * _TRANSITION)  # Kaiser 1974


def half_length(factor: int) -> int:
    """Return how many samples the filter reaches to either side."""
    return math.ceil(_TAPS_PER_STEP * factor / 2)


def low_pass(factor: int) -> FloatArray:
    """Return the filter for a rate reduced by `factor`, shape (2 * half_length + 1,), sum 1.

    Kaiser window, 80 dB (J. F. Kaiser 1974): cut off in the middle of the transition from 0.8 of half the new
    rate to all of it.
    """
    n = np.arange(-half_length(factor), half_length(factor) + 1, dtype=np.float64)
    cut = (PASSBAND + _TRANSITION / 2) / factor
    taps = cut * np.sinc(cut * n) * np.kaiser(len(n), 0.1102 * (STOPBAND_DB - 8.7))
    return np.asarray(taps / taps.sum())


def reduced(read: Reader, first: int, end: int, factor: int) -> Callable[[int, int], FloatArray]:
    """Return a reader of every `factor`th sample of `first` to `end`, filtered; sample k is that at first + k * factor.

    Beyond both ends the first and last sample go on. Missing where a sample the filter reaches is missing.
    """
    from scipy.signal import oaconvolve  # half a second to load

    taps, reach = low_pass(factor), half_length(factor)

    def reader(start: int, stop: int) -> FloatArray:
        if stop <= start:
            return np.zeros(0)
        low, high = first + start * factor - reach, first + (stop - 1) * factor + reach + 1
        inside = read(max(low, first), min(high, end))
        x = np.pad(inside, (max(first - low, 0), max(high - end, 0)), mode="edge")
        missing = np.isnan(x)
        y = np.asarray(oaconvolve(np.where(missing, 0.0, x), taps, mode="valid"))[::factor]
        if missing.any():
            touched = np.convolve(missing.astype(np.float64), np.ones(len(taps)), mode="valid")[::factor] > 0.5
            y[touched] = np.nan
        return np.asarray(y, dtype=np.float64)

    return reader
