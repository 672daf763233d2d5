"""What a THD is made of: harmonics proper, noise and interharmonics that fall into their lines, noise of the recorder."""

import math
from collections.abc import Sequence
from enum import Enum, auto

import msgspec
import numpy as np

from pantelos.signal.spectra.spectral_peaks import Peak, off_line
from pantelos.signal.spectra.spectral_windows import KINDS, leaked
from pantelos.signal.spectra.spectrum import Spectrum

_LARGE = 0.5  # of the power found in the lines of the orders: what makes more than that limits
_OF_RECORDER = 0.5  # of the noise found: so much at least explains it
_REACHED = 0.45  # of the sample rate


class DistortionLimit(Enum):
    """What limits a THD."""

    HARMONICS = auto()
    NOISE = auto()
    INTERHARMONICS = auto()
    RECORDER = auto()


class DistortionLimits(msgspec.Struct, frozen=True):
    """A THD as found in a spectrum, and what it is made of; powers are squares of rms."""

    thd: float  # ratio, all that is found in the lines of the orders
    fundamental: float  # power
    found: float  # power in the lines of the orders
    noise: float  # of it, expected from the noise between the orders
    leaked: float  # of it, from tones that are no harmonics, at most
    recorder_noise: float  # of the noise, what the recorder is stated or seen to make
    highest_order: int
    limit: DistortionLimit

    @property
    def harmonic_thd(self) -> float:
        """What the harmonics make of it, a ratio: what is left without the expected noise."""
        return math.sqrt(max(self.found - self.noise, 0.0) / self.fundamental)

    @property
    def noise_thd(self) -> float:
        """What noise alone makes of it, a ratio."""
        return math.sqrt(self.noise / self.fundamental)

    @property
    def blocks_longer(self) -> float:
        """How many times longer blocks must be until noise makes a tenth of the power that the harmonics make; 1: they are."""
        harmonics = max(self.found - self.noise, 0.1 * self.noise)
        return max(self.noise / (0.1 * harmonics), 1.0) if harmonics > 0 else math.inf


def distortion_limits(
    spectrum: Spectrum,
    peaks: Sequence[Peak],
    noise_density: float,
    fundamental_hz: float,
    highest_order: int,
    recorder_density: float = 0.0,
) -> DistortionLimits | None:
    """Return what a THD rests on; None where the fundamental does not stand out or no order lies below 0.45 of the rate.

    Parameters
    ----------
    noise_density : of the noise between tones, unit²/Hz
    recorder_density : of the noise that the recorder makes by its steps and its stated noise, unit²/Hz
    """
    kind, spacing = KINDS[spectrum.window], spectrum.spacing_hz
    half = kind.half_width if spectrum.window != "rectangular" else 0
    powers = spectrum.rms**2 / spectrum.noise_bandwidth
    highest = min(highest_order, math.floor(_REACHED * spectrum.rate_hz / fundamental_hz))
    if highest < 2 or fundamental_hz < (2 * half + 2) * spacing or not np.isfinite(powers).all():
        return None
    lobes = [_lobe(powers, round(h * fundamental_hz / spacing), half) for h in range(1, highest + 1)]
    fundamental, found = lobes[0], float(sum(lobes[1:]))
    if not fundamental > 0:
        return None
    noise = min((highest - 1) * (2 * half + 1) * spacing * noise_density, found) if math.isfinite(noise_density) else 0.0
    others = [p for p in peaks if abs(p.frequency_hz / fundamental_hz - round(p.frequency_hz / fundamental_hz)) * fundamental_hz
              > (half + 1) * spacing]  # fmt: skip
    between = min(sum(_leaked(spectrum, p, fundamental_hz, highest) for p in others), found)
    recorder = noise * min(recorder_density / noise_density, 1.0) if noise_density > 0 else 0.0
    # Rounding of what repeats exactly is no noise: what of it is not seen between the orders may stand in them.
    hidden = max(recorder_density - max(noise_density, 0.0), 0.0) * 0.5 * spectrum.rate_hz
    if noise > _LARGE * found:
        limit = DistortionLimit.RECORDER if recorder > _OF_RECORDER * noise else DistortionLimit.NOISE
    elif found - noise <= hidden:
        limit = DistortionLimit.RECORDER
    else:
        limit = DistortionLimit.INTERHARMONICS if between > _LARGE * found else DistortionLimit.HARMONICS
    return DistortionLimits(math.sqrt(found / fundamental), fundamental, found, noise, between, recorder, highest, limit)


def _lobe(powers: np.ndarray, line: int, half: int) -> float:
    return float(powers[max(line - half, 0) : line + half + 1].sum())


def _leaked(spectrum: Spectrum, peak: Peak, fundamental_hz: float, highest: int) -> float:
    """Return the power that a tone leaks into the lines of the orders, at most."""
    beside = off_line(spectrum, peak.line)
    away = np.arange(2.0, highest + 1) * fundamental_hz / spectrum.spacing_hz - (peak.line + beside)
    off = np.full(len(away), beside)
    return float(((peak.rms * leaked(spectrum.window, away, off)) ** 2).sum())
