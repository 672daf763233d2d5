"""Flicker: what changes of a voltage do to the light of a lamp, and that to the eye.

Source: IEC 61000-4-15, blocks 1 to 5: normalised voltage, squaring demodulator, weighting filters, squaring and smoothing,
classification by the share of time.
"""

import math
from typing import Literal, TypeAlias

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.quality.half_cycles import HalfCycles
from pantelos.signal.arrays import BoolArray, FloatArray, Reader
from pantelos.signal.compiled import compiled
from pantelos.signal.sums.integrals import blocks

Lamp: TypeAlias = Literal[230, 120]

SETTLING_S = 60.0  # after which the filters have forgotten how they began
_SLOW_S = 27.3  # of the lag that follows the rms: 1 min from 10 to 90 % of a step
_BEGUN_S = 60.0  # of the mean that it begins at
_SMOOTHING_S = 0.3
_HIGH_PASS_HZ = 0.05
_LOWEST_RATE = 1000.0
_FINEST_RATE = 2000.0  # above twice this, squares of neighbouring samples are averaged first
_HELD = 10  # values over which the slow rms is held: it follows in half a minute
_KEPT_RATE = 200.0  # of values of the instantaneous flicker
_BLOCK = 1 << 18  # samples of all channels
_HALF_CYCLES = 1 << 12
IN_TWO_HOURS = 12


class _Weighting(msgspec.Struct, frozen=True):
    """Constants of lamp, eye and brain (table of the standard), and the modulation in % that is just seen at 8.8 Hz."""

    gain: float
    damping: float
    omega: tuple[float, float, float, float]
    seen: float


_TURN = 2 * math.pi
_WEIGHTING: dict[int, _Weighting] = {
    230: _Weighting(1.74802, _TURN * 4.05981, (_TURN * 9.15494, _TURN * 2.27979, _TURN * 1.22535, _TURN * 21.9), 0.250),
    120: _Weighting(1.6357, _TURN * 4.167375, (_TURN * 9.077169, _TURN * 2.939902, _TURN * 1.394468, _TURN * 17.31512), 0.321),
}
_LOW_PASS_HZ = {50: 35.0, 60: 42.0}
# Levels exceeded for so many per cent of the time, and what the mean of a row counts.
_LEVELS = (
    (0.0314, (0.1,)),
    (0.0525, (0.7, 1.0, 1.5)),
    (0.0657, (2.2, 3.0, 4.0)),
    (0.28, (6.0, 8.0, 10.0, 13.0, 17.0)),
    (0.08, (30.0, 50.0, 80.0)),
)


class Instantaneous(msgspec.Struct, frozen=True, eq=False):
    """The instantaneous flicker P_inst: 1 is just seen by half of the people."""

    values: FloatArray  # (n_channels, n)
    first: float  # where the first one stands, samples
    step: float  # samples from one to the next
    settled: float  # from where on the filters have forgotten how they began, samples

    def between(self, start: float, stop: float) -> FloatArray:
        """Return the values from start to stop, samples, (n_channels, n)."""
        low, high = (math.ceil((at - self.first) / self.step - 1e-9) for at in (start, stop))
        return self.values[:, max(low, 0) : max(high, 0)]


class Flickermeter:
    """The chain of the standard behind voltages that are read from their beginning on."""

    def __init__(
        self,
        read: Reader,
        rate_hz: float,
        rms: HalfCycles,
        interrupted: BoolArray | None = None,
        lamp: Lamp = 230,
        mains_hz: int = 50,
    ) -> None:
        """Take voltages, and half-cycles of them; the slow rms is held at the interrupted ones, (n,), None: none.

        Raises
        ------
        ValueError
            When the rate is below 1 kHz, which the filters need.
        """
        if rate_hz < _LOWEST_RATE:
            raise ValueError(f"flicker needs 1000 samples per second, the record has {rate_hz:g}")
        self._read, self._rate_hz, self._n_channels = read, rate_hz, len(rms.rms)
        self._together = max(int(rate_hz / _FINEST_RATE), 1)
        rate = rate_hz / self._together
        self._every = max(int(rate / _KEPT_RATE), 1)
        smooth = 1 - math.exp(-1 / (rate * _SMOOTHING_S))
        self._weighting = _Filter(weighting_filters(rate, lamp, mains_hz), self._n_channels)
        self._lag = _Filter(np.array([[smooth, 0, 0, 1, smooth - 1, 0]]), self._n_channels)
        self._slow_at, self._slow = _slow_rms(rms, rate_hz, interrupted)
        self._scale, self._kept, self._done = _scale(lamp, mains_hz), list[FloatArray](), 0

    def through(self, stop: int, progress: Progress | None = None) -> None:
        """Go on up to a sample."""
        together, n_channels, begun = self._together, self._n_channels, self._done
        n_values, block = stop // together, max(_BLOCK // (together * max(n_channels, 1)), 1)
        for low, high in blocks(begun, n_values, block):
            u = np.require(self._read(low * together, high * together), np.float64, ["C", "W"])  # loops take no read-only array
            at = (np.arange(low, high, _HELD) + 0.5 * _HELD) * together
            references = np.array([np.interp(at, self._slow_at, slow) for slow in self._slow])
            changes = np.empty((n_channels, high - low))
            _demodulated(u, references, changes)
            weighted = self._weighting(changes)
            seen = self._lag(np.square(weighted, out=weighted))
            self._kept.append(seen[:, -low % self._every :: self._every] * self._scale)
            self._done = high
            if progress is not None:
                progress.at((high - begun) / (n_values - begun))

    @property
    def seen(self) -> Instantaneous:
        """What was seen so far."""
        found = np.concatenate(self._kept, axis=1) if self._kept else np.zeros((self._n_channels, 0))
        first, step = 0.5 * (self._together - 1), float(self._every * self._together)
        return Instantaneous(np.maximum(found, 0.0), first, step, SETTLING_S * self._rate_hz)


@compiled("void(float64[:, ::1], float64[:, ::1], float64[:, ::1])")
def _demodulated(u: FloatArray, references: FloatArray, into: FloatArray) -> None:
    """Fill in the mean squares of some neighbouring voltages (n_channels, n * some), over the square of a reference, less one.

    Less one, so that the filters behind have little to settle from. Each reference serves several values; what is missing is 0.
    """
    n_channels, n = into.shape
    together = u.shape[1] // n
    for channel in range(n_channels):
        voltages, changes = u[channel], into[channel]
        for k in range(n):
            square = 0.0
            for at in range(k * together, (k + 1) * together):
                square += voltages[at] * voltages[at]
            reference = references[channel, k // _HELD]
            change = square / (together * reference * reference) - 1.0
            changes[k] = change if math.isfinite(change) else 0.0


class _Filter:
    """Second-order sections that go on where they left off, of several channels."""

    def __init__(self, sections: FloatArray, n_channels: int) -> None:
        self._sections, self._state = sections, np.zeros((len(sections), n_channels, 2))

    def __call__(self, values: FloatArray) -> FloatArray:
        from scipy.signal import sosfilt

        filtered, self._state = sosfilt(self._sections, values, zi=self._state)
        return np.asarray(filtered)


def instantaneous_flicker(
    read: Reader,
    n_samples: int,
    rate_hz: float,
    rms: HalfCycles,
    interrupted: BoolArray | None = None,
    lamp: Lamp = 230,
    mains_hz: int = 50,
) -> Instantaneous:
    """Return the instantaneous flicker of voltages, `read` (n_channels, stop - start), V, all at once; see `Flickermeter`."""
    meter = Flickermeter(read, rate_hz, rms, interrupted, lamp, mains_hz)
    meter.through(n_samples)
    return meter.seen


def _slow_rms(rms: HalfCycles, rate_hz: float, interrupted: BoolArray | None) -> tuple[FloatArray, FloatArray]:
    """Return where half-cycles have their middle, (n,), samples, and the slow rms there, (n_channels, n).

    y_k = y_{k-1} + s_k (U_k - y_{k-1}), s_k = 0 where it is held; it begins at the mean of the first minute that is not.
    """
    middles = 0.5 * (rms.starts + rms.stops)
    held = np.isnan(rms.rms) | (False if interrupted is None else interrupted)
    n_begun = int(np.searchsorted(rms.starts, rms.starts[0] + _BEGUN_S * rate_hz)) if len(rms) else 0
    shares = -np.expm1(-np.diff(rms.starts, append=rms.starts[-1:] + 1) / (rate_hz * _SLOW_S))
    slow = np.empty(rms.rms.shape)
    for channel, (values, stays) in enumerate(zip(rms.rms, held, strict=True)):
        first = values[~stays][:n_begun]
        now = float(first.mean()) if len(first) else math.nan
        own, towards = np.where(stays, 0.0, shares), np.where(stays, 0.0, values)
        for low, high in blocks(0, len(values), _HALF_CYCLES):  # before what is left of the beginning gets too small to divide by
            left = np.cumprod(1 - own[low:high])
            slow[channel, low:high] = left * (now + np.cumsum(own[low:high] * towards[low:high] / left))
            now = float(slow[channel, high - 1])
    return middles, slow


def weighting_filters(rate_hz: float, lamp: Lamp, mains_hz: int) -> FloatArray:
    """Return the filters of block 3 as second-order sections: low-pass, high-pass, and lamp, eye and brain."""
    from scipy.signal import bilinear, butter

    low = butter(6, _LOW_PASS_HZ[mains_hz], fs=rate_hz, output="sos")
    high = butter(1, _HIGH_PASS_HZ, "highpass", fs=rate_hz, output="sos")
    eye = [np.concatenate(bilinear(above, below, rate_hz)) for above, below in _eye(_WEIGHTING[lamp])]
    return np.concatenate([low, high, eye])


def _eye(of: _Weighting) -> tuple[tuple[list[float], list[float]], ...]:
    """Return the two factors of lamp, eye and brain as polynomials of s, above and below the line."""
    one, two, three, four = of.omega
    return (
        ([of.gain * one, 0.0], [1.0, 2 * of.damping, one**2]),
        ([1 / two, 1.0], [1 / (three * four), 1 / three + 1 / four, 1.0]),
    )


def _scale(lamp: Lamp, mains_hz: int) -> float:
    """Return what makes the largest value 1 at the modulation that is just seen at 8.8 Hz."""
    from scipy.signal import butter

    of, s = _WEIGHTING[lamp], 2j * math.pi * 8.8
    low = [one.tolist() for one in butter(6, _TURN * _LOW_PASS_HZ[mains_hz], analog=True)]
    high = [[1.0, 0.0], [1.0, _TURN * _HIGH_PASS_HZ]]
    factors = [(np.polyval(above, s), np.polyval(below, s)) for above, below in (low, high, *_eye(of))]
    response = float(np.prod([abs(above / below) for above, below in factors]))
    ripple = 1 + 1 / math.sqrt(1 + (4 * math.pi * 8.8 * _SMOOTHING_S) ** 2)
    return 1 / (0.5 * (of.seen / 100 * response) ** 2 * ripple)


def short_term(seen: FloatArray) -> float:
    """Return P_st of the instantaneous flicker (n,) of a stretch, 10 min by the standard; NaN of none."""
    if not len(seen) or np.isnan(seen).any():
        return math.nan
    levels = iter(np.percentile(seen, [100 - share for _, shares in _LEVELS for share in shares]).tolist())
    return math.sqrt(sum(weight * sum(next(levels) for _ in shares) / len(shares) for weight, shares in _LEVELS))


def long_term(short: FloatArray) -> float:
    """Return P_lt of 12 values of P_st one after the other; NaN where one is missing."""
    return float(np.cbrt(np.mean(short**3))) if len(short) == IN_TWO_HOURS else math.nan
