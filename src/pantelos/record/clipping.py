"""Find clipped samples without reading the whole record: only buckets that reach an extreme are looked at.

A waveform is clipped where it stands at the end of the stated range, or where it is cut: it comes up steeply, stays level for
three samples or more, and leaves steeply, again and again. The flat top of a sine that is recorded in steps, a speed that
is held, a temperature that stays are none of these. Signals that rest on two or three levels are flat by nature.
"""

from collections.abc import Iterator
from weakref import WeakKeyDictionary

import msgspec
import numpy as np

from pantelos.record.pieces import Piece
from pantelos.record.record import Channel
from pantelos.record.recording import RawChannel
from pantelos.signal.arrays import FloatArray
from pantelos.signal.levels.distribution import distribution
from pantelos.signal.levels.states import states_of
from pantelos.signal.sampling.pyramid import BUCKET
from pantelos.signal.sums.statistics import in_runs

_AT_ONCE = 256  # buckets looked at together: a run across two of them may count a few samples less
_AT_RANGE = 0.999  # of the stated range
_FEWEST_SAMPLES = 5  # of a run and its flanks
_FEWEST_RUNS = 3  # cut tops, to be more than a level that is held once or twice
_MOST_TIME = 0.5  # of the time between the first and the last run: a level that is held takes more
_CUT_STEPS, _CUT_SHARE = 8.0, 0.01  # what the flanks would have gone on to: in steps, and of the swing
_BESIDE = 0.02  # of the swing: of the samples so near to a level that cuts, most stand on it
_LOOKED_AT = 64  # runs whose flanks are looked at
_SAMPLED = 1 << 16  # samples that tell steps and levels
_COMES_AGAIN = 0.25  # distinct values as a share of samples: with more, the smallest distance is chance
_FEW_VALUES = 3
_ON_STEPS = 0.05  # of a step that a distance may be off


class Clipping(msgspec.Struct, frozen=True):
    """Where a raw channel is flat: the levels, in raw units, and how many samples stand there in runs of 3 or more."""

    levels: tuple[float, ...] = ()
    n_samples: int = 0


_known: "WeakKeyDictionary[RawChannel, dict[tuple[float, float] | None, Clipping]]" = WeakKeyDictionary()


def clipping(channel: Channel, piece: Piece) -> Clipping:
    """Return at which levels a piece of a channel is clipped; found once for a raw channel and range."""
    ends = _range_ends(channel, piece)
    known = _known.setdefault(piece.raw, {})
    if ends not in known:
        known[ends] = _find(piece.raw, ends)
    return known[ends]


def is_known(channel: Channel, piece: Piece) -> bool:
    """Return whether clipping of a piece has been looked for."""
    return _range_ends(channel, piece) in _known.get(piece.raw, {})


def _range_ends(channel: Channel, piece: Piece) -> tuple[float, float] | None:
    """Return the raw numbers at the lower and upper end of the stated range; None where no range is stated."""
    if not channel.full_scale or not piece.gain:
        return None
    low, high = sorted((side * _AT_RANGE * channel.full_scale + channel.zero - piece.zero) / piece.gain for side in (-1, 1))
    return low, high


def _find(raw: RawChannel, ends: tuple[float, float] | None) -> Clipping:
    lows, highs = raw.pyramid.lows[0], raw.pyramid.highs[0]
    if len(raw.samples) < _FEWEST_RUNS * _FEWEST_SAMPLES or not np.isfinite(lows).any():
        return Clipping()
    low, high = float(np.nanmin(lows)), float(np.nanmax(highs))
    if low == high or raw.is_state or rests_on_levels(raw):
        return Clipping()
    n_flat, levels = 0, list[float]()
    for extreme, buckets in ((low, np.flatnonzero(lows == low)), (high, np.flatnonzero(highs == high))):
        at_end = ends is not None and not ends[0] < extreme < ends[1]
        if at_end or _is_cut(raw, buckets, extreme, high - low):
            n_here = _flat(raw, buckets, extreme, 0, len(raw.samples))
            if n_here:
                n_flat += n_here
                levels.append(extreme)
    return Clipping(tuple(levels), n_flat)


def _is_cut(raw: RawChannel, buckets: np.ndarray, level: float, swing: float) -> bool:
    """Return whether the waveform is cut off at a level again and again: its flanks would have gone on beyond it."""
    starts, stops = _runs(raw, buckets, level)
    if len(starts) < _FEWEST_RUNS:
        return False
    if float((stops - starts).sum()) > _MOST_TIME * float(stops[-1] - starts[0]):
        return False
    values = _some_values(raw)
    n_near = np.count_nonzero(np.abs(values - level) <= _BESIDE * swing)
    if 2 * np.count_nonzero(values == level) < n_near:  # what noise reaches now and then is no end
        return False
    chosen = np.argsort(stops - starts, kind="stable")[-_LOOKED_AT:]  # the longest: noise makes short ones beside them
    beyond = [b for k in chosen.tolist() if np.isfinite(b := _beyond(raw, int(starts[k]), int(stops[k]), level))]
    if len(beyond) < _FEWEST_RUNS:
        return False
    return bool(float(np.median(beyond)) > max(_CUT_STEPS * resolution_step(raw), _CUT_SHARE * swing))


def _beyond(raw: RawChannel, start: int, stop: int, level: float) -> float:
    """Return how far beyond a level the lines through the flanks of a run meet; NaN at an end of the record.

    The flanks are as long as the run: beside the round top of a sine they are about a step and a half high, whatever its size.
    """
    length = min(stop - start, 4096)
    if start < length or stop + length > len(raw.samples):
        return float("nan")
    before = np.asarray(raw.samples[start - length : start], dtype=np.float64)
    after = np.asarray(raw.samples[stop : stop + length], dtype=np.float64)
    slopes = [abs(level - flank) / length for flank in (float(before[0]), float(after[-1]))]
    sides = [np.sign(level - float(flank)) for flank in (before[0], after[-1])]
    if sides[0] != sides[1]:
        return 0.0
    return 0.5 * (stop - start) * min(slopes)


def _runs(raw: RawChannel, buckets: np.ndarray, level: float) -> tuple[np.ndarray, np.ndarray]:
    """Return where runs of three or more samples at a level start and stop, of the first of them."""
    starts, stops = list[np.ndarray](), list[np.ndarray]()
    for low, high in _stretches(buckets, 0, len(raw.samples)):
        equal = np.asarray(raw.samples[low:high]) == level
        edges = np.flatnonzero(np.diff(np.concatenate(([0], equal.astype(np.int8), [0])))) + low
        long = edges[1::2] - edges[::2] >= 3
        starts.append(edges[::2][long])
        stops.append(edges[1::2][long])
    empty = [np.zeros(0, dtype=np.intp)]
    return np.concatenate(starts or empty), np.concatenate(stops or empty)


def clipped_between(channel: Channel, start: int, stop: int) -> int:
    """Return how many recorded samples between two places of the record are clipped."""
    count = 0
    for piece in channel.pieces:
        first, end = piece.row_range(float(start), float(stop))
        if end <= first:
            continue
        raw = piece.raw
        for level in clipping(channel, piece).levels:
            ends = raw.pyramid.lows[0] if level == np.nanmin(raw.pyramid.lows[-1]) else raw.pyramid.highs[0]
            low, high = first // BUCKET, -(-end // BUCKET)
            count += _flat(raw, low + np.flatnonzero(ends[low:high] == level), level, first, end)
    return count


def clip_levels(channel: Channel) -> tuple[float, ...]:
    """Return the values at which a channel is clipped, SI, as far as that has been looked for."""
    return tuple(
        level * piece.gain + piece.zero
        for piece in channel.pieces
        if is_known(channel, piece)
        for level in clipping(channel, piece).levels
    )


def _stretches(buckets: np.ndarray, first: int, end: int) -> Iterator[tuple[int, int]]:
    """Yield stretches of samples that cover some buckets within two rows, those side by side together."""
    for group in np.split(buckets, np.flatnonzero((np.diff(buckets) != 1) | (buckets[1:] % _AT_ONCE == 0)) + 1):
        if len(group):
            yield max(int(group[0]) * BUCKET, first), min((int(group[-1]) + 1) * BUCKET, end)


def _flat(raw: RawChannel, buckets: np.ndarray, level: float, first: int, end: int) -> int:
    """Return how many samples of some buckets, within two rows, stand at a level in runs of three or more."""
    return sum(in_runs(np.asarray(raw.samples[low:high]) == level, 3) for low, high in _stretches(buckets, first, end))


def _some_values(raw: RawChannel) -> FloatArray:
    """Return samples in whole stretches spread over the channel, as numbers, none missing."""
    n, part = len(raw.samples), _SAMPLED // 16
    places = [0] if n <= _SAMPLED else np.linspace(0, n - part, 16).astype(int).tolist()
    length = n if n <= _SAMPLED else part
    values = np.concatenate([np.asarray(raw.samples[place : place + length], dtype=np.float64) for place in places])
    if raw.missing is not None:
        values = values[values != raw.missing]
    return np.asarray(values[np.isfinite(values)])


def rests_on_levels(raw: RawChannel) -> bool:
    """Return whether a channel rests on two or three levels: a gate, a trigger, a switched voltage."""
    values = _some_values(raw)
    return len(values) > 0 and states_of(distribution(lambda a, b: values[a:b], 0, len(values), 1000)) is not None


def resolution_step(raw: RawChannel) -> float:
    """Return the step of the recorder in raw units, where its numbers show one; 0 where they do not.

    Numbers show a step when they come again: all of them are whole multiples of it apart, and far fewer of them than samples.
    """
    values = _some_values(raw)
    distinct = np.unique(values)
    if len(distinct) <= _FEW_VALUES:  # states, or a glitch: they say nothing of the recorder
        return 0.0
    if raw.samples.dtype.kind in "iu":
        return float(np.gcd.reduce(np.diff(distinct).astype(np.int64)))
    if len(distinct) > _COMES_AGAIN * len(values):
        return 0.0
    gaps = np.diff(distinct)
    step = float(gaps.min())
    if not step > 1e-12 * float(np.abs(distinct).max()):
        return 0.0
    multiples = gaps / step
    return step if float(np.abs(multiples - np.round(multiples)).max()) < _ON_STEPS else 0.0
