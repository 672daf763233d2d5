"""Compile a formula: every node gets a kind and a unit before a sample is touched.

The result makes its value later, on request; making it cheap to check while the user types.
"""

import operator
from collections.abc import Callable
from typing import Any

import numpy as np

from pantelos.errors import FormulaError, UnitError
from pantelos.formula.arithmetic import OPERATORS, chained, mapped, of_operands, operand, power, relabelled
from pantelos.formula.calls import Calls
from pantelos.formula.compiled import Compiled, Kind, Known
from pantelos.formula.derived import Condition, Derived, Scalar
from pantelos.formula.nodes import (
    BareWord,
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
    Power,
    Quoted,
    Where,
)
from pantelos.formula.scope import Scope
from pantelos.formula.spelling import meant
from pantelos.formula.syntax import parse
from pantelos.record.waveform import LeftOut
from pantelos.units import ONE, Unit, coherent, turned, unit


def compile_formula(text: str, known: Known) -> tuple[str | None, Compiled]:
    """Return (name defined or None, checked formula).

    Raises
    ------
    FormulaError
        With the place in the text: unknown names, units that do not go together, misuse of a function.
    """
    if len(text) > LONGEST:
        raise FormulaError(
            text, LONGEST, len(text), f"a formula has at most {LONGEST} characters. Give parts names of their own."
        )
    name, expression = parse(text)
    return name, _Compiler(text, known).whole(expression)


_LARGEST_EXPONENT = 32
LONGEST = 10_000  # characters of a formula
_COMPARE = {"<": operator.lt, ">": operator.gt, "<=": operator.le, ">=": operator.ge, "==": operator.eq, "!=": operator.ne}


class _Compiler:
    """Walks the nodes; one method per kind of node."""

    def __init__(self, text: str, known: Known) -> None:
        self._text, self._known = text, known
        self._calls = Calls(text, known, self.operand)
        self._methods: dict[type[Node], Callable[[Any], Compiled]] = {
            Number: self._number,
            Name: self._name,
            ComparisonChain: self._chain,
            Negative: self._negative,
            Power: self._power,
            Comparison: self._comparison,
            Both: self._both,
            Not: self._not,
            Where: self._where,
            Converted: self._converted,
            Call: self._calls.compiled,
            Quoted: self._quoted,
            Pairs: self._lone_pairs,
        }

    def whole(self, node: Node) -> Compiled:
        """Return a whole formula compiled."""
        found = self.visit(node)
        if found.kind is Kind.CONDITION:
            raise self._fail(node, "a condition alone has no value. Write what it chooses before it, such as u1 where u1 > 5 V.")
        return found

    def visit(self, node: Node) -> Compiled:
        return self._methods[type(node)](node)

    def operand(self, node: Node, doing: str) -> Compiled:
        """Return an operand compiled, which is no condition; `doing` is what is done with it."""
        found = self.visit(node)
        if found.kind is Kind.CONDITION:
            raise self._fail(node, f"a condition cannot be {doing}.")
        return found

    def _condition(self, node: Node, word: str) -> Compiled:
        found = self.visit(node)
        if found.kind is not Kind.CONDITION:
            raise self._fail(node, f"{word} needs a condition here, such as u1 > 5 V.")
        return found

    def _fail(self, node: Node, message: str) -> FormulaError:
        return FormulaError(self._text, node.start, node.stop, message)

    # leaves

    def _number(self, node: Number) -> Compiled:
        try:
            given = unit(node.unit.text) if node.unit is not None else ONE
        except UnitError as cause:
            raise self._fail(node.unit or node, str(cause)) from cause
        value = float(node.digits.replace(" ", "")) * given.factor
        # 5 mV beside volts are volts; a level in %, an angle or a speed of rotation stays what it was typed in.
        keeps = given.symbol in {"%", "°C"} or any(base in ("radian", "cycle") for base, _ in given.dimension)
        shown = given if keeps else coherent(given.dimension)
        return Compiled(Kind.SCALAR, shown, lambda scope: Scalar(value, shown))

    def _name(self, node: Name) -> Compiled:
        name = node.text
        if name not in self._known.types:
            raise self._fail(node, f'there is no channel or formula "{name}"{meant(name, sorted(self._known.types))}')
        kind, given = self._known.types[name]
        return Compiled(kind, given, lambda scope: scope.resolve(name), name)

    def _quoted(self, node: Quoted) -> Compiled:
        raise self._fail(node, "a name in quotation marks stands behind in, or where a function asks for an interval or events.")

    def _lone_pairs(self, node: Pairs) -> Compiled:
        raise self._fail(node, "points stand in lookup only: lookup(x, [0 V 20 degC, 5 V 80 degC]).")

    # arithmetic

    def _chain(self, node: ComparisonChain) -> Compiled:
        left = self.operand(node.first, "calculated with")
        parts, steps = [left], []
        for link in node.links:
            right = self.operand(link.operand, "calculated with")
            left = self._joined(link.sign, left, right)
            parts.append(right)
            steps.append((OPERATORS[link.sign.text], left.unit))
        return Compiled(left.kind, left.unit, lambda scope: chained([part.make(scope) for part in parts], steps))

    def _joined(self, sign: BareWord, left: Compiled, right: Compiled) -> Compiled:
        """Return kind and unit of two operands joined."""
        if sign.text in "+-":
            if not left.unit.like(right.unit):
                alike = f"{left.unit.symbol} and {right.unit.symbol} do not measure the same"
                raise self._fail(sign, f"{alike} and cannot be added, subtracted or compared.")
            result = left.unit if left.unit.symbol != "1" and right.kind is Kind.SCALAR else _shared(left, right)
        else:
            result = left.unit * right.unit if sign.text == "*" else left.unit / right.unit
            if not right.unit.dimension and right.unit == ONE:
                result = left.unit
            elif sign.text == "*" and left.unit == ONE:
                result = right.unit
        return Compiled(_wider(left.kind, right.kind), result, left.make)

    def _negative(self, node: Negative) -> Compiled:
        of = self.operand(node.of, "calculated with")
        return Compiled(of.kind, of.unit, lambda scope: mapped(np.negative, of.make(scope), of.unit))

    def _power(self, node: Power) -> Compiled:
        of = self.operand(node.of, "calculated with")
        if abs(node.exponent) > _LARGEST_EXPONENT:
            raise self._fail(node.at, f"exponents go up to {_LARGEST_EXPONENT}.")
        result = of.unit**node.exponent
        exponent = float(node.exponent)
        return Compiled(of.kind, result, lambda scope: mapped(lambda x: power(x, exponent), of.make(scope), result))

    # conditions

    def _comparison(self, node: Comparison) -> Compiled:
        compared = "compared. Two limits are written as u1 > 1 V and u1 < 2 V"
        a, b = self.operand(node.left, compared), self.operand(node.right, compared)
        if not a.unit.like(b.unit):
            raise self._fail(node.sign, f"{a.unit.symbol} cannot be compared with {b.unit.symbol}.")
        test = _COMPARE[node.sign.text]

        def make(scope: Scope) -> Condition:
            x, y = operand(a.make(scope)), operand(b.make(scope))
            return Condition(lambda stretch: test(x(stretch), y(stretch)))

        return Compiled(Kind.CONDITION, ONE, make)

    def _both(self, node: Both) -> Compiled:
        left, right = (self._condition(child, node.sign.text) for child in node.parts())
        join = np.logical_or if node.sign.text == "or" else np.logical_and

        def make(scope: Scope) -> Condition:
            x, y = left.make(scope), right.make(scope)
            return Condition(lambda stretch: join(x.test(stretch), y.test(stretch)))

        return Compiled(Kind.CONDITION, ONE, make)

    def _not(self, node: Not) -> Compiled:
        of = self._condition(node.of, "not")

        def make(scope: Scope) -> Condition:
            condition = of.make(scope)
            return Condition(lambda stretch: np.logical_not(condition.test(stretch)))

        return Compiled(Kind.CONDITION, ONE, make)

    def _where(self, node: Where) -> Compiled:
        of, condition = self.operand(node.of, "masked"), self._condition(node.condition, "where")
        if of.kind is Kind.SCALAR:
            raise self._fail(node.of, "where leaves out samples, but this is a single value.")

        def make(scope: Scope) -> Derived:
            wave, kept = of.make(scope), condition.make(scope)
            value = operand(wave)
            return of_operands(
                lambda stretch: np.where(kept.test(stretch), value(stretch), np.nan), wave, of.unit, LeftOut.SAMPLES
            )

        return Compiled(Kind.SIGNAL, of.unit, make)

    def _converted(self, node: Converted) -> Compiled:
        of = self.operand(node.of, "converted")
        try:
            shown = unit(node.unit.text.strip("[]"))
        except UnitError as cause:
            raise self._fail(node.unit, str(cause)) from cause
        turns = turned(of.unit, shown)
        if turns is None:
            hint = _hint(of.unit, shown)
            raise self._fail(
                node.unit, f"{of.unit.symbol} cannot be shown in {shown.symbol}: they do not measure the same.{hint}"
            )

        def make(scope: Scope) -> Any:
            found = of.make(scope)
            return relabelled(found if turns == 1.0 else mapped(lambda x: x * turns, found, shown), shown)

        return Compiled(of.kind, shown, make)


def _hint(own: Unit, shown: Unit) -> str:
    """Return what is mostly meant where a power is asked for, as another sentence."""
    if not shown.like(unit("W")):
        return ""
    if own.symbol == "W/rad":
        return " Torque times frequency lacks 2π: shaft_power(M, n) is the power."
    if own.like(unit("V") * unit("V")):
        return " A square of volts is a power over a resistance only: divide by it, such as / (0.25 ohm)."
    if own.like(unit("A") * unit("A")):
        return " A square of amperes is a power with a resistance only: multiply by it, such as * 0.25 ohm."
    return ""


def _shared(left: Compiled, right: Compiled) -> Unit:
    """Return the unit of a sum: that of the first operand with samples, pure numbers last."""
    if left.kind is Kind.SCALAR and right.kind is not Kind.SCALAR and right.unit.symbol != "1":
        return right.unit
    return left.unit if left.unit.symbol != "1" else right.unit


def _wider(left: Kind, right: Kind) -> Kind:
    """Return the kind of a combination: samples prevail over cycles, cycles over single values."""
    for kind in (Kind.SIGNAL, Kind.SERIES):
        if kind in (left, right):
            return kind
    return Kind.SCALAR
