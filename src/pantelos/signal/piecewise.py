"""One number per piece of a record: integrals and extremes, block by block, however many pieces there are."""

from collections.abc import Callable

import numpy as np

from pantelos.errors import StudyError
from pantelos.signal.arrays import BLOCK, BoolArray, FloatArray, Reader
from pantelos.signal.integrals import blocks, integral_at, precise_integral_at, split_by_sign
from pantelos.signal.partition import Partition
from pantelos.signal.validity import given

MOST_ONE_BY_ONE = 200_000  # pieces


def piece_integrals(read: Reader, partition: Partition) -> tuple[FloatArray, FloatArray]:
    """Return the integral over each piece, trapezoids with fractional ends, and the share of each that was measured.

    Returns
    -------
    array (n,), in samples times the unit of what `read` serves; array (n,), 0 to 1
    """
    if not len(partition):
        return np.zeros(0), np.zeros(0)
    end = max(partition.n_samples - 1, 0)
    edges = np.unique(np.concatenate([partition.starts, partition.stops]))
    first, last = np.searchsorted(edges, partition.starts), np.searchsorted(edges, partition.stops)
    totals, coverage = precise_integral_at(read, edges, partition.n_samples)
    lengths = np.clip(partition.stops, 0, end) - np.clip(partition.starts, 0, end)
    shares = (lengths > 0).astype(np.float64)
    if coverage < 1:
        measured, _ = integral_at(lambda a, b: np.where(np.isnan(read(a, b)), np.nan, 1.0), edges, partition.n_samples)
        with np.errstate(invalid="ignore", divide="ignore"):
            shares = np.where(lengths > 0, (measured[last] - measured[first]) / lengths, 0.0)
    return np.asarray(totals[last] - totals[first], dtype=np.float64), np.clip(shares, 0.0, 1.0)


def piece_means(read: Reader, partition: Partition) -> FloatArray:
    """Return the mean over each piece, (n,); NaN where too much of a piece is missing.

    Pieces between samples by trapezoids; those that begin and end on samples by their samples, each of which stands for a period.
    """
    if partition.on_samples:
        return _sample_means(read, partition)
    totals, shares = piece_integrals(read, partition)
    with np.errstate(invalid="ignore", divide="ignore"):
        return given(totals / (partition.lengths * shares), shares)


def _sample_means(read: Reader, partition: Partition) -> FloatArray:
    starts = np.round(partition.starts).astype(np.intp)
    stops = np.minimum(np.round(partition.stops).astype(np.intp), partition.n_samples)
    edges = np.unique(np.concatenate([starts, stops]))
    sums, counts = np.zeros(len(edges), dtype=np.longdouble), np.zeros(len(edges), dtype=np.int64)
    total, n = np.longdouble(0.0), 0  # a total of a long record would lose the digits of a short piece
    for low, high in blocks(int(edges[0]), int(edges[-1])) if len(edges) > 1 else ():
        x = read(low, high)
        missing = np.isnan(x)
        some = bool(missing.any())
        inside = slice(*np.searchsorted(edges, (low, high)).tolist())
        places = edges[inside] - low
        running = np.concatenate([[0.0], np.cumsum(np.where(missing, 0.0, x) if some else x)])
        valid = np.concatenate([[0], np.cumsum(~missing)]) if some else np.arange(len(x) + 1)
        sums[inside], counts[inside] = total + running[places], n + valid[places]
        total, n = total + running[-1], n + int(valid[-1])
    sums[-1:], counts[-1:] = total, n
    first, last = np.searchsorted(edges, starts), np.searchsorted(edges, stops)
    measured = counts[last] - counts[first]
    with np.errstate(invalid="ignore", divide="ignore"):
        means = np.asarray((sums[last] - sums[first]) / measured, dtype=np.float64)
        return given(means, np.where(stops > starts, measured / np.maximum(stops - starts, 1), 0.0))


def piece_parts(read: Reader, partition: Partition) -> tuple[FloatArray, FloatArray]:
    """Return the integrals of what is above and of what is below zero (positive) over each piece, (n,) each, in samples.

    Source: trapezoids, split where they cross zero; see `split_by_sign`.
    """

    def doubled(part: int) -> Reader:
        def curve(start: int, stop: int) -> FloatArray:
            p = read(start, stop)
            running = np.zeros(len(p))
            pairs = np.stack([p[:-1], p[1:]], axis=-1)
            running[1:] = np.cumsum(split_by_sign(pairs)[part])
            return running

        return curve

    return tuple(_between(read, doubled(part), partition, part) for part in (0, 1))  # type: ignore[return-value]


def _between(read: Reader, running: Reader, partition: Partition, part: int) -> FloatArray:
    """Return differences of a running total of one sign between the edges of each piece; the ends of a piece by linear parts."""
    edges = np.unique(np.concatenate([partition.starts, partition.stops]))
    edges = np.clip(edges, 0, max(partition.n_samples - 1, 0))
    at = np.zeros(len(edges))
    total = 0.0
    first, last = int(np.floor(edges[0])) if len(edges) else 0, int(np.ceil(edges[-1])) if len(edges) else 0
    for low, high in blocks(first, max(last, first + 1)):
        stop = min(high + 1, partition.n_samples)
        curve, p = running(low, stop), read(low, stop)
        inside = (edges >= low) & ((edges < high) | (high >= last))
        places = edges[inside] - low
        whole = np.clip(places.astype(np.intp), 0, max(len(p) - 2, 0))
        share = places - whole
        ends = p[whole] + (p[np.minimum(whole + 1, len(p) - 1)] - p[whole]) * share
        rest = split_by_sign(np.stack([p[whole], ends], axis=-1))[part] * share
        at[inside] = total + curve[whole] + rest
        total += float(curve[-1])
    first_at, last_at = (
        np.searchsorted(edges, np.clip(partition.starts, 0, partition.n_samples - 1)),
        np.searchsorted(edges, np.clip(partition.stops, 0, partition.n_samples - 1)),
    )
    return np.asarray(at[last_at] - at[first_at])


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
