"""Zero-phase filters for finding cycles: applied as gains on the spectrum, in stretches that overlap.

Plain NumPy on purpose: a window that opens must not wait for a filter-design library.
"""

import math
from itertools import pairwise

import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import ComplexArray, FloatArray, Reader
from pantelos.signal.sums.integrals import blocks

_STRETCH = 1 << 18
_SETTLED_CYCLES = 12  # after so many periods the band-pass has forgotten where the data began
_ALIKE = 0.1  # sizes of two periods that differ by less are those of one steady waveform
_MEANS_FROM = 8  # steps of the low-pass that are left behind means
_TAPS_PER_STEP = 16
MIXED = _TAPS_PER_STEP // 2 + 1  # samples of the lower rate beside an end or a step that the low-pass mixes
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
    return np.asarray(analytic_fundamental(x, rate_hz, frequency_hz).real)


def analytic_fundamental(x: FloatArray, rate_hz: float, frequency_hz: float) -> ComplexArray:
    """Return the analytic signal of `fundamental_of`: its real part is that, its angle turns once per cycle.

    Parameters
    ----------
    x : array (n_samples,), any unit, none missing
    """
    longer, pad = _continued(x, rate_hz / frequency_hz)
    length = 1 << (max(min(_STRETCH, len(longer)), 4 * pad) - 1).bit_length()  # powers of two transform fastest
    freqs = np.arange(length // 2 + 1) * (rate_hz / length)
    with np.errstate(divide="ignore"):
        gain = 2 / (1 + ((freqs**2 - 0.75 * frequency_hz**2) / (freqs * frequency_hz)) ** 4)
    gain[-1] /= 2
    out = np.empty(len(x), dtype=np.complex128)
    lines = np.zeros(length, dtype=np.complex128)
    for low, high in blocks(0, len(x), length - 2 * pad):
        lines[: length // 2 + 1] = np.fft.rfft(longer[low : high + 2 * pad], length) * gain
        out[low:high] = np.fft.ifft(lines)[pad : pad + high - low]
    return out


def _continued(x: FloatArray, period: float) -> tuple[FloatArray, int]:
    """Return `x` with some periods more at either end, and by how many samples; by odd reflection when it is short."""
    pad = int(_SETTLED_CYCLES * period)
    if int(len(x) / period) < 1:
        pad = min(pad, len(x) - 1)
        return np.pad(x, pad, mode="reflect", reflect_type="odd"), pad
    return np.concatenate([before_the_first(x, period, pad), x, before_the_first(x[::-1], period, pad)[::-1]]), pad


def before_the_first(x: FloatArray, period: float, n: int) -> FloatArray:
    """Return what may have stood `n` samples before `x`: what comes some whole periods later, between samples by four of them."""
    shift = _shift(x, period)
    places = (np.arange(-n, 0) % shift) if shift >= 1 else np.zeros(n)
    low = np.floor(places).astype(np.intp)
    d = places - low
    around = np.clip(low[:, None] + np.arange(-1, 3), 0, len(x) - 1)
    weights = np.stack(
        [-d * (d - 1) * (d - 2) / 6, (d + 1) * (d - 1) * (d - 2) / 2, -(d + 1) * d * (d - 2) / 2, (d + 1) * d * (d - 1) / 6],
        axis=1,
    )
    return np.asarray((x[around] * weights).sum(axis=1))


def _shift(x: FloatArray, period: float) -> float:
    """Return after how many samples the beginning of `x` comes again: the number of periods closest to whole samples.

    Only periods as large as the first one count: what is behind a change of size is no measure for the beginning.
    """
    n = min(int(len(x) / period), _SETTLED_CYCLES)
    edges = np.round(np.arange(n + 1) * period).astype(np.intp)
    sizes = np.array([float(np.std(x[a:b])) for a, b in pairwise(edges.tolist())])
    unlike = np.flatnonzero(np.abs(sizes - sizes[0]) > _ALIKE * sizes[0])
    shifts = np.arange(1, (int(unlike[0]) if len(unlike) else n) + 1) * period
    return float(shifts[np.argmin(np.abs(shifts - np.round(shifts)))])


def decimated(
    read: Reader, n_samples: int, rate_hz: float, wanted_hz: float, progress: Progress | None = None
) -> tuple[FloatArray, int]:
    """Return a channel at about the rate wanted, and the whole number of samples per step; missing samples as 0.

    A symmetric (zero-phase) windowed-sinc low-pass goes first; where the step is long, means of an odd number of samples
    before it, whose zeros lie where they would fold down to. Nothing is done below twice the rate wanted.

    Returns
    -------
    array (ceil(n_samples / step),), unit of the channel, and the step
    """
    step = max(int(rate_hz / wanted_hz), 1) if rate_hz > 2 * wanted_hz else 1
    width = step // _MEANS_FROM // 2 * 2 - 1 if step >= 4 * _MEANS_FROM else 1
    if width > 1:
        step = step // width * width
    rest = step // width
    taps = coarse_low_pass(rest)
    half = len(taps) // 2 * width + width // 2
    parts = []
    for low, high in blocks(0, n_samples, max(_STRETCH // step, 1) * step):
        first, last = max(low - half, 0), min(high + half, n_samples)
        x = read(first, last)
        if np.isnan(np.add.reduce(x)):
            x = np.nan_to_num(x, nan=0.0)
        if step > 1:
            x = np.pad(x, (half - (low - first), half - (last - high)), mode="edge")
            if width > 1:
                x = x[: len(x) // width * width].reshape(-1, width).mean(axis=1)
            x = np.lib.stride_tricks.sliding_window_view(x, len(taps))[::rest] @ taps
        parts.append(x[: -(-(high - low) // step)])
        if progress is not None:
            progress.at(high / n_samples)
    return (np.concatenate(parts) if parts else np.zeros(0)), step


def coarse_low_pass(step: int) -> FloatArray:
    """Return the taps of a low-pass with its edge at 0.4 of the lower rate, sum 1."""
    if step == 1:
        return np.ones(1)
    n = np.arange(-_TAPS_PER_STEP * step // 2, _TAPS_PER_STEP * step // 2 + 1)
    taps = np.sinc(2 * 0.4 / step * n) * np.kaiser(len(n), _STOP_BAND)
    return np.asarray(taps / math.fsum(taps))
