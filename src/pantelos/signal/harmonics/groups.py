"""Groups of spectral lines around the orders, and what lies between.

Source: IEC 61000-4-7 clause 5: lines of a window of N cycles, rms; N = 10 at 50 Hz, 12 at 60 Hz, so lines are about 5 Hz apart.
"""

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray

_CENTRED = 4  # cycles of a window from which on there are lines between those beside the orders


class Groups(msgspec.Struct, frozen=True, eq=False):
    """Rms per order, column h for order h; those between h and h + 1 in column h of the interharmonic ones."""

    harmonic: FloatArray  # (..., highest + 1), groups
    subgroup: FloatArray
    interharmonic: FloatArray  # (..., highest + 1), groups between h and h + 1
    centred: FloatArray  # (..., highest + 1), centred subgroups between h and h + 1


def grouped(squares: FloatArray, n_cycles: int, highest_order: int) -> Groups:
    """Return the groups of the lines of a window; orders that the lines do not reach are NaN.

    Parameters
    ----------
    squares : array (..., n_lines), mean squares of lines, line 0 of the mean; line k lies at k / n_cycles of the fundamental
    n_cycles : int, 2 or more
    """
    n_orders, n = highest_order + 1, squares.shape[-1]
    # Order by line from it, so that a line of every order is added at once; lines before order 0 and beyond the last are missing.
    laid = np.full((*squares.shape[:-1], n_cycles * (n_orders + 2)), np.nan, squares.dtype)
    kept = min(n, n_cycles * (n_orders + 1))
    laid[..., n_cycles : n_cycles + kept] = squares[..., :kept]
    lines = np.moveaxis(laid.reshape(*squares.shape[:-1], n_orders + 2, n_cycles), -1, 0).copy()

    def between(first: int, last: int) -> FloatArray:
        """Return the sum of squares of lines `first` to `last` from each order, both included."""
        found = np.zeros((*squares.shape[:-1], n_orders), squares.dtype)
        for line in range(first, last + 1):
            order, own = divmod(line, n_cycles)
            found += lines[own, ..., 1 + order : 1 + order + n_orders]
        return found

    half, even = n_cycles // 2, n_cycles % 2 == 0
    subgroup = between(-1, 1)
    group = between(-half + even, half - even)
    if even:
        group += 0.5 * (between(-half, -half) + between(half, half))
    centred = between(2, n_cycles - 2) if n_cycles >= _CENTRED else np.full(group.shape, np.nan)
    return Groups(*(np.sqrt(one) for one in (group, subgroup, between(1, n_cycles - 1), centred)))
