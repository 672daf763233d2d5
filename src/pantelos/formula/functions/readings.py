"""Readings as functions: one value over an interval, or one per piece."""

from pantelos.formula.functions.function import Function, Parameter
from pantelos.reading.reading import ReadingKind


def reading_function(kind: ReadingKind) -> Function:
    """Return a kind of reading as a function of the language."""
    return Function(
        kind.name,
        "reading",
        tuple(Parameter(name) for name in kind.arguments),
        kind.help,
        kind.example,
        lambda units: kind.unit(units[0]),
        reading=kind,
        source=kind.source,
    )
