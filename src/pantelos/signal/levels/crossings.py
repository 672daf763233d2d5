"""Instants at which a waveform crosses a level, with hysteresis."""

import numpy as np

from pantelos.signal.arrays import FloatArray


def rising_crossings(x: FloatArray, level: float = 0.0, hysteresis: FloatArray | float = 0.0) -> FloatArray:
    """Return the interpolated positions at which `x` rises through `level`.

    A crossing is armed when x <= level - hysteresis and confirmed when x >= level + hysteresis; the last
    pair of samples around the level before confirmation is interpolated linearly. A missing sample
    resets the machine.

    Parameters
    ----------
    x : array (n_samples,), any unit
    level : float, unit of x
    hysteresis : half-width of the band, unit of x, at least 0; one number or one per sample

    Returns
    -------
    array (n_crossings,), positions in samples, rising
    """
    if len(x) < 2:
        return np.zeros(0)
    state = np.zeros(len(x), dtype=np.int8)
    state[x >= level + hysteresis] = 1
    state[x <= level - hysteresis] = -1
    state[(x == level) & (np.asarray(hysteresis) == 0)] = 1  # a sample on the level has arrived there
    state[np.isnan(x)] = 2
    known = np.flatnonzero(state)
    turns = np.flatnonzero((state[known[:-1]] == -1) & (state[known[1:]] == 1))
    confirmed = known[turns + 1]
    below = np.flatnonzero((x[:-1] < level) & (x[1:] >= level))
    at = np.searchsorted(below, confirmed - 1, side="right") - 1
    pair = below[at[at >= 0]]
    return np.asarray(pair + (level - x[pair]) / (x[pair + 1] - x[pair]))
