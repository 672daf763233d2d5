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


def summed_between(values: FloatArray, first: np.ndarray, last: np.ndarray) -> FloatArray:
    """Return the sums of values (..., n) from `first` to `last`, both included, (..., n_sums): each added up by itself."""
    if not len(first):
        return np.zeros((*values.shape[:-1], 0))
    padded = np.concatenate([values, np.zeros((*values.shape[:-1], 1))], axis=-1)
    return np.asarray(np.add.reduceat(padded, np.stack([first, last + 1], axis=1).ravel(), axis=-1)[..., ::2])


def grouped(squares: FloatArray, n_cycles: int, highest_order: int) -> Groups:
    """Return the groups of the lines of a window; orders that the lines do not reach are NaN.

    Parameters
    ----------
    squares : array (..., n_lines), mean squares of lines, line 0 of the mean; line k lies at k / n_cycles of the fundamental
    n_cycles : int, 2 or more
    """
    n, at = squares.shape[-1], n_cycles * np.arange(highest_order + 1)

    def between(first: int, last: int, above_zero: bool = False) -> FloatArray:
        """Return the sum of squares of lines `first` to `last` from each order, both included; NaN beyond the lines."""
        found = np.full((*squares.shape[:-1], highest_order + 1), np.nan)
        here = (at + last < n) & (at + first >= 0) & ((at > 0) | (not above_zero))
        found[..., here] = summed_between(squares, at[here] + first, at[here] + last)
        return found

    half = n_cycles // 2
    group = between(-half, half, above_zero=True)
    if n_cycles % 2 == 0:  # the lines half way count half
        group = group - 0.5 * (between(-half, -half, above_zero=True) + between(half, half, above_zero=True))
    centred = between(2, n_cycles - 2) if n_cycles >= _CENTRED else np.full(group.shape, np.nan)
    sums = group, between(-1, 1, above_zero=True), between(1, n_cycles - 1), centred
    return Groups(*(np.sqrt(np.maximum(one, 0.0)) for one in sums))
