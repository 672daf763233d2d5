"""Groups of spectral lines around the orders, and what lies between.

Source: IEC 61000-4-7 clause 5: lines of a window of N cycles, rms; N = 10 at 50 Hz, 12 at 60 Hz, so lines are about 5 Hz apart.
"""

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray


class Groups(msgspec.Struct, frozen=True, eq=False):
    """Rms per order, column h for order h; those between h and h + 1 in column h of the interharmonic ones."""

    harmonic: FloatArray  # (..., highest + 1), groups
    subgroup: FloatArray
    interharmonic: FloatArray  # (..., highest + 1), groups between h and h + 1
    centred: FloatArray  # (..., highest + 1), centred subgroups between h and h + 1


def grouped(lines: FloatArray, n_cycles: int, highest_order: int) -> Groups:
    """Return the groups of rms lines of a window; orders that the lines do not reach are NaN.

    Parameters
    ----------
    lines : array (..., n_lines), rms, line 0 is the mean; line k lies at k / n_cycles of the fundamental
    n_cycles : int, 2 or more
    """
    shape = (*lines.shape[:-1], highest_order + 1)
    found = Groups(*(np.full(shape, np.nan) for _ in range(4)))
    squares, n = lines**2, lines.shape[-1]

    def between(first: int, last: int) -> FloatArray:
        """Return the sum of squares of lines first to last, both included."""
        return np.asarray(squares[..., first : last + 1].sum(axis=-1))

    half = n_cycles // 2
    for h in range(highest_order + 1):
        at = n_cycles * h
        if h and at + half < n:
            edges = 0.5 * (squares[..., at - half] + squares[..., at + half]) if n_cycles % 2 == 0 else 0.0
            inner = between(at - half + 1, at + half - 1) if n_cycles % 2 == 0 else between(at - half, at + half)
            found.harmonic[..., h] = np.sqrt(edges + inner)
        if h and at + 1 < n:
            found.subgroup[..., h] = np.sqrt(between(at - 1, at + 1))
        if at + n_cycles - 1 < n:
            found.interharmonic[..., h] = np.sqrt(between(at + 1, at + n_cycles - 1))
            if n_cycles >= 4:
                found.centred[..., h] = np.sqrt(between(at + 2, at + n_cycles - 2))
    return found
