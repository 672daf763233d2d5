"""What is derived from values of windows: deviations, unbalance, distortion of subgroups, signalling, aggregates."""

import math

import msgspec
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


class Phases(msgspec.Struct, frozen=True):
    """What the voltages of three phases are made of: those to the neutral, or those of the virtual star of line voltages."""

    rows: tuple[tuple[float, ...], ...]  # (3, n_voltages)
    to_neutral: bool = True  # else they hold no zero sequence

    def unbalances(self, phasors: ComplexArray) -> dict[str, FloatArray]:
        """Return u2 and, to the neutral, u0: negative and zero over positive sequence, %, of phasors (n, n_voltages), (n,) each.

        Source: IEC 61000-4-30 clause 5.7.
        """
        found = sequences(*(phasors @ np.array(self.rows).T).T)
        of = {"u2": 100 * np.asarray(found.unbalance)}
        return of | ({"u0": 100 * np.asarray(found.zero_unbalance)} if self.to_neutral else {})


TO_NEUTRAL = Phases(((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)))


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
