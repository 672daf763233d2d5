"""What a formula consists of, each node with its place in the text."""

from collections.abc import Iterator
from fractions import Fraction

import msgspec


class Node(msgspec.Struct, frozen=True, eq=False):
    """A part of a formula: `start` and `stop` are its place in the text."""

    start: int
    stop: int

    def parts(self) -> tuple["Node", ...]:
        """Return the nodes it is made of, from left to right."""
        return ()


class BareWord(Node, frozen=True, eq=False):
    """A word or sign that is no value by itself: a function's name, a unit, an operator."""

    text: str


class Number(Node, frozen=True, eq=False):
    """A number as typed, with a unit perhaps: 50 mA. A sign belongs to it within pairs only."""

    digits: str
    unit: BareWord | None


class Name(Node, frozen=True, eq=False):
    """A channel or another formula."""

    text: str


class Quoted(Node, frozen=True, eq=False):
    """A name in quotation marks: an interval, or events."""

    text: str  # without the marks


class Pairs(Node, frozen=True, eq=False):
    """Pairs of numbers, [0 V 20 degC, 5 V 80 degC]: the points of a curve."""

    points: tuple[tuple[Number, Number], ...]

    def parts(self) -> tuple[Node, ...]:
        """Return all numbers, pair by pair."""
        return tuple(number for point in self.points for number in point)


class ComparisonLink(msgspec.Struct, frozen=True, eq=False):
    """One more operand of a chain, and the sign that joins it."""

    sign: BareWord
    operand: Node


class ComparisonChain(Node, frozen=True, eq=False):
    """Operands joined one after the other by + - * /, whatever binds closer being one operand: flat, however long."""

    first: Node
    links: tuple[ComparisonLink, ...]

    def parts(self) -> tuple[Node, ...]:
        """Return its operands."""
        return (self.first, *(link.operand for link in self.links))


class Negative(Node, frozen=True, eq=False):
    """-x."""

    of: Node

    def parts(self) -> tuple[Node, ...]:
        """Return what it is the negative of."""
        return (self.of,)


class Power(Node, frozen=True, eq=False):
    """x^2, x^(1/2)."""

    of: Node
    exponent: Fraction
    at: BareWord

    def parts(self) -> tuple[Node, ...]:
        """Return the base."""
        return (self.of,)


class Call(Node, frozen=True, eq=False):
    """A function of arguments; a reading perhaps, taken in an interval or once per piece of the record."""

    function: BareWord
    arguments: tuple[Node, ...]
    interval: BareWord | None = None
    over: "Pieces | None" = None

    def parts(self) -> tuple[Node, ...]:
        """Return its arguments, and what it is taken over."""
        return self.arguments if self.over is None else (*self.arguments, self.over)


class Pieces(Node, frozen=True, eq=False):
    """What a reading is taken over, piece by piece: cycles(u1), blocks(200 ms)."""

    partition: BareWord
    arguments: tuple[Node, ...]

    def parts(self) -> tuple[Node, ...]:
        """Return what tells the pieces."""
        return self.arguments


class Converted(Node, frozen=True, eq=False):
    """A value said in another unit: integral(p1) to Wh."""

    of: Node
    unit: BareWord

    def parts(self) -> tuple[Node, ...]:
        """Return what is converted."""
        return (self.of,)


class Comparison(Node, frozen=True, eq=False):
    """x < y."""

    left: Node
    sign: BareWord
    right: Node

    def parts(self) -> tuple[Node, ...]:
        """Return both sides."""
        return self.left, self.right


class Both(Node, frozen=True, eq=False):
    """Conditions joined by `and`, or by `or`."""

    left: Node
    sign: BareWord
    right: Node

    def parts(self) -> tuple[Node, ...]:
        """Return both conditions."""
        return self.left, self.right


class Not(Node, frozen=True, eq=False):
    """The opposite of a condition."""

    of: Node

    def parts(self) -> tuple[Node, ...]:
        """Return the condition."""
        return (self.of,)


class Where(Node, frozen=True, eq=False):
    """Samples, but only those that fulfil a condition."""

    of: Node
    condition: Node

    def parts(self) -> tuple[Node, ...]:
        """Return what is masked, and by what."""
        return self.of, self.condition


def walk(node: Node) -> Iterator[Node]:
    """Yield a node and all within it, from left to right."""
    waiting = [node]
    while waiting:
        found = waiting.pop()
        yield found
        waiting.extend(reversed(found.parts()))
