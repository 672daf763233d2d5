"""Smallest and largest sample per bucket, coarser and coarser: any view in a time set by pixels, not samples."""

from collections.abc import Callable, Iterator, Sequence
from itertools import accumulate

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import AnyArray, FloatArray, Reader, median

BUCKET = 256  # samples in a bucket of the finest level
STEP = 16  # buckets of one level in a bucket of the next
_COARSEST = STEP * 64  # no level above one that has so few buckets
_PART = 1 << 20  # samples handed to a thread at a time


class Pyramid(msgspec.Struct, frozen=True, eq=False):
    """Lows and highs per level; level k has buckets of BUCKET * STEP**k samples."""

    lows: tuple[FloatArray, ...]
    highs: tuple[FloatArray, ...]
    n_samples: int

    @property
    def extent(self) -> tuple[float, float]:
        """Lowest and highest sample of all; (inf, -inf) where all are missing."""
        return (float(np.fmin.reduce(self.lows[-1], initial=np.inf)), float(np.fmax.reduce(self.highs[-1], initial=-np.inf)))


class PyramidBuilder:
    """Takes the samples of channels that share a type, in order and however many, and gives their pyramids."""

    def __init__(self) -> None:
        self._lows: list[FloatArray] = []
        self._highs: list[FloatArray] = []
        self._rest: AnyArray | None = None
        self._n_samples = 0

    def add(self, x: AnyArray) -> None:
        """Take the next samples, shape (n, n_channels), of the same type every time; NaN where missing."""
        self._n_samples += len(x)
        if self._rest is not None:
            x = np.concatenate([self._rest, x])
        whole = len(x) // BUCKET
        self._put(*bucket_extremes(x[: whole * BUCKET]))
        self._rest = np.array(x[whole * BUCKET :])

    def _put(self, low: FloatArray, high: FloatArray) -> None:
        self._lows.append(low)
        self._highs.append(high)

    def finish(self) -> list[Pyramid]:
        """Return the pyramid of every channel; none where no block was taken."""
        if self._rest is None:
            return []
        self._put(*bucket_extremes(self._rest))
        together = pyramid_above(np.concatenate(self._lows), np.concatenate(self._highs), self._n_samples)
        lows, highs = ([np.ascontiguousarray(level.T) for level in levels] for levels in (together.lows, together.highs))
        return [
            Pyramid(tuple(level[k] for level in lows), tuple(level[k] for level in highs), self._n_samples)
            for k in range(len(lows[0]))
        ]


def bucket_extremes(x: AnyArray) -> tuple[FloatArray, FloatArray]:
    """Return lows and highs per BUCKET samples along the first axis, the last bucket perhaps shorter.

    A bucket is missing (NaN) only when all of it is.
    """
    if not len(x):
        return np.zeros(x.shape), np.zeros(x.shape)
    starts = np.arange(0, len(x), BUCKET)
    low, high = (by.reduceat(x, starts, axis=0).astype(np.float64) for by in (np.minimum, np.maximum))
    if np.isnan(low).any():  # something is missing: slower, and only where it is
        low, high = (by.reduceat(x, starts, axis=0).astype(np.float64) for by in (np.fmin, np.fmax))
    return low, high


def level_sizes(n_samples: int) -> list[int]:
    """Return the number of buckets of every level, the finest first."""
    sizes = [-(-n_samples // BUCKET)]
    while sizes[-1] > _COARSEST:
        sizes.append(-(-sizes[-1] // STEP))
    return sizes


def pyramid_above(low: FloatArray, high: FloatArray, n_samples: int) -> Pyramid:
    """Return the pyramid that stands on the lows and highs of the finest level."""
    lows, highs = [low], [high]
    while len(lows[-1]) > _COARSEST:
        starts = np.arange(0, len(lows[-1]), STEP)
        lows.append(np.fmin.reduceat(lows[-1], starts, axis=0))
        highs.append(np.fmax.reduceat(highs[-1], starts, axis=0))
    return Pyramid(tuple(lows), tuple(highs), n_samples)


def flattened(pyramid: Pyramid) -> Iterator[FloatArray]:
    """Yield all levels one after the other, lows before highs, piece by piece: what a file of it holds."""
    for level in (*pyramid.lows, *pyramid.highs):
        for low in range(0, len(level), _PART):
            yield np.ascontiguousarray(level[low : low + _PART], dtype=np.float64)


def from_flattened(values: FloatArray, n_samples: int) -> Pyramid:
    """Return the pyramid in `flattened` values, which may be mapped: a level is touched when it is drawn.

    Raises
    ------
    ValueError
        When there are more or fewer values than a record of `n_samples` has.
    """
    sizes = level_sizes(n_samples) * 2
    ends = list(accumulate(sizes))
    if len(values) != ends[-1]:
        raise ValueError(f"{len(values)} values in a pyramid of {n_samples} samples")
    levels = [values[end - size : end] for size, end in zip(sizes, ends, strict=True)]
    return Pyramid(tuple(levels[: len(levels) // 2]), tuple(levels[len(levels) // 2 :]), n_samples)


def pyramids_of(
    columns: Sequence[Callable[[int, int], AnyArray]], n_samples: int, progress: Progress | None = None
) -> list[Pyramid]:
    """Return the pyramids of several channels, each served by a function (start, stop) -> array (stop - start,).

    Parts are handed to as many threads as pay: the extremes of a part need no lock of the interpreter.
    """
    jobs = [(k, low) for low in range(0, n_samples, _PART) for k in range(len(columns))]

    def extremes(job: tuple[int, int]) -> tuple[FloatArray, FloatArray]:
        k, low = job
        return bucket_extremes(np.ascontiguousarray(columns[k](low, min(low + _PART, n_samples))))

    lows: list[list[FloatArray]] = [[np.zeros(0)] for _ in columns]
    highs: list[list[FloatArray]] = [[np.zeros(0)] for _ in columns]
    from concurrent.futures import ThreadPoolExecutor  # here, for the sake of a quick start

    with ThreadPoolExecutor(2) as pool:
        for at, ((k, _), (low, high)) in enumerate(zip(jobs, pool.map(extremes, jobs), strict=True)):
            lows[k].append(low)
            highs[k].append(high)
            if progress is not None:
                progress.at((at + 1) / len(jobs))
    return [pyramid_above(np.concatenate(a), np.concatenate(b), n_samples) for a, b in zip(lows, highs, strict=True)]


def build_pyramid(read: Reader, n_samples: int, block: int = 1 << 16, progress: Progress | None = None) -> Pyramid:
    """Return the pyramid of a channel served by `read`, one block after the other."""
    builder = PyramidBuilder()
    for low in range(0, n_samples, block):
        builder.add(read(low, min(low + block, n_samples))[:, np.newaxis])
        if progress is not None:
            progress.at(low / n_samples)
    return builder.finish()[0] if n_samples else pyramid_above(np.zeros(0), np.zeros(0), 0)


def envelope(read: Reader, pyramid: Pyramid, start: float, stop: float, n_columns: int) -> tuple[FloatArray, FloatArray]:
    """Return lowest and highest sample per picture column, shape (n_columns,) each; NaN where there is none.

    Parameters
    ----------
    read : serves samples, used where a column holds fewer than one bucket
    start, stop : the view in samples, may reach beyond the record
    """
    return envelope_between(read, pyramid, start + np.arange(n_columns + 1, dtype=np.float64) * ((stop - start) / n_columns))


def envelope_between(read: Reader, pyramid: Pyramid, edges: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return lowest and highest sample between each two of the rising `edges` (n_columns + 1,), given in samples."""
    n_columns = len(edges) - 1
    per_column = median(np.diff(edges)) if n_columns else 0.0
    if per_column < BUCKET:
        first, last = max(int(np.floor(edges[0])), 0), min(int(np.ceil(edges[-1])) + 1, pyramid.n_samples)
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


def extremes(read: Reader, pyramid: Pyramid, first: int, end: int) -> tuple[float, float]:
    """Return the lowest and highest of samples `first` to `end`, exactly; (inf, -inf) where there is none."""
    first, end = max(first, 0), min(end, pyramid.n_samples)
    low_bucket, high_bucket = -(-first // BUCKET), end // BUCKET
    if high_bucket <= low_bucket:
        parts = [read(first, end)] if end > first else []
        lows = highs = parts
    else:
        ends = [read(first, low_bucket * BUCKET), read(high_bucket * BUCKET, end)]
        lows, highs = ([*ends, level[0][low_bucket:high_bucket]] for level in (pyramid.lows, pyramid.highs))
    low = min((float(np.fmin.reduce(part, initial=np.inf)) for part in lows), default=np.inf)
    high = max((float(np.fmax.reduce(part, initial=-np.inf)) for part in highs), default=-np.inf)
    return low, high
