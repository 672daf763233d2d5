"""Two channels over frequency: what goes from one to the other, and how far they belong together.

Source: textbook; averages of blocks P. D. Welch 1967; uncertainty of gain and phase J. S. Bendat and A. G. Piersol 2010.
"""

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import ComplexArray, FloatArray, Reader
from pantelos.signal.spectra.spectral_windows import SpectralWindow, window_weights
from pantelos.signal.spectra.spectrum import Plan, independent_blocks

FEWEST_BLOCKS = 1.5  # independent ones: one block alone is always coherent
ENOUGH_BLOCKS = 16.0  # independent ones: below, coherence reads too high
_AT_ONCE = 1 << 17


class CrossSpectrum(msgspec.Struct, frozen=True, eq=False):
    """Averages over blocks, per line; b is the output, a the input."""

    cross: ComplexArray  # (n_lines,), mean of conj(A) B, rms lines squared
    power_a: FloatArray  # (n_lines,), mean of |A|²
    power_b: FloatArray
    rate_hz: float
    window: SpectralWindow
    n_samples: int
    n_blocks: int
    n_left_out: int
    n_independent: float

    @property
    def spacing_hz(self) -> float:
        """From one line to the next."""
        return self.rate_hz / self.n_samples

    @property
    def frequencies_hz(self) -> FloatArray:
        """Frequency of each line, Hz."""
        return np.asarray(np.arange(len(self.cross)) * self.spacing_hz)

    @property
    def response(self) -> ComplexArray:
        """Output over input, H1: unbiased by noise of the output; NaN where the input has nothing."""
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(self.power_a > 0, self.cross / self.power_a, np.nan)

    @property
    def coherence(self) -> FloatArray:
        """Share of the power of the output that goes with the input, 0 to 1; NaN where one of them has nothing."""
        with np.errstate(invalid="ignore", divide="ignore"):
            share = np.abs(self.cross) ** 2 / (self.power_a * self.power_b)
        return np.asarray(np.where(np.isfinite(share), np.minimum(share, 1.0), np.nan))

    @property
    def relative_u(self) -> FloatArray:
        """Standard uncertainty of the gain as a share of it, and of the phase in rad: sqrt((1 - γ²) / (2 K γ²))."""
        share = self.coherence
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(np.sqrt((1 - share) / (2 * self.n_independent * share)))


def cross_spectrum(
    read: Reader, start: int, stop: int, rate_hz: float, plan: Plan, progress: Progress | None = None
) -> CrossSpectrum | None:
    """Return the averages of samples start to stop; None with hardly more than one block without missing samples.

    Parameters
    ----------
    read : callable (start, stop) -> array (2, stop - start): input and output
    """
    progress, n, starts = progress or Progress(), plan.block_of(stop - start), plan.starts(start, stop)
    weights = window_weights(plan.window, n)
    scale = np.full(n // 2 + 1, 2 / weights.sum() ** 2)
    scale[0] /= 2
    if n % 2 == 0:
        scale[-1] /= 2
    cross, powers, n_blocks = np.zeros(n // 2 + 1, dtype=np.complex128), np.zeros((2, n // 2 + 1)), 0
    step = max(_AT_ONCE // n, 1)
    for at in range(0, len(starts), step):
        some = np.array(starts[at : at + step])
        x = read(int(some[0]), int(some[-1]) + n)
        rows = np.lib.stride_tricks.sliding_window_view(x, n, axis=1)[:, some - some[0]]  # (2, n_blocks, n)
        lines = np.fft.rfft((rows - rows.mean(axis=2, keepdims=True)) * weights)
        lines = lines[:, ~np.isnan(lines[:, :, 0]).any(axis=0)]
        cross += (np.conj(lines[0]) * lines[1]).sum(axis=0)
        powers += (np.abs(lines) ** 2).sum(axis=1)
        n_blocks += lines.shape[1]
        progress.at(min(at + step, len(starts)) / len(starts))
    independent = independent_blocks(weights, starts[1] - starts[0], n_blocks) if len(starts) > 1 else float(n_blocks)
    if independent < FEWEST_BLOCKS:
        return None
    return CrossSpectrum(
        cross * scale / n_blocks,
        powers[0] * scale / n_blocks,
        powers[1] * scale / n_blocks,
        rate_hz,
        plan.window,
        n,
        n_blocks,
        len(starts) - n_blocks,
        independent,
    )
