"""Three channels as two: components that stand still, and those that turn with an angle."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from pantelos.errors import UnitError
from pantelos.formula.functions.function import SIGNALS, VALUES, Function, Parameter, elementwise
from pantelos.units import ONE, Unit

_CATEGORY = "three-phase"
_ABC = tuple(Parameter(name, SIGNALS) for name in "abc")
_TURNED = (*_ABC, Parameter("angle", VALUES, (ONE,)))


def _alike(units: Sequence[Unit]) -> Unit:
    for other in units[1:3]:
        if not other.like(units[0]):
            raise UnitError(
                f"{units[0].symbol} and {other.symbol} do not measure the same: three phases of one kind are asked for."
            )
    return units[0]


def _alpha(a: Any, b: Any, c: Any) -> Any:
    return (2 * a - b - c) / 3


def _beta(a: Any, b: Any, c: Any) -> Any:
    return (b - c) / np.sqrt(3)


def _direct(a: Any, b: Any, c: Any, angle: Any) -> Any:
    return _alpha(a, b, c) * np.cos(angle) + _beta(a, b, c) * np.sin(angle)


def _quadrature(a: Any, b: Any, c: Any, angle: Any) -> Any:
    return _beta(a, b, c) * np.cos(angle) - _alpha(a, b, c) * np.sin(angle)


def _entry(
    name: str, parameters: tuple[Parameter, ...], help_: str, kernel: Callable[..., Any], formula: str, source: str, place: int
) -> Function:
    example = f"{name}(i1, i2, i3{', instantaneous_phase(u1)' if len(parameters) > 3 else ''})"
    return Function(
        name, _CATEGORY, parameters, help_, example, _alike, elementwise(kernel), formula=formula, source=source, place=place
    )


_CLARKE, _PARK = "E. Clarke 1943, amplitudes kept", "R. H. Park 1929, amplitudes kept"
ALPHA = _entry("alpha", _ABC, "Component of three phases along the first.", _alpha, "(2a - b - c) / 3", _CLARKE, 70)
BETA = _entry(
    "beta", _ABC, "Component of three phases a quarter of a turn ahead of the first.", _beta, "(b - c) / √3", _CLARKE, 71
)
ZERO = _entry("zero", _ABC, "What three phases have in common.", lambda a, b, c: (a + b + c) / 3, "(a + b + c) / 3", _CLARKE, 72)
DIRECT = _entry(
    "direct",
    _TURNED,
    "Component of three phases along an axis that turns with an angle.",
    _direct,
    "α cos θ + β sin θ",
    _PARK,
    73,
)
QUADRATURE = _entry(
    "quadrature",
    _TURNED,
    "Component of three phases a quarter of a turn ahead of an axis that turns with an angle.",
    _quadrature,
    "β cos θ - α sin θ",
    _PARK,
    74,
)
