"""Readings of how pure a tone is: SNR, SINAD, THD+N, SFDR, ENOB."""

import math
from collections.abc import Callable

from pantelos.reading.reading import Measure, Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.cycles.window import Window
from pantelos.signal.spectra.purity import Purity, purity_of
from pantelos.signal.spectra.spectral_windows import KINDS, SpectralWindow
from pantelos.signal.spectra.spectrum import LONGEST_BLOCK, Plan, spectrum_of

_FEWEST = 64  # samples
_AMPLITUDE = 1.5  # power of a full sine over that of the rounding of one step, times the squared number of steps


def of_purity(pick: Callable[[Purity, Waveform], float]) -> Measure:
    """Return a reading of the spectrum of a stretch.

    Over whole cycles that lie on samples without a window, exactly; else over all samples with a Blackman-Harris window.
    """

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        wave, window = waves[0], stretch.whole_cycles
        exact = bool(window.n_cycles) and window.on_samples and window.end - window.first <= LONGEST_BLOCK
        used: Window = window if exact else stretch.samples
        kind = SpectralWindow.RECTANGULAR if exact else SpectralWindow.BLACKMAN_HARRIS
        if used.end - used.first < _FEWEST:
            return Measured(math.nan, used, why_not=f"a spectrum that tells noise needs {_FEWEST} samples")
        found = purity_of(spectrum_of(wave.read, used.first, used.end, wave.rate_hz, Plan(kind)))
        if found is None:
            return Measured(math.nan, used, why_not="no tone stands out, or samples are missing")
        periods, needed = found.tone_hz * (used.end - used.first) / wave.rate_hz, 2 * KINDS[kind].half_width + 2
        if not exact and periods < needed:  # its main lobe runs into that of DC
            why_not = f"it holds {periods:.3g} periods of the tone; a spectrum with a {kind} window needs {needed}"
            return Measured(math.nan, used, why_not=why_not)
        n, half = used.end - used.first, wave.rate_hz / 2
        method = f"spectrum of {n} samples, {kind} window, 0 to {half:.6g} Hz, tone at {found.tone_hz:.6g} Hz"
        value = pick(found, wave)
        return Measured(value, used, why_not="" if math.isfinite(value) else "there is nothing beside the tone", method=method)

    return measure


def _decibels(ratio: float) -> float:
    return 10 * math.log10(ratio) if 0 < ratio < math.inf else math.nan


def snr(found: Purity, wave: Waveform) -> float:
    """Return tone to noise, dB."""
    return _decibels(found.snr)


def sinad(found: Purity, wave: Waveform) -> float:
    """Return tone to noise and distortion, dB."""
    return _decibels(found.sinad)


def thd_n(found: Purity, wave: Waveform) -> float:
    """Return noise and distortion to the tone, a ratio of rms values."""
    return 1 / math.sqrt(found.sinad) if found.sinad < math.inf else 0.0


def sfdr(found: Purity, wave: Waveform) -> float:
    """Return tone to the largest other line, dB."""
    return _decibels(found.tone / found.largest**2) if found.largest > 0 else math.nan


def enob(found: Purity, wave: Waveform) -> float:
    """Return the bits of an ideal converter as good over its range, over that of the tone where none is stated."""
    peak = math.sqrt(2 * found.tone)
    full = wave.full_scale or peak
    return (sinad(found, wave) - _decibels(_AMPLITUDE) + 20 * math.log10(full / peak)) / (20 * math.log10(2))
