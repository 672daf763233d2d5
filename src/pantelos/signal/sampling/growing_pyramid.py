"""A pyramid that grows with its samples: levels in files, whole at any moment, however long they become."""

import os
from pathlib import Path

import numpy as np

from pantelos.signal.arrays import AnyArray
from pantelos.signal.sampling.pyramid import BUCKET, STEP, Pyramid, level_sizes


class GrowingPyramid:
    """Lows and highs of channels that share a type; the last bucket of each level is written again until it is full.

    One thread adds while others look.
    """

    def __init__(self, folder: Path, n_channels: int, dtype: str) -> None:
        self.n_samples = 0
        self._folder, self._shape, self._dtype = folder, (2, n_channels), np.dtype(dtype)
        self._levels: list[int] = []  # files
        self._rest = np.zeros((0, n_channels), self._dtype)

    def add(self, x: AnyArray) -> None:
        """Take the next samples, (n, n_channels).

        Raises
        ------
        OSError
            When they cannot be written; what it holds by then is not to be used.
        """
        if not len(x):
            return
        first = self.n_samples // BUCKET
        x = np.concatenate([self._rest, x])
        self._write(0, first, _reduced(x, x, BUCKET))
        self._rest = x[len(x) // BUCKET * BUCKET :].copy()
        self.n_samples = first * BUCKET + len(x)

    def pyramids(self) -> list[Pyramid]:
        """Return the pyramid of each channel, of what was added so far, in the type of its numbers."""
        n = self.n_samples
        levels = [
            np.memmap(self._path(level), self._dtype, "r", shape=(size, *self._shape))
            for level, size in enumerate(level_sizes(n) if n else ())
        ]
        return [
            Pyramid(tuple(level[:, 0, k] for level in levels), tuple(level[:, 1, k] for level in levels), n)
            for k in range(self._shape[1])
        ]

    def close(self) -> None:
        """Add no more."""
        for file in self._levels:
            os.close(file)
        self._levels = []

    def _path(self, level: int) -> Path:
        return self._folder / f"level-{level}"

    def _write(self, level: int, first: int, buckets: AnyArray) -> None:
        """Write buckets from `first` on, (n, 2, n_channels), and what follows of them in the levels above."""
        if level == len(self._levels):
            self._levels.append(os.open(self._path(level), os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600))
        size = 2 * self._shape[1] * self._dtype.itemsize
        content = np.ascontiguousarray(buckets).tobytes()
        if os.pwrite(self._levels[level], content, first * size) < len(content):
            raise OSError("not all was written")
        n = first + len(buckets)
        if len(level_sizes(n * BUCKET)) == 1:
            return
        begin = first // STEP * STEP if level + 1 < len(self._levels) else 0
        if begin < first:
            before = os.pread(self._levels[level], (first - begin) * size, begin * size)
            buckets = np.concatenate([np.frombuffer(before, self._dtype).reshape(-1, *self._shape), buckets])
        self._write(level + 1, begin // STEP, _reduced(buckets[:, 0], buckets[:, 1], STEP))


def _reduced(low: AnyArray, high: AnyArray, step: int) -> AnyArray:
    """Return lows and highs of every `step` of (n, n_channels), (n / step, 2, n_channels), the last one perhaps of fewer."""
    starts = np.arange(0, len(low), step)
    return np.stack([np.minimum.reduceat(low, starts, axis=0), np.maximum.reduceat(high, starts, axis=0)], axis=1)
