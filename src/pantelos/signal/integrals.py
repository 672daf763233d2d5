"""Integrals of sampled data over any stretch: rectangular and trapezoidal rule, block by block.

Positions are in samples, counted from the first sample of the record and not necessarily whole.
"""

import math
from collections.abc import Iterator

import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import BLOCK, AnyArray, FloatArray, Reader
from pantelos.signal.compiled import compiled

_PIECES_AT_ONCE = BLOCK // 4  # samples: many rows of them stay in the cache
_PART = 256


def blocks(start: int, stop: int, size: int = BLOCK) -> Iterator[tuple[int, int]]:
    """Yield (start, stop) of consecutive blocks that together cover `start` to `stop`."""
    for first in range(start, stop, size):
        yield first, min(first + size, stop)


def n_missing(read: Reader, start: int, stop: int) -> int:
    """Return how many samples between `start` and `stop` are missing (NaN)."""
    return sum(int(np.count_nonzero(np.isnan(read(low, high)))) for low, high in blocks(start, stop))


class CompensatedSum:
    """A sum of many parts whose error does not grow with their number (Neumaier)."""

    def __init__(self, shape: tuple[int, ...] = ()) -> None:
        self._sum = np.zeros(shape)
        self._lost = np.zeros(shape)

    def add(self, part: FloatArray | float) -> None:
        """Add one part of the sum's shape."""
        part = np.asarray(part, dtype=np.float64)
        total = self._sum + part
        larger = np.abs(self._sum) >= np.abs(part)
        self._lost = self._lost + np.where(larger, (self._sum - total) + part, (part - total) + self._sum)
        self._sum = total

    @property
    def value(self) -> FloatArray:
        """The sum so far."""
        return np.asarray(self._sum + self._lost)

    @property
    def precise(self) -> AnyArray:
        """The sum so far in the longest floating type there is."""
        return np.asarray(self._sum.astype(np.longdouble) + self._lost)


def running_trapezoid(y: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return the trapezoidal running integral and the number of valid trapezoids.

    Missing samples (NaN) count as unmeasured: a trapezoid that touches one contributes nothing.

    Returns
    -------
    array like `y`, in samples times its unit, first value 0; and array (...), trapezoids counted
    """
    slices = 0.5 * (y[..., :-1] + y[..., 1:])
    n_valid = np.full(y.shape[:-1], float(slices.shape[-1]))
    running = np.zeros(y.shape)
    np.cumsum(slices, axis=-1, out=running[..., 1:])
    if np.isnan(running[..., -1:]).any():
        n_valid = np.count_nonzero(~np.isnan(slices), axis=-1).astype(np.float64)
        np.cumsum(np.nan_to_num(slices, nan=0.0), axis=-1, out=running[..., 1:])
    return running, n_valid


def integral_at(
    read: Reader, positions: FloatArray, n_samples: int, progress: Progress | None = None
) -> tuple[FloatArray, FloatArray]:
    """Return the integral of the piecewise-linear interpolant from the first position to each position.

    Source: rule T, trapezoids with fractional ends; y is interpolated, never its factors.

    Parameters
    ----------
    read : callable (start, stop) -> array (..., stop - start)
    positions : array (n_positions,), rising, in samples, from 0; those past the last sample count as there
    n_samples : int, length of what `read` serves

    Returns
    -------
    array (..., n_positions), in samples times the unit of y; multiply by the sample period
    array (...), share of the stretch that was measured, 0 to 1
    """
    totals, coverage = precise_integral_at(read, positions, n_samples, progress)
    return np.asarray(totals, dtype=np.float64), coverage


def piece_sums(read: Reader, edges: FloatArray, progress: Progress | None = None) -> FloatArray:
    """Return the integral of the piecewise-linear interpolant between neighbouring edges (n + 1,), samples; shape (..., n).

    The same as differences of `integral_at`, each piece added up by itself: for many short pieces, none missing; NaN where a
    sample is. All edges lie below the last sample.
    """
    rows = read(0, 0).shape[:-1]
    found = np.zeros((math.prod(rows), max(len(edges) - 1, 0)))
    whole = np.floor(edges).astype(np.int64)
    between = edges - whole
    first, end = (int(whole[0]), int(whole[-1]) + 1) if len(edges) > 1 else (0, 0)
    for low, high in blocks(first, end, _PIECES_AT_ONCE):
        y = np.ascontiguousarray(read(low, high + 1), dtype=np.float64).reshape(len(found), -1)
        _add_pieces(y, low, whole, between, max(int(np.searchsorted(whole, low)) - 1, 0), found)
        if progress is not None:
            progress.at((high - first) / (end - first))
    return found.reshape(*rows, -1)


@compiled("void(float64[:, ::1], int64, int64[::1], float64[::1], int64, float64[:, ::1])", reorder=True)
def _add_pieces(y: FloatArray, low: int, whole: AnyArray, between: FloatArray, begun: int, sums: FloatArray) -> None:
    """Add what samples from `low` on, and the one behind the last, give to the pieces from one on."""
    n_pieces, high = sums.shape[1], low + y.shape[1] - 1
    for row in range(len(y)):
        for piece in range(begun, n_pieces):
            if whole[piece] >= high:
                break
            start, stop = max(whole[piece], low) - low, min(whole[piece + 1], high) - low
            for part in range(start, stop, _PART):  # so that rounding does not grow with the length
                total = 0.0
                for sample in y[row, part : min(part + _PART, stop)]:
                    total += sample
                sums[row, piece] += total
        for edge in range(begun, n_pieces + 1):
            at = whole[edge] - low
            if at >= high - low:
                break
            if at >= 0:
                share, here, behind = between[edge], y[row, at], y[row, at + 1]
                until = (share + 0.5) * here + 0.5 * share * share * (behind - here)
                if edge > 0:
                    sums[row, edge - 1] += until
                if edge < n_pieces:
                    sums[row, edge] -= until


def precise_integral_at(
    read: Reader, positions: FloatArray, n_samples: int, progress: Progress | None = None
) -> tuple[AnyArray, FloatArray]:
    """Return the same in the longest floating type there is: differences of a total of 1e9 samples keep the digits of a cycle."""
    shape = read(0, 0).shape[:-1]
    positions = np.clip(positions, 0, max(n_samples - 1, 0))
    if n_samples < 2 or not len(positions):
        return np.zeros((*shape, len(positions))), np.zeros(shape)
    first = min(math.floor(positions[0]), n_samples - 2)
    last = max(math.ceil(positions[-1]), first + 1)
    total, n_valid = CompensatedSum(shape), np.zeros(shape)
    result = np.zeros((*shape, len(positions)), dtype=np.longdouble)
    for low, high in blocks(first, last):
        y = read(low, high + 1)
        running, valid = running_trapezoid(y)
        inside = slice(
            int(np.searchsorted(positions, low, "left")),
            int(np.searchsorted(positions, high, "right" if high == last else "left")),
        )
        result[..., inside] = total.precise[..., None] + _within(y, running, positions[inside] - low)
        total.add(running[..., -1])
        n_valid += valid
        if progress is not None:
            progress.at((high - first) / (last - first))
    return result - result[..., :1], n_valid / (last - first)


def integrals_between(
    read: Reader, edges: FloatArray, n_samples: int, progress: Progress | None = None
) -> tuple[FloatArray, FloatArray]:
    """Return the integral of each piece between rising `edges` (n_pieces + 1,), and the share of each that was measured.

    Returns
    -------
    array (..., n_pieces), in samples times the unit of y, over what was measured
    array (..., n_pieces), 0 to 1
    """
    totals, coverage = precise_integral_at(read, edges, n_samples, progress)
    lengths = np.diff(np.clip(edges, 0, max(n_samples - 1, 0)))
    shares = np.ones_like(totals[..., 1:]) * (lengths > 0)
    if np.any(coverage < 1):

        def counted(start: int, stop: int) -> FloatArray:
            return np.where(np.isnan(read(start, stop)), np.nan, 1.0)

        measured, _ = integral_at(counted, edges, n_samples)
        with np.errstate(invalid="ignore", divide="ignore"):
            shares = np.where(lengths > 0, np.diff(measured, axis=-1) / lengths, 0.0)
    return np.asarray(np.diff(totals, axis=-1), dtype=np.float64), np.asarray(np.clip(shares, 0.0, 1.0))


def _within(y: FloatArray, running: FloatArray, places: FloatArray) -> FloatArray:
    """Return the running integral at fractional places of one block."""
    whole = np.minimum(places.astype(np.intp), y.shape[-1] - 2)
    part = places - whole
    tail = y[..., whole] * part + 0.5 * (y[..., whole + 1] - y[..., whole]) * part**2
    return np.asarray(running[..., whole] + np.nan_to_num(tail, nan=0.0))


def split_by_sign(p: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return (received, returned): the trapezoidal integrals of max(p, 0) and max(-p, 0), in samples.

    A trapezoid whose ends differ in sign is split at its linear zero, so received minus returned is
    exactly the trapezoidal integral.

    Parameters
    ----------
    p : array (..., n_samples), W; missing samples contribute nothing

    Returns
    -------
    two arrays (...), W times samples, at least 0
    """
    left, right = p[..., :-1], p[..., 1:]
    turns = left * right < 0
    with np.errstate(invalid="ignore", divide="ignore"):
        zero = np.where(turns, np.abs(left) / (np.abs(left) + np.abs(right)), 1.0)
    before = np.where(turns, 0.5 * left * zero, 0.5 * (left + right))
    after = np.where(turns, 0.5 * right * (1 - zero), 0.0)
    parts = np.stack([before, after])
    received = np.nansum(np.maximum(parts, 0), axis=(0, -1))
    returned = np.nansum(np.maximum(-parts, 0), axis=(0, -1))
    return np.asarray(received), np.asarray(returned)


def received_and_returned(read: Reader, start: float, stop: float) -> tuple[FloatArray, FloatArray]:
    """Return `split_by_sign` between two positions in samples, fractional ends included, block by block, in samples."""
    received, returned = (CompensatedSum(read(0, 0).shape[:-1]) for _ in range(2))

    def add(p: FloatArray, length: float) -> None:
        for total, part in zip((received, returned), split_by_sign(p), strict=True):
            total.add(part * length)

    first, last = math.ceil(start), math.floor(stop)
    if first > last:  # between two samples
        add(_at(read, np.array([start, stop])), stop - start)
        return received.value, returned.value
    if first > start:
        add(_at(read, np.array([start, float(first)])), first - start)
    for low, high in blocks(first, last):
        add(read(low, high + 1), 1.0)
    if stop > last:
        add(_at(read, np.array([float(last), stop])), stop - last)
    return received.value, returned.value


def _at(read: Reader, positions: FloatArray) -> FloatArray:
    """Return values at two positions at most a sample apart, linear between samples."""
    low = math.floor(positions[0])
    y = read(low, low + 2)
    if y.shape[-1] < 2:
        return np.repeat(y[..., :1], 2, axis=-1)
    share = positions - low
    return np.asarray(y[..., :1] * (1 - share) + y[..., 1:2] * share)
