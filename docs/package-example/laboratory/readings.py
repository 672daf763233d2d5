"""A reading: the median of the magnitude over whole cycles."""

import numpy as np

from pantelos.reading.reading import Group, Measured, ReadingKind


def _half_size(waves, stretch):
    window = stretch.whole_cycles
    return Measured(float(np.median(np.abs(waves[0].read(window.first, window.end)))), window)


HALF_SIZE = ReadingKind(
    "half_size", "half size", ("x",), "Median of the magnitude.", "median over {cycles}", lambda units: units[0], _half_size,
    "half_size(u1)", Group.AMPLITUDE, degree=1,
)  # fmt: skip
