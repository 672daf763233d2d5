"""Functions that act on every sample by itself."""

from fractions import Fraction

import numpy as np

from pantelos.formula.functions.function import VALUES, Function, Parameter, elementwise

_X = (Parameter("x", VALUES),)
_CATEGORY = "sample by sample"

ABS = Function(
    "abs", _CATEGORY, _X, "Magnitude of every sample.", "abs(i1)", lambda units: units[0], elementwise(np.abs), place=2
)
SQRT = Function(
    "sqrt",
    _CATEGORY,
    _X,
    "Square root of every sample; negative ones have none and are left out.",
    "sqrt(u1 * u1)",
    lambda units: units[0] ** Fraction(1, 2),
    elementwise(np.sqrt),
    place=3,
)
