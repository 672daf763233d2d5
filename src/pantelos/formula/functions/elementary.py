"""Functions that act on every sample by itself. Where a function has no real value the sample is left out (NaN)."""

from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import Any

import numpy as np

from pantelos.errors import UnitError
from pantelos.formula.functions.function import VALUES, Function, Parameter, elementwise
from pantelos.units import ONE, Unit, unit

_CATEGORY = "sample by sample"
_X = (Parameter("x", VALUES),)
_PURE = (Parameter("x", VALUES, (ONE,)),)
_PAIR = (Parameter("x", VALUES), Parameter("y", VALUES))
_RADIAN = unit("rad")


def _first(units: Sequence[Unit]) -> Unit:
    return units[0]


def _pure(units: Sequence[Unit]) -> Unit:
    return ONE


def _angle(units: Sequence[Unit]) -> Unit:
    return _RADIAN


def _alike(units: Sequence[Unit]) -> Unit:
    """Return the unit that all arguments share; raises `UnitError` where they do not measure the same."""
    for other in units[1:]:
        if not other.like(units[0]):
            raise UnitError(f"{units[0].symbol} and {other.symbol} do not measure the same and cannot be compared.")
    return units[0]


def _angle_of_pair(units: Sequence[Unit]) -> Unit:
    _alike(units)
    return _RADIAN


def _rounded(x: Any, step: Any) -> Any:
    return np.round(x / step) * step


def _finite(kernel: Callable[[Any], Any]) -> Callable[[Any], Any]:
    """Return a function that has no value where it would be infinite: ln(0), exp of a thousand."""

    def found(x: Any) -> Any:
        y = kernel(x)
        return np.where(np.isfinite(y), y, np.nan)[()]

    return found


def _row(
    name: str,
    kernel: Callable[..., Any],
    help_: str,
    example: str,
    parameters: tuple[Parameter, ...],
    rule: Callable[[Sequence[Unit]], Unit],
    place: int,
) -> Function:
    """Return one function; the rows below differ in nothing else."""
    return Function(name, _CATEGORY, parameters, help_, example, rule, elementwise(kernel), place=place)


ABS = _row("abs", np.abs, "Magnitude of every sample.", "abs(i1)", _X, _first, 2)
SQRT = _row(
    "sqrt",
    np.sqrt,
    "Square root of every sample; negative ones have none and are left out.",
    "sqrt(u1 * u1)",
    _X,
    lambda units: units[0] ** Fraction(1, 2),
    3,
)
EXP = _row("exp", _finite(np.exp), "e to the power of a pure number.", "exp(u1 / (100 V))", _PURE, _pure, 4)
LN = _row("ln", _finite(np.log), "Natural logarithm of a pure number above zero.", "ln(abs(u1) / (1 V))", _PURE, _pure, 5)
LOG10 = _row(
    "log10", _finite(np.log10), "Decimal logarithm of a number above zero.", "20 * log10(abs(u1) / (1 V))", _PURE, _pure, 6
)
SIN = _row("sin", np.sin, "Sine of an angle, rad unless a unit is given.", "sin(30 deg)", _PURE, _pure, 7)
COS = _row("cos", np.cos, "Cosine of an angle, rad unless a unit is given.", "cos(60 deg)", _PURE, _pure, 8)
TAN = _row("tan", np.tan, "Tangent of an angle, rad unless a unit is given.", "tan(45 deg)", _PURE, _pure, 9)
ASIN = _row("asin", np.arcsin, "Angle whose sine is x, between -90° and 90°.", "asin(0.5)", _PURE, _angle, 10)
ACOS = _row("acos", np.arccos, "Angle whose cosine is x, between 0° and 180°.", "acos(0.5)", _PURE, _angle, 11)
ATAN = _row("atan", np.arctan, "Angle whose tangent is x, between -90° and 90°.", "atan(1)", _PURE, _angle, 12)
ATAN2 = _row("atan2", np.arctan2, "Angle of the point (y, x), in all four quadrants.", "atan2(u1, 230 V)",
             (Parameter("y", VALUES), Parameter("x", VALUES)), _angle_of_pair, 13)  # fmt: skip
HYPOT = _row("hypot", np.hypot, "Root of the sum of both squares.", "hypot(u1, u2)", _PAIR, _alike, 14)
SIGN = _row("sign", np.sign, "1 above zero, -1 below, 0 at zero.", "sign(p1)", _X, _pure, 15)
ROUND = _row("round", _rounded, "The nearest multiple of a step; halfway goes to the even one.", "round(u1, 10 V)",
             (Parameter("x", VALUES), Parameter("step", VALUES)), _alike, 16)  # fmt: skip
LARGER = _row("larger", np.maximum, "The larger of both, sample by sample.", "larger(u1, 0 V)", _PAIR, _alike, 17)
SMALLER = _row("smaller", np.minimum, "The smaller of both, sample by sample.", "smaller(u1, 0 V)", _PAIR, _alike, 18)
CLIP = _row("clip", lambda x, low, high: np.minimum(np.maximum(x, low), high),
            "x, but never below one limit and never above the other.", "clip(u1, -100 V, 100 V)",
            (Parameter("x", VALUES), Parameter("low", VALUES), Parameter("high", VALUES)), _alike, 19)  # fmt: skip
