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
from pantelos.signal.integrals import blocks

Lamp: TypeAlias = Literal[230, 120]

SETTLING_S = 60.0  # after which the filters have forgotten how they began
_SLOW_S = 27.3  # of the lag that follows the rms: 1 min from 10 to 90 % of a step
_BEGUN_S = 60.0  # of the mean that it begins at
_SMOOTHING_S = 0.3
_HIGH_PASS_HZ = 0.05
_LOWEST_RATE = 1000.0
_FINEST_RATE = 2000.0  # above twice this, squares of neighbouring samples are averaged first
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


def instantaneous_flicker(
    read: Reader,
    n_samples: int,
    rate_hz: float,
    rms: HalfCycles,
    interrupted: BoolArray | None = None,
    lamp: Lamp = 230,
    mains_hz: int = 50,
    progress: Progress | None = None,
) -> Instantaneous:
    """Return the instantaneous flicker of voltages.

    Parameters
    ----------
    read : callable (start, stop) -> array (n_channels, stop - start), V
    rms : of the same channels
    interrupted : array (n,), half-cycles at which the slow rms is held; None: none

    Raises
    ------
    ValueError
        When the rate is below 1 kHz, which the filters need.
    """
    from scipy.signal import sosfilt

    if rate_hz < _LOWEST_RATE:
        raise ValueError(f"flicker needs 1000 samples per second, the record has {rate_hz:g}")
    together = max(int(rate_hz / _FINEST_RATE), 1)
    rate = rate_hz / together
    slow_at, slow = _slow_rms(rms, rate_hz, interrupted)
    sections = weighting_filters(rate, lamp, mains_hz)
    n_channels = len(rms.rms)
    state = np.zeros((len(sections), n_channels, 2))
    smooth = 1 - math.exp(-1 / (rate * _SMOOTHING_S))
    lag, lag_state = np.array([[smooth, 0, 0, 1, smooth - 1, 0]]), np.zeros((1, n_channels, 2))
    every = max(int(rate / _KEPT_RATE), 1)
    scale, kept = _scale(lamp, mains_hz), []
    n_values = n_samples // together
    block = max(_BLOCK // (together * max(n_channels, 1)), 1)
    for low, high in blocks(0, n_values, block):
        x = read(low * together, high * together)
        at = (np.arange(low, high) + 0.5 * (1 - 1 / together)) * together
        v = np.square(x).reshape(n_channels, -1, together) @ np.full(together, 1 / together)
        v /= np.square([np.interp(at, slow_at, one) for one in slow])
        v -= 1.0  # so that the filters have little to settle from
        weighted, state = sosfilt(sections, np.nan_to_num(v, copy=False, nan=0.0, posinf=0.0, neginf=0.0), zi=state)
        seen, lag_state = sosfilt(lag, np.square(weighted, out=weighted), zi=lag_state)
        kept.append(seen[:, (-low) % every :: every] * scale)
        if progress is not None:
            progress.at(high / n_values)
    found = np.concatenate(kept, axis=1) if kept else np.zeros((n_channels, 0))
    return Instantaneous(np.maximum(found, 0.0), 0.5 * (together - 1), float(every * together), SETTLING_S * rate_hz)


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
    exceeded = [float(np.percentile(seen, [100 - share for share in shares]).mean()) for _, shares in _LEVELS]
    return math.sqrt(sum(weight * level for (weight, _), level in zip(_LEVELS, exceeded, strict=True)))


def long_term(short: FloatArray) -> float:
    """Return P_lt of 12 values of P_st one after the other; NaN where one is missing."""
    return float(np.cbrt(np.mean(short**3))) if len(short) == IN_TWO_HOURS else math.nan
