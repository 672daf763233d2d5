"""Totals per block of a long waveform: what was added up once is not added up again.

A mean over any stretch is made of whole blocks, whose totals are kept, and two ends, which are read. The rules are those of
`integrals`: trapezoids between samples, or samples that stand for a period each.
"""

import math
from collections.abc import Callable

import numpy as np

from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.integrals import CompensatedSum, integrals_between

BLOCK = 1 << 16  # samples
WORTH_KEEPING = 16  # blocks: fewer are quicker added up again


class BlockTotals:
    """Totals of one waveform, or of a power of it: rows of sum and of how much was measured, per block; NaN where not known."""

    def __init__(self, n_samples: int, known: FloatArray | None = None, keep: Callable[[FloatArray], None] | None = None) -> None:
        shape = (4, n_samples // BLOCK)
        usable = known is not None and known.shape == shape
        self._known = np.array(known) if known is not None and usable else np.full(shape, np.nan)
        self._n_samples, self._keep = n_samples, keep

    def of_trapezoids(self, read: Reader, start: float, stop: float) -> tuple[float, float]:
        """Return (integral in samples times the unit, samples measured) between two positions, linear between samples."""

        def between(low: float, high: float) -> tuple[float, float]:
            totals, shares = integrals_between(read, np.array([low, high]), self._n_samples)
            end = max(self._n_samples - 1, 0)
            return float(totals[0]), float(shares[0]) * (min(high, end) - min(low, end))

        last = (self._n_samples - 1) // BLOCK  # a block of trapezoids reaches to the first sample of the next
        return self._summed(0, start, stop, min(math.floor(stop) // BLOCK, last), between)

    def of_samples(self, read: Reader, start: int, stop: int) -> tuple[float, float]:
        """Return (sum, samples that are not missing) of samples start to stop."""

        def between(low: float, high: float) -> tuple[float, float]:
            x = read(int(low), int(high))
            gone = np.isnan(x)
            return (float(np.nansum(x)), float(np.count_nonzero(~gone))) if gone.any() else (float(x.sum()), float(len(x)))

        return self._summed(2, start, stop, stop // BLOCK, between)

    def _summed(
        self, row: int, start: float, stop: float, end: int, between: Callable[[float, float], tuple[float, float]]
    ) -> tuple[float, float]:
        first = -(-math.ceil(start) // BLOCK)
        if first >= end:
            return between(start, stop)
        new = np.flatnonzero(np.isnan(self._known[row, first:end])) + first
        for k in new.tolist():
            self._known[row : row + 2, k] = between(float(k * BLOCK), float((k + 1) * BLOCK))
        blocks = zip(*self._known[row : row + 2, first:end].tolist(), strict=True)
        total, measured = CompensatedSum(), CompensatedSum()
        for value, length in [between(start, float(first * BLOCK)), *blocks, between(float(end * BLOCK), stop)]:
            total.add(value)
            measured.add(length)
        if len(new) >= WORTH_KEEPING and self._keep is not None:
            self._keep(self._known)
        return float(total.value), float(measured.value)
