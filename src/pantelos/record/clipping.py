"""Find clipped samples without reading the whole record: only buckets that reach an extreme are looked at."""

from collections.abc import Iterator
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np

from pantelos.record.record import Channel
from pantelos.record.recording import RawChannel
from pantelos.signal.pyramid import BUCKET
from pantelos.signal.statistics import in_runs

_AT_ONCE = 256  # buckets looked at together: a run across two of them may count a few samples less
_FEWEST_STEPS = 20  # below that many steps peak to peak, flat tops are resolution, not clipping


@dataclass(frozen=True, slots=True)
class Clipping:
    """Where a raw channel is flat: the levels, in raw units, and how many samples stand there in runs of 3 or more."""

    levels: tuple[float, ...] = ()
    n_samples: int = 0


_known: "WeakKeyDictionary[RawChannel, Clipping]" = WeakKeyDictionary()


def clipping(raw: RawChannel) -> Clipping:
    """Return at which levels a raw channel is clipped; found once.

    Only extremes beyond half the peak count. Channels with two states, or with few steps of resolution
    between their extremes, are flat by nature and are not clipped.
    """
    found = _known.get(raw)
    if found is None:
        found = _known[raw] = _find(raw)
    return found


def is_known(raw: RawChannel) -> bool:
    """Return whether clipping of a raw channel has been looked for."""
    return raw in _known


def _find(raw: RawChannel) -> Clipping:
    lows, highs = raw.pyramid.lows[0], raw.pyramid.highs[0]
    if not np.isfinite(lows).any():
        return Clipping()
    low, high = float(np.nanmin(lows)), float(np.nanmax(highs))
    if low == high or (high - low) < _FEWEST_STEPS * smallest_step(raw):
        return Clipping()
    half_peak = 0.5 * max(abs(low), abs(high))
    n_flat, n_at = 0, 0
    levels: list[float] = []
    for extreme, ends in ((low, lows), (high, highs)):
        n_here, n_equal = _flat(raw, np.flatnonzero(ends == extreme), extreme, 0, len(raw.samples))
        n_at += n_equal
        if abs(extreme) > half_peak and n_here:
            n_flat += n_here
            levels.append(extreme)
    return Clipping() if n_at > 0.9 * raw.pyramid.n_samples else Clipping(tuple(levels), n_flat)


def clipped_between(channel: Channel, start: int, stop: int) -> int:
    """Return how many recorded samples between two places of the record are clipped."""
    count = 0
    for raw, first, end in _rows_of(channel, start, stop):
        for level in clipping(raw).levels:
            ends = raw.pyramid.lows[0] if level == np.nanmin(raw.pyramid.lows[-1]) else raw.pyramid.highs[0]
            low, high = first // BUCKET, -(-end // BUCKET)
            count += _flat(raw, low + np.flatnonzero(ends[low:high] == level), level, first, end)[0]
    return count


def clip_levels(channel: Channel) -> tuple[float, ...]:
    """Return the values at which a channel is clipped, SI, as far as that has been looked for."""
    return tuple(level * piece.gain + piece.zero for piece in channel.pieces if is_known(piece.raw)
                 for level in clipping(piece.raw).levels)  # fmt: skip


def _rows_of(channel: Channel, start: int, stop: int) -> Iterator[tuple[RawChannel, int, int]]:
    for piece in channel.pieces:
        first, end = piece.row_range(float(start), float(stop))
        if end > first:
            yield piece.raw, first, end


def _flat(raw: RawChannel, buckets: np.ndarray, level: float, first: int, end: int) -> tuple[int, int]:
    """Return samples in flat runs, and samples equal to the level at all, within some buckets and two rows."""
    n_flat = n_equal = 0
    for group in np.split(buckets, np.flatnonzero((np.diff(buckets) != 1) | (buckets[1:] % _AT_ONCE == 0)) + 1):
        if len(group):
            low, high = max(int(group[0]) * BUCKET, first), min((int(group[-1]) + 1) * BUCKET, end)
            equal = np.asarray(raw.samples[low:high]) == level
            n_flat += in_runs(equal, 3)
            n_equal += int(equal.sum())
    return n_flat, n_equal


def smallest_step(raw: RawChannel) -> float:
    """Return the resolution in raw units, as the smallest step between neighbouring values in a look at the channel."""
    stride = max(len(raw.samples) // 8192, 1)
    values = np.unique(np.asarray(raw.samples[: stride * 8192 : stride], dtype=np.float64))
    steps = np.diff(values[np.isfinite(values)])
    return float(steps.min()) if len(steps) else 0.0
