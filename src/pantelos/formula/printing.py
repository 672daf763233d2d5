"""From nodes back to text: with no bracket that is not needed, in one way of spacing."""

from collections.abc import Mapping
from functools import partial

from pantelos.formula.nodes import (
    Both,
    Call,
    Comparison,
    ComparisonChain,
    Converted,
    Name,
    Negative,
    Node,
    Not,
    Number,
    Pairs,
    Pieces,
    Power,
    Quoted,
    Where,
)
from pantelos.formula.syntax import BINDING, NOT, SIGN, parse

_ATOM = 10  # binds closer than any operator
_LOOSEST = 0  # a result that is said in another unit


def written(node: Node, names: Mapping[str, str] | None = None) -> str:
    """Return a formula as text, some of its names by others: parsing it gives the same nodes."""
    return _printed(node, names or {})[0]


def rewritten(text: str, names: Mapping[str, str]) -> str:
    """Return a formula in which channels are called by other names, all at once."""
    name, expression = parse(text)
    return (f"{names.get(name, name)} = " if name is not None else "") + written(expression, names)


def _printed(node: Node, names: Mapping[str, str]) -> tuple[str, int]:
    """Return text, and how closely the loosest operator outside of brackets binds."""
    inner = partial(_within, names=names)
    match node:
        case ComparisonChain():
            return _chain(node, names)
        case Negative(of=of):
            return f"-{inner(of, SIGN)}", SIGN
        case Not(of=of):
            return f"not {inner(of, NOT)}", NOT
        case Power(of=of, at=at):
            return f"{inner(of, _ATOM)}^{at.text}", SIGN + 1
        case Comparison(left=left, sign=sign, right=right) | Both(left=left, sign=sign, right=right):
            own = BINDING[sign.text]
            return f"{inner(left, own)} {sign.text} {inner(right, own + 1)}", own
        case Where(of=of, condition=condition):
            own = BINDING["where"]
            return f"{inner(of, own)} where {inner(condition, own + 1)}", own
        case Converted(of=of, unit=unit):
            return f"{inner(of, BINDING['where'])} to {unit.text}", _LOOSEST
        case _:
            return _atom(node, names), _ATOM


def _atom(node: Node, names: Mapping[str, str]) -> str:
    match node:
        case Number(digits=digits, unit=unit):
            return digits + (f" {unit.text}" if unit is not None else "")
        case Name(text=text):
            return names.get(text, text)
        case Quoted(text=text):
            return f'"{text}"'
        case Pairs(points=points):
            return f"[{', '.join(f'{written(x)} {written(y)}' for x, y in points)}]"
        case Call() | Pieces():
            return _call(node, names)
        case _:
            raise TypeError(f"{type(node).__name__} has no text of its own")


def _within(node: Node, least: int, names: Mapping[str, str]) -> str:
    """Return a part in brackets where it binds less closely than asked for."""
    text, binding = _printed(node, names)
    return text if binding >= least else f"({text})"


def _chain(node: ComparisonChain, names: Mapping[str, str]) -> tuple[str, int]:
    text, binding = _printed(node.first, names)
    for link in node.links:
        own = BINDING[link.sign.text]
        left = text if binding >= own else f"({text})"
        text, binding = f"{left} {link.sign.text} {_within(link.operand, own + 1, names)}", own
    return text, binding


def _call(node: Call | Pieces, names: Mapping[str, str]) -> str:
    arguments = ", ".join(written(argument, names) for argument in node.arguments)
    if isinstance(node, Pieces):
        return f"{node.partition.text}({arguments})" if node.arguments else node.partition.text
    text = f"{node.function.text}({arguments})"
    if node.interval is not None:
        return f"{text} in {node.interval.text}"
    return f"{text} over {written(node.over, names)}" if node.over is not None else text
