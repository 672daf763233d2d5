"""Symmetrical components of three phasors, and what is made of them: the one place, for numbers and for arrays.

Source: C. L. Fortescue 1918; IEC 61000-4-30 clause 5.7.
"""

import cmath
import math
from typing import Any, NamedTuple

import numpy as np

_TURN = cmath.exp(2j * math.pi / 3)


class Sequences(NamedTuple):
    """Components of three phasors, in their unit: complex numbers, or arrays of the shape of each phasor."""

    positive: Any
    negative: Any
    zero: Any

    @property
    def unbalance(self) -> Any:
        """Negative over positive sequence, ratio; NaN without a positive sequence."""
        return over(abs(self.negative), abs(self.positive))

    @property
    def zero_unbalance(self) -> Any:
        """Zero over positive sequence, ratio; NaN without a positive sequence."""
        return over(abs(self.zero), abs(self.positive))

    @property
    def order(self) -> str:
        """`123`, `132` or `undetermined`, of one set of phasors."""
        if abs(self.positive) > 2 * abs(self.negative):
            return "123"
        return "132" if abs(self.negative) > 2 * abs(self.positive) else "undetermined"


def sequences(a: Any, b: Any, c: Any) -> Sequences:
    """Return positive, negative and zero sequence of three phasors, complex numbers or arrays of one shape."""
    return Sequences((a + _TURN * b + _TURN**2 * c) / 3, (a + _TURN**2 * b + _TURN * c) / 3, (a + b + c) / 3)


def over(part: Any, whole: Any) -> Any:
    """Return the quotient of two numbers or arrays, NaN where the divisor is not above zero."""
    with np.errstate(invalid="ignore", divide="ignore"):
        return plain(np.where(np.asarray(whole) > 0, np.divide(part, whole), np.nan))


def plain(value: Any) -> Any:
    """Return an array as it is, and one of no dimension as the number that it holds."""
    return value.item() if np.ndim(value) == 0 and isinstance(value, np.ndarray | np.generic) else value
