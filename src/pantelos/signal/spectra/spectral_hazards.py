"""What makes a spectrum say something else than it seems to: leakage, folding, a signal that changes."""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.spectra.spectral_peaks import Peak, off_line
from pantelos.signal.spectra.spectral_windows import KINDS, SpectralWindow
from pantelos.signal.spectra.spectrum import FEWEST_SAMPLES, Plan, Spectrum, spectrum_of

OFF_LINE = 0.02  # of a line
ALIASED = 0.01  # of the alternating power, in the highest tenth of the band
CHANGING_DB = 3.0
_PARTS = 6
_LONGEST_PART = 1 << 16
_FEWEST_PERIODS = 4.0  # of a tone in a part
_NEAR = 0.2  # of the tone: another one this large within the lobe of a part beats with it


class Hazards(msgspec.Struct, frozen=True):
    """What was found; NaN where it does not apply."""

    off_line: float = math.nan  # how far the largest tone stands off a line, lines; of a rectangular window
    high_share: float = math.nan  # of the alternating power, in the highest tenth of the band
    spread_db: float = math.nan  # of the largest tone between parts of the stretch


def hazards_of(spectrum: Spectrum, peaks: tuple[Peak, ...], read: Reader, start: int, stop: int) -> Hazards:
    """Return what may be wrong with a spectrum of samples start to stop."""
    largest = peaks[0] if peaks else None
    off = math.nan
    if largest is not None and spectrum.window is SpectralWindow.RECTANGULAR and spectrum.n_blocks:
        off = abs(off_line(spectrum, largest.line))
    return Hazards(off, _high_share(spectrum), _spread(spectrum, peaks, read, start, stop) if largest is not None else math.nan)


def _high_share(spectrum: Spectrum) -> float:
    """Return the share of the alternating power that lies in the highest tenth of the band."""
    powers = spectrum.rms**2
    beside_dc = powers[KINDS[spectrum.window].half_width + 1 :]
    whole = float(beside_dc.sum())
    return float(powers[math.ceil(0.9 * len(powers)) :].sum()) / whole if whole > 0 else math.nan


def _spread(spectrum: Spectrum, peaks: tuple[Peak, ...], read: Reader, start: int, stop: int) -> float:
    """Return by how many dB the largest tone differs between parts of the stretch; NaN where parts cannot tell."""
    tone, n = peaks[0], min((stop - start) // _PARTS, _LONGEST_PART)
    half, rate = KINDS[SpectralWindow.HANN].half_width, spectrum.rate_hz
    if n < FEWEST_SAMPLES or tone.frequency_hz * n / rate < _FEWEST_PERIODS:
        return math.nan
    lobe = 2 * half * rate / n
    if any(abs(p.frequency_hz - tone.frequency_hz) < lobe and p.rms > _NEAR * tone.rms for p in peaks[1:]):
        return math.nan
    at, levels = round(tone.frequency_hz * n / rate), []
    for first in np.linspace(start, stop - n, _PARTS).astype(int).tolist():
        found = spectrum_of(read, first, first + n, rate, Plan(SpectralWindow.HANN, n, without_mean=True))
        levels.append(_level(found.rms, at, half))
    known = [level for level in levels if math.isfinite(level)]
    if len(known) < 2 or not min(known) > 0:
        return math.inf if len(known) >= 2 and max(known) > 0 else math.nan
    return 20 * math.log10(max(known) / min(known))


def _level(lines: FloatArray, at: int, half: int) -> float:
    """Return the size of what stands around a line: all of a main lobe, whereever the tone lies between lines."""
    return float(np.sqrt((lines[max(at - half, 0) : at + half + 1] ** 2).sum()))
