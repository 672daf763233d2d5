"""Functions whose value at a sample rests on those before it."""

from pantelos.formula.derived import RunningIntegral
from pantelos.formula.functions.function import Function, Parameter
from pantelos.units import unit

INTEGRAL = Function(
    "integral",
    "sample by sample",
    (Parameter("x"),),
    "Running integral from the start of the record, trapezoidal rule; W becomes J.",
    "integral(p1)",
    lambda units: units[0] * unit("s"),
    lambda given: RunningIntegral(given.values[0], given.unit),
    place=1,
)
