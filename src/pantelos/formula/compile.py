"""Compile a formula: every node gets a kind and a unit before a sample is touched.

The result makes its value later, on request; making it cheap to check while the user types.
"""

import operator
from collections.abc import Callable, Collection
from typing import Any

import numpy as np

from pantelos.errors import FormulaError, StudyError, UnitError
from pantelos.formula.arithmetic import OPERATORS, chained, mapped, power, reader, relabelled
from pantelos.formula.compiled import Compiled, Kind, Types
from pantelos.formula.derived import Blocks, Condition, Derived, Scalar
from pantelos.formula.functions import Function, all_functions, function_named
from pantelos.formula.functions.function import Given
from pantelos.formula.functions.partitions import PARTITIONS
from pantelos.formula.nodes import (
    Both,
    Call,
    Chain,
    Comparison,
    Converted,
    Name,
    Negative,
    Node,
    Not,
    Number,
    Pieces,
    Power,
    Where,
    Word,
    walk,
)
from pantelos.formula.scope import Scope
from pantelos.formula.syntax import parse, plain
from pantelos.reading.alternating import frequency_errors, piece_frequency
from pantelos.reading.reading import ReadingKind, take
from pantelos.units import ONE, coherent, unit


def compile_formula(text: str, types: Types, places: Collection[str] | None = None) -> tuple[str | None, Compiled]:
    """Return (name defined or None, checked formula). `places` are the intervals there are; None leaves them unchecked.

    Raises
    ------
    FormulaError
        With the place in the text: unknown names, units that do not go together, misuse of a function.
    """
    name, expression = parse(text)
    return name, _Compiler(text, types, places).whole(expression)


_LARGEST_EXPONENT = 32
_COMPARE = {"<": operator.lt, ">": operator.gt, "<=": operator.le, ">=": operator.ge, "==": operator.eq, "!=": operator.ne}


class _Compiler:
    """Walks the nodes; one method per kind of node."""

    def __init__(self, text: str, types: Types, places: Collection[str] | None) -> None:
        self._text, self._types, self._places = text, types, places
        self._methods: dict[type[Node], Callable[[Any], Compiled]] = {
            Number: self._number,
            Name: self._name,
            Chain: self._chain,
            Negative: self._negative,
            Power: self._power,
            Comparison: self._comparison,
            Both: self._both,
            Not: self._not,
            Where: self._where,
            Converted: self._converted,
            Call: self._call,
        }

    def whole(self, node: Node) -> Compiled:
        """Return a whole formula compiled."""
        found = self.visit(node)
        if found.kind is Kind.CONDITION:
            raise self._fail(node, "a condition alone has no value. Write what it chooses before it, such as u1 where u1 > 5 V.")
        return found

    def visit(self, node: Node) -> Compiled:
        return self._methods[type(node)](node)

    def _value(self, node: Node, doing: str) -> Compiled:
        """Return an operand compiled, which is no condition."""
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
        value = float(node.digits) * given.factor
        shown = coherent(given.dimension)
        return Compiled(Kind.SCALAR, shown, lambda scope: Scalar(value, shown))

    def _name(self, node: Name) -> Compiled:
        name = node.text
        if name not in self._types:
            known = ", ".join(sorted(self._types)[:12])
            raise self._fail(node, f'there is no channel or formula "{name}". Known are: {known}.')
        kind, given = self._types[name]
        return Compiled(kind, given, lambda scope: scope.resolve(name), name)

    # arithmetic

    def _chain(self, node: Chain) -> Compiled:
        left = self._value(node.first, "calculated with")
        parts, steps = [left], []
        for link in node.links:
            right = self._value(link.operand, "calculated with")
            left = self._joined(link.sign, left, right)
            parts.append(right)
            steps.append((OPERATORS[link.sign.text], left.unit))
        return Compiled(left.kind, left.unit, lambda scope: chained([part.make(scope) for part in parts], steps))

    def _joined(self, sign: Word, left: Compiled, right: Compiled) -> Compiled:
        """Return kind and unit of two operands joined."""
        if sign.text in "+-":
            if not left.unit.like(right.unit):
                alike = f"{left.unit.symbol} and {right.unit.symbol} do not measure the same"
                raise self._fail(sign, f"{alike} and cannot be added, subtracted or compared.")
            result = left.unit if left.unit.symbol != "1" else right.unit
        else:
            result = left.unit * right.unit if sign.text == "*" else left.unit / right.unit
            if not right.unit.dimension and right.unit == ONE:
                result = left.unit
            elif sign.text == "*" and left.unit == ONE:
                result = right.unit
        return Compiled(_wider(left.kind, right.kind), result, left.make)

    def _negative(self, node: Negative) -> Compiled:
        of = self._value(node.of, "calculated with")
        return Compiled(of.kind, of.unit, lambda scope: mapped(np.negative, of.make(scope), of.unit))

    def _power(self, node: Power) -> Compiled:
        of = self._value(node.of, "calculated with")
        if abs(node.exponent) > _LARGEST_EXPONENT:
            raise self._fail(node.at, f"exponents go up to {_LARGEST_EXPONENT}.")
        result = of.unit**node.exponent
        exponent = float(node.exponent)
        return Compiled(of.kind, result, lambda scope: mapped(lambda x: power(x, exponent), of.make(scope), result))

    # conditions

    def _comparison(self, node: Comparison) -> Compiled:
        compared = "compared. Two limits are written as u1 > 1 V and u1 < 2 V"
        a, b = self._value(node.left, compared), self._value(node.right, compared)
        if not a.unit.like(b.unit):
            raise self._fail(node.sign, f"{a.unit.symbol} cannot be compared with {b.unit.symbol}.")
        test = _COMPARE[node.sign.text]

        def make(scope: Scope) -> Condition:
            x, y = reader(a.make(scope)), reader(b.make(scope))
            return Condition(lambda start, stop: test(x(start, stop), y(start, stop)))

        return Compiled(Kind.CONDITION, ONE, make)

    def _both(self, node: Both) -> Compiled:
        left, right = (self._condition(child, node.sign.text) for child in node.parts())
        join = np.logical_or if node.sign.text == "or" else np.logical_and

        def make(scope: Scope) -> Condition:
            x, y = left.make(scope), right.make(scope)
            return Condition(lambda a, b: join(x.test(a, b), y.test(a, b)))

        return Compiled(Kind.CONDITION, ONE, make)

    def _not(self, node: Not) -> Compiled:
        of = self._condition(node.of, "not")

        def make(scope: Scope) -> Condition:
            condition = of.make(scope)
            return Condition(lambda a, b: np.logical_not(condition.test(a, b)))

        return Compiled(Kind.CONDITION, ONE, make)

    def _where(self, node: Where) -> Compiled:
        of, condition = self._value(node.of, "masked"), self._condition(node.condition, "where")
        if of.kind is Kind.SCALAR:
            raise self._fail(node.of, "where leaves out samples, but this is a single value.")

        def make(scope: Scope) -> Derived:
            wave, kept = of.make(scope), condition.make(scope)
            return Derived(
                lambda a, b: np.where(kept.test(a, b), wave.read(a, b), np.nan),
                of.unit,
                wave.n_samples,
                wave.rate_hz,
                masked=True,
            )

        return Compiled(Kind.SIGNAL, of.unit, make)

    def _converted(self, node: Converted) -> Compiled:
        of = self._value(node.of, "converted")
        try:
            shown = unit(node.unit.text.strip("[]"))
        except UnitError as cause:
            raise self._fail(node.unit, str(cause)) from cause
        if not of.unit.like(shown):
            raise self._fail(node.unit, f"{of.unit.symbol} cannot be shown in {shown.symbol}: they do not measure the same.")
        return Compiled(of.kind, shown, lambda scope: relabelled(of.make(scope), shown))

    # functions and readings

    def _call(self, node: Call) -> Compiled:
        name = node.function.text
        self._check_place(node.interval)
        function = function_named(name)
        if function is None:
            known = ", ".join(entry.name for entry in all_functions())
            raise self._fail(node.function, f'there is no function "{name}". Known are: {known}.')
        if node.over is not None and function.reading is None:
            raise self._fail(node, f"only readings are taken over {node.over.partition.text}; {name} is none.")
        if node.interval is not None and function.reading is None:
            raise self._fail(node.interval, f"{name} gives one value per sample; only readings are taken in an interval.")
        arguments = self._arguments(node, function)
        if function.reading is None:
            try:
                return self._sample_by_sample(function, arguments)
            except UnitError as cause:
                raise self._fail(node, str(cause)) from cause
        if node.over is not None:
            return self._per_piece(function.reading, arguments, node.over)
        used = tuple(dict.fromkeys(child.text for child in walk(node) if isinstance(child, Name)))
        return self._reading(function.reading, arguments, plain(node.interval) if node.interval is not None else None, used)

    def _check_place(self, place: Word | None) -> None:
        if place is not None and self._places is not None and plain(place) not in self._places:
            known = ", ".join(self._places)
            raise self._fail(place, f'there is no interval "{plain(place)}"' + (f"; there are {known}." if known else " yet."))

    def _arguments(self, call: Call, function: Function) -> list[Compiled]:
        """Return the arguments of a call compiled and held to the parameters of its function; defaults where left out."""
        arguments = [self.visit(child) for child in call.arguments]
        given, most = len(arguments), len(function.parameters)
        if not function.least <= given <= most:
            wanted = f"{most}" if function.least == most else f"{function.least} to {most}"
            raise self._fail(call, f"{function.name} takes {wanted} argument{'s' if most > 1 else ''}, here are {given}.")
        for child, argument, parameter in zip(call.arguments, arguments, function.parameters, strict=False):
            if argument.kind not in parameter.takes:
                if function.reading is not None:
                    raise self._fail(child, f"{function.name} is taken of {parameter.wanted}, not of {argument.kind}.")
                raise self._fail(child, f"{function.name} needs {parameter.wanted}, not {argument.kind}.")
            if parameter.unit is not None and not argument.unit.like(parameter.unit):
                raise self._fail(
                    child,
                    f"{parameter.name} of {function.name} is in {parameter.unit.symbol}, this is in {argument.unit.symbol}.",
                )
        for parameter in function.parameters[given:]:
            left_out = parameter.default
            assert left_out is not None
            arguments.append(Compiled(Kind.SCALAR, left_out.unit, lambda scope, value=left_out: value))  # type: ignore[misc]
        return arguments

    def _sample_by_sample(self, function: Function, arguments: list[Compiled]) -> Compiled:
        result = function.unit([argument.unit for argument in arguments])
        kind = Kind.SCALAR if all(argument.kind is Kind.SCALAR for argument in arguments) else Kind.SIGNAL
        kernel = function.make
        assert kernel is not None
        return Compiled(kind, result, lambda scope: kernel(Given(tuple(one.make(scope) for one in arguments), result)))

    def _reading(self, kind: ReadingKind, arguments: list[Compiled], interval: str | None, used: tuple[str, ...]) -> Compiled:
        channels = tuple(argument.name or "" for argument in arguments)

        def make(scope: Scope) -> Scalar:
            place = scope.interval_name(interval)
            stretch = scope.stretch(kind, channels, interval, used)
            waves = [argument.make(scope) for argument in arguments]
            reading = take(kind, waves, stretch)
            where = f'{kind.title} in "{place}", {reading.place(waves[0].rate_hz)}; {reading.method}'
            said = [f"{kind.title} is not given: {reading.why_not}"] if reading.why_not else []
            return Scalar(reading.value, reading.unit, (where, *said, *reading.remarks), reading.method_u)

        return Compiled(Kind.SCALAR, kind.unit(arguments[0].unit), make)

    def _per_piece(self, kind: ReadingKind, arguments: list[Compiled], over: Pieces) -> Compiled:
        pieces, channel = PARTITIONS.get(over.partition.text), over.of.text
        if pieces is None:
            known = ", ".join(PARTITIONS.names)
            raise self._fail(over.partition, f'there is no partition "{over.partition.text}"; readings are taken over {known}.')
        if channel not in self._types:
            raise self._fail(over.of, f'there is no channel "{channel}" to take {pieces.name} from.')
        result, chosen = kind.unit(arguments[0].unit), pieces

        def make(scope: Scope) -> Blocks:
            waves = [argument.make(scope) for argument in arguments]
            partition = chosen.of(scope, channel)
            if kind.own_cycles:
                if arguments[0].name is None:
                    raise StudyError(
                        f"{kind.name} over {chosen.name} needs a channel with a name. Give the expression a name first."
                    )
                found = piece_frequency(scope.cycles(arguments[0].name), partition)
            else:
                found = kind.over(waves, partition, scope.origin_s)
            values = np.where(partition.whole, found, np.nan)
            return Blocks(values, partition, result, value_u=frequency_errors(values, partition) if kind.own_cycles else None)

        return Compiled(Kind.SERIES, result, make)


def _wider(left: Kind, right: Kind) -> Kind:
    """Return the kind of a combination: samples prevail over cycles, cycles over single values."""
    for kind in (Kind.SIGNAL, Kind.SERIES):
        if kind in (left, right):
            return kind
    return Kind.SCALAR
