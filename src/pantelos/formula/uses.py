"""What formulas use: names, functions, readings."""

from functools import lru_cache

from pantelos.formula.nodes import Call, Name
from pantelos.formula.syntax import nodes_of


@lru_cache(maxsize=2048)
def names_used(text: str) -> frozenset[str]:
    """Return the channels and formulas a formula refers to; none where it cannot be read."""
    return frozenset(node.text for node in nodes_of(text) if isinstance(node, Name))


@lru_cache(maxsize=2048)
def readings_taken(text: str) -> frozenset[str]:
    """Return the functions a formula calls over an interval, so not once per piece."""
    return frozenset(node.function.text for node in nodes_of(text) if isinstance(node, Call) and node.over is None)


@lru_cache(maxsize=2048)
def functions_called(text: str) -> frozenset[str]:
    """Return all functions a formula calls, over an interval or once per piece."""
    return frozenset(node.function.text for node in nodes_of(text) if isinstance(node, Call))
