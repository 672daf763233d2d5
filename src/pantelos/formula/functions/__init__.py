"""The functions of the formula language: one registry, in which readings and partitions stand too."""

from functools import cache
from operator import attrgetter

from pantelos.formula.functions.function import Function
from pantelos.formula.functions.readings import reading_function
from pantelos.reading.kinds import READINGS
from pantelos.reading.reading import ReadingKind
from pantelos.registry import Registry

FUNCTIONS = Registry.of_modules("function", Function, __name__, "functions", attrgetter("name"))


def all_functions() -> tuple[Function, ...]:
    """Return all functions of the language, by category. A running one that is a reading too stands among the running ones."""
    own = (_joined(function, READINGS.get(function.name)) for function in FUNCTIONS)
    return (*own, *(_of_reading(kind) for kind in READINGS if kind.name not in FUNCTIONS))


def function_named(name: str) -> Function | None:
    """Return the function of that name, or None."""
    kind, function = READINGS.get(name), FUNCTIONS.get(name)
    if function is not None:
        return _joined(function, kind)
    return _of_reading(kind) if kind is not None else None


@cache
def _joined(function: Function, kind: ReadingKind | None) -> Function:
    return function if kind is None else function.with_reading(kind)


_of_reading = cache(reading_function)

__all__ = ["FUNCTIONS", "Function", "all_functions", "function_named"]
