"""Windows for spectra: weights, and what each does to a line and to noise.

Source: textbook DFT relations (F. J. Harris 1978; G. Heinzel, A. Rüdiger and R. Schilling 2002 for the flat top). All are
periodic (DFT-even): the argument is 2πn/N.
"""

import math
from collections.abc import Callable
from enum import StrEnum
from functools import cache
from typing import Any

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray


class SpectralWindow(StrEnum):
    """Weighting of the samples before the transform."""

    HANN = "hann"
    RECTANGULAR = "rectangular"
    FLAT_TOP = "flat-top"
    BLACKMAN_HARRIS = "blackman-harris"
    BARTLETT = "bartlett"
    HAMMING = "hamming"
    BLACKMAN = "blackman"
    NUTTALL = "nuttall"
    KAISER_8 = "kaiser-8.6"
    KAISER_14 = "kaiser-14"
    GAUSSIAN = "gaussian"
    TUKEY = "tukey"


class WindowKind(msgspec.Struct, frozen=True):
    """What a window is for, how far its blocks overlap, and how wide its main lobe is."""

    purpose: str
    overlap: float  # of averaged blocks
    half_width: int  # lines from the highest to the first null of the main lobe, rounded up
    weights: Callable[[FloatArray], FloatArray]  # of n/N, 0 to 1
    exact_leak: Callable[[FloatArray], FloatArray] | None = None  # of lines away, over sin(π off) / π
    cosines: tuple[float, ...] = ()  # a_m of w = Σ (-1)^m a_m cos(2πmn/N), where it is such a sum


def _cosines(*a: float) -> Callable[[FloatArray], FloatArray]:
    def weights(share: FloatArray) -> FloatArray:
        found = np.full(share.shape, a[0])
        for m, one in enumerate(a[1:], start=1):
            turned = share * (2 * math.pi * m)
            np.cos(turned, out=turned)
            turned *= (-1) ** m * one
            found += turned
        return found

    return weights


def _kaiser(beta: float) -> Callable[[FloatArray], FloatArray]:
    return lambda share: np.asarray(np.i0(beta * np.sqrt(np.maximum(1 - (2 * share - 1) ** 2, 0.0))) / np.i0(beta))


def _tukey(share: FloatArray) -> FloatArray:
    taper = np.minimum(np.minimum(share, 1 - share) / 0.25, 1.0)
    return np.asarray(0.5 - 0.5 * np.cos(math.pi * taper))


def _cosine_sum(purpose: str, overlap: float, half_width: int, *a: float, leak: Any = None) -> WindowKind:
    return WindowKind(purpose, overlap, half_width, _cosines(*a), leak, a)


KINDS: dict[SpectralWindow, WindowKind] = {
    SpectralWindow.HANN: _cosine_sum("general use", 0.5, 2, 0.5, 0.5, leak=lambda d: 1 / (d * np.maximum(d**2 - 1, 1.0))),
    SpectralWindow.RECTANGULAR: _cosine_sum("whole cycles only: exact there, leaks else", 0.0, 1, 1.0, leak=lambda d: 1 / d),
    SpectralWindow.FLAT_TOP: _cosine_sum(
        "the size of a tone, within 0.01 dB", 0.75, 5, 0.21557895, 0.41663158, 0.277263158, 0.083578947, 0.006947368
    ),
    SpectralWindow.BLACKMAN_HARRIS: _cosine_sum("small beside large, 92 dB apart", 0.75, 4, 0.35875, 0.48829, 0.14128, 0.01168),
    SpectralWindow.BARTLETT: WindowKind("a triangle, for comparison", 0.5, 2, lambda share: 1 - np.abs(2 * share - 1)),
    SpectralWindow.HAMMING: _cosine_sum("a near neighbour of similar size", 0.5, 2, 0.54, 0.46),
    SpectralWindow.BLACKMAN: _cosine_sum("less leakage than hann, wider", 0.5, 3, 0.42, 0.5, 0.08),
    SpectralWindow.NUTTALL: _cosine_sum("small beside large, 98 dB apart", 0.75, 4, 0.3635819, 0.4891775, 0.1365995, 0.0106411),
    SpectralWindow.KAISER_8: WindowKind("63 dB, narrow for that", 0.5, 3, _kaiser(8.6)),
    SpectralWindow.KAISER_14: WindowKind("small beside large, 106 dB apart", 0.75, 5, _kaiser(14.0)),
    SpectralWindow.GAUSSIAN: WindowKind("parabolic peaks in dB", 0.75, 6, lambda share: np.exp(-0.5 * ((share - 0.5) * 8) ** 2)),
    SpectralWindow.TUKEY: WindowKind("short events, tapered at their ends", 0.5, 2, _tukey),
}


def window_weights(window: SpectralWindow, n_samples: int) -> FloatArray:
    """Return the weights of a periodic (DFT-even) window, shape (n_samples,), largest near 1."""
    return KINDS[window].weights(np.arange(n_samples) / n_samples)


_MEASURED_AT = 4096
_LEAK_STEPS = 16  # per line


@cache
def _side_lobes(window: SpectralWindow) -> FloatArray:
    """Return the largest share of a tone that is found at least k/16 lines away, (n,), measured at 4096 samples."""
    weights = window_weights(window, _MEASURED_AT)
    shares = np.abs(np.fft.rfft(weights, _LEAK_STEPS * _MEASURED_AT)) / weights.sum()
    return np.asarray(np.maximum.accumulate(shares[::-1])[::-1])


@cache
def _main_lobe(window: SpectralWindow) -> tuple[FloatArray, FloatArray]:
    """Return (ratio of the two largest lines, share of the tone on the largest) for tones 0 to 1/2 line off it, (n,) each."""
    weights, off = window_weights(window, _MEASURED_AT), np.linspace(0.0, 0.5, 65)
    turns = 2j * math.pi * np.arange(_MEASURED_AT) / _MEASURED_AT
    on, beside = (np.abs(np.exp(np.outer(x, turns)) @ weights) / weights.sum() for x in (off, 1.0 - off))
    return np.asarray(beside / on), np.asarray(on)


def tone_between(window: SpectralWindow, ratio: float) -> tuple[float, float]:
    """Return how far a tone stands off its largest line, 0 to 1/2, and its share found there, from the ratio to the next line."""
    ratios, shares = _main_lobe(window)
    off = float(np.interp(ratio, ratios, np.linspace(0.0, 0.5, len(ratios))))
    return off, float(np.interp(off, np.linspace(0.0, 0.5, len(ratios)), shares))


def leaked(window: SpectralWindow, lines_away: FloatArray, off_line: FloatArray) -> FloatArray:
    """Return the share of a tone found so many lines away, at most, (n,); `off_line` (n,) is how far off a line it is.

    Exact for the rectangular and the Hann window, whose lines vanish where the tone stands on one; a bound for the others.
    """
    kind = KINDS[window]
    far = np.maximum(np.abs(lines_away), float(kind.half_width))
    if kind.exact_leak is not None:
        return np.asarray(np.abs(np.sin(math.pi * off_line)) / math.pi * kind.exact_leak(far))
    lobes = _side_lobes(window)
    at = np.minimum(far * _LEAK_STEPS, len(lobes) - 1.0)
    return np.asarray(lobes[at.astype(np.intp)] * at / (far * _LEAK_STEPS))  # beyond the table at least 6 dB per octave


class Traits(msgspec.Struct, frozen=True):
    """What a window does: to a line, to noise, to a tone between two lines."""

    coherent_gain: float  # mean weight
    noise_bandwidth: float  # ENBW, in lines
    scalloping_db: float  # loss of a tone half way between two lines, positive


@cache
def traits(window: SpectralWindow) -> Traits:
    """Return what a window does, measured at 4096 samples."""
    weights = window_weights(window, _MEASURED_AT)
    total = float(weights.sum())
    half = abs(complex(weights @ np.exp(-1j * math.pi * np.arange(_MEASURED_AT) / _MEASURED_AT)))
    enbw = _MEASURED_AT * float(weights @ weights) / total**2
    return Traits(total / _MEASURED_AT, enbw, 20 * math.log10(total / half))
