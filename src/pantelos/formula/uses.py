"""What formulas use: names, functions, readings. The parser is loaded when there is a formula."""

from functools import lru_cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lark import Token, Tree


def _expression(text: str) -> "Tree[Token]":
    from pantelos.formula.syntax import expression_in  # here, for the sake of a quick start

    return expression_in(text)


@lru_cache(maxsize=2048)
def names_used(text: str) -> frozenset[str]:
    """Return the channels and formulas a formula refers to; none where it cannot be read."""
    expression = _expression(text)
    found = {str(node.children[0]) for node in expression.find_data("name")}
    found |= {str(node.children[1]) for node in expression.find_data("over_cycles")}
    return frozenset(found)


def readings_taken(text: str) -> frozenset[str]:
    """Return the functions a formula calls over an interval, so not once per cycle."""
    expression = _expression(text)
    per_cycle = {id(node.children[0]) for node in expression.find_data("over_cycles")}
    return frozenset(str(call.children[0]) for call in expression.find_data("call") if id(call) not in per_cycle)


@lru_cache(maxsize=2048)
def functions_called(text: str) -> frozenset[str]:
    """Return all functions a formula calls, over an interval or once per cycle."""
    expression = _expression(text)
    return frozenset(str(call.children[0]) for call in expression.find_data("call"))
