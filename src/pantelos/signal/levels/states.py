"""Signals that rest on a few levels: gates, switched voltages. Found from a histogram, so any length will do."""

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.levels.distribution import Distribution

_ROUNDS = 30
_LEAST_SHARE = 2e-3  # of the samples on a level; fewer are spikes
_SETTLED = 0.8  # of the samples near a level; the rest are transitions, ringing, noise
_BETWEEN = 0.6  # samples on no level, against those that are not on the most frequent one: a burst of a sine has more
_LEAST_STEP = 0.02  # of the samples on a level that is switched to
_NEAR = {2: 0.16, 3: 0.08, 5: 0.05}  # of the span from lowest to highest level
_EVEN = 0.25  # how far the middle one of three may lie from half way, as a share of the span


class States(msgspec.Struct, frozen=True):
    """Levels of a switched signal, lowest first, and the rms of what lies around them."""

    levels: tuple[float, ...]
    shares: tuple[float, ...]
    scatter: float

    @property
    def span(self) -> float:
        """From the lowest to the highest level."""
        return self.levels[-1] - self.levels[0]


def states_of(found: Distribution) -> States | None:
    """Return the two or three levels that a signal rests on, or None where it does not.

    Source: k-means on the classes of a histogram (S. Lloyd 1982), begun at the ends.
    """
    return _clustered(found, 2) or _clustered(found, 3)


def steps_of(found: Distribution) -> States | None:
    """Return the three or five levels that a signal switches between, evenly apart; None where it does not."""
    for n_levels in (3, 5):
        states = _clustered(found, n_levels)
        if states is not None and min(states.shares) >= _LEAST_STEP:
            return states
    return None


def _clustered(found: Distribution, n_levels: int) -> States | None:
    used = np.flatnonzero(found.counts)
    if len(used) < n_levels:
        return None
    counts = found.counts[used].astype(np.float64)
    values = found.sums[used] / counts
    centres = np.linspace(values[0], values[-1], n_levels)
    for _ in range(_ROUNDS):
        own = _nearest(values, centres)
        weights = np.asarray(np.bincount(own, counts, n_levels), dtype=np.float64)
        if (weights < _LEAST_SHARE * counts.sum()).any():
            centres, values, counts = _without_spikes(values, counts, weights, own, n_levels)
            if len(values) < n_levels:
                return None
            continue
        moved = np.bincount(own, counts * values, n_levels) / weights
        if np.allclose(moved, centres, rtol=0, atol=1e-12 * (values[-1] - values[0])):
            break
        centres = moved
    return _settled(values, counts, np.asarray(centres), found.n)


def _nearest(values: FloatArray, centres: FloatArray) -> AnyArray:
    return np.asarray(np.abs(values[:, None] - centres[None, :]).argmin(axis=1))


def _without_spikes(
    values: FloatArray, counts: FloatArray, weights: FloatArray, own: AnyArray, n_levels: int
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Return new centres between the ends of what is left when clusters of a few samples are taken out as spikes."""
    kept = weights[own] >= _LEAST_SHARE * counts.sum()
    if kept.all() or not kept.any():
        return np.zeros(n_levels), values[:0], counts[:0]
    values, counts = values[kept], counts[kept]
    return np.linspace(values[0], values[-1], n_levels), values, counts


def _settled(values: FloatArray, counts: FloatArray, centres: FloatArray, n: int) -> States | None:
    """Return the levels, each the mean of what is near it, or None where too little is."""
    span = float(centres[-1] - centres[0])
    if not span > 0:
        return None
    own = _nearest(values, centres)
    near = np.abs(values - centres[own]) <= _NEAR[len(centres)] * span
    held = np.bincount(own, counts * near, len(centres))
    rest = n - held.sum()
    if rest > (1 - _SETTLED) * n or (held < _LEAST_SHARE * n).any() or rest > _BETWEEN * (held.sum() - held.max()):
        return None
    even = np.linspace(centres[0], centres[-1], len(centres))
    if len(centres) > 2 and np.abs(centres - even).max() > _EVEN * 2 * span / (len(centres) - 1):
        return None
    levels = np.bincount(own, counts * near * values, len(centres)) / held
    scatter = np.sqrt(float((counts * near * (values - levels[own]) ** 2).sum() / held.sum()))
    return States(tuple(levels.tolist()), tuple((held / n).tolist()), float(scatter))
