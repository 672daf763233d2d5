"""Noise: how much of it samples show, and what it does to the largest and smallest of many: it lifts them.

Source: simulation and extrapolation (J. R. Cook and L. A. Stefanski 1994): as much noise again is added to the recorded samples;
what that lifts the extreme by, over (sqrt 2 - 1), is what the noise that is in it has lifted it by.
"""

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.sums.integrals import blocks

_REACH = 9.0  # sigma below the extreme: samples further away do not become it
_DRAWS = 24
_MOST = 200_000  # samples near the extreme that are drawn for; more lift it no differently
_SEED = 20


class Lift(msgspec.Struct, frozen=True):
    """By how much noise has lifted an extreme, and how much that scatters; both at least 0, unit of the samples."""

    bias: float
    scatter: float

    @property
    def standard(self) -> float:
        """The standard uncertainty where the bias is left in."""
        return math.hypot(self.bias, self.scatter)


def lift_of_maximum(read: Reader, start: int, stop: int, sigma: float) -> Lift:
    """Return what noise of rms `sigma` has lifted the largest of samples `start` to `stop` by.

    For the smallest, serve the samples with the other sign; for the largest magnitude, their magnitude.
    """
    if not sigma > 0 or stop <= start:
        return Lift(0.0, 0.0)
    near = _near_top(read, start, stop, _REACH * sigma)
    if not len(near):
        return Lift(0.0, 0.0)
    more = len(near) / _MOST
    if more > 1:
        near = np.concatenate([near[:: math.ceil(more)], near[near.argmax() :][:1]])
    rng = np.random.default_rng(_SEED)
    top = float(near.max())
    lifted = np.array([float((near + rng.normal(0.0, sigma, len(near))).max()) - top for _ in range(_DRAWS)])
    if more > 1:  # the largest of m times as many normal values is larger by about sigma ln m / sqrt(2 ln n)
        lifted += sigma * math.log(more) / math.sqrt(2 * math.log(len(near)))
    bias = max(float(lifted.mean()), 0.0) / (math.sqrt(2) - 1)
    # One sample alone scatters by sigma and is not lifted; among many the scatter shrinks as the lift grows.
    return Lift(bias, max(float(lifted.std(ddof=1)), 0.25 * sigma))


def _near_top(read: Reader, start: int, stop: int, reach: float) -> FloatArray:
    """Return the samples within `reach` of the largest one, in one pass."""
    kept = np.zeros(0)
    for low, high in blocks(start, stop):
        x = read(low, high)
        top = np.fmax.reduce(x, initial=-np.inf)
        top = max(float(top), float(kept.max(initial=-np.inf)))
        x = x[x >= top - reach]
        kept = np.concatenate([kept[kept >= top - reach], x])
    return kept


_ORDERS = (4, 8, 16, 32)  # of differences: what changes smoothly vanishes in them, the more the higher the order
_TO_DEVIATION = 0.6745  # the median magnitude of normal values over their standard deviation
_FEWEST = 64


def noise_floor(parts: Sequence[FloatArray]) -> float:
    """Return the rms of what is new in every sample, from stretches of samples; NaN where there are too few.

    High differences leave noise, and of anything smooth nothing; their median does not see edges and pulses.
    """
    found = []
    for order in _ORDERS:
        left = np.concatenate([np.diff(x, n=order) for x in parts if len(x) > order] or [np.zeros(0)])
        left = np.abs(left[np.isfinite(left)])
        if len(left) >= _FEWEST:
            found.append(float(np.median(left)) / _TO_DEVIATION / math.sqrt(math.comb(2 * order, order)))
    return min(found, default=math.nan)
