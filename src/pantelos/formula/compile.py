"""Compile a formula: every node gets a kind and a unit before a sample is touched.

The result makes its value later, on request; making it cheap to check while the user types.
"""

import math
import operator
from collections.abc import Callable, Collection
from fractions import Fraction
from typing import Any

import numpy as np
from lark import Token, Tree

from pantelos.errors import FormulaError, StudyError, UnitError
from pantelos.formula.compiled import Compiled, Kind, Types
from pantelos.formula.derived import Condition, Derived, Scalar, Series
from pantelos.formula.functions import SampleFunction, function_help, sample_function
from pantelos.formula.scope import Scope
from pantelos.formula.syntax import parse, span
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
    name, tree = parse(text)
    return name, _Compiler(text, types, places).visit(tree)


def _divide(x: Any, y: Any, out: FloatArray | None = None) -> Any:
    """Return x over y; what is divided by zero has no value."""
    found = np.divide(x, y, out=out)
    if isinstance(found, np.ndarray):
        if np.any(np.asarray(y) == 0):
            found[np.broadcast_to(np.asarray(y) == 0, found.shape)] = np.nan
        return found
    return found if y != 0 else math.nan


_OPERATORS: dict[str, Any] = {"add": np.add, "subtract": np.subtract, "multiply": np.multiply, "divide": _divide}
_DEEPEST = 100  # brackets and functions within each other
_LARGEST_EXPONENT = 32
_COMPARE = {"<": operator.lt, ">": operator.gt, "<=": operator.le, ">=": operator.ge, "==": operator.eq, "!=": operator.ne}


class _Compiler:
    """Walks the tree; one method per kind of node, named as the grammar names it."""

    def __init__(self, text: str, types: Types, places: Collection[str] | None) -> None:
        self._text, self._types, self._places = text, types, places
        self._depth = 0

    def visit(self, node: Tree[Token]) -> Compiled:
        method: Callable[[Tree[Token]], Compiled] = getattr(self, f"_{node.data}")
        self._depth += 1
        if self._depth > _DEEPEST:
            raise self._fail(
                node, f"more than {_DEEPEST} brackets or functions stand within each other. Give parts names of their own."
            )
        found = method(node)
        self._depth -= 1
        return found

    def _fail(self, node: Tree[Token] | Token, message: str) -> FormulaError:
        return FormulaError(self._text, *span(node), message)

    # leaves

    def _literal(self, node: Tree[Token]) -> Compiled:
        number, symbol = node.children
        try:
            given = unit(str(symbol)) if symbol is not None else ONE
        except UnitError as cause:
            raise self._fail(symbol, str(cause)) from cause
        value = float(str(number)) * given.factor
        shown = coherent(given.dimension)
        return Compiled(Kind.SCALAR, shown, lambda scope: Scalar(value, shown))

    def _name(self, node: Tree[Token]) -> Compiled:
        name = str(node.children[0])
        if name not in self._types:
            known = ", ".join(sorted(self._types)[:12])
            raise self._fail(node, f'there is no channel or formula "{name}". Known are: {known}.')
        kind, given = self._types[name]
        return Compiled(kind, given, lambda scope: scope.resolve(name), name)

    # arithmetic

    def _binary(self, node: Tree[Token]) -> Compiled:
        """Compile a chain such as a + b - c: however long, it is one step deep."""
        links: list[Tree[Token]] = []
        while isinstance(node, Tree) and node.data in _OPERATORS:
            links.append(node)
            node = node.children[0]
        first = self._operand(node)
        parts, steps, left = [first], [], first
        for link in links[::-1]:
            right = self._operand(link.children[1])
            left = self._joined(link, left, right)
            parts.append(right)
            steps.append((_OPERATORS[str(link.data)], left.unit))
        return Compiled(left.kind, left.unit, lambda scope: _chained([part.make(scope) for part in parts], steps))

    def _operand(self, node: Tree[Token]) -> Compiled:
        found = self.visit(node)
        if found.kind is Kind.CONDITION:
            raise self._fail(node, "a condition cannot be calculated with.")
        return found

    def _joined(self, node: Tree[Token], left: Compiled, right: Compiled) -> Compiled:
        """Return kind and unit of two operands joined."""
        name = str(node.data)
        if name in ("add", "subtract"):
            self._check_alike(node, left, right)
            result = left.unit if left.unit.symbol != "1" else right.unit
        else:
            result = left.unit * right.unit if name == "multiply" else left.unit / right.unit
            if not right.unit.dimension and right.unit == ONE:
                result = left.unit
            elif name == "multiply" and left.unit == ONE:
                result = right.unit
        return Compiled(_wider(left.kind, right.kind), result, left.make)

    _add = _subtract = _multiply = _divide = _binary

    def _check_alike(self, node: Tree[Token], left: Compiled, right: Compiled) -> None:
        if left.unit.like(right.unit):
            return
        start, stop = span(node.children[0])[1], span(node.children[1])[0]
        start += len(self._text[start:stop]) - len(self._text[start:stop].lstrip(" )"))
        raise FormulaError(self._text, start, start + 1,
                           f"{left.unit.symbol} and {right.unit.symbol} do not measure the same and cannot be "
                           "added, subtracted or compared.")  # fmt: skip

    def _negative(self, node: Tree[Token]) -> Compiled:
        (of,) = (self.visit(child) for child in node.children)
        return Compiled(of.kind, of.unit, lambda scope: _map(np.negative, of.make(scope), of.unit))

    def _signed(self, node: Tree[Token]) -> Compiled:
        return self.visit(node.children[0])

    def _power(self, node: Tree[Token]) -> Compiled:
        of = self._operand(node.children[0])
        above, _, below = str(node.children[1]).strip("()").replace(" ", "").partition("/")
        if below and not float(below):
            raise self._fail(node.children[1], "an exponent cannot be divided by zero.")
        exponent = Fraction(above) / Fraction(below or "1")
        if abs(exponent) > _LARGEST_EXPONENT:
            raise self._fail(node.children[1], f"exponents go up to {_LARGEST_EXPONENT}.")
        result = of.unit**exponent
        power = float(exponent)
        return Compiled(of.kind, result, lambda scope: _map(lambda x: _power(x, power), of.make(scope), result))

    # conditions

    def _compare(self, node: Tree[Token]) -> Compiled:
        left, sign, right = node.children
        a, b = self.visit(left), self.visit(right)
        if not a.unit.like(b.unit):
            raise self._fail(sign, f"{a.unit.symbol} cannot be compared with {b.unit.symbol}.")
        test = _COMPARE[str(sign)]

        def make(scope: Scope) -> Condition:
            x, y = _reader(a.make(scope)), _reader(b.make(scope))
            return Condition(lambda start, stop: test(x(start, stop), y(start, stop)))

        return Compiled(Kind.CONDITION, ONE, make)

    def _logical(self, node: Tree[Token]) -> Compiled:
        left, right = (self.visit(child) for child in node.children)
        join = np.logical_or if node.data == "either" else np.logical_and

        def make(scope: Scope) -> Condition:
            x, y = left.make(scope), right.make(scope)
            return Condition(lambda a, b: join(x.test(a, b), y.test(a, b)))

        return Compiled(Kind.CONDITION, ONE, make)

    _either = _both = _logical

    def _negated(self, node: Tree[Token]) -> Compiled:
        of = self.visit(node.children[0])

        def make(scope: Scope) -> Condition:
            condition = of.make(scope)
            return Condition(lambda a, b: np.logical_not(condition.test(a, b)))

        return Compiled(Kind.CONDITION, ONE, make)

    def _where(self, node: Tree[Token]) -> Compiled:
        of, condition = (self.visit(child) for child in node.children)
        if of.kind is Kind.SCALAR:
            raise self._fail(node.children[0], "where leaves out samples, but this is a single value.")

        def make(scope: Scope) -> Derived:
            wave, kept = of.make(scope), condition.make(scope)
            return Derived(lambda a, b: np.where(kept.test(a, b), wave.read(a, b), np.nan), of.unit,
                           wave.n_samples, wave.rate_hz, masked=True)  # fmt: skip

        return Compiled(Kind.SIGNAL, of.unit, make)

    # functions and readings

    def _call(self, node: Tree[Token]) -> Compiled:
        return self._function(node, None)

    def _reading_in(self, node: Tree[Token]) -> Compiled:
        call, place = node.children
        interval = str(place.children[0]).strip('"')
        if self._places is not None and interval not in self._places:
            known = ", ".join(self._places)
            raise self._fail(place, f'there is no interval "{interval}"' + (f"; there are {known}." if known else " yet."))
        return self._function(call, interval)

    def _function(self, call: Tree[Token], interval: str | None) -> Compiled:
        name = str(call.children[0])
        arguments = [self.visit(child) for child in call.children[1:] if child is not None]
        if (function := sample_function(name)) is not None:
            self._check_count(call, arguments, 1)
            if interval is not None:
                raise self._fail(call, f"{name} gives one value per sample; only readings are taken in an interval.")
            return self._sample_function(call, function, arguments[0])
        if (kind := reading_kind(name)) is not None:
            self._check_reading(call, kind, arguments)
            used = tuple(dict.fromkeys(str(node.children[0]) for node in call.find_data("name")))
            return self._reading(kind, arguments, interval, used)
        known = ", ".join(entry.name for entry in function_help())
        raise self._fail(call.children[0], f'there is no function "{name}". Known are: {known}.')

    def _sample_function(self, call: Tree[Token], function: SampleFunction, of: Compiled) -> Compiled:
        result = function.unit(of.unit)
        if of.kind is Kind.SCALAR:
            if function.scalar is None:
                raise self._fail(call, f"{function.name} needs a channel, not a single value.")
            scalar = function.scalar
            return Compiled(Kind.SCALAR, result, lambda scope: _map(scalar, of.make(scope), result))
        if of.kind is Kind.CONDITION:
            raise self._fail(call, f"{function.name} needs a channel, not a condition.")
        return Compiled(Kind.SIGNAL, result, lambda scope: function.apply(of.make(scope), result))

    def _check_count(self, call: Tree[Token], arguments: list[Compiled], wanted: int) -> None:
        if len(arguments) != wanted:
            name = str(call.children[0])
            raise self._fail(call, f"{name} takes {wanted} argument{'s' if wanted > 1 else ''}, here are {len(arguments)}.")

    def _check_reading(self, call: Tree[Token], kind: ReadingKind, arguments: list[Compiled]) -> None:
        self._check_count(call, arguments, len(kind.arguments))
        for child, argument in zip(call.children[1:], arguments, strict=True):
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

    def _over_cycles(self, node: Tree[Token]) -> Compiled:
        call, reference = node.children
        name = str(call.children[0])
        kind = reading_kind(name)
        if kind is None:
            raise self._fail(call, f"only readings are taken over cycles; {name} is none.")
        arguments = [self.visit(child) for child in call.children[1:] if child is not None]
        self._check_reading(call, kind, arguments)
        if str(reference) not in self._types:
            raise self._fail(reference, f'there is no channel "{reference}" to take cycles from.')
        chosen, result = kind, kind.unit(arguments[0].unit)

        def make(scope: Scope) -> Series:
            waves = [argument.make(scope) for argument in arguments]
            cycles = scope.cycles(str(reference))
            if len(cycles.crossings) < 2:
                raise StudyError(
                    f'"{reference}" shows no cycles in this record: {cycles.why_not}. Choose an alternating channel.'
                )
            if chosen.own_cycles:
                if arguments[0].name is None:
                    raise StudyError(f"{chosen.name} over cycles needs a channel with a name. Give the expression a name first.")
                found = cycle_frequency(scope.cycles(arguments[0].name), cycles)
            else:
                found = chosen.series(waves, cycles, scope.origin_s)
            values = np.where(cycles.whole, found, np.nan)
            value_u = frequency_errors(values, cycles) if chosen.own_cycles else None
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

    masked = any(bool(getattr(wave, "masked", False)) for wave in waves)
    return Derived(compute, steps[-1][1], waves[0].n_samples, waves[0].rate_hz, masked)


def _sampled(value: Any) -> bool:
    """Return whether a value has samples that are computed on request."""
    return not isinstance(value, Scalar | Series)


def _combine(function: Any, left: Any, right: Any, result: Unit) -> Any:
    """Return left and right joined by a NumPy function, as wide as the wider of them."""
    if isinstance(left, Scalar) and isinstance(right, Scalar):
        with np.errstate(all="ignore"):
            found = float(function(np.float64(left.value), np.float64(right.value)))
            moved = [float(function(np.float64(left.value + left.method_u), np.float64(right.value))),
                     float(function(np.float64(left.value), np.float64(right.value + right.method_u)))]  # fmt: skip
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
            values = function(_per_cycle(left), _per_cycle(right))
            return Series(values, one.edges, result, one.n_samples, one.rate_hz)
    x, y = _reader(left), _reader(right)
    wave = right if isinstance(left, Scalar) else left
    masked = bool(getattr(left, "masked", False) or getattr(right, "masked", False))
    into = lambda a, b, out: function(x(a, b), y(a, b), out=out)  # noqa: E731
    return Derived(lambda a, b: function(x(a, b), y(a, b)), result, wave.n_samples, wave.rate_hz, masked, into)


def _per_cycle(value: Series | Scalar) -> Any:
    return value.values if isinstance(value, Series) else value.value


def _map(function: Callable[[Any], Any], of: Any, result: Unit) -> Any:
    """Return a function of one operand, of the operand's own kind."""
    if isinstance(of, Scalar):
        found, moved = float(function(of.value)), float(function(of.value + of.method_u))
        return Scalar(found, result, of.explained, abs(moved - found) if math.isfinite(moved) else 0.0)
    if isinstance(of, Series):
        return Series(function(of.values), of.edges, result, of.n_samples, of.rate_hz)
    return Derived(lambda a, b: function(of.read(a, b)), result, of.n_samples, of.rate_hz, bool(getattr(of, "masked", False)))
