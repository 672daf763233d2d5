"""A fundamental beside tones that do not repeat with it: what leaks into it."""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import Reader, median, quick_length
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import Window

_SIDE_LOBE = 10 ** (-92 / 20)
_MAIN_LOBE = 4  # lines to its first zero
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
