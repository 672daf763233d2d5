"""Tones in a spectrum, and the noise between them."""

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.signal.arrays import BoolArray, FloatArray, median
from pantelos.signal.spectra.spectral_windows import KINDS, SpectralWindow, leaked
from pantelos.signal.spectra.spectrum import Spectrum, interpolated_peak

_STANDS_OUT = 10.0  # times the noise of a line, power
_ABOVE_LEAKAGE = 4.0  # times what larger tones leak there, power
_MOST_LOOKED_AT = 4000  # local maxima, the largest ones
MOST_PEAKS = 200
_FEWEST_FREE = 8  # lines that tell the noise


class Peak(msgspec.Struct, frozen=True):
    """A tone found in a spectrum."""

    frequency_hz: float
    rms: float  # unit of the channel
    phase: float  # rad, sine-referenced to the first sample of the first block; NaN where it does not stand out there
    line: int  # the highest line


def noise_density(spectrum: Spectrum, peaks: Sequence[Peak] = ()) -> float:
    """Return the mean density of the noise, unit²/Hz, from the median of the lines outside tones and DC; NaN without such lines.

    The median of a mean of M squared noise lines is (1 - 1/(9M))³ of its mean (E. B. Wilson, M. M. Hilferty 1931); of one, ln 2.
    """
    free = np.ones(len(spectrum.rms), dtype=bool)
    half = KINDS[spectrum.window].half_width
    free[: half + 1] = False
    free[-1:] = False
    for peak in peaks:
        free[max(peak.line - half, 0) : peak.line + half + 1] = False
    if free.sum() < _FEWEST_FREE or not np.isfinite(spectrum.rms).all():
        return math.nan
    m = spectrum.n_independent
    low = math.log(2) if m <= 1 else (1 - 1 / (9 * m)) ** 3
    return median(spectrum.rms[free]) ** 2 / low / spectrum.resolution_hz


def peaks_of(spectrum: Spectrum, most: int = MOST_PEAKS) -> tuple[tuple[Peak, ...], float]:
    """Return the tones of a spectrum, largest first, and the density of the noise between them, unit²/Hz.

    Local maxima of 10 dB above the noise that larger tones do not leak, a main lobe apart from each other; DC is none.
    """
    lines, kind = spectrum.rms, KINDS[spectrum.window]
    half = kind.half_width
    found: tuple[Peak, ...] = ()
    floor = noise_density(spectrum)
    if not math.isfinite(floor):
        return (), floor
    for _ in range(2):  # the second time without what the first one found
        found = _above(spectrum, _STANDS_OUT * floor * spectrum.resolution_hz, most)
        between = noise_density(spectrum, found)
        floor = between if math.isfinite(between) else floor
    level = _STANDS_OUT * floor * spectrum.resolution_hz
    return tuple(peak for peak in found if lines[peak.line] ** 2 >= level and peak.line > half), floor


def _above(spectrum: Spectrum, least: float, most: int) -> tuple[Peak, ...]:
    """Return tones whose power is at least that."""
    lines, kind = spectrum.rms, KINDS[spectrum.window]
    ranked = _local_maxima(lines, kind.half_width, least)
    kept: list[Peak] = []
    taken, sizes, leaks = np.zeros(1), np.array([math.sqrt(2) * lines[0]]), np.zeros(1)  # DC leaks too
    for k in ranked.tolist():
        away = np.abs(taken - k)
        if away.min() <= kind.half_width:
            continue
        from_there = leaked(spectrum.window, away, leaks) + leaked(spectrum.window, taken + k, leaks)  # and from its image
        if lines[k] ** 2 < _ABOVE_LEAKAGE * float(((sizes * from_there) ** 2).sum()):
            continue
        place, rms = interpolated_peak(spectrum, k)
        kept.append(Peak(place * spectrum.spacing_hz, rms, _phase(spectrum, k, place - k, least), k))
        taken, sizes, leaks = np.append(taken, k), np.append(sizes, rms), np.append(leaks, off_line(spectrum, k))
        if len(kept) == most:
            break
    return tuple(kept)


def _local_maxima(lines: FloatArray, half: int, least: float) -> np.ndarray:
    """Return the lines that are larger than their neighbours, the largest ones first."""
    inside: BoolArray = np.zeros(len(lines), dtype=bool)
    inside[1:-1] = (lines[1:-1] >= lines[:-2]) & (lines[1:-1] > lines[2:]) & (lines[1:-1] ** 2 >= least) & (lines[1:-1] > 0)
    inside[: half + 1] = False
    places = np.flatnonzero(inside)
    return places[np.argsort(-lines[places], kind="stable")][:_MOST_LOOKED_AT]


def off_line(spectrum: Spectrum, k: int) -> float:
    """Return how far the tone of line `k` stands off that line, in lines.

    Without a window from the first block through a Hann window, which is a sum of three lines, X[k]/2 - (X[k-1] + X[k+1])/4.
    """
    if spectrum.window is not SpectralWindow.RECTANGULAR:
        return interpolated_peak(spectrum, k)[0] - k
    if not 2 <= k < len(spectrum.first) - 2:
        return 0.0
    x = spectrum.first
    hann = [abs(x[j] / 2 - (x[j - 1] + x[j + 1]) / 4) for j in (k - 1, k, k + 1)]
    side = 1 if hann[2] > hann[0] else -1
    ratio = hann[1 + side] / hann[1] if hann[1] > 0 else 0.5
    return side * (2 * ratio - 1) / (ratio + 1)


def _phase(spectrum: Spectrum, k: int, delta: float, least: float) -> float:
    """Return the sine-referenced phase at the first sample of the first block, rad in (-pi, pi]."""
    if abs(spectrum.first[k]) ** 2 < least:
        return math.nan
    return math.remainder(float(np.angle(spectrum.first[k])) - math.pi * delta + 0.5 * math.pi, 2 * math.pi)
