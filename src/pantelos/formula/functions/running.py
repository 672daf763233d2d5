"""Functions whose value at a sample rests on those before it, or on its neighbours."""

from typing import Any

import numpy as np

from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Derived, RunningIntegral
from pantelos.formula.functions.function import Function, Given, Parameter
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.units import unit

_CATEGORY = "running"
_ENERGY = "trapezoidal rule, a trapezoid that crosses zero is split there; the sign is that of every instant"


def _above_zero(y0: FloatArray, y1: FloatArray) -> Any:
    """Return twice the area of each trapezoid that lies above zero, per sample interval; split where it crosses.

    Source: the zero of the straight line between two samples lies the share y0 / (y0 - y1) from the first.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        crossing = np.where(y0 > y1, y0 * y0 / (y0 - y1), y1 * y1 / (y1 - y0))
    return np.where((y0 >= 0) & (y1 >= 0), y0 + y1, np.where((y0 <= 0) & (y1 <= 0), 0.0, crossing))


def _below_zero(y0: FloatArray, y1: FloatArray) -> Any:
    return _above_zero(-y0, -y1)


INTEGRAL = Function(
    "integral",
    _CATEGORY,
    (Parameter("x"),),
    "Running integral from the start of the record, trapezoidal rule; W becomes J.",
    "integral(p1)",
    lambda units: units[0] * unit("s"),
    lambda given: RunningIntegral(given.values[0], given.unit),
    place=1,
)
RECEIVED = Function(
    "received",
    _CATEGORY,
    (Parameter("p"),),
    f"Running integral of what is above zero: energy received; {_ENERGY}.",
    "received(p1)",
    lambda units: units[0] * unit("s"),
    lambda given: RunningIntegral(given.values[0], given.unit, _above_zero),
    place=20,
)
RETURNED = Function(
    "returned",
    _CATEGORY,
    (Parameter("p"),),
    f"Running integral of what is below zero, counted positive: energy returned; {_ENERGY}.",
    "returned(p1)",
    lambda units: units[0] * unit("s"),
    lambda given: RunningIntegral(given.values[0], given.unit, _below_zero),
    place=21,
)


def _slope(given: Given) -> Derived:
    wave: Waveform = given.values[0]

    def compute(start: int, stop: int) -> FloatArray:
        first, last = max(start - 1, 0), min(stop + 1, wave.n_samples)
        x = wave.read(first, last)
        if len(x) < 2:
            return np.full(stop - start, np.nan)
        return np.asarray(np.gradient(x)[start - first : stop - first] * wave.rate_hz)

    return Derived(compute, given.unit, wave.n_samples, wave.rate_hz, wave.masked)


DERIVATIVE = Function(
    "derivative",
    _CATEGORY,
    (Parameter("x", frozenset({Kind.SIGNAL})),),
    "Slope at every sample, from the samples beside it (central difference); one-sided at the ends of the record.",
    "derivative(u1)",
    lambda units: units[0] / unit("s"),
    _slope,
    place=22,
)
