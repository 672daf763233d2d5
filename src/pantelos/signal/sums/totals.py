"""Totals per block of a long waveform: what was added up once is not added up again.

A mean over any stretch is made of whole blocks, whose totals are kept, and two ends, which are read. The rules are those of
`integrals`: trapezoids between samples, or samples that stand for a period each.
"""

import math
from collections.abc import Callable

import numpy as np

from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.sums.fractional_ends import REACH, ends
from pantelos.signal.sums.integrals import Rule, totals_between

BLOCK = 1 << 16  # samples
WORTH_KEEPING = 16  # blocks: fewer are quicker added up again


class BlockTotals:
    """Totals of one waveform, or of a power of it: rows of sum and of how much was measured, per block; NaN where not known."""

    def __init__(self, n_samples: int, known: FloatArray | None = None, keep: Callable[[FloatArray], None] | None = None) -> None:
        shape = (4, self.n_blocks(n_samples))
        usable = known is not None and known.shape == shape
        self._known = np.array(known) if known is not None and usable else np.full(shape, np.nan)
        self._n_samples, self._keep = n_samples, keep

    @staticmethod
    def n_blocks(n_samples: int) -> int:
        """Return how many blocks a waveform has."""
        return n_samples // BLOCK

    def of_trapezoids(
        self, read: Reader, start: float, stop: float, within: tuple[int, int] | None = None
    ) -> tuple[float, float]:
        """Return (integral in samples times the unit, samples measured) between two positions; see `integrals`."""
        last = (self._n_samples - 1) // BLOCK  # a block of trapezoids reaches to the first sample of the next
        first, end = -(-math.ceil(start) // BLOCK), min(math.floor(stop) // BLOCK, last)
        between = self._trapezoids(read, within)
        if first >= end:
            return between(start, stop)
        inner = self._summed(0, first, end, self._trapezoids(read, None))
        # The ends are taken together, as of a piece without what lies between its blocks.
        sides = ((start, float(first * BLOCK)), (float(end * BLOCK), stop))
        outer = [
            totals_between(read, np.array([low]), np.array([high]), self._n_samples, smooth=False, within=within)
            for low, high in sides
        ]
        more = [self._end(read, at, within or (0, self._n_samples)) for at in (start, stop)]
        total = inner[0] + math.fsum(float(one.integrals[0]) for one in outer)
        total += more[1] - more[0] if math.isfinite(more[1] - more[0]) else 0.0
        return total, inner[1] + math.fsum(float(one.measured[0]) for one in outer)

    def of_samples(self, read: Reader, start: int, stop: int) -> tuple[float, float]:
        """Return (sum, samples that are not missing) of samples start to stop."""

        def between(low: float, high: float) -> tuple[float, float]:
            found = totals_between(read, np.array([low]), np.array([high]), self._n_samples, Rule.RECTANGULAR)
            return float(found.integrals[0]), float(found.measured[0])

        first, end = -(-start // BLOCK), stop // BLOCK
        if first >= end:
            return between(float(start), float(stop))
        parts = [between(float(start), float(first * BLOCK)), self._summed(2, first, end, between)]
        parts.append(between(float(end * BLOCK), float(stop)))
        return math.fsum(value for value, _ in parts), math.fsum(measured for _, measured in parts)

    def _trapezoids(self, read: Reader, within: tuple[int, int] | None) -> Callable[[float, float], tuple[float, float]]:
        def between(low: float, high: float) -> tuple[float, float]:
            whole = low.is_integer() and high.is_integer() and (low % BLOCK == 0 == high % BLOCK)
            found = totals_between(read, np.array([low]), np.array([high]), self._n_samples, smooth=not whole, within=within)
            return float(found.integrals[0]), float(found.measured[0])

        return between

    def _end(self, read: Reader, at: float, within: tuple[int, int]) -> float:
        """Return what a polynomial tells more than a straight line at the end of a piece; NaN where it tells nothing."""
        low = max(int(at) - 2 * REACH, within[0], 0)
        high = min(int(at) + 2 * REACH + 2, within[1], self._n_samples)
        return float(ends(read(low, high), np.array([at - low]), 0, high - low).more[0]) if high - low > 1 else math.nan

    def _summed(
        self, row: int, first: int, end: int, between: Callable[[float, float], tuple[float, float]]
    ) -> tuple[float, float]:
        new = np.flatnonzero(np.isnan(self._known[row, first:end])) + first
        for k in new.tolist():
            self._known[row : row + 2, k] = between(float(k * BLOCK), float((k + 1) * BLOCK))
        values, lengths = self._known[row : row + 2, first:end]
        if len(new) >= WORTH_KEEPING and self._keep is not None:
            self._keep(self._known)
        return math.fsum(values.tolist()), math.fsum(lengths.tolist())
