"""Compile a formula: every node gets a kind and a unit before a sample is touched.

The result makes its value later, on request; making it cheap to check while the user types.
"""

import math
import operator
from collections.abc import Callable, Collection
from typing import Any

import numpy as np

from pantelos.errors import FormulaError, StudyError, UnitError
from pantelos.formula.compiled import Compiled, Kind, Types
from pantelos.formula.derived import Condition, Derived, Scalar, Series
from pantelos.formula.functions import SampleFunction, function_help, sample_function
from pantelos.formula.nodes import Both, Call, Chain, Comparison, Name, Negative, Node, Not, Number, Power, Where, Word, walk
from pantelos.formula.scope import Scope
from pantelos.formula.syntax import parse, plain
from pantelos.reading.alternating import cycle_frequency, frequency_errors
from pantelos.reading.kinds import reading_kind
from pantelos.reading.reading import ReadingKind, take
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.units import ONE, Unit, coherent, unit


def compile_formula(text: str, types: Types, places: Collection[str] | None = None) -> tuple[str | None, Compiled]:
    """Return (name defined or None, checked formula). `places` are the intervals there are; None leaves them unchecked.

    Raises
    ------
    FormulaError
        With the place in the text: unknown names, units that do not go together, misuse of a function.
    """
    name, expression = parse(text)
    return name, _Compiler(text, types, places).whole(expression)


def _divide(x: Any, y: Any, out: FloatArray | None = None) -> Any:
    """Return x over y; what is divided by zero has no value."""
    found = np.divide(x, y, out=out)
    if isinstance(found, np.ndarray):
        if np.any(np.asarray(y) == 0):
            found[np.broadcast_to(np.asarray(y) == 0, found.shape)] = np.nan
        return found
    return found if y != 0 else math.nan


_OPERATORS: dict[str, Any] = {"+": np.add, "-": np.subtract, "*": np.multiply, "/": _divide}
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
            steps.append((_OPERATORS[link.sign.text], left.unit))
        return Compiled(left.kind, left.unit, lambda scope: _chained([part.make(scope) for part in parts], steps))

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
        return Compiled(of.kind, of.unit, lambda scope: _map(np.negative, of.make(scope), of.unit))

    def _power(self, node: Power) -> Compiled:
        of = self._value(node.of, "calculated with")
        if abs(node.exponent) > _LARGEST_EXPONENT:
            raise self._fail(node.at, f"exponents go up to {_LARGEST_EXPONENT}.")
        result = of.unit**node.exponent
        power = float(node.exponent)
        return Compiled(of.kind, result, lambda scope: _map(lambda x: _power(x, power), of.make(scope), result))

    # conditions

    def _comparison(self, node: Comparison) -> Compiled:
        compared = "compared. Two limits are written as u1 > 1 V and u1 < 2 V"
        a, b = self._value(node.left, compared), self._value(node.right, compared)
        if not a.unit.like(b.unit):
            raise self._fail(node.sign, f"{a.unit.symbol} cannot be compared with {b.unit.symbol}.")
        test = _COMPARE[node.sign.text]

        def make(scope: Scope) -> Condition:
            x, y = _reader(a.make(scope)), _reader(b.make(scope))
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

    # functions and readings

    def _call(self, node: Call) -> Compiled:
        name = node.function.text
        self._check_place(node.interval)
        function, kind = sample_function(name), reading_kind(name)
        if node.cycles_of is not None and kind is None:
            raise self._fail(node, f"only readings are taken over cycles; {name} is none.")
        arguments = [self.visit(child) for child in node.arguments]
        if function is not None:
            self._check_count(node, 1)
            if node.interval is not None:
                raise self._fail(node.interval, f"{name} gives one value per sample; only readings are taken in an interval.")
            return self._sample_function(node, function, arguments[0])
        if kind is None:
            known = ", ".join(entry.name for entry in function_help())
            raise self._fail(node.function, f'there is no function "{name}". Known are: {known}.')
        self._check_reading(node, kind, arguments)
        if node.cycles_of is not None:
            return self._per_cycle(kind, arguments, node.cycles_of)
        used = tuple(dict.fromkeys(child.text for child in walk(node) if isinstance(child, Name)))
        return self._reading(kind, arguments, plain(node.interval) if node.interval is not None else None, used)

    def _check_place(self, place: Word | None) -> None:
        if place is not None and self._places is not None and plain(place) not in self._places:
            known = ", ".join(self._places)
            raise self._fail(place, f'there is no interval "{plain(place)}"' + (f"; there are {known}." if known else " yet."))

    def _sample_function(self, call: Call, function: SampleFunction, of: Compiled) -> Compiled:
        result = function.unit(of.unit)
        if of.kind is Kind.SCALAR:
            if function.scalar is None:
                raise self._fail(call, f"{function.name} needs a channel, not a single value.")
            scalar = function.scalar
            return Compiled(Kind.SCALAR, result, lambda scope: _map(scalar, of.make(scope), result))
        if of.kind is Kind.CONDITION:
            raise self._fail(call, f"{function.name} needs a channel, not a condition.")
        return Compiled(Kind.SIGNAL, result, lambda scope: function.apply(of.make(scope), result))

    def _check_count(self, call: Call, wanted: int) -> None:
        if (given := len(call.arguments)) != wanted:
            raise self._fail(call, f"{call.function.text} takes {wanted} argument{'s' if wanted > 1 else ''}, here are {given}.")

    def _check_reading(self, call: Call, kind: ReadingKind, arguments: list[Compiled]) -> None:
        self._check_count(call, len(kind.arguments))
        for child, argument in zip(call.arguments, arguments, strict=True):
            if argument.kind not in (Kind.SIGNAL, Kind.SERIES):
                raise self._fail(child, f"{kind.name} is taken of a channel, not of {argument.kind}.")

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

    def _per_cycle(self, kind: ReadingKind, arguments: list[Compiled], of: Name) -> Compiled:
        reference = of.text
        if reference not in self._types:
            raise self._fail(of, f'there is no channel "{reference}" to take cycles from.')
        result = kind.unit(arguments[0].unit)

        def make(scope: Scope) -> Series:
            waves = [argument.make(scope) for argument in arguments]
            cycles = scope.cycles(reference)
            if len(cycles.crossings) < 2:
                raise StudyError(
                    f'"{reference}" shows no cycles in this record: {cycles.why_not}. Choose an alternating channel.'
                )
            if kind.own_cycles:
                if arguments[0].name is None:
                    raise StudyError(f"{kind.name} over cycles needs a channel with a name. Give the expression a name first.")
                found = cycle_frequency(scope.cycles(arguments[0].name), cycles)
            else:
                found = kind.series(waves, cycles, scope.origin_s)
            values = np.where(cycles.whole, found, np.nan)
            value_u = frequency_errors(values, cycles) if kind.own_cycles else None
            return Series(values, cycles.crossings, result, waves[0].n_samples, waves[0].rate_hz, value_u=value_u)

        return Compiled(Kind.SERIES, result, make)


def _wider(left: Kind, right: Kind) -> Kind:
    """Return the kind of a combination: samples prevail over cycles, cycles over single values."""
    for kind in (Kind.SIGNAL, Kind.SERIES):
        if kind in (left, right):
            return kind
    return Kind.SCALAR


def _reader(value: Waveform | Scalar) -> Callable[[int, int], Any]:
    if isinstance(value, Scalar):
        number = value.value
        return lambda start, stop: number
    return value.read


def _power(x: Any, exponent: float) -> Any:
    """Return x to a power; where that is no real number, or one over zero, there is no value."""
    with np.errstate(all="ignore"):
        found = np.power(np.asarray(x, dtype=np.float64), exponent)
    return np.where(np.isfinite(found), found, np.nan)[()]


def _chained(values: list[Any], steps: list[tuple[Any, Unit]]) -> Any:
    """Return values joined from left to right; from the first waveform on, all of them block by block in one go."""
    result, at = values[0], 1
    while at < len(values) and (len(values) == 2 or not any(_sampled(x) for x in (result, values[at]))):
        result = _combine(steps[at - 1][0], result, values[at], steps[at - 1][1])
        at += 1
    if at == len(values):
        return result
    rest, functions = values[at:], [function for function, _ in steps[at - 1 :]]
    first, readers = _reader(result), [_reader(value) for value in rest]
    waves = [x for x in (result, *rest) if not isinstance(x, Scalar)]

    def compute(start: int, stop: int) -> FloatArray:
        total = (
            np.array(first(start, stop), dtype=np.float64)
            if not isinstance(result, Scalar)
            else np.full(stop - start, result.value)
        )
        for function, read in zip(functions, readers, strict=True):
            function(total, read(start, stop), out=total)
        return total

    masked = any(wave.masked for wave in waves)
    return Derived(compute, steps[-1][1], waves[0].n_samples, waves[0].rate_hz, masked)


def _sampled(value: Any) -> bool:
    """Return whether a value has samples that are computed on request."""
    return not isinstance(value, Scalar | Series)


def _combine(function: Any, left: Any, right: Any, result: Unit) -> Any:
    """Return left and right joined by a NumPy function, as wide as the wider of them."""
    if isinstance(left, Scalar) and isinstance(right, Scalar):
        with np.errstate(all="ignore"):
            found = float(function(np.float64(left.value), np.float64(right.value)))
            moved = [
                float(function(np.float64(left.value + left.method_u), np.float64(right.value))),
                float(function(np.float64(left.value), np.float64(right.value + right.method_u))),
            ]
        explained = left.explained + right.explained
        if not math.isfinite(found):
            known = math.isfinite(left.value) and math.isfinite(right.value)
            return Scalar(math.nan, result, (*explained, "not given: it is divided by zero") if known else explained)
        return Scalar(
            found, result, explained, math.hypot(*(m - found for m in moved)) if all(map(math.isfinite, moved)) else 0.0
        )
    for one, other in ((left, right), (right, left)):
        same = isinstance(other, Series) and isinstance(one, Series) and np.array_equal(one.edges, other.edges)
        if isinstance(one, Series) and (isinstance(other, Scalar) or same):
            values = function(_values(left), _values(right))
            return Series(values, one.edges, result, one.n_samples, one.rate_hz)
    x, y = _reader(left), _reader(right)
    wave = right if isinstance(left, Scalar) else left
    masked = any(x.masked for x in (left, right) if not isinstance(x, Scalar))
    into = lambda a, b, out: function(x(a, b), y(a, b), out=out)  # noqa: E731
    return Derived(lambda a, b: function(x(a, b), y(a, b)), result, wave.n_samples, wave.rate_hz, masked, into)


def _values(value: Series | Scalar) -> Any:
    return value.values if isinstance(value, Series) else value.value


def _map(function: Callable[[Any], Any], of: Any, result: Unit) -> Any:
    """Return a function of one operand, of the operand's own kind."""
    if isinstance(of, Scalar):
        found, moved = float(function(of.value)), float(function(of.value + of.method_u))
        return Scalar(found, result, of.explained, abs(moved - found) if math.isfinite(moved) else 0.0)
    if isinstance(of, Series):
        return Series(function(of.values), of.edges, result, of.n_samples, of.rate_hz)
    return Derived(lambda a, b: function(of.read(a, b)), result, of.n_samples, of.rate_hz, of.masked)
