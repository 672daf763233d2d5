"""Find clipped samples without reading the whole record: only buckets that reach an extreme are looked at."""

import numpy as np

from pantelos.record.recording import RawChannel
from pantelos.signal.pyramid import BUCKET
from pantelos.signal.statistics import in_runs

_AT_ONCE = 256  # buckets looked at together: a run across two of them may count a few samples less
_FEWEST_STEPS = 20  # below that many steps peak to peak, flat tops are resolution, not clipping


def clipped_samples(raw: RawChannel) -> tuple[int, float]:
    """Return (number of samples in flat runs of 3 or more at an extreme, that extreme in raw units); (0, 0.0) when none.

    Only extremes beyond half the peak count. Channels with two states, or with few steps of resolution
    between their extremes, are flat by nature and give 0.
    """
    lows, highs = raw.pyramid.lows[0], raw.pyramid.highs[0]
    if not np.isfinite(lows).any():
        return 0, 0.0
    low, high = float(np.nanmin(lows)), float(np.nanmax(highs))
    if low == high or (high - low) < _FEWEST_STEPS * _step(raw):
        return 0, 0.0
    half_peak = 0.5 * max(abs(low), abs(high))
    n_flat, level, n_at = 0, 0.0, 0
    for extreme, levels in ((low, lows), (high, highs)):
        touching = np.flatnonzero(levels == extreme)
        n_here, n_equal = _flat(raw, touching, extreme)
        n_at += n_equal
        if abs(extreme) > half_peak and n_here:
            n_flat, level = n_flat + n_here, extreme
    if n_at > 0.9 * raw.pyramid.n_samples:
        return 0, 0.0
    return n_flat, level


def _flat(raw: RawChannel, buckets: np.ndarray, level: float) -> tuple[int, int]:
    """Return samples in flat runs, and samples equal to the level at all, within some buckets."""
    n_flat = n_equal = 0
    for group in np.split(buckets, np.flatnonzero((np.diff(buckets) != 1) | (buckets[1:] % _AT_ONCE == 0)) + 1):
        if len(group):
            equal = np.asarray(raw.samples[group[0] * BUCKET : (group[-1] + 1) * BUCKET]) == level
            n_flat += in_runs(equal, 3)
            n_equal += int(equal.sum())
    return n_flat, n_equal


def _step(raw: RawChannel) -> float:
    """Return the resolution, as the smallest step between neighbouring values in a look at the channel."""
    stride = max(len(raw.samples) // 8192, 1)
    values = np.unique(np.asarray(raw.samples[: stride * 8192 : stride], dtype=np.float64))
    steps = np.diff(values[np.isfinite(values)])
    return float(steps.min()) if len(steps) else 0.0
