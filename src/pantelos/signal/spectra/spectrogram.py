"""Level over time and frequency: a stretch of any length in columns, each the mean power of the blocks that begin in it."""

import math

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.sharing import both
from pantelos.signal.spectra.spectrum import Plan, Spectrum, spectrum_of

_MOST_PER_BLOCK = 8  # columns: more say nothing that is not in those beside them
_MOST_LINES = 1024  # of the picture: more lines are drawn as the largest of several


class Spectrogram(msgspec.Struct, frozen=True, eq=False):
    """Rms per column of time and band of frequency, the unit of the channel."""

    rms: FloatArray  # (n_columns, n_bands), NaN where samples are missing
    edges: FloatArray  # (n_columns + 1,), samples: where columns begin and end
    band_hz: float  # band k reaches from (k - 1/2) to (k + 1/2) times that many lines
    spacing_hz: float
    n_samples: int  # in one block
    blocks_per_column: float

    @property
    def largest(self) -> float:
        """The largest rms; NaN where all is missing."""
        known = self.rms[np.isfinite(self.rms)]
        return float(known.max()) if len(known) else math.nan

    @property
    def top_hz(self) -> float:
        """The highest frequency held."""
        return float(self.rms.shape[1] * self.band_hz)


def spectrogram(
    read: Reader,
    start: int,
    stop: int,
    rate_hz: float,
    plan: Plan,
    n_columns: int,
    top_hz: float | None = None,
    progress: Progress | None = None,
) -> Spectrogram:
    """Return the levels of samples start to stop in so many columns at most, every sample in one block at least.

    Lines beyond 1024 are joined, the largest of several for each band. Up to `top_hz`; half the rate where None.
    """
    progress = progress or Progress()
    n = min(plan.block_of(stop - start), stop - start)
    plan = msgspec.structs.replace(plan, length=n)
    n_columns = max(min(n_columns, _MOST_PER_BLOCK * (stop - start) // n), 1)
    edges = np.round(np.linspace(start, stop, n_columns + 1)).astype(np.int64)
    spacing = rate_hz / n
    wanted = n // 2 + 1 if top_hz is None else min(math.ceil(top_hz / spacing) + 1, n // 2 + 1)
    joined = max(math.ceil(wanted / _MOST_LINES), 1)
    n_bands = math.ceil(wanted / joined)
    rms, counted = np.full((n_columns, n_bands), np.nan), np.zeros(n_columns)

    def fill(columns: range) -> None:
        for at in columns:
            low, high = int(edges[at]), int(edges[at + 1])
            if high - low < n:  # a block around the middle of the column
                low = min(max((low + high - n) // 2, start), stop - n)
                high = low + n
            found = spectrum_of(read, low, high, rate_hz, plan)
            counted[at] = found.n_blocks
            rms[at] = _bands(found, wanted, joined)

    step = max(n_columns // 50, 1)
    for first in range(0, n_columns, 2 * step):
        middle, last = min(first + step, n_columns), min(first + 2 * step, n_columns)
        both(lambda a=first, b=middle: fill(range(a, b)), lambda a=middle, b=last: fill(range(a, b)))  # type: ignore[misc]
        progress.at(last / n_columns)
    return Spectrogram(rms, edges.astype(np.float64), joined * spacing, spacing, n, float(counted.mean()))


def _bands(found: Spectrum, wanted: int, joined: int) -> FloatArray:
    """Return the largest of every so many lines."""
    if not found.n_blocks:
        return np.full(math.ceil(wanted / joined), np.nan)
    lines = found.rms[:wanted]
    return lines if joined == 1 else np.asarray(np.maximum.reduceat(lines, np.arange(0, wanted, joined)))
