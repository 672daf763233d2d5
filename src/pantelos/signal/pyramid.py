"""Smallest and largest sample per bucket, coarser and coarser: any view in a time set by pixels, not samples."""

from dataclasses import dataclass

import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader

BUCKET = 256  # samples in a bucket of the finest level
STEP = 16  # buckets of one level in a bucket of the next


@dataclass(frozen=True, eq=False, slots=True)
class Pyramid:
    """Lows and highs per level; level k has buckets of BUCKET * STEP**k samples."""

    lows: tuple[FloatArray, ...]
    highs: tuple[FloatArray, ...]
    n_samples: int


class PyramidBuilder:
    """Takes the samples of one channel in order, however many, and gives its pyramid."""

    def __init__(self) -> None:
        self._lows: list[FloatArray] = []
        self._highs: list[FloatArray] = []
        self._rest: FloatArray = np.zeros(0)
        self._n_samples = 0

    def add(self, x: FloatArray) -> None:
        """Take the next samples, shape (n,)."""
        self._n_samples += len(x)
        if len(self._rest):
            x = np.concatenate([self._rest, x])
        whole = len(x) // BUCKET
        self._put(x[: whole * BUCKET].reshape(whole, BUCKET))
        self._rest = np.array(x[whole * BUCKET :])

    def _put(self, rows: FloatArray) -> None:
        low, high = _bucket_extremes(rows)
        self._lows.append(low)
        self._highs.append(high)

    def finish(self) -> Pyramid:
        """Return the pyramid of all samples taken."""
        if len(self._rest):
            self._put(self._rest.reshape(1, -1))
            self._rest = np.zeros(0)
        empty = [np.zeros(0)]
        return pyramid_above(np.concatenate(self._lows or empty), np.concatenate(self._highs or empty), self._n_samples)


def _bucket_extremes(rows: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return lows and highs per row; a row is missing only when all of it is."""
    low, high = rows.min(axis=1), rows.max(axis=1)
    bad = np.isnan(low)
    if bad.any():
        low[bad], high[bad] = np.fmin.reduce(rows[bad], axis=1), np.fmax.reduce(rows[bad], axis=1)
    return low, high


def pyramid_above(low: FloatArray, high: FloatArray, n_samples: int) -> Pyramid:
    """Return the pyramid that stands on the lows and highs of the finest level."""
    lows, highs = [low], [high]
    while len(lows[-1]) > STEP * 64:
        starts = np.arange(0, len(lows[-1]), STEP)
        lows.append(np.fmin.reduceat(lows[-1], starts))
        highs.append(np.fmax.reduceat(highs[-1], starts))
    return Pyramid(tuple(lows), tuple(highs), n_samples)


def build_pyramid(read: Reader, n_samples: int, block: int = 1 << 16, progress: Progress | None = None) -> Pyramid:
    """Return the pyramid of a channel served by `read`."""
    builder = PyramidBuilder()
    for low in range(0, n_samples, block):
        builder.add(read(low, min(low + block, n_samples)))
        if progress is not None:
            progress.at(low / n_samples)
    return builder.finish()


def envelope(read: Reader, pyramid: Pyramid, start: float, stop: float, n_columns: int) -> tuple[FloatArray, FloatArray]:
    """Return lowest and highest sample per picture column, shape (n_columns,) each; NaN where there is none.

    Parameters
    ----------
    read : serves samples, used where a column holds fewer than one bucket
    start, stop : the view in samples, may reach beyond the record
    """
    edges: FloatArray = start + np.arange(n_columns + 1, dtype=np.float64) * ((stop - start) / n_columns)
    per_column = (stop - start) / n_columns
    if per_column < BUCKET:
        first, last = max(int(np.floor(start)), 0), min(int(np.ceil(stop)) + 1, pyramid.n_samples)
        if first >= last:
            return np.full(n_columns, np.nan), np.full(n_columns, np.nan)
        x = read(first, last)
        return _reduce(x, x, edges - first)
    level = 0
    while level + 1 < len(pyramid.lows) and BUCKET * STEP ** (level + 1) <= per_column:
        level += 1
    return _reduce(pyramid.lows[level], pyramid.highs[level], edges / (BUCKET * STEP**level))


def _reduce(low: FloatArray, high: FloatArray, edges: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Reduce values to the columns between `edges`, given in values; columns outside are NaN."""
    n = len(low)
    starts = np.clip(np.floor(edges).astype(np.intp), 0, n)
    inside = (edges[1:] > 0) & (edges[:-1] < n)
    lows, highs = np.full(len(inside), np.nan), np.full(len(inside), np.nan)
    columns = np.flatnonzero(inside)
    if not len(columns):
        return lows, highs
    first, last = columns[0], columns[-1]
    cuts = np.minimum(starts[first : last + 1], n - 1)
    end = int(min(max(np.ceil(edges[last + 1]), cuts[-1] + 1), n))
    last_in = np.clip(np.ceil(edges[first + 1 : last + 2]).astype(np.intp) - 1, cuts, n - 1)  # may lie partly in the column
    lows[first : last + 1] = np.fmin(np.fmin.reduceat(low[:end], cuts), low[last_in])
    highs[first : last + 1] = np.fmax(np.fmax.reduceat(high[:end], cuts), high[last_in])
    return lows, highs
