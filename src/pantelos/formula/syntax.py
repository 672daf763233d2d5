"""From text to nodes, each with its place.

    formula    = [NAME "="] result
    result     = expression ["to" UNIT]
    expression = operand {operator operand}
    operator   = "where" | "or" | "and" | "<" "<=" ">" ">=" "==" "!=" | "+" "-" | "*" "/"      binding ever closer
    operand    = ("not" | "-" | "+") expression | atom ["^" EXPONENT]
    atom       = NUMBER [UNIT] | NAME | TEXT | call | "(" result ")" | pairs
    call       = NAME arguments ["in" PLACE | "over" NAME [arguments]]
    arguments  = "(" [result {"," result}] ")"
    pairs      = "[" SIGNED SIGNED {"," SIGNED SIGNED} "]"      numbers with their units

Whether a condition stands where one is wanted is the compiler's question: it knows what to say.
"""

import re
from collections.abc import Iterator
from fractions import Fraction
from functools import lru_cache

import msgspec

from pantelos.errors import FormulaError
from pantelos.formula.nodes import (
    BareWord,
    Both,
    Call,
    Comparison,
    ComparisonChain,
    ComparisonLink,
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
    walk,
)

KEYWORDS = frozenset({"where", "in", "over", "and", "or", "not", "cycles", "to"})
NAME = re.compile(r"[^\W\d]\w*\Z")

DEEPEST = 100  # brackets, signs and functions within each other
_SPACE = re.compile(r"\s*")
_DEFINED = re.compile(r"([^\W\d]\w*)\s*=(?!=)")
_NUMBER = re.compile(r"(\d+(\.\d*)?|\.\d+)([eE][-+]?\d+)?")
_SIGNED = re.compile(r"[+-]?\s*(\d+(\.\d*)?|\.\d+)([eE][-+]?\d+)?")
_WORD = re.compile(r"[^\W\d]\w*")
_RESERVED = KEYWORDS - {"cycles", "to"}  # a channel may be called cycles in a formula, though not named so from now on
_UNIT = re.compile(r"\[[^\]]+\]|[^\W\d_]\w*(?:·[^\W\d_]\w*)*(?:⁻?[¹²³])?|[%°Ω]")
_COMPOSED = re.compile(
    r"\[[^\]]+\]|(?:1/)?[^\W\d_]\w*(?:[·*/][^\W\d_]\w*|\^-?\d|⁻?[¹²³])*|[%°Ω]"
)  # where nothing but a unit follows
_TEXT = re.compile(r'"[^"]*"')
# A fraction only in brackets: u^2/50 is the square over fifty.
_EXPONENT = re.compile(r"-?\d+(\.\d+)?|\(\s*-?\d+(\.\d+)?(\s*/\s*\d+(\.\d+)?)?\s*\)")
_OPERATOR = re.compile(r"<=|>=|==|!=|[<>+*/-]|(?:where|or|and)\b")
_KNOWN = re.compile(r'[\w\s+*/^()<>=!,."\[\]%°Ω·⁻-]')

BINDING = {"where": 1, "or": 2, "and": 3, "+": 6, "-": 6, "*": 7, "/": 7} | dict.fromkeys(("<", "<=", ">", ">=", "==", "!="), 5)
NOT, SIGN = 4, 8


@lru_cache(maxsize=2048)
def parse(text: str) -> tuple[str | None, Node]:
    """Return (name, expression): `p1 = u1 * i1` defines a name, `mean(p1)` only asks.

    Raises
    ------
    FormulaError
        Pointing at the first place that does not fit.
    """
    return _Parser(text).formula()


class _Parser:
    """Reads from left to right; one method per kind of part."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._at = self._after_space(0)
        self._depth = 0

    def _after_space(self, at: int) -> int:
        found = _SPACE.match(self._text, at)
        assert found is not None
        return found.end()

    def _take(self, pattern: re.Pattern[str]) -> BareWord | None:
        """Return what stands here and go behind it, or None where something else stands here."""
        found = pattern.match(self._text, self._at)
        if found is None:
            return None
        self._at = self._after_space(found.end())
        return BareWord(found.start(), found.end(), found[0])

    def _take_sign(self, sign: str) -> bool:
        if not self._text.startswith(sign, self._at):
            return False
        self._at = self._after_space(self._at + len(sign))
        return True

    def _take_keyword(self, word: str) -> bool:
        found = _WORD.match(self._text, self._at)
        return found is not None and found[0] == word and self._take_sign(word)

    def _need_sign(self, sign: str) -> None:
        if not self._take_sign(sign):
            raise self._misplaced()

    def _misplaced(self) -> FormulaError:
        """Return what is wrong with that which stands here."""
        start = self._at
        if start == len(self._text):
            return self._error(start, start, "the formula stops too early; a value, a name or a bracket is missing.")
        if not _KNOWN.match(self._text, start):
            return self._error(start, start + 1, "this character has no meaning here. Use + - * / ^ ( ) and names.")
        word = next((found for shape in (_WORD, _NUMBER, _OPERATOR) if (found := shape.match(self._text, start))), None)
        stop = word.end() if word is not None else start + 1
        return self._error(start, stop, "this does not fit here. Check for a missing operator or bracket before it.")

    def _error(self, start: int, stop: int, message: str) -> FormulaError:
        return FormulaError(self._text, start, stop, message)

    # parts

    def formula(self) -> tuple[str | None, Node]:
        """Return the name defined, if any, and the expression."""
        defined = _DEFINED.match(self._text, self._at)
        name = None
        if defined is not None and defined[1] not in _RESERVED:
            name = defined[1]
            self._at = self._after_space(defined.end())
        result = self._result()
        if self._at < len(self._text):
            raise self._misplaced()
        return name, result

    def _result(self) -> Node:
        """Return an expression, said in another unit perhaps."""
        expression = self._expression(0)
        if not self._take_keyword("to"):
            return expression
        asked = self._take(_COMPOSED)
        if asked is None:
            raise self._misplaced()
        return Converted(expression.start, asked.stop, expression, asked)

    def _expression(self, binding: int) -> Node:
        """Return all that is joined by operators that bind closer than `binding`."""
        left = self._operand()
        while (found := _OPERATOR.match(self._text, self._at)) and BINDING[found[0]] > binding:
            sign = self._take(_OPERATOR)
            assert sign is not None
            left = _joined(left, sign, self._expression(BINDING[sign.text]))
        return left

    def _operand(self) -> Node:
        self._depth += 1
        if self._depth > DEEPEST:
            message = f"more than {DEEPEST} brackets or functions stand within each other. Give parts names of their own."
            raise self._error(self._at, min(self._at + 1, len(self._text)), message)
        found = self._signed()
        self._depth -= 1
        return found

    def _signed(self) -> Node:
        start = self._at
        if self._take_keyword("not"):
            of = self._expression(NOT)
            return Not(start, of.stop, of)
        if self._take_sign("-"):
            of = self._expression(SIGN)
            return Negative(start, of.stop, of)
        if self._take_sign("+"):
            return self._expression(SIGN)
        of = self._atom()
        if not self._take_sign("^"):
            return of
        exponent = self._take(_EXPONENT)
        if exponent is None:
            raise self._misplaced()
        above, _, below = exponent.text.strip("()").replace(" ", "").partition("/")
        if below and not float(below):
            raise self._error(exponent.start, exponent.stop, "an exponent cannot be divided by zero.")
        return Power(of.start, exponent.stop, of, Fraction(above) / Fraction(below or "1"), exponent)

    def _atom(self) -> Node:
        if self._take_sign("("):
            inner = self._result()
            self._need_sign(")")
            return inner
        if (number := self._take(_NUMBER)) is not None:
            return self._number(number)
        if (quoted := self._take(_TEXT)) is not None:
            return Quoted(quoted.start, quoted.stop, quoted.text[1:-1])
        if self._text.startswith("[", self._at):
            return self._pairs()
        name = self._name()
        return self._call(name) if self._take_sign("(") else Name(name.start, name.stop, name.text)

    def _number(self, number: BareWord) -> Number:
        """Return a number with the unit behind it, if any."""
        following = _UNIT.match(self._text, self._at)
        unit = self._take(_UNIT) if following is not None and following[0] not in {*_RESERVED, "to"} else None
        return Number(number.start, unit.stop if unit is not None else number.stop, number.text, unit)

    def _signed_number(self) -> Number:
        number = self._take(_SIGNED)
        if number is None:
            raise self._misplaced()
        return self._number(number)

    def _pairs(self) -> Pairs:
        start = self._at
        self._need_sign("[")
        points = [(self._signed_number(), self._signed_number())]
        while self._take_sign(","):
            points.append((self._signed_number(), self._signed_number()))
        stop = self._at + 1
        self._need_sign("]")
        return Pairs(start, stop, tuple(points))

    def _name(self) -> BareWord:
        found = _WORD.match(self._text, self._at)
        if found is None or found[0] in _RESERVED:
            raise self._misplaced()
        self._take(_WORD)
        return BareWord(found.start(), found.end(), found[0])

    def _arguments(self) -> tuple[tuple[Node, ...], int]:
        """Return what stands between brackets, the first of which is passed, and where they end."""
        arguments: list[Node] = []
        if not self._text.startswith(")", self._at):
            arguments.append(self._result())
            while self._take_sign(","):
                arguments.append(self._result())
        stop = self._at + 1
        self._need_sign(")")
        return tuple(arguments), stop

    def _call(self, function: BareWord) -> Call:
        arguments, stop = self._arguments()
        interval = over = None
        if self._take_keyword("in"):
            interval = self._take(_TEXT) or self._name()
            stop = interval.stop
        elif self._take_keyword("over"):
            partition = self._name()
            told, stop = self._arguments() if self._take_sign("(") else ((), partition.stop)
            over = Pieces(partition.start, stop, partition, told)
        return Call(function.start, stop, function, arguments, interval, over)


def _joined(left: Node, sign: BareWord, right: Node) -> Node:
    """Return two operands joined; a chain grows by one link."""
    match sign.text:
        case "where":
            return Where(left.start, right.stop, left, right)
        case "and" | "or":
            return Both(left.start, right.stop, left, sign, right)
        case "+" | "-" | "*" | "/":
            if isinstance(left, ComparisonChain):
                return ComparisonChain(left.start, right.stop, left.first, (*left.links, ComparisonLink(sign, right)))
            return ComparisonChain(left.start, right.stop, left, (ComparisonLink(sign, right),))
        case _:
            return Comparison(left.start, right.stop, left, sign, right)


class CalledReading(msgspec.Struct, frozen=True):
    """A function called on channels by name, over an interval perhaps."""

    name: str
    channels: tuple[str, ...]
    interval: str | None


def single_reading(node: Node) -> CalledReading | None:
    """Return the one reading an expression consists of, or None where it is more than that."""
    if not isinstance(node, Call) or node.over is not None:
        return None
    named = [argument.text for argument in node.arguments if isinstance(argument, Name)]
    if len(named) < len(node.arguments):
        return None
    return CalledReading(node.function.text, tuple(named), plain(node.interval) if node.interval is not None else None)


def nodes_of(text: str) -> Iterator[Node]:
    """Yield all nodes of a formula; none of a text that cannot be read: compiling it says what is wrong."""
    try:
        expression = parse(text)[1]
    except FormulaError:
        return
    yield from walk(expression)


def plain(place: BareWord) -> str:
    """Return the name of an interval, without the quotation marks it may stand in."""
    return place.text.strip('"')
