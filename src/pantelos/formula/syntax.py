"""From text to a tree, with the place of every node; and which names a formula uses."""

import re
from functools import cache, lru_cache
from importlib import resources

import msgspec
from lark import Lark, Token, Tree, UnexpectedCharacters, UnexpectedInput, UnexpectedToken

from pantelos.errors import FormulaError

KEYWORDS = frozenset({"where", "in", "over", "and", "or", "not", "cycles"})
NAME = re.compile(r"[^\W\d]\w*\Z")


@cache
def _parser() -> "Lark":
    from lark import Lark

    grammar = resources.files("pantelos.formula").joinpath("grammar.lark").read_text(encoding="utf-8")
    return Lark(grammar, parser="lalr", propagate_positions=True, maybe_placeholders=True)


@lru_cache(maxsize=2048)
def parse(text: str) -> tuple[str | None, Tree[Token]]:
    """Return (name, expression): `p1 = u1 * i1` defines a name, `mean(p1)` only asks.

    Raises
    ------
    FormulaError
        Pointing at the first place that does not fit.
    """
    try:
        definition, expression = _parser().parse(text).children
    except UnexpectedInput as cause:
        raise _misplaced(text, cause) from cause
    name = str(definition.children[0]) if isinstance(definition, Tree) else None
    assert isinstance(expression, Tree)
    return name, expression


def _misplaced(text: str, cause: UnexpectedInput) -> FormulaError:
    start = cause.pos_in_stream or 0
    if isinstance(cause, UnexpectedToken) and cause.token.type == "$END":
        return FormulaError(text, len(text), len(text), "the formula stops too early; a value, a name or a bracket is missing.")
    length = len(cause.token) if isinstance(cause, UnexpectedToken) else 1
    if isinstance(cause, UnexpectedCharacters):
        return FormulaError(text, start, start + length, "this character has no meaning here. Use + - * / ^ ( ) and names.")
    return FormulaError(text, start, start + length, "this does not fit here. Check for a missing operator or bracket before it.")


def span(node: Tree[Token] | Token) -> tuple[int, int]:
    """Return start and stop of a node in the text."""
    if isinstance(node, Token):
        return node.start_pos or 0, node.end_pos or 0
    return node.meta.start_pos, node.meta.end_pos


class CalledReading(msgspec.Struct, frozen=True):
    """A function called on channels by name, over an interval perhaps."""

    name: str
    channels: tuple[str, ...]
    interval: str | None


def single_reading(node: Tree[Token]) -> CalledReading | None:
    """Return the one reading an expression consists of, or None where it is more than that."""
    interval = None
    if node.data == "reading_in":
        call, place = node.children
        interval = str(place.children[0]).strip('"')
        assert isinstance(call, Tree)
        node = call
    if node.data != "call":
        return None
    name, *arguments = node.children
    named = [child for child in arguments if isinstance(child, Tree)]
    if any(child.data != "name" for child in named):
        return None
    return CalledReading(str(name), tuple(str(child.children[0]) for child in named), interval)


def expression_in(text: str) -> Tree[Token]:
    """Return the tree of a formula; an empty one for a text that cannot be read: compiling it says what is wrong."""
    try:
        return parse(text)[1]
    except FormulaError:
        return Tree("unreadable", [])


def with_name_changed(text: str, old: str, new: str) -> str:
    """Return a formula in which a channel or formula is called by another name."""
    expression = expression_in(text)
    tokens = [node.children[0] for node in expression.find_data("name")]
    tokens += [node.children[1] for node in expression.find_data("over_cycles")]
    for start, stop in sorted((span(token) for token in tokens if token == old), reverse=True):
        text = text[:start] + new + text[stop:]
    return text


def with_place_changed(text: str, old: str, new: str) -> str:
    """Return a formula in which an interval is called by another name; what stands in quotation marks otherwise stays."""
    tokens = [node.children[0] for node in expression_in(text).find_data("place")]
    for start, stop in sorted((span(token) for token in tokens if str(token).strip('"') == old), reverse=True):
        text = f'{text[:start]}"{new}"{text[stop:]}'
    return text
