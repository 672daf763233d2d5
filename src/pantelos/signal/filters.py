"""Zero-phase filters for finding cycles: applied as gains on the spectrum, in stretches that overlap.

Plain NumPy on purpose: a window that opens must not wait for a filter-design library.
"""

import math

import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.integrals import blocks

_STRETCH = 1 << 18
_SETTLED_CYCLES = 12  # after so many periods the band-pass has forgotten where the data began
_TAPS_PER_STEP = 16
_STOP_BAND = 8.0  # Kaiser beta


def fundamental_of(x: FloatArray, rate_hz: float, frequency_hz: float) -> FloatArray:
    """Return `x` through a zero-phase band-pass from 0.5 to 1.5 times the frequency, same shape and unit.

    The gain is that of a Butterworth band-pass of order 2 run forward and backward, 1 / (1 + w^4) with
    w = (f^2 - f_lo f_hi) / (f (f_hi - f_lo)). Beyond its ends the signal is continued by what it was a whole
    number of periods further in, so that the ends of a steady waveform are as good as its middle.

    Parameters
    ----------
    x : array (n_samples,), any unit, none missing
    """
    if 1.5 * frequency_hz >= rate_hz / 2:
        return np.asarray(x - x.mean())
    longer, pad = _continued(x, rate_hz / frequency_hz)
    length = 1 << (max(min(_STRETCH, len(longer)), 4 * pad) - 1).bit_length()  # powers of two transform fastest
    freqs = np.fft.rfftfreq(length, 1 / rate_hz)
    with np.errstate(divide="ignore"):
        gain = 1 / (1 + ((freqs**2 - 0.75 * frequency_hz**2) / (freqs * frequency_hz)) ** 4)
    out = np.empty(len(x))
    for low, high in blocks(0, len(x), length - 2 * pad):
        lines = np.fft.rfft(longer[low : high + 2 * pad], length)
        out[low:high] = np.fft.irfft(lines * gain, length)[pad : pad + high - low]
    return out


def _continued(x: FloatArray, period: float) -> tuple[FloatArray, int]:
    """Return `x` with some periods more at either end, and by how many samples; by odd reflection when it is short."""
    pad = int(_SETTLED_CYCLES * period)
    shifts = np.arange(1, int(len(x) / period) + 1)[:_SETTLED_CYCLES] * period
    if not len(shifts):
        pad = min(pad, len(x) - 1)
        return np.pad(x, pad, mode="reflect", reflect_type="odd"), pad
    # The number of periods that comes closest to whole samples.
    shift = min(int(np.round(shifts[np.argmin(np.abs(shifts - np.round(shifts)))])), len(x))
    beyond = np.arange(pad) % shift
    return np.concatenate([x[shift - 1 - beyond[::-1]], x, x[len(x) - shift + beyond]]), pad


def decimated(
    read: Reader, n_samples: int, rate_hz: float, wanted_hz: float, progress: Progress | None = None
) -> tuple[FloatArray, int]:
    """Return a channel at about the rate wanted, and the whole number of samples per step; missing samples as 0.

    A symmetric (zero-phase) windowed-sinc low-pass goes first; nothing is done below twice the rate wanted.

    Returns
    -------
    array (ceil(n_samples / step),), unit of the channel, and the step
    """
    step = max(int(rate_hz / wanted_hz), 1) if rate_hz > 2 * wanted_hz else 1
    taps = _low_pass(step)
    half = len(taps) // 2
    parts = []
    for low, high in blocks(0, n_samples, _STRETCH // step * step):
        first, last = max(low - half, 0), min(high + half, n_samples)
        x = np.nan_to_num(read(first, last), nan=0.0)
        if step > 1:
            x = np.pad(x, (half - (low - first), half - (last - high)), mode="edge")
            x = np.lib.stride_tricks.sliding_window_view(x, len(taps))[::step] @ taps
        parts.append(x)
        if progress is not None:
            progress.at(high / n_samples)
    return (np.concatenate(parts) if parts else np.zeros(0)), step


def _low_pass(step: int) -> FloatArray:
    """Return the taps of a low-pass with its edge at 0.4 of the lower rate, sum 1."""
    if step == 1:
        return np.ones(1)
    n = np.arange(-_TAPS_PER_STEP * step // 2, _TAPS_PER_STEP * step // 2 + 1)
    taps = np.sinc(2 * 0.4 / step * n) * np.kaiser(len(n), _STOP_BAND)
    return np.asarray(taps / math.fsum(taps))
