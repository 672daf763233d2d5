"""One number per piece of a record: integrals and extremes, block by block, however many pieces there are."""

from collections.abc import Callable

import numpy as np

from pantelos.errors import StudyError
from pantelos.signal.arrays import BLOCK, BoolArray, FloatArray, Reader
from pantelos.signal.levels.partition import Partition
from pantelos.signal.sums.integrals import Rule, blocks, totals_between
from pantelos.signal.validity import given

MOST_ONE_BY_ONE = 200_000  # pieces


def piece_integrals(read: Reader, partition: Partition) -> tuple[FloatArray, FloatArray]:
    """Return the integral over each piece, a sum of trapezoids with fractional ends, and the share of each that was measured.

    Returns
    -------
    array (n,), in samples times the unit of what `read` serves; array (n,), 0 to 1
    """
    found = totals_between(read, partition.starts, partition.stops, partition.n_samples, smooth=False)
    return found.integrals, found.shares


def piece_means(read: Reader, partition: Partition) -> FloatArray:
    """Return the mean over each piece, (..., n); NaN where too much of a piece is missing.

    Pieces between samples by trapezoids; those that begin and end on samples by their samples, each of which stands for a period.
    """
    rule = Rule.RECTANGULAR if partition.on_samples else Rule.TRAPEZOID
    found = totals_between(read, partition.starts, partition.stops, partition.n_samples, rule)
    return given(found.means, found.shares)


def piece_extremes(read: Reader, partition: Partition) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Return the smallest and the largest sample of each piece, and the share of its samples that is valid, (n,) each.

    A piece holds the samples from its start up to, not including, its stop.
    """
    n = len(partition)
    lows, highs, counts = np.full(n, np.inf), np.full(n, -np.inf), np.zeros(n)
    firsts = np.ceil(partition.starts - 1e-6).astype(np.intp)
    ends = np.minimum(np.ceil(partition.stops - 1e-6).astype(np.intp), partition.n_samples)
    if n:
        for low, high in blocks(int(firsts[0]), int(ends[-1]), BLOCK):
            a, b = np.searchsorted(ends, low, "right"), np.searchsorted(firsts, high, "left")
            if a < b:
                _take(read(low, high), np.clip(firsts[a:b] - low, 0, None), np.clip(ends[a:b] - low, None, high - low),
                      lows[a:b], highs[a:b], counts[a:b])  # fmt: skip
    with np.errstate(invalid="ignore", divide="ignore"):
        shares = np.where(ends > firsts, counts / (ends - firsts), 0.0)
    nothing = counts == 0
    return np.where(nothing, np.nan, lows), np.where(nothing, np.nan, highs), shares


def _take(x: FloatArray, firsts: FloatArray, ends: FloatArray, lows: FloatArray, highs: FloatArray, counts: FloatArray) -> None:
    """Let pieces, which are rows `firsts` to `ends` of a block, take what the block holds of them."""
    missing = np.isnan(x)
    some = bool(missing.any())
    down, up = (np.where(missing, np.inf, x), np.where(missing, -np.inf, x)) if some else (x, x)
    bounds = np.stack([firsts, np.maximum(ends, firsts)], axis=1).ravel()
    used = (ends > firsts) & (firsts < len(x))
    if not used.any():
        return
    bounds = np.minimum(bounds.reshape(-1, 2)[used].ravel(), len(x))
    # reduceat takes the last row by leaving its bound out; a row is appended so that every bound is inside.
    lows[used] = np.minimum(lows[used], np.minimum.reduceat(np.append(down, np.inf), bounds)[::2])
    highs[used] = np.maximum(highs[used], np.maximum.reduceat(np.append(up, -np.inf), bounds)[::2])
    valid = np.append(np.cumsum(~missing), 0) if some else None
    rows = bounds.reshape(-1, 2)
    if valid is None:
        counts[used] += rows[:, 1] - rows[:, 0]
    else:
        counts[used] += valid[rows[:, 1] - 1] - np.where(rows[:, 0] > 0, valid[rows[:, 0] - 1], 0)


def piece_by_piece(measure: Callable[[float, float], float], partition: Partition, wanted: BoolArray | None = None) -> FloatArray:
    """Return what a measurement of (start, stop), in samples, gives for each piece, one after the other.

    Raises
    ------
    StudyError
        When there are more pieces than are worth waiting for.
    """
    if len(partition) > MOST_ONE_BY_ONE:
        raise StudyError(
            f"This reading is taken piece by piece, and here are {len(partition)} pieces, more than {MOST_ONE_BY_ONE}. "
            "Take blocks that are longer."
        )
    chosen = partition.whole if wanted is None else wanted
    found = np.full(len(partition), np.nan)
    for k in np.flatnonzero(chosen).tolist():
        found[k] = measure(float(partition.starts[k]), float(partition.stops[k]))
    return found
