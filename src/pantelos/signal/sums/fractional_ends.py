"""What an integral has beyond its last whole trapezoid: the part up to an instant between samples, and what trapezoids leave.

A sum of trapezoids errs at its two ends only. Where the samples around an end are smooth, a polynomial through sixteen of them
tells what was left out; beside steps, in noise and with few samples per period it does not, and the end is linear.

Source: Euler and Maclaurin's formula, the derivatives from the polynomial of Lagrange; linear: rule T.
"""

import math
from functools import cache

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray, BoolArray, FloatArray

REACH = 8  # samples either side that an end is told by
_NODES = 2 * REACH
_BERNOULLI = (1 / 6, -1 / 30, 1 / 42, -1 / 30, 5 / 66, -691 / 2730, 7 / 6)  # of order 2, 4, …
_NOISY = 0.1  # of what second differences of noise alone would be
_SHARE = 0.6  # of what a straight line is off by, that noise may do to a polynomial


@cache
def _weights(offset: int) -> FloatArray:
    """Return what powers of t (0 to 16) of each of sixteen samples, the one at 0 being `offset`, have in the end, (16, 17)."""
    nodes = np.arange(_NODES) - float(offset)
    found = np.zeros((_NODES, _NODES + 1))
    for j, node in enumerate(nodes.tolist()):
        others = np.delete(nodes, j)
        rising = np.polynomial.polynomial.polyfromroots(others) / np.prod(node - others)
        found[j, 1:] = rising / np.arange(1, _NODES + 1)
        for r, number in enumerate(_BERNOULLI, start=1):
            order = 2 * r - 1  # the derivative at 0 is coefficient times order!
            found[j, 0] -= number / (2 * r) * rising[order]
    return found


def _smooth(around: FloatArray, weights: FloatArray) -> BoolArray:
    """Return whether rows of sixteen samples (..., p, 16) tell more through weights (p, 16) than a straight line does.

    Tenth differences tell how much noise there may be, second ones how far a line is off.
    """
    second = np.diff(around, 2, axis=-1)
    tenth = np.diff(second, 8, axis=-1)
    with np.errstate(invalid="ignore"):
        noise, bend = np.sqrt(np.mean(tenth**2, axis=-1) / math.comb(20, 10)), np.sqrt(np.mean(second**2, axis=-1))
        size = np.sqrt(np.sum(weights**2, axis=-1))
        return np.asarray((noise * size < _SHARE * bend / 12) & (noise < _NOISY * bend / math.sqrt(6)))


class Ends(msgspec.Struct, frozen=True, eq=False):
    """What an integral has at places beyond the trapezoids up to the sample at or before each."""

    linear: FloatArray  # (..., n_places), in samples times the unit; NaN beside missing samples
    more: FloatArray  # (..., n_places), what a polynomial has more than the straight line; NaN where samples are not smooth

    def between(self, first: AnyArray, last: AnyArray) -> FloatArray:
        """Return what pieces from place `first` to place `last`, (n,) each, have at both their ends together.

        Both are taken in the same way: what straight lines leave at the two ends of whole cycles is the same, and cancels.
        """
        more = np.nan_to_num(self.more[..., last] - self.more[..., first], nan=0.0)
        straight = np.nan_to_num(self.linear[..., last], nan=0.0) - np.nan_to_num(self.linear[..., first], nan=0.0)
        return np.asarray(straight + more)

    def without_first(self) -> "Ends":
        """Return all but the first place."""
        return Ends(self.linear[..., 1:], self.more[..., 1:])


def ends(y: FloatArray, places: FloatArray, low: int, high: int, smooth: bool = True) -> Ends:
    """Return the ends at places of which only samples `low` to `high` are looked at: beside them lines and polynomials go on.

    The trapezoids before a place go up to the sample at or before it, `low` at least and the last but one at most.

    Parameters
    ----------
    y : array (..., n), samples; NaN where missing
    places : array (n_places,), samples of y; at most one sample outside `low` to `high` - 1
    smooth : False for straight lines throughout
    """
    whole = np.clip(np.floor(places).astype(np.intp), low, max(high - 2, low))
    t = places - whole
    here = y[..., whole]
    beyond = np.where(t == 0, 0.0, y[..., np.minimum(whole + 1, high - 1)] - here)  # a place on a sample needs no other
    linear = np.where(t == 0, 0.0, here * t) + 0.5 * beyond * t * t
    more = np.full(linear.shape, np.nan)
    if smooth and high - low >= _NODES:
        first = np.clip(whole - REACH + 1, low, high - _NODES)
        for offset in np.flatnonzero(np.bincount(whole - first)).tolist():
            some = np.flatnonzero(whole - first == offset)
            around = y[..., first[some][:, None] + np.arange(_NODES)]
            powers = t[some][:, None] ** np.arange(_NODES + 1)
            weights = powers @ _weights(offset).T
            told = np.einsum("...pj,pj->...p", around, weights) - linear[..., some]
            more[..., some] = np.where(_smooth(around, weights), told, np.nan)
    return Ends(linear, more)
