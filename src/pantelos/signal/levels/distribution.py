"""How values are distributed: histogram, percentiles, the two levels of a pulse."""

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import AnyArray, FloatArray, Reader, percentiles
from pantelos.signal.sums.integrals import blocks
from pantelos.signal.sums.statistics import extremes

EXACT = 1 << 20  # samples up to which percentiles are exact
FINE_CLASSES = 1 << 16


class Distribution(msgspec.Struct, frozen=True, eq=False):
    """Counts per class; classes closed left, open right, the last one closed."""

    edges: FloatArray  # (n_classes + 1,), unit of the values
    counts: AnyArray  # (n_classes,)
    sums: FloatArray  # (n_classes,), of the values in each class
    n_outside: int = 0

    @property
    def n(self) -> int:
        """Values counted."""
        return int(self.counts.sum())

    def percentile(self, q: float) -> float:
        """Return the percentile `q` (0 to 100), interpolated within its class; NaN without values."""
        if not self.n:
            return float("nan")
        running = np.concatenate(([0], np.cumsum(self.counts)))
        at = q / 100 * self.n
        k = min(max(int(np.searchsorted(running, at, side="right")) - 1, 0), len(self.counts) - 1)
        share = (at - running[k]) / self.counts[k] if self.counts[k] else 0.0
        return float(self.edges[k] + share * (self.edges[k + 1] - self.edges[k]))


def distribution(
    read: Reader, start: int, stop: int, n_classes: int, span: tuple[float, float] | None = None, progress: Progress | None = None
) -> Distribution:
    """Return the histogram of samples `start` to `stop` over `span`, or from the smallest to the largest.

    Source: ISO 3534-1 (terms). Missing samples are left out.
    """
    if span is None:
        found = extremes(read, start, stop)
        span = (found.low, found.high)
    low, high = span
    counts, sums, n_outside = np.zeros(n_classes, dtype=np.int64), np.zeros(n_classes), 0
    if not np.isfinite(low) or not np.isfinite(high):
        return Distribution(np.linspace(0.0, 1.0, n_classes + 1), counts, sums)
    if not high > low or not n_classes / (high / 2 - low / 2) < np.inf:  # next to nothing apart
        high = low + max(abs(low), 1.0) * 1e-9
    half = low / 2, high / 2  # the range of the largest numbers is none itself
    edges = 2 * np.linspace(*half, n_classes + 1)
    for first, end in blocks(start, stop):
        x = read(first, end)
        x = x[~np.isnan(x)]
        inside = x[(x >= low) & (x <= high)]
        n_outside += len(x) - len(inside)
        place = np.minimum(((inside / 2 - half[0]) * (n_classes / (half[1] - half[0]))).astype(np.intp), n_classes - 1)
        counts += np.bincount(place, minlength=n_classes)
        sums += np.bincount(place, weights=inside, minlength=n_classes)
        if progress is not None:
            progress.at((end - start) / (stop - start))
    return Distribution(edges, counts, sums, n_outside)


def percentile(read: Reader, start: int, stop: int, q: float) -> float:
    """Return the percentile `q` (0 to 100): between the neighbours of position (N - 1) q / 100 of the sorted values.

    Beyond 2^20 samples it is read from a histogram of 65,536 classes, good to one of them.
    """
    if stop - start <= EXACT:
        x = np.asarray(read(start, stop))
        x = x[~np.isnan(x)]
        return percentiles(x, q)[0] if len(x) else float("nan")
    return distribution(read, start, stop, FINE_CLASSES).percentile(q)
