"""Base and top of a pulse waveform, and the noise around them.

Source: IEEE 181 (histogram method). The modes of its lower and upper half are found by splitting the histogram in two clusters,
which holds with noise too; a waveform that does not rest on two levels has the 1st and 99th percentile instead.
"""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import Reader, median
from pantelos.signal.levels.distribution import Distribution, distribution, percentile
from pantelos.signal.levels.states import States, states_of, steps_of
from pantelos.signal.sums.integrals import blocks

_CLASSES = 1000
_LEAST_SHARE = 0.05  # of the samples within a mode, or there are no two levels
_WITHIN, _ROUNDS = 2.5, 30  # times the noise either side of a level; steps towards the mode
_NOISE_BLOCKS = 16  # stretches whose second differences tell the noise
_NOISE_SAMPLES = 4096


class Level(msgspec.Struct, frozen=True):
    """A value, SI, or a share of the amplitude: above the base for a level, either side for a hysteresis."""

    value: float
    relative: bool = False


class Levels(msgspec.Struct, frozen=True):
    """Base and top of a pulse waveform."""

    base: float
    top: float
    two_states: bool  # found as the two modes of the histogram; else the 1st and 99th percentile
    noise: float = 0.0  # rms around the levels, or between neighbouring samples
    n_base: int = 0  # samples that rest on the base, and on the top
    n_top: int = 0
    steps: tuple[float, ...] = ()  # the levels it switches between, lowest first, where they are more than two

    @property
    def amplitude(self) -> float:
        """Top minus base."""
        return self.top - self.base

    def at(self, share: float) -> float:
        """Return the level at a share of the amplitude above the base."""
        return self.base + share * self.amplitude


def levels(read: Reader, start: int, stop: int) -> Levels:
    """Return base and top of samples `start` to `stop`."""
    found = distribution(read, start, stop, _CLASSES)
    modes, states, noise = _modes(found), states_of(found), noise_of(read, start, stop)
    several = steps_of(found) if states is None or len(states.levels) != 2 else None
    if several is not None:
        lowest, highest = several.levels[0], several.levels[-1]
        return Levels(lowest, highest, False, noise, steps=several.levels)
    narrow = noise < 1.5 * float(found.edges[1] - found.edges[0])  # a mode lies within its three classes
    if modes is not None and (narrow or states is None or len(states.levels) != 2):
        return Levels(*modes[:2], True, noise, *modes[2:])
    if states is not None and len(states.levels) == 2:
        return _of_states(states, found, noise)
    low, high = percentile(read, start, stop, 1.0), percentile(read, start, stop, 99.0)
    if low == high and np.count_nonzero(found.counts) > 1:  # a rare pulse: percentiles miss it, its extremes do not
        low, high = float(found.edges[0]), float(found.edges[-1])
    return Levels(low, high, False, noise)


def _modes(found: Distribution) -> tuple[float, float, int, int] | None:
    """Return the means around the fullest class of the lower and of the upper half, and the samples there; None where too few."""
    half = _CLASSES // 2
    lower = int(np.argmax(found.counts[:half]))  # in a tie the one nearest the extreme
    upper = _CLASSES - 1 - int(np.argmax(found.counts[half:][::-1]))
    means, counts = [], []
    for mode in (lower, upper):
        near = slice(max(mode - 1, 0), mode + 2)
        n = int(found.counts[near].sum())
        if n < _LEAST_SHARE * found.n or not n:
            return None
        means.append(float(found.sums[near].sum() / n))
        counts.append(n)
    return means[0], means[1], counts[0], counts[1]


def _of_states(states: States, found: Distribution, noise: float) -> Levels:
    """Return the modes of the noise on either level: samples on their way between them, all on one side, hardly count.

    Source: mean shift with a Gaussian kernel as wide as the noise (K. Fukunaga and L. Hostetler 1975).
    """
    used = np.flatnonzero(found.counts)
    counts, values = found.counts[used], found.sums[used] / found.counts[used]
    width = min(max(noise, 0.5 * float(found.edges[1] - found.edges[0])), 0.1 * states.span)
    means, numbers = [], []
    for level in states.levels:
        for _ in range(_ROUNDS if width > 0 else 0):  # without any width all are alike
            weights = counts * np.exp(-0.5 * ((values - level) / width) ** 2)
            if not weights.sum() > 0:
                break
            level = float(weights @ values / weights.sum())  # noqa: PLW2901 - comes closer round by round
        means.append(level)
        numbers.append(int(counts[np.abs(values - level) <= _WITHIN * width].sum()))
    return Levels(means[0], means[1], True, noise, numbers[0], numbers[1])


def noise_of(read: Reader, start: int, stop: int) -> float:
    """Return the rms of the noise of a waveform from its second differences: their median magnitude over 0.6745 sqrt 6.

    Steps do not disturb it; the bend of a waveform with few samples per cycle counts as noise.
    """
    found = []
    step = max((stop - start) // _NOISE_BLOCKS, 1)
    for low, high in blocks(start, stop, step):
        x = np.asarray(read(low, min(high, low + _NOISE_SAMPLES)))
        second = x[2:] - 2 * x[1:-1] + x[:-2]
        found.append(np.abs(second[~np.isnan(second)]))
    values = np.concatenate(found) if found else np.zeros(0)
    return median(values) / (0.6745 * math.sqrt(6.0)) if len(values) else 0.0
