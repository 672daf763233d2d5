"""What a channel looks like within a stretch: how fast it alternates, how large, how pure, how steady."""

import math
from collections.abc import Sequence

import msgspec
import numpy as np
from scipy.signal import get_window

from pantelos.signal.arrays import FloatArray

_KEPT_HZ = 20_000.0  # rate that fundamentals and harmonics are looked at with
_LOWEST_CYCLES = 2.0  # in a stretch: fewer are no line
_HIGHEST_HZ = 1_100.0  # no fundamental lies above
_LINE = 0.1  # of the alternating rms: a smaller strongest line is none
_ABOVE_FLOOR = 12.0  # times the median of all lines
_STEADY = 0.5  # alternating rms over mean: what alternates less is steady
_CARRIERS_FROM = 25.0  # times the fundamental, and at least:
_CARRIERS_FROM_HZ = 1_200.0
_LOOKED_AT = 1 << 16  # samples whose fast part is looked at
_PADDING = 4
_ALL_ORDERS, _SIX_PULSE = tuple(range(2, 26)), (5, 7, 11, 13)


class Seen(msgspec.Struct, frozen=True):
    """A channel as it is looked at: the same stretches of the record as all others, in its unit."""

    name: str
    quantity: str  # what unit or name say: voltage, current, speed, torque; empty where they say nothing
    unit: str  # "V" where its numbers are volts
    rate_hz: float
    stretches: tuple[FloatArray, ...]  # samples, finite


class Look(msgspec.Struct, frozen=True):
    """What a channel does within one stretch; all sizes in its unit."""

    mean: float
    rms: float  # of what alternates
    frequency_hz: float  # of its strongest line; NaN where it has none
    amplitude: float  # of that line
    distortion: float  # orders 2 to 25 over that line
    six_pulse: float  # orders 5, 7, 11 and 13 over that line: what a rectifier draws
    fast: float  # share of the alternating energy that lies where carriers are, 0 to 1

    @property
    def alternates(self) -> bool:
        """Whether it swings about zero, or about a mean that is no larger."""
        return math.isfinite(self.frequency_hz) and abs(self.mean) < 2 * self.rms

    @property
    def steady(self) -> bool:
        """Whether it has a mean beside which it hardly alternates."""
        return self.rms < _STEADY * abs(self.mean)


def thinned(x: FloatArray, rate_hz: float) -> tuple[FloatArray, float]:
    """Return means of neighbours (m,) and their rate, Hz, slow enough to be looked at."""
    step = max(int(rate_hz // _KEPT_HZ), 1)
    whole = len(x) // step
    return x[: whole * step].reshape(whole, step).mean(axis=1), rate_hz / step


def look_at(x: FloatArray, rate_hz: float) -> Look:
    """Return what samples (n,) at a rate in Hz look like."""
    slow, slow_hz = thinned(x, rate_hz)
    mean = float(np.mean(x))
    rms = float(np.std(x))
    lines = np.abs(np.fft.rfft((slow - np.mean(slow)) * get_window("hann", len(slow)), _PADDING * len(slow))) * 4 / len(slow)
    line_hz = slow_hz / (_PADDING * len(slow))
    frequency, amplitude = _strongest(lines, line_hz)
    if not amplitude > _LINE * rms * math.sqrt(2):
        frequency = math.nan
    distortion = _orders(lines, line_hz, frequency, amplitude, _ALL_ORDERS)
    six_pulse = _orders(lines, line_hz, frequency, amplitude, _SIX_PULSE)
    return Look(mean, rms, frequency, amplitude, distortion, six_pulse, _fast_share(x[:_LOOKED_AT], rate_hz, frequency))


def _strongest(lines: FloatArray, step: float) -> tuple[float, float]:
    """Return (frequency, Hz; amplitude) of the strongest line of a padded spectrum; NaN, 0 where no line stands out."""
    first = math.ceil(_LOWEST_CYCLES * _PADDING)
    last = min(int(_HIGHEST_HZ / step), len(lines) - 2)
    if last <= first:
        return math.nan, 0.0
    at = first + int(np.argmax(lines[first : last + 1]))
    if not lines[at] > _ABOVE_FLOOR * float(np.median(lines[first : last + 1])) or not lines[at] > 0:
        return math.nan, 0.0
    a, b, c = np.log(np.maximum(lines[at - 1 : at + 2], 1e-300))
    shift = 0.5 * (a - c) / (a - 2 * b + c) if a - 2 * b + c < 0 else 0.0
    return (at + float(shift)) * step, float(lines[at])


def _orders(lines: FloatArray, step: float, frequency_hz: float, amplitude: float, orders: Sequence[int]) -> float:
    """Return some orders together over the strongest line."""
    if not math.isfinite(frequency_hz):
        return 0.0
    at = np.rint(np.array(orders) * frequency_hz / step).astype(int)
    return float(np.linalg.norm(lines[at[at < len(lines)]])) / amplitude


def _fast_share(x: FloatArray, rate_hz: float, frequency_hz: float) -> float:
    """Return the share of the alternating energy that lies above where harmonics end and carriers begin."""
    energies = np.abs(np.fft.rfft((x - np.mean(x)) * get_window("hann", len(x)))) ** 2
    border = max(_CARRIERS_FROM * frequency_hz if math.isfinite(frequency_hz) else 0.0, _CARRIERS_FROM_HZ)
    whole = float(np.sum(energies))
    first = math.ceil(border * len(x) / rate_hz)
    return float(np.sum(energies[first:])) / whole if whole > 0 else 0.0


def phasors_of(xs: Sequence[FloatArray], rate_hz: float, frequency_hz: float) -> list[complex]:
    """Return the peak phasor of each of several stretches (n,) at one frequency, to the first sample of each."""
    found = []
    for x in xs:
        weights = get_window("hann", len(x))
        turn = np.exp(-2j * math.pi * frequency_hz / rate_hz * np.arange(len(x)))
        found.append(complex(np.dot((x - np.mean(x)) * weights, turn)) * 2 / float(np.sum(weights)))
    return found
