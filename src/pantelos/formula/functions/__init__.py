"""The functions of the formula language: one registry, in which readings stand too."""

from pantelos.formula.functions.function import Function
from pantelos.formula.functions.readings import reading_function
from pantelos.reading.kinds import READINGS
from pantelos.registry import Registry, defined_in

FUNCTIONS = Registry("function", lambda function: function.name, defined_in(__name__, Function, lambda function: function.place))


def all_functions() -> tuple[Function, ...]:
    """Return all functions of the language, by category."""
    return (*FUNCTIONS, *(reading_function(kind) for kind in READINGS))


def function_named(name: str) -> Function | None:
    """Return the function of that name, or None."""
    kind = READINGS.get(name)
    return reading_function(kind) if kind is not None else FUNCTIONS.get(name)


__all__ = ["FUNCTIONS", "Function", "all_functions", "function_named"]
