"""What is derived from values of windows: deviations, unbalance, distortion of subgroups, signalling, aggregates."""

import math

import numpy as np

from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.signal.harmonics.sequences import sequences

_ON_A_LINE = 0.01  # of the distance between lines


def root_mean_square(values: FloatArray, axis: int = 0) -> FloatArray:
    """Return the aggregate of values: the root of the mean of their squares, missing ones left out; NaN of none."""
    known = ~np.isnan(values)
    counts = known.sum(axis=axis)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(np.sqrt(np.square(np.where(known, values, 0.0)).sum(axis=axis) / np.where(counts, counts, np.nan)))


def deviations(rms: FloatArray, declared: float, axis: int = 0) -> tuple[FloatArray, FloatArray]:
    """Return under- and over-deviation in % of the declared voltage of values along an axis taken together.

    Source: IEC 61000-4-30: values above (below) the declared voltage count as that.
    """
    under, over = (root_mean_square(bounded(rms, declared), axis) for bounded in (np.minimum, np.maximum))
    return 100 * (declared - under) / declared, 100 * (over - declared) / declared


def unbalances(phasors: ComplexArray) -> tuple[FloatArray, FloatArray]:
    """Return negative and zero over positive sequence in % of fundamental phasors (n, 3), shape (n,) each."""
    found = sequences(*phasors.T)
    return 100 * np.asarray(found.unbalance), 100 * np.asarray(found.zero_unbalance)


def distortion(orders: FloatArray, highest: int = 40) -> FloatArray:
    """Return the total distortion in % of rms per order (..., n_orders), column h of order h, up to `highest`."""
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(100 * np.sqrt(np.square(orders[..., 2 : highest + 1]).sum(axis=-1)) / orders[..., 1])


def signalling(lines: FloatArray, place: float) -> FloatArray:
    """Return the level of a signal among rms lines (..., n_lines) of a window, at a place in lines, shape (...).

    The line where the signal falls on one, else the root sum of squares of the four nearest. Source: IEC 61000-4-30.
    """
    nearest = round(place)
    if abs(place - nearest) <= _ON_A_LINE:
        return lines[..., nearest]
    low = math.floor(place)
    return np.asarray(np.sqrt(np.square(lines[..., max(low - 1, 0) : low + 3]).sum(axis=-1)))
