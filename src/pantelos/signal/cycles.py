"""Cycles of a reference channel: the filtered rising zero crossings that every cycle-bound number rests on."""

import math
from dataclasses import dataclass

import numpy as np
from scipy import ndimage, signal

from pantelos.progress import Progress
from pantelos.signal.arrays import BoolArray, FloatArray, Reader
from pantelos.signal.crossings import rising_crossings
from pantelos.signal.integrals import blocks

# Cycles this close to an end of the record stand on reflected data.
_UNCERTAIN_CYCLES = 1.5
_LONGEST_TRANSFORM = 1 << 20
_CONTINUED_CYCLES = 12


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
    Butterworth band-pass around the coarse frequency, crossed at zero with a hysteresis of 10 % of the
    local peak; cycles off the running median by more than 20 % open a gap.

    Source: IEC 61000-4-30 asks for the fundamental without harmonics; order and edges are ours.

    Parameters
    ----------
    read : callable (start, stop) -> array (stop - start,), any unit
    n_samples : int
    rate_hz : float, Hz
    band_hz : search band of the fundamental, Hz
    """
    x, step = _decimated(read, n_samples, rate_hz, band_hz[1], progress)
    rate = rate_hz / step
    coarse = coarse_frequency(x, rate, band_hz)
    if not math.isfinite(coarse):
        return Cycles(np.zeros(0), np.zeros(0, dtype=bool), rate_hz, n_samples)
    return _crossed(fundamental_of(x, rate, coarse), rate, coarse, step, n_samples)


def _crossed(filtered: FloatArray, rate: float, coarse: float, step: int, n_samples: int) -> Cycles:
    """Return the cycles of a filtered, decimated reference."""
    peak = ndimage.maximum_filter1d(np.abs(filtered), max(int(1.5 * rate / coarse), 1) * 2 + 1)
    floor = 0.02 * float(peak.max())  # below that there is no reference, only noise
    crossings = rising_crossings(filtered, 0.0, np.maximum(0.1 * peak, floor))
    periods = np.diff(crossings)
    if len(periods):
        usual = ndimage.median_filter(periods, size=min(9, len(periods)), mode="nearest")
        whole = np.abs(periods - usual) <= 0.2 * usual
    else:
        whole = np.zeros(0, dtype=bool)
    return Cycles(crossings * step, whole, rate * step, n_samples)


def _decimated(
    read: Reader, n_samples: int, rate_hz: float, highest_hz: float, progress: Progress | None
) -> tuple[FloatArray, int]:
    """Return the channel at a rate of about 200 times the highest frequency, and the step taken."""
    step = max(int(rate_hz / (200 * highest_hz)), 1) if rate_hz > 400 * highest_hz else 1
    taps = signal.firwin(16 * step + 1, 0.4 / step, window=("kaiser", 8.0), fs=1.0) if step > 1 else np.ones(1)
    half = len(taps) // 2
    size = (1 << 18) // step * step
    parts = []
    for low, high in blocks(0, n_samples, max(size, step)):
        x = read(max(low - half, 0), min(high + half, n_samples))
        x = np.nan_to_num(x, nan=0.0)
        left, right = half - (low - max(low - half, 0)), half - (min(high + half, n_samples) - high)
        if step > 1:
            x = np.pad(x, (left, right), mode="reflect", reflect_type="odd") if len(x) > half else np.pad(x, (left, right))
            x = signal.upfirdn(taps, x, down=step)[2 * half // step :][: math.ceil((high - low) / step)]
        parts.append(x)
        if progress is not None:
            progress.at(high / n_samples)
    return (np.concatenate(parts) if parts else np.zeros(0)), step


def coarse_frequency(x: FloatArray, rate_hz: float, band_hz: tuple[float, float]) -> float:
    """Return the strongest frequency of `x` in the band, Hz, within about a tenth of a line; NaN if there is none.

    Parameters
    ----------
    x : array (n_samples,), any unit
    """
    x = x[:_LONGEST_TRANSFORM] if len(x) <= _LONGEST_TRANSFORM else _busiest(x, _LONGEST_TRANSFORM)
    if len(x) < 8:
        return math.nan
    window = signal.windows.hann(len(x), sym=False)
    lines = np.abs(np.fft.rfft((x - x.mean()) * window))
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


def fundamental_of(x: FloatArray, rate_hz: float, frequency_hz: float) -> FloatArray:
    """Return `x` through a zero-phase band-pass from 0.5 to 1.5 times the frequency, same shape and unit.

    Butterworth of order 2, forward and backward. Beyond its ends the signal is continued by what it was a
    whole number of periods further in, so that the ends of a steady waveform are as good as its middle.
    """
    edges = np.array([0.5, 1.5]) * frequency_hz
    if edges[1] >= rate_hz / 2:
        return np.asarray(x - x.mean())
    sos = signal.butter(2, edges, btype="bandpass", fs=rate_hz, output="sos")
    longer, pad = _continued(x, rate_hz / frequency_hz)
    return np.asarray(signal.sosfiltfilt(sos, longer, padtype="odd", padlen=min(pad, len(longer) - 1))[pad : pad + len(x)])


def _continued(x: FloatArray, period: float) -> tuple[FloatArray, int]:
    """Return `x` with some periods more at either end, and by how many samples; by odd reflection when it is short."""
    pad = int(_CONTINUED_CYCLES * period)
    shifts = np.arange(1, int(len(x) / period) + 1)[:_CONTINUED_CYCLES] * period
    if not len(shifts):
        pad = min(pad, len(x) - 1)
        return np.pad(x, pad, mode="reflect", reflect_type="odd"), pad
    # The number of periods that comes closest to whole samples.
    shift = min(int(np.round(shifts[np.argmin(np.abs(shifts - np.round(shifts)))])), len(x))
    beyond = np.arange(pad) % shift
    return np.concatenate([x[shift - 1 - beyond[::-1]], x, x[len(x) - shift + beyond]]), pad
