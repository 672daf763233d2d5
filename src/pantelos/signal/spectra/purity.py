"""How pure a tone is: what its spectrum holds beside it. Figures of converters and sources.

Source: IEEE 1057, IEEE 1241. Powers are sums of squared lines over the noise bandwidth of the window, so that a tone counts once.
"""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray, median
from pantelos.signal.spectra.spectral_windows import KINDS, traits
from pantelos.signal.spectra.spectrum import Spectrum

_STANDS_OUT = 20.0  # times the power of the noise floor
_ROUNDING = 1e-26  # of the largest power: what is smaller is what the transform leaves
HARMONICS = 5  # the highest order that counts as harmonic, folded ones included


class Purity(msgspec.Struct, frozen=True):
    """What a spectrum holds, as powers (rms squared), and where the tone stands."""

    tone_hz: float
    tone: float
    harmonics: float  # orders 2 to 5
    rest: float  # all else but DC: noise, interharmonics, higher orders
    largest: float  # rms of the largest other line
    largest_hz: float

    @property
    def snr(self) -> float:
        """Tone to noise, a ratio of powers; harmonics belong to neither."""
        return self.tone / self.rest if self.rest > 0 else math.inf

    @property
    def sinad(self) -> float:
        """Tone to everything else, a ratio of powers."""
        beside = self.rest + self.harmonics
        return self.tone / beside if beside > 0 else math.inf


def purity_of(spectrum: Spectrum) -> Purity | None:
    """Return what a spectrum holds beside its largest tone; None where nothing stands out.

    Lines within the main lobe of a tone belong to it; DC and its main lobe are left out. Where a tone takes lines from the noise,
    the noise floor stands for them.
    """
    half = KINDS[spectrum.window].half_width if spectrum.window != "rectangular" else 0
    powers = np.asarray(spectrum.rms**2 / traits(spectrum.window).noise_bandwidth)
    n = len(powers)
    free = np.ones(n, dtype=bool)
    free[: half + 1] = False
    if not free.any() or not np.isfinite(powers).all() or not powers[free].max() > 0:
        return None
    top = int(np.argmax(np.where(free, powers, -1.0)))
    floor = median(powers[free]) / math.log(2)  # of one spectrum of noise: the median of an exponential distribution to its mean
    if powers[top] < max(_STANDS_OUT * floor, _ROUNDING * float(powers.max())):
        return None
    tone = _around(powers, top, half, free)
    top_hz = _centre(powers, top, half) * spectrum.spacing_hz
    beside = np.where(free, spectrum.rms, 0.0)
    largest = int(np.argmax(beside))
    harmonics, taken = 0.0, 0
    for order in range(2, HARMONICS + 1):
        line = _folded(order * top_hz / spectrum.spacing_hz, 2 * (n - 1))
        if half < line < n and free[line]:
            taken += int(np.count_nonzero(free[max(line - half, 0) : line + half + 1]))
            harmonics += _around(powers, line, half, free)
    rest = float(powers[free].sum())
    if half:
        rest += floor * (taken + 2 * half + 1)
    return Purity(top_hz, tone, harmonics, rest, float(spectrum.rms[largest]), largest * spectrum.spacing_hz)


def _around(powers: FloatArray, line: int, half: int, free: np.ndarray) -> float:
    """Return the power of the main lobe around a line, whose lines are taken from the free ones."""
    lobe = slice(max(line - half, 0), line + half + 1)
    found = float(powers[lobe][free[lobe]].sum())
    free[lobe] = False
    return found


def _centre(powers: FloatArray, line: int, half: int) -> float:
    """Return where the middle of a main lobe lies, in lines."""
    lobe = np.arange(max(line - half, 0), min(line + half + 1, len(powers)))
    return float(powers[lobe] @ lobe / powers[lobe].sum())


def _folded(line: float, period: int) -> int:
    """Return the line at which a frequency appears: what lies above half the rate is folded down."""
    return round(abs(line - round(line / period) * period))
