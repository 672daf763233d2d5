"""Amplitude spectra: windows, scaling, interpolation between lines."""

import math

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.spectral_windows import KINDS, SpectralWindow, traits, window_weights

# Longer stretches are averaged over blocks of this length: the picture has no pixels for more lines.
LONGEST_BLOCK = 1 << 20


class Spectrum(msgspec.Struct, frozen=True, eq=False):
    """One-sided rms spectrum with its axis and how it was made."""

    rms: FloatArray  # (n_lines,), unit of the channel
    spacing_hz: float  # frequency of line k is k * spacing_hz
    window: SpectralWindow
    n_samples: int  # in one block
    n_blocks: int

    @property
    def frequencies_hz(self) -> FloatArray:
        """Frequency of each line, Hz."""
        return np.asarray(np.arange(len(self.rms)) * self.spacing_hz, dtype=np.float64)

    @property
    def resolution_hz(self) -> float:
        """Resolution bandwidth: line spacing times the noise bandwidth of the window."""
        return self.spacing_hz * traits(self.window).noise_bandwidth

    def __str__(self) -> str:
        top = (len(self.rms) - 1) * self.spacing_hz
        return f"Spectrum: {len(self.rms)} lines, 0 to {top:g} Hz by {self.spacing_hz:g} Hz, {self.window} window"


def rms_spectrum(x: FloatArray, rate_hz: float, window: SpectralWindow = SpectralWindow.HANN) -> Spectrum:
    """Return the one-sided rms spectrum of one block; a line reads the rms of the tone on it.

    A[k] = c_k |X[k]| / sum w with c = sqrt 2, but 1 at 0 Hz and at half an even rate. No mean is removed.

    Parameters
    ----------
    x : array (n_samples,), unit of the channel, at least 2 samples, none missing
    """
    n = len(x)
    weights = window_weights(window, n)
    scale = np.full(n // 2 + 1, math.sqrt(2) / weights.sum())
    scale[0] /= math.sqrt(2)
    if n % 2 == 0:
        scale[-1] /= math.sqrt(2)
    return Spectrum(scale * np.abs(np.fft.rfft(x * weights)), rate_hz / n, window, n, 1)


def spectrum_of(
    read: Reader,
    start: int,
    stop: int,
    rate_hz: float,
    window: SpectralWindow = SpectralWindow.HANN,
    progress: Progress | None = None,
) -> Spectrum:
    """Return the rms spectrum of samples start to stop; beyond 2^20 samples the rms average of overlapping blocks."""
    n = min(stop - start, LONGEST_BLOCK)
    step = max(int(n * (1 - KINDS[window].overlap)), 1)
    starts = list(range(start, stop - n + 1, step))
    if starts[-1] + n < stop:
        starts.append(stop - n)  # the last block overlaps more, so that every sample counts
    power = np.zeros(n // 2 + 1)
    for n_done, low in enumerate(starts, start=1):
        power += rms_spectrum(read(low, low + n), rate_hz, window).rms ** 2
        if progress is not None:
            progress.at(n_done / len(starts))
    return Spectrum(np.sqrt(power / len(starts)), rate_hz / n, window, n, len(starts))


def interpolated_peak(spectrum: Spectrum, k: int) -> tuple[float, float]:
    """Return (frequency in Hz, rms) of the tone whose highest line is `k`, Hann window, two-line interpolation.

    Raises
    ------
    ValueError
        For another window, where the formula does not hold.
    """
    if spectrum.window is not SpectralWindow.HANN:
        raise ValueError("two-line interpolation is for the Hann window")
    lines = spectrum.rms
    side = 1 if k + 1 < len(lines) and lines[k + 1] > lines[k - 1] else -1
    ratio = lines[k + side] / lines[k]
    delta = (2 * ratio - 1) / (ratio + 1)
    gain = 1.0 if abs(delta) < 1e-9 else math.pi * delta * (1 - delta**2) / math.sin(math.pi * delta)
    return (k + side * delta) * spectrum.spacing_hz, float(lines[k] * gain)
