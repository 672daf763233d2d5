"""Cycles of a reference channel: the filtered rising zero crossings that every cycle-bound number rests on."""

import math
from dataclasses import dataclass

import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import BoolArray, FloatArray, Reader
from pantelos.signal.crossings import rising_crossings
from pantelos.signal.filters import decimated, fundamental_of
from pantelos.signal.integrals import blocks

# Cycles this close to an end of the record stand on reflected data.
_UNCERTAIN_CYCLES = 1.5
_LONGEST_TRANSFORM = 1 << 18
_REGULAR_SHARE, _REGULAR_SPREAD = 0.9, 0.05
_NO_REFERENCE = 0.02  # of the largest peak: below that there is noise, not a reference


@dataclass(frozen=True, eq=False, slots=True)
class Cycles:
    """Rising zero crossings of the fundamental of a reference, in samples, and where it paused."""

    crossings: FloatArray  # positions in samples, rising
    whole: BoolArray  # True where crossing k to k + 1 is a plausible cycle; one shorter than crossings
    rate_hz: float
    n_samples: int

    @property
    def frequency_hz(self) -> float:
        """Frequency over all plausible cycles, by choice those away from the ends; NaN when there are none."""
        return self.frequency_between(0.0, float(self.n_samples))

    @property
    def regular(self) -> bool:
        """Whether nearly all cycles are plausible and of about one length, as those of a waveform are and of noise are not."""
        if len(self.whole) < 2 or np.count_nonzero(self.whole) < _REGULAR_SHARE * len(self.whole):
            return False
        periods = np.diff(self.crossings)[self.whole]
        return bool(np.std(periods) < _REGULAR_SPREAD * np.mean(periods))

    def between(self, start: float, stop: float) -> tuple[FloatArray, BoolArray]:
        """Return crossings (positions) inside start to stop, and which of the cycles between them are plausible."""
        slack = 1e-6  # an edge that was snapped to a crossing still holds it
        low, high = np.searchsorted(self.crossings, (start - slack, stop + slack))
        return self.crossings[low:high], self.whole[low : max(high - 1, low)]

    def frequency_between(self, start: float, stop: float) -> float:
        """Return the number of whole cycles over their time between two positions, Hz; NaN below one cycle.

        Cycles within 1.5 cycles of an end of the record are left out where enough others remain.
        """
        crossings, whole = self.between(start, stop)
        if not len(whole) or not whole.any():
            return math.nan
        periods = np.diff(crossings)
        margin = _UNCERTAIN_CYCLES * float(np.median(periods[whole]))
        sure = (crossings[:-1] >= margin) & (crossings[1:] <= self.n_samples - margin) & whole
        used = sure if sure.any() else whole
        return float(np.count_nonzero(used) / periods[used].sum() * self.rate_hz)


def find_cycles(
    read: Reader, n_samples: int, rate_hz: float, band_hz: tuple[float, float] = (0.5, 1000.0), progress: Progress | None = None
) -> Cycles:
    """Return the cycles of a reference channel over the whole record.

    Decimated with a zero-phase filter where the rate is far above the band, filtered with a zero-phase
    band-pass around the coarse frequency, crossed at zero with a hysteresis of 10 % of the local peak;
    cycles off the running median by more than 20 % open a gap.

    Source: IEC 61000-4-30 asks for the fundamental without harmonics; order and edges are ours.

    Parameters
    ----------
    read : callable (start, stop) -> array (stop - start,), any unit
    n_samples : int
    rate_hz : float, Hz
    band_hz : search band of the fundamental, Hz
    """
    x, step = decimated(read, n_samples, rate_hz, 200 * band_hz[1], progress)
    rate = rate_hz / step
    coarse = coarse_frequency(x, rate, band_hz)
    if not math.isfinite(coarse):
        return Cycles(np.zeros(0), np.zeros(0, dtype=bool), rate_hz, n_samples)
    filtered = fundamental_of(x, rate, coarse)
    peak = _local_peak(filtered, max(int(rate / coarse), 1))
    floor = _NO_REFERENCE * float(peak.max())
    crossings = rising_crossings(filtered, 0.0, np.maximum(0.1 * peak, floor))
    return Cycles(crossings * step, _plausible(np.diff(crossings)), rate_hz, n_samples)


def _local_peak(x: FloatArray, period: int) -> FloatArray:
    """Return the largest magnitude within about a period and a half of each sample, same shape."""
    n_periods = -(-len(x) // period)
    peaks = np.abs(np.pad(x, (0, n_periods * period - len(x)))).reshape(n_periods, period).max(axis=1)
    around = np.maximum(peaks, np.maximum(np.append(peaks[1:], 0), np.append(0, peaks[:-1])))
    return np.asarray(np.repeat(around, period)[: len(x)])


def _plausible(periods: FloatArray) -> BoolArray:
    """Return which periods are within 20 % of the running median of nine."""
    if not len(periods):
        return np.zeros(0, dtype=bool)
    beside = np.pad(periods, 4, mode="edge")
    usual = np.median(np.lib.stride_tricks.sliding_window_view(beside, 9), axis=1)
    return np.asarray(np.abs(periods - usual) <= 0.2 * usual)


def coarse_frequency(x: FloatArray, rate_hz: float, band_hz: tuple[float, float]) -> float:
    """Return the strongest frequency of `x` in the band, Hz, within about a tenth of a line; NaN if there is none.

    Parameters
    ----------
    x : array (n_samples,), any unit
    """
    x = x if len(x) <= _LONGEST_TRANSFORM else _busiest(x, _LONGEST_TRANSFORM)
    if len(x) < 8:
        return math.nan
    hann = 0.5 - 0.5 * np.cos(2 * math.pi * np.arange(len(x)) / len(x))
    lines = np.abs(np.fft.rfft((x - x.mean()) * hann))
    freqs = np.fft.rfftfreq(len(x), 1 / rate_hz)
    inside = np.flatnonzero((freqs >= band_hz[0]) & (freqs <= band_hz[1]))
    inside = inside[(inside >= 1) & (inside < len(lines) - 1)]
    if not len(inside):
        return math.nan
    k = int(inside[lines[inside].argmax()])
    noise = 1e-9 * float(np.abs(x).max()) * len(x)
    if lines[k] <= noise or lines[k] < lines[k - 1] * 0.5:
        return math.nan
    side = 1 if lines[k + 1] > lines[k - 1] else -1
    ratio = lines[k + side] / lines[k]
    return float((k + side * (2 * ratio - 1) / (ratio + 1)) * rate_hz / len(x))


def _busiest(x: FloatArray, size: int) -> FloatArray:
    """Return the stretch of `size` samples that holds most of the signal."""
    energies = [float(np.dot(x[low:high], x[low:high])) for low, high in blocks(0, len(x) - size + 1, size)]
    low = int(np.argmax(energies)) * size
    return np.asarray(x[low : low + size])
