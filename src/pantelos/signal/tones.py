"""A fundamental beside tones that do not repeat with it: what leaks into it, and a window through which little does."""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import ComplexArray, FloatArray, Reader, median, quick_length
from pantelos.signal.cycles import Cycles
from pantelos.signal.integrals import CompensatedSum, blocks
from pantelos.signal.window import Window

_BLACKMAN_HARRIS = (0.35875, 0.48829, 0.14128, 0.01168)  # F. J. Harris 1978, 4-term
_SIDE_LOBE = 10 ** (-92 / 20)
_MAIN_LOBE = 4  # lines to its first zero
_FEWEST_CYCLES = 2 * _MAIN_LOBE  # below, the main lobe reaches the mean or the second order
_LOOKED_AT = 1 << 18
_STANDS_OUT = 8.0  # times the median of the lines between the orders: less is noise
_BETWEEN = 0.02  # of the fundamental from an order: nearer it is the order itself, or its change


class Tone(msgspec.Struct, frozen=True):
    """The largest tone that is no harmonic; rms in the unit of the channel, 0 where there is none."""

    frequency_hz: float
    rms: float
    lines_away: float  # from the fundamental, in lines of the whole stretch

    def leak(self, window: Window, smooth: bool) -> float:
        """Return the largest rms that the tone adds to the phasor of the fundamental over a window."""
        if not self.rms > 0:
            return 0.0
        if smooth:
            return self.rms * (_SIDE_LOBE if self.lines_away > _MAIN_LOBE else 1.0)
        return self.rms / (math.pi * max(self.lines_away, 0.3))


def strongest_other_tone(read: Reader, window: Window, cycles: Cycles) -> Tone:
    """Return the largest tone between the harmonics in a window, from a Hann spectrum of (part of) it.

    Parameters
    ----------
    read : callable (start, stop) -> array (stop - start,), none missing
    """
    nothing = Tone(math.nan, 0.0, math.inf)
    n = min(window.end - window.first, _LOOKED_AT)
    if n < 64 or window.n_cycles < 4:
        return nothing
    step = 1 << max(n.bit_length() - 7, 0)
    n = n // step * step
    x = read(window.first, window.first + n)
    if len(x) < n or np.isnan(x).any():
        return nothing
    n = len(x) if quick_length(len(x)) == len(x) else n
    hann = 0.5 - 0.5 * np.cos(2 * math.pi * np.arange(n) / n)
    lines = np.abs(np.fft.rfft((x[:n] - x[:n].mean()) * hann)) * (math.sqrt(2) / (0.5 * n))
    spacing, f1 = cycles.rate_hz / n, window.frequency_hz
    order = np.arange(len(lines)) * spacing / f1
    reach = max(3 * spacing / f1, _BETWEEN) + window.change * np.maximum(order, 1)
    between = np.abs(order - np.round(order)) > reach
    between[:4] = False
    if between.sum() < 8:
        return nothing
    floor = median(lines[between])
    k = int(np.argmax(np.where(between, lines, 0.0)))
    fundamental = float(lines[max(round(f1 / spacing) - 2, 0) : round(f1 / spacing) + 3].max())
    if (
        lines[k] < _STANDS_OUT * floor
        or lines[k] < 1e-7 * fundamental
        or lines[k] < max(lines[k - 1], lines[min(k + 1, len(lines) - 1)])
    ):
        return nothing
    return Tone(k * spacing, float(lines[k]), abs(k * spacing - f1) * (window.stop - window.start) / cycles.rate_hz)


def fundamental_beside_tones(read: Reader, window: Window, cycles: Cycles) -> ComplexArray | None:
    """Return the rms phasors of the fundamental over a whole window through a Blackman-Harris window, one per channel.

    The phase of the reference is followed from crossing to crossing. None where the window holds too few cycles.

    Parameters
    ----------
    read : callable (start, stop) -> array (n_channels, stop - start)
    """
    if window.n_cycles < _FEWEST_CYCLES:
        return None
    n_channels = len(read(0, 0))
    sums, weight, length = CompensatedSum((2, n_channels)), 0.0, window.stop - window.start
    for low, high in blocks(window.first, window.end):
        places = np.arange(low, high, dtype=np.float64)
        share = 2 * math.pi * (places - window.start) / length
        w: FloatArray = np.sum([(-1) ** m * a * np.cos(m * share) for m, a in enumerate(_BLACKMAN_HARRIS)], axis=0)
        turn = 2 * math.pi * cycles.turns(places)
        x = read(low, high) * w
        sums.add(np.stack([x @ np.cos(turn), -(x @ np.sin(turn))]))
        weight += float(w.sum())
    real, imaginary = sums.value * (math.sqrt(2) / weight)
    return np.asarray(real + 1j * imaginary)
