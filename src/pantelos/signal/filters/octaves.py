"""A waveform at its own rate and at a half, a quarter, … of it: served at whatever rate a place asks for."""

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray
from pantelos.signal.filters.filters import coarse_low_pass

_SHORTEST = 64  # samples: nothing is gained by halving less


class Octaves(msgspec.Struct, frozen=True, eq=False):
    """Levels of a waveform; level k has every 2^k-th sample, filtered without delay."""

    levels: tuple[FloatArray, ...]
    rate_hz: float

    def at(self, positions: FloatArray, wanted_hz: FloatArray) -> FloatArray:
        """Return values at `positions` (n,), in samples, each from the slowest level not below `wanted_hz` (n,).

        Linear between the samples of a level: with 80 samples or more per period of what is looked at, its shape is kept
        within a thousandth. What lies above the wanted rate does not fold down.
        """
        levels = np.clip(np.floor(np.log2(self.rate_hz / wanted_hz)), 0, len(self.levels) - 1).astype(np.intp)
        values = np.empty(len(positions))
        for k in np.unique(levels).tolist():
            here = levels == k
            x = self.levels[k]
            values[here] = np.interp(positions[here] / 2**k, np.arange(len(x)), x)
        return values


def octaves(x: FloatArray, rate_hz: float, lowest_hz: float) -> Octaves:
    """Return the levels of `x` (n_samples,), any unit, none missing, down to about the lowest rate asked for."""
    levels, rate = [x], rate_hz
    taps = coarse_low_pass(2)
    half = len(taps) // 2
    while rate > 2 * lowest_hz and len(levels[-1]) >= 2 * _SHORTEST:
        padded = np.pad(levels[-1], half, mode="reflect", reflect_type="odd")
        levels.append(np.asarray(np.convolve(padded, taps, mode="valid")[::2]))
        rate /= 2
    return Octaves(tuple(levels), rate_hz)
