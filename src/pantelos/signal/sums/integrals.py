"""Integrals of sampled data over any pieces of it, block by block: the one place where samples become sums.

A window is one piece, a partition many; pieces may overlap. Missing samples contribute nothing, and how much was measured is told
beside. Positions are in samples, counted from the first sample of the record and not necessarily whole.
"""

import math
from collections.abc import Iterator
from enum import StrEnum
from itertools import pairwise

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import BLOCK, AnyArray, FloatArray, Reader
from pantelos.signal.compiled import compiled
from pantelos.signal.sharing import both
from pantelos.signal.sums.fractional_ends import REACH, Ends, ends

_PIECES_AT_ONCE = BLOCK // 4  # samples: many rows of them stay in the cache
_PART = 256
_MANY = 64  # edges, from which on pieces are added up by a compiled loop where that is worth loading it
_WORTH_COMPILING = 1 << 22  # values
_FEW = 16  # edges within a block: each part is added up by itself


class Rule(StrEnum):
    """How samples become an integral."""

    RECTANGULAR = "rectangular"  # a sample stands for one sample period; exact over whole periods
    TRAPEZOID = "trapezoid"  # linear between samples, fractional ends


class Totals(msgspec.Struct, frozen=True, eq=False):
    """What pieces come to, row by row of what was read."""

    integrals: FloatArray  # (..., n_pieces), in samples times the unit, over what was measured
    measured: FloatArray  # (..., n_pieces), samples
    lengths: FloatArray  # (n_pieces,), samples

    @property
    def shares(self) -> FloatArray:
        """How much of each piece was measured, (..., n_pieces), 0 to 1."""
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(np.where(self.lengths > 0, np.minimum(self.measured / self.lengths, 1.0), 0.0))

    @property
    def means(self) -> FloatArray:
        """The mean over what was measured of each piece, (..., n_pieces); NaN where nothing was."""
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(np.where(self.measured > 0, self.integrals / self.measured, np.nan))


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


def _distinct(values: FloatArray) -> FloatArray:
    """Return values in order, each once: as `np.unique` does, which loads masked arrays to begin with."""
    ordered = np.sort(values)
    return np.asarray(ordered[np.concatenate(([True], ordered[1:] > ordered[:-1]))]) if len(ordered) else ordered


def totals_between(
    read: Reader,
    starts: FloatArray,
    stops: FloatArray,
    n_samples: int,
    rule: Rule = Rule.TRAPEZOID,
    smooth: bool = True,
    within: tuple[int, int] | None = None,
    progress: Progress | None = None,
) -> Totals:
    """Return the integrals of pieces.

    By trapezoids y itself is interpolated, never its factors; the ends between samples are those of `fractional_ends`. By
    rectangles a piece is made of its samples, and begins and ends on one.

    Parameters
    ----------
    read : callable (start, stop) -> array (..., stop - start)
    starts, stops : arrays (n_pieces,), samples; for trapezoids those past the last sample count as there
    n_samples : int, length of what `read` serves
    smooth : False for straight lines at the ends too: energies, which are sums of trapezoids by definition
    within : samples that ends may look at, such as those of an interval; None for all
    """
    most = n_samples if rule is Rule.RECTANGULAR else max(n_samples - 1, 0)
    starts, stops = (np.clip(np.asarray(at, dtype=np.float64), 0.0, most) for at in (starts, stops))
    if rule is Rule.RECTANGULAR:
        starts, stops = np.rint(starts), np.rint(stops)
    stops = np.maximum(starts, stops)
    if not len(starts) or (rule is Rule.TRAPEZOID and n_samples < 2):
        nothing = np.zeros((*read(0, 0).shape[:-1], len(starts)))
        return Totals(nothing, nothing, stops - starts)
    edges = _distinct(np.concatenate([starts, stops]))
    pieces = np.searchsorted(edges, starts), np.searchsorted(edges, stops), stops - starts
    run = _Run(read, edges, n_samples, rule, smooth, within or (0, n_samples))
    if rule is Rule.TRAPEZOID and len(edges) >= _MANY and (edges[-1] - edges[0]) * run.n_rows >= _WORTH_COMPILING:
        found = run.piece_by_piece(*pieces, progress or Progress())
        if found is not None:
            return found
    return run.running(*pieces, progress or Progress())


class _Run:
    """One pass over the samples between the first and the last of rising edges."""

    def __init__(self, read: Reader, edges: FloatArray, n: int, rule: Rule, smooth: bool, within: tuple[int, int]) -> None:
        self._read, self._edges, self._n = read, edges, n
        self._trapezoids, self._smooth = rule is Rule.TRAPEZOID, smooth and rule is Rule.TRAPEZOID
        self._low, self._high = max(within[0], 0), min(within[1], n)
        if self._high - self._low < 2:
            self._low, self._high = 0, n
        self._shape = read(0, 0).shape[:-1]
        self.n_rows = max(math.prod(self._shape), 1)
        # Up to which sample the trapezoids before an edge go: the last sample has none behind it.
        bounds = (self._low, max(self._high - 2, self._low)) if self._trapezoids else (0, n)
        self._whole = np.clip(np.floor(edges).astype(np.int64), *bounds)
        self._end = max(int(self._whole[-1]), int(self._whole[0]))

    def _blocks(self, size: int) -> Iterator[tuple[int, int]]:
        """Yield blocks from the first edge to the last; the last one may hold no sample, only edges."""
        first = int(self._whole[0])
        yield from blocks(first, self._end, size) if self._end > first else ((first, first),)

    def _served(self, low: int, high: int) -> tuple[FloatArray, int]:
        """Return samples of a block, those around it that its ends look at, and where they begin."""
        if not self._trapezoids:
            return self._read(low, high), low
        beside = 2 * REACH if self._smooth else 0
        first, stop = max(low - beside, self._low, 0), min(high + 2 + beside, max(self._high, high + 1), self._n)
        first = min(first, low)
        return self._read(first, stop), first

    def _ends(self, y: FloatArray, origin: int, inside: slice) -> Ends:
        limits = max(self._low - origin, 0), min(self._high - origin, y.shape[-1])
        return ends(y, self._edges[inside] - origin, *limits, smooth=self._smooth)

    def _edges_in(self, low: int, high: int, last: bool) -> slice:
        return slice(int(np.searchsorted(self._whole, low)), int(np.searchsorted(self._whole, high + last)))

    def running(self, first: AnyArray, last: AnyArray, lengths: FloatArray, progress: Progress) -> Totals:
        """Return the pieces as differences of a running total in the longest floating type there is, gaps left out."""
        n_edges = len(self._edges)
        at = np.zeros((*self._shape, n_edges), dtype=np.longdouble)
        lost = np.zeros((*self._shape, n_edges))  # samples that were not measured
        total, gone = CompensatedSum(self._shape), np.zeros(self._shape)
        parts, any_gone = list[Ends](), False
        begin, until = int(self._whole[0]), self._end
        for low, high in self._blocks(BLOCK):
            y, origin = self._served(low, high)
            inner = y[..., low - origin : high - origin + self._trapezoids]
            steps = 0.5 * (inner[..., :-1] + inner[..., 1:]) if self._trapezoids else inner
            inside = self._edges_in(low, high, high == until)
            cuts = self._whole[inside] - low
            missing = np.isnan(steps.sum(axis=-1)).any()
            if missing:
                any_gone = True
                is_gone = np.isnan(steps)
                steps = np.where(is_gone, 0.0, steps)
                counted = _up_to(is_gone.astype(np.float64), cuts)
                lost[..., inside] = gone[..., None] + counted[..., :-1]
                gone = gone + counted[..., -1]
            else:
                lost[..., inside] = gone[..., None]
            sums = _up_to(steps, cuts)
            at[..., inside] = total.precise[..., None] + sums[..., :-1]
            total.add(sums[..., -1])
            if self._trapezoids and inside.start < inside.stop:
                parts.append(self._ends(y, origin, inside))
                if missing or np.isnan(parts[-1].linear).any():
                    any_gone = True
                    beside = np.isnan(parts[-1].linear)
                    lost[..., inside] += np.where(beside, self._edges[inside] - self._whole[inside], 0.0)
            progress.at((high - begin) / max(until - begin, 1))
        found = np.asarray(at[..., last] - at[..., first], dtype=np.float64)
        if self._trapezoids:
            found = found + _joined(parts).between(first, last)
        measured = np.broadcast_to(lengths, found.shape)
        if any_gone:
            measured = np.maximum(lengths - (lost[..., last] - lost[..., first]), 0.0)
        return Totals(found, measured, lengths)

    def piece_by_piece(self, first: AnyArray, last: AnyArray, lengths: FloatArray, progress: Progress) -> Totals | None:
        """Return the pieces each added up by itself, by a compiled loop on two processors; None where a sample is missing."""
        middle = len(self._edges) // 2
        halves = both(
            lambda: self._added(0, middle + 1, progress), lambda: self._added(middle, len(self._edges), progress.quiet())
        )
        sums = np.concatenate([halves[0][0], halves[1][0]], axis=-1)
        if np.isnan(sums).any():
            return None
        found = summed_between(sums, first, np.maximum(last - 1, first)) if np.any(last - first != 1) else sums[..., first]
        found = np.where(last > first, found, 0.0)
        if self._smooth:
            more = np.concatenate([halves[0][1], halves[1][1][..., 1:]], axis=-1)
            found += np.nan_to_num(more[..., last] - more[..., first], nan=0.0)
        return Totals(found, np.broadcast_to(lengths, found.shape), lengths)

    def _added(self, a: int, b: int, progress: Progress) -> tuple[FloatArray, FloatArray]:
        """Return what lies between edges a to b, (..., b - a - 1), by straight lines, and what polynomials have more there."""
        whole = self._whole[a:b]
        between = self._edges[a:b] - whole
        sums = np.zeros((self.n_rows, len(whole) - 1))
        parts = [np.zeros((*self._shape, 0))]
        begin, until = int(whole[0]), int(whole[-1]) + 1
        for low, high in blocks(begin, until, _PIECES_AT_ONCE):
            y, origin = self._served(low, high)
            rows = np.ascontiguousarray(y, dtype=np.float64).reshape(self.n_rows, -1)
            _add_pieces(rows, origin, low, high, whole, between, max(int(np.searchsorted(whole, low)) - 1, 0), sums)
            inside = slice(a + int(np.searchsorted(whole, low)), a + int(np.searchsorted(whole, high)))
            if self._smooth and inside.start < inside.stop:
                parts.append(self._ends(y, origin, inside).more)
            progress.at((high - begin) / (until - begin))
        return sums.reshape(*self._shape, -1), np.concatenate(parts, axis=-1)


def _up_to(steps: FloatArray, cuts: AnyArray) -> FloatArray:
    """Return the sums of steps (..., n) up to each of rising cuts, and of all, (..., n_cuts + 1)."""
    if len(cuts) > _FEW:
        running = np.zeros((*steps.shape[:-1], steps.shape[-1] + 1))
        np.cumsum(steps, axis=-1, out=running[..., 1:])
        return np.concatenate([running[..., cuts], running[..., -1:]], axis=-1)
    bounds = [0, *cuts.tolist(), steps.shape[-1]]
    parts = [steps[..., low:high].sum(axis=-1) for low, high in pairwise(bounds)]
    return np.asarray(np.cumsum(np.stack(parts, axis=-1), axis=-1))


def _joined(parts: list[Ends]) -> Ends:
    linear, more = (np.concatenate([getattr(one, name) for one in parts], axis=-1) for name in Ends.__struct_fields__)
    return Ends(linear, more)


def summed_between(values: FloatArray, first: AnyArray, last: AnyArray) -> FloatArray:
    """Return the sums of values (..., n) from `first` to `last`, both included, (..., n_sums): each added up by itself."""
    if not len(first):
        return np.zeros((*values.shape[:-1], 0))
    padded = np.concatenate([values, np.zeros((*values.shape[:-1], 1), values.dtype)], axis=-1)
    return np.asarray(np.add.reduceat(padded, np.stack([first, last + 1], axis=1).ravel(), axis=-1)[..., ::2])


@compiled("void(float64[:, ::1], int64, int64, int64, int64[::1], float64[::1], int64, float64[:, ::1])", reorder=True)
def _add_pieces(
    y: FloatArray, origin: int, low: int, high: int, whole: AnyArray, between: FloatArray, begun: int, sums: FloatArray
) -> None:
    """Add what samples low to high, of samples from `origin` on, and the one behind them, give to the pieces from one on.

    Edges lie `between` behind samples `whole`; up to them the waveform is linear.
    """
    n_pieces = sums.shape[1]
    for row in range(len(y)):
        for piece in range(begun, n_pieces):
            if whole[piece] >= high:
                break
            start, stop = max(whole[piece], low) - origin, min(whole[piece + 1], high) - origin
            for part in range(start, stop, _PART):  # so that rounding does not grow with the length
                total = 0.0
                for sample in y[row, part : min(part + _PART, stop)]:
                    total += sample
                sums[row, piece] += total
        for edge in range(begun, n_pieces + 1):
            if whole[edge] >= high:
                break
            if whole[edge] >= low:
                at = whole[edge] - origin
                share, here, behind = between[edge], y[row, at], y[row, at + 1]
                until = (share - 0.5) * here + 0.5 * share * share * (behind - here)
                if edge > 0:
                    sums[row, edge - 1] += until + here
                if edge < n_pieces:
                    sums[row, edge] -= until + here


def parts_between(
    read: Reader, starts: FloatArray, stops: FloatArray, n_samples: int, progress: Progress | None = None
) -> tuple[FloatArray, FloatArray]:
    """Return the integrals of what is above and of what is below zero (positive) over pieces, (..., n_pieces) each, in samples.

    A trapezoid whose ends differ in sign is split at its linear zero, so that received minus returned is exactly the trapezoidal
    integral; pieces that begin or end between samples have parts of trapezoids there. Missing samples contribute nothing.
    """
    starts, stops = (np.clip(np.asarray(at, dtype=np.float64), 0.0, max(n_samples - 1, 0)) for at in (starts, stops))
    edges = _distinct(np.concatenate([starts, stops]))
    shape = read(0, 0).shape[:-1]
    at = np.zeros((2, *shape, len(edges)))
    total = CompensatedSum((2, *shape))
    whole = np.minimum(np.floor(edges).astype(np.int64), max(n_samples - 2, 0)) if len(edges) else np.zeros(0, dtype=np.int64)
    first, until = (int(whole[0]), int(whole[-1]) + 1) if len(edges) and n_samples > 1 else (0, 0)
    for low, high in blocks(first, until):
        p = read(low, min(high + 1, n_samples))
        parts = np.stack(split_by_sign(p))
        inside = slice(*np.searchsorted(whole, (low, high)).tolist())
        cuts, share = whole[inside] - low, edges[inside] - whole[inside]
        ended = p[..., cuts] + (p[..., np.minimum(cuts + 1, p.shape[-1] - 1)] - p[..., cuts]) * share
        sums = _up_to(parts, cuts)
        rest = np.stack(split_by_sign(np.stack([p[..., cuts], ended], axis=-1)))[..., 0] * share
        at[..., inside] = total.value[..., None] + sums[..., :-1] + rest
        total.add(sums[..., -1])
        if progress is not None:
            progress.at((high - first) / (until - first))
    a, b = np.searchsorted(edges, starts), np.searchsorted(edges, stops)
    found = np.maximum(at[..., b] - at[..., a], 0.0)
    return np.asarray(found[0]), np.asarray(found[1])


def split_by_sign(p: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return trapezoids of max(p, 0) and of max(-p, 0) between neighbours, in samples: those that cross zero are split there.

    Parameters
    ----------
    p : array (..., n_samples), W; missing samples contribute nothing

    Returns
    -------
    two arrays (..., n_samples - 1), W times samples, at least 0
    """
    left, right = p[..., :-1], p[..., 1:]
    turns = left * right < 0
    with np.errstate(invalid="ignore", divide="ignore"):
        zero = np.where(turns, np.abs(left) / (np.abs(left) + np.abs(right)), 1.0)
    before = np.nan_to_num(np.where(turns, 0.5 * left * zero, 0.5 * (left + right)), nan=0.0)
    after = np.nan_to_num(np.where(turns, 0.5 * right * (1 - zero), 0.0), nan=0.0)
    return np.maximum(before, 0) + np.maximum(after, 0), np.maximum(-before, 0) + np.maximum(-after, 0)


@compiled("void(float64[::1], int64, int64, float64, float64[::1], float64[::1])")
def add_up_running(y: FloatArray, n: int, skipped: int, scale: float, sums: FloatArray, values: FloatArray) -> None:
    """Write the running integral by trapezoids at samples from `skipped` on, of n samples and the one behind them.

    Parameters
    ----------
    y : array (n + 1,), or (n,) where there is none behind; a trapezoid that touches a missing sample contributes nothing
    scale : half a sample period
    sums : array (2,), the integral at the first sample, and twice the area so far, in samples; both are moved on
    values : array (any,), filled from its beginning
    """
    last, until = len(y) - 1, min(skipped + len(values), n)
    for part in range(0, n, _PART):  # so that rounding does not grow with the length
        stop = min(part + _PART, n)
        base, area = sums[0], 0.0
        if part >= skipped and stop <= min(until, last):
            here, into = y[part : stop + 1], values[part - skipped : stop - skipped]
            for k in range(stop - part):
                into[k] = base + area * scale
                more = here[k] + here[k + 1]
                area += more if more == more else 0.0  # noqa: PLR0124 - what is missing is not equal to itself
        else:
            for at in range(part, stop):
                if skipped <= at < until:
                    values[at - skipped] = base + area * scale
                if at < last:
                    more = y[at] + y[at + 1]
                    area += more if more == more else 0.0  # noqa: PLR0124
        sums[0] += area * scale
        sums[1] += area
