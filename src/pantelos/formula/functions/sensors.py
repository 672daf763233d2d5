"""What turns the voltage of a sensor into what it measures, and quantities with a law of their own."""

import math
from collections.abc import Sequence
from fractions import Fraction
from functools import reduce
from typing import Any

import msgspec
import numpy as np

from pantelos.errors import UnitError
from pantelos.formula.arithmetic import of_operands, operand
from pantelos.formula.derived import Scalar
from pantelos.formula.functions.function import NUMBERS, VALUES, ArgumentRole, Function, GivenArguments, Parameter, elementwise
from pantelos.record.waveform import LeftOut
from pantelos.units import ONE, Unit, unit

_CATEGORY = "sensor"


def _polynomial_unit(units: Sequence[Unit]) -> Unit:
    x, *coefficients = units
    result = coefficients[0]
    for k, one in enumerate(coefficients):
        wanted = result / x ** Fraction(k) if k else result
        if not one.like(wanted):
            raise UnitError(f"a{k} is in {one.symbol}; so that all parts are in {result.symbol} it has to be in {wanted.symbol}.")
    return result


def _polynomial(x: Any, *coefficients: Any) -> Any:
    return reduce(lambda total, a: total * x + a, reversed(coefficients))


def _lookup_unit(units: Sequence[Unit]) -> Unit:
    return units[1]


def _lookup(given: GivenArguments) -> Any:
    of, curve = given.values
    if not of.unit.like(curve.unit):
        raise UnitError(f"x is in {of.unit.symbol}, the first numbers of the points in {curve.unit.symbol}.")
    x, y = np.array(curve.x), np.array(curve.y)

    def find(v: Any) -> Any:
        return np.interp(v, x, y, left=np.nan, right=np.nan)

    if isinstance(of, Scalar):
        found, moved = float(find(of.value)), float(find(of.value + of.method_u))
        if not math.isfinite(found) and math.isfinite(of.value):
            return Scalar(math.nan, given.unit, (*of.explained, "not given: it lies outside the points"))
        return Scalar(found, given.unit, of.explained, abs(moved - found) if math.isfinite(moved) else 0.0)
    value = operand(of)
    return of_operands(lambda stretch: np.asarray(find(value(stretch))), of, given.unit, masked=LeftOut.SAMPLES)


def _same_zero(units: Sequence[Unit]) -> Unit:
    _, temperature, reference, alpha = units
    symbols = {temperature.symbol, reference.symbol}
    if "°C" in symbols and len(symbols) > 1:
        raise UnitError(
            f"{temperature.symbol} and {reference.symbol} do not have the same zero. Give both temperatures in one unit."
        )
    if not (alpha * temperature).like(ONE):
        raise UnitError(f"alpha is in {alpha.symbol}, but per kelvin is asked for, such as 0.00393 [1/K].")
    return units[0]


def _shaft_power(given: GivenArguments) -> Any:
    torque, speed = given.values
    turns = 2 * math.pi if speed.unit.like(unit("Hz")) else 1.0  # a speed of rotation carries its 2π
    return elementwise(lambda m, n: turns * m * n)(msgspec.structs.replace(given, values=(torque, speed)))


def _decibel_unit(units: Sequence[Unit]) -> Unit:
    if not units[0].like(units[1]):
        raise UnitError(f"{units[0].symbol} and {units[1].symbol} do not measure the same: a level is a ratio.")
    return unit("dB")


def _decibel(x: Any, reference: Any) -> Any:
    with np.errstate(divide="ignore", invalid="ignore"):
        found = 20 * np.log10(np.abs(x) / reference)
    return np.where(np.isfinite(found), found, np.nan)[()]


_KELVIN = (unit("K"),)
POLYNOMIAL = Function(
    "polynomial",
    _CATEGORY,
    (Parameter("x", VALUES), Parameter("a0", NUMBERS), Parameter("a1", NUMBERS, many=True)),
    "A polynomial of x; coefficients carry their units.",
    "polynomial(u1, 0.5 A, 20 [A/V])",
    _polynomial_unit,
    elementwise(_polynomial),
    formula="a0 + a1 x + a2 x² + …",
    place=80,
)
LOOKUP = Function(
    "lookup",
    _CATEGORY,
    (Parameter("x", VALUES), Parameter("points", NUMBERS, role=ArgumentRole.POINTS)),
    "Straight lines through points; none outside of them.",
    "lookup(u1, [-400 V 0 A, 0 V 5 A, 400 V 20 A])",
    _lookup_unit,
    _lookup,
    place=81,
)
AT_TEMPERATURE = Function(
    "at_temperature",
    _CATEGORY,
    (Parameter("R", VALUES), Parameter("T", VALUES, _KELVIN), Parameter("T0", NUMBERS, _KELVIN), Parameter("alpha", NUMBERS)),
    "A resistance found at a temperature T as it would be at T0.",
    "at_temperature(1.2 ohm, 65 degC, 20 degC, 0.00393 [1/K])",
    _same_zero,
    elementwise(lambda r, t, t0, alpha: r / (1 + alpha * (t - t0))),
    formula="R / (1 + α (T - T0))",
    place=82,
)
SHAFT_POWER = Function(
    "shaft_power",
    _CATEGORY,
    (Parameter("M", VALUES, (unit("N*m"),)), Parameter("n", VALUES, (unit("rpm"), unit("Hz")))),
    "Mechanical power of a shaft, from torque and speed in min⁻¹, rad/s or turns per second (Hz).",
    "shaft_power(M, n)",
    lambda units: unit("W"),
    _shaft_power,
    formula="2π n M",
    place=83,
)
DECIBEL = Function(
    "decibel",
    _CATEGORY,
    (Parameter("x", VALUES), Parameter("reference", NUMBERS)),
    "Level of x against a reference, dB.",
    "decibel(u1, 1 V)",
    _decibel_unit,
    elementwise(_decibel),
    formula="20 lg(|x| / reference)",
    source="ISO 80000-8",
    place=84,
)
