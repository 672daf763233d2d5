"""Calls compiled: arguments held to the parameters of their function, and what each kind of function makes of them.

No function is known by name here: the registry says what its arguments stand for and what computes it.
"""

import math
from collections.abc import Callable, Collection
from typing import Any

import numpy as np

from pantelos.errors import FormulaError, StudyError, UnitError
from pantelos.formula.arithmetic import mapped
from pantelos.formula.compiled import Compiled, Kind, Known
from pantelos.formula.derived import Blocks, Scalar
from pantelos.formula.functions import Function, all_functions, function_named
from pantelos.formula.functions.function import ArgumentRole, Curve, GivenArguments, Parameter, Place
from pantelos.formula.functions.readings import reading_function
from pantelos.formula.nodes import BareWord, Call, Name, Node, Pairs, Pieces, Quoted, walk
from pantelos.formula.scope import Scope
from pantelos.formula.spelling import meant
from pantelos.formula.syntax import plain
from pantelos.reading.reading import Divided, ReadingKind, take
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.levels.level_search import Crossings
from pantelos.signal.levels.levels import Level
from pantelos.signal.levels.partition import Partition
from pantelos.units import ONE, Unit, measured

_NOTHING: Any = None  # a scope for what asks nothing of one


class Calls:
    """Compiles the calls of one formula; `operand` compiles what stands in them, for a purpose that is told."""

    def __init__(self, text: str, known: Known, operand: Callable[[Node, str], Compiled]) -> None:
        self._text, self._known, self._operand = text, known, operand

    def _fail(self, node: Node, message: str) -> FormulaError:
        return FormulaError(self._text, node.start, node.stop, message)

    def compiled(self, node: Call) -> Compiled:
        """Return a call compiled: a curve, a value, a reading over an interval, or a series over pieces."""
        function = self._function(node.function, "function")
        if function.pieces is not None:
            raise self._fail(node.function, f"{function.name} tells the pieces of a reading: mean(p1) over {function.name}.")
        self._check_place(node.interval)
        reading = function.reading
        if reading is None and (node.over is not None or node.interval is not None):
            at = node.interval if node.interval is not None else node
            taken = f"over {node.over.partition.text}" if node.over is not None else "in an interval"
            raise self._fail(at, f"only readings are taken {taken}; {function.name} is none.")
        if reading is None or (function.make is not None and node.over is None and node.interval is None):
            return self._curve(function, node)
        arguments = self._arguments(node, reading_function(reading))
        self._check_alike(node, reading, arguments)
        if node.over is not None:
            return self._per_piece(reading, arguments, node, node.over)
        return self._reading(reading, arguments, node)

    def _function(self, name: BareWord, what: str) -> Function:
        found = function_named(name.text)
        if found is None:
            known = [entry.name for entry in all_functions() if (entry.pieces is not None) == (what == "partition")]
            raise self._fail(name, f'there is no {what} "{name.text}"{meant(name.text, known)}')
        return found

    def _check_place(self, place: BareWord | None) -> None:
        if place is not None:
            self._check_known(place, plain(place), "interval", self._known.intervals)

    def _check_known(self, node: Node, name: str, what: str, known: Collection[str] | None) -> None:
        if known is not None and name not in known:
            there = ", ".join(known)
            raise self._fail(node, f'there is no {what} "{name}"' + (f"; there are {there}." if there else " yet."))

    def _arguments(self, call: Call | Pieces, function: Function) -> list[Compiled | None]:
        """Return the arguments of a call compiled and held to the parameters of its function; defaults where left out."""
        given, most = len(call.arguments), function.most
        if given < function.least or (most is not None and given > most):
            wanted = f"{function.least} or more" if most is None else str(most)
            wanted = wanted if most is None or function.least == most else f"{function.least} to {most}"
            raise self._fail(call, f"{function.call} takes {wanted} argument{'s' if most != 1 else ''}, here are {given}.")
        arguments: list[Compiled | None] = []
        for k, child in enumerate(call.arguments):
            parameter = function.parameter(k)
            assert parameter is not None
            arguments.append(self._argument(function, parameter, child))
        left_out = [parameter for parameter in function.parameters[given:] if not parameter.many]
        return arguments + [constant(one.default) if one.default is not None else None for one in left_out]

    def _argument(self, function: Function, parameter: Parameter, child: Node) -> Compiled:
        role = parameter.role_of(child)
        if role is ArgumentRole.VALUE:
            return self._value_of(function, parameter, child)
        if role is ArgumentRole.POINTS:
            return self._points(function, child)
        assert isinstance(child, Name | Quoted)
        return self._named_argument(role, child)

    def _named_argument(self, role: ArgumentRole, child: Name | Quoted) -> Compiled:
        """Return an argument that names an interval, events, or a word of the function."""
        name = child.text
        if role is ArgumentRole.WORD:
            return Compiled(Kind.SCALAR, ONE, lambda scope: name)
        at_events = role is ArgumentRole.EVENTS or (
            role is ArgumentRole.MOMENT and name in (self._known.searches or ()) and name not in (self._known.intervals or ())
        )
        if at_events:
            self._check_known(child, name, "event search", self._known.searches)
            return Compiled(Kind.SCALAR, ONE, lambda scope: _first_event(scope, name))
        self._check_known(child, name, "interval", self._known.intervals)
        return Compiled(Kind.SCALAR, ONE, lambda scope: Place(name, *scope.span(name)))

    def _value_of(self, function: Function, parameter: Parameter, child: Node) -> Compiled:
        argument = self._operand(child, f"an argument of {function.name}")
        if parameter.role not in (ArgumentRole.VALUE, ArgumentRole.MOMENT):
            raise self._fail(child, f"{parameter.name} of {function.name} is {parameter.wanted}, not {argument.kind}.")
        if argument.kind not in parameter.takes and not (parameter.role is ArgumentRole.MOMENT and argument.kind is Kind.SCALAR):
            if function.reading is not None:
                raise self._fail(child, f"{function.name} is taken of {parameter.wanted}, not of {argument.kind}.")
            raise self._fail(child, f"{function.name} needs {parameter.wanted}, not {argument.kind}.")
        if not parameter.units or any(argument.unit.like(one) for one in parameter.units if one.symbol != "%"):
            return argument
        if parameter.units[0].symbol == "%" and not measured(argument.unit.dimension):
            # A bare number for a share is one in percent: percentile(p1, 95).
            scale = 0.01 if argument.unit == ONE else 1.0
            return Compiled(argument.kind, parameter.units[0], lambda scope: _scaled(argument.make(scope), scale))
        wanted = " or ".join(one.symbol for one in parameter.units)
        raise self._fail(child, f"{parameter.name} of {function.name} is in {wanted}, this is in {argument.unit.symbol}.")

    def _points(self, function: Function, node: Node) -> Compiled:
        """Return the points of a curve; both rows in units of their own, x rising or falling."""
        assert isinstance(node, Pairs)
        rows = [[self._operand(number, "a point") for number in point] for point in node.points]
        for k, column in enumerate(zip(*rows, strict=True)):
            for point, one in zip(node.points, column, strict=True):
                if not one.unit.like(column[0].unit):
                    raise self._fail(
                        point[k], f"{one.unit.symbol} does not measure the same as {column[0].unit.symbol} before it."
                    )
        x, y = ([value.make(_NOTHING).value for value in column] for column in zip(*rows, strict=True))
        steps = np.diff(x)
        if len(x) < 2:
            raise self._fail(node, f"{function.name} needs two points or more, such as [0 V 20 degC, 5 V 80 degC].")
        if not (steps > 0).all() and not (steps < 0).all():
            raise self._fail(node, "the first numbers of the points have to rise from point to point, or fall.")
        order = np.argsort(x)
        curve = Curve(tuple(np.array(x)[order]), tuple(np.array(y)[order]), rows[0][0].unit)
        return Compiled(Kind.SCALAR, rows[0][1].unit, lambda scope: curve)

    def _check_alike(self, call: Call, kind: ReadingKind, arguments: list[Compiled | None]) -> None:
        """Refuse a voltage beside a current where a reading compares like with like."""
        channels = [argument for argument in arguments[: len(kind.arguments)] if argument is not None]
        for child, other in zip(call.arguments[1:], channels[1:], strict=False):
            if kind.alike and not other.unit.like(channels[0].unit):
                alike = f"{other.unit.symbol} and {channels[0].unit.symbol} do not measure the same"
                raise self._fail(child, f"{alike}; {kind.name} compares like with like.")

    def _curve(self, function: Function, node: Call) -> Compiled:
        """Return a function that is no reading: a curve, or a value where all its arguments are values."""
        arguments = self._arguments(node, function)
        try:
            result = function.unit([argument.unit for argument in arguments if argument is not None])
        except UnitError as cause:
            raise self._fail(node, str(cause)) from cause
        waves = any(argument is not None and argument.kind is not Kind.SCALAR for argument in arguments)
        kernel = function.make
        assert kernel is not None

        def make(scope: Scope) -> Any:
            try:
                return kernel(self._given(node, arguments, result, scope))
            except StudyError as cause:
                raise self._fail(node, _sentence(cause)) from cause

        return Compiled(Kind.SIGNAL if waves else Kind.SCALAR, result, make)

    def _given(
        self, node: Call | Pieces, arguments: list[Compiled | None], result: Unit, scope: Scope, used: tuple[str, ...] = ()
    ) -> GivenArguments:
        values = tuple(argument.make(scope) if argument is not None else None for argument in arguments)
        names = tuple(argument.name or "" if argument is not None else "" for argument in arguments)
        return GivenArguments(values, result, scope, used or self._channels_in(node), names)

    def _channels_in(self, node: Node) -> tuple[str, ...]:
        """Return the channels and formulas that stand in a part of the formula, each once."""
        found = (child.text for child in walk(node) if isinstance(child, Name) and child.text in self._known.types)
        return tuple(dict.fromkeys(found))

    def _reading(self, kind: ReadingKind, arguments: list[Compiled | None], node: Call) -> Compiled:
        channels, numbers = _split(kind, arguments)
        self._check_settings(node, kind, channels, numbers)
        names, used = tuple(one.name or "" for one in channels), self._channels_in(node)
        interval = plain(node.interval) if node.interval is not None else None
        result = kind.unit([one.unit for one in channels])

        def make(scope: Scope) -> Scalar:
            place = scope.interval_name(interval)
            waves = [one.make(scope) for one in channels]
            stretch = scope.stretch(kind, waves, names, interval, used, _told(kind, numbers, scope))
            reading = take(kind, waves, stretch)
            where = f'{kind.title} in "{place}", {reading.place(waves[0].rate_hz)}; {reading.method}'
            said = [f"{kind.title} is not given: {reading.why_not}"] if reading.why_not else []
            return Scalar(reading.value, result, (where, *said, *reading.remarks), reading.method_u, result.symbol == "°")

        return Compiled(Kind.SCALAR, result, make)

    def _check_settings(self, node: Call, kind: ReadingKind, channels: list[Compiled], numbers: list[Compiled | None]) -> None:
        """Check that what is told in the unit of the channel is in it; a level may be a share of the swing."""
        for at, (setting, one) in enumerate(zip(kind.settings, numbers, strict=True)):
            if setting.unit or one is None or one.unit.like(channels[0].unit) or (setting.level and one.unit.symbol == "%"):
                continue
            wanted = f"{channels[0].unit.symbol}{', or in % of the swing' if setting.level else ''}"
            said = f"{setting.name} of {kind.name} is in {wanted}, this is in {one.unit.symbol or 'no unit'}."
            raise self._fail(node.arguments[len(channels) + at], said)

    def _per_piece(self, kind: ReadingKind, arguments: list[Compiled | None], node: Call, over: Pieces) -> Compiled:
        partition = self._function(over.partition, "partition")
        if partition.pieces is None:
            known = ", ".join(entry.name for entry in all_functions() if entry.pieces is not None)
            raise self._fail(over.partition, f'there is no partition "{partition.name}"; readings are taken over {known}.')
        told, cut = self._arguments(over, partition), partition.pieces
        channels, numbers = _split(kind, arguments)
        self._check_settings(node, kind, channels, numbers)
        result, used = kind.unit([one.unit for one in channels]), self._channels_in(node)
        own = self._channels_in(Call(node.start, node.stop, node.function, node.arguments))

        def make(scope: Scope) -> Blocks:
            waves = [one.make(scope) for one in channels]
            try:
                pieces = cut(self._given(over, told, ONE, scope, own or used))
            except StudyError as cause:
                raise self._fail(over, _sentence(cause)) from cause
            names = [one.name or "" for one in channels]
            divided = Divided(
                waves,
                pieces,
                _told(kind, numbers, scope),
                scope.origin_s,
                scope.highest_order,
                cycles=lambda: scope.cycles(waves[0], names[0]),
                edges=lambda k: _edges(kind, pieces, scope, waves[k], names[k], _told(kind, numbers, scope)),
                reference=lambda: scope.reference(own)[0],
            )
            try:
                values = kind.over(divided)
            except StudyError as cause:
                raise self._fail(over, _sentence(cause)) from cause
            errors = kind.piece_u(values, divided) if kind.piece_u is not None else None
            said = [f"{kind.title} per {pieces.piece}", *pieces.said(), *_missing_pieces(values, pieces)]
            if len(values) and not np.isfinite(values).any():
                why = (
                    scope.reference(own)[1] if kind.bound_to_reference and divided.reference() is None else kind.why_not(divided)
                )
                said.append(f"not given: {why}")
            return Blocks(values, pieces, result, value_u=errors, explained=tuple(said))

        return Compiled(Kind.SERIES, result, make)


def _split(kind: ReadingKind, arguments: list[Compiled | None]) -> tuple[list[Compiled], list[Compiled | None]]:
    """Return the channels of a reading, and its settings."""
    n = len(kind.arguments)
    return [one for one in arguments[:n] if one is not None], arguments[n:]


def _missing_pieces(values: FloatArray, pieces: Partition) -> tuple[str, ...]:
    """Return how many pieces have no value, in words; nothing where all have one."""
    n = int(np.count_nonzero(pieces.whole & ~np.isfinite(values)))
    return (
        (f"{n} of {int(np.count_nonzero(pieces.whole))} have no value: samples are missing, or it is not defined there",)
        if n
        else ()
    )


def _told(kind: ReadingKind, numbers: list[Compiled | None], scope: Scope) -> tuple[float, ...]:
    """Return the settings of a reading, SI; of a level also whether it is a share of the swing."""
    found = list[float]()
    for setting, one in zip(kind.settings, numbers, strict=True):
        found.append(one.make(scope).value if one is not None else math.nan)
        found += [float(one is not None and one.unit.symbol == "%")] if setting.level else []
    return tuple(found)


def _edges(
    kind: ReadingKind, pieces: Partition, scope: Scope, wave: Waveform, name: str, numbers: tuple[float, ...]
) -> Crossings:
    """Return the edges that a reading of pulses looks at: through its own level, that of the pieces, or the middle."""
    if any(setting.level for setting in kind.settings) and math.isfinite(numbers[0]):
        return scope.edges(wave, name, Level(numbers[0], bool(numbers[1])))
    if pieces.cut_by is not None and pieces.cut_of == name and name:
        return pieces.cut_by
    return scope.edges(wave, name)


def _sentence(cause: StudyError) -> str:
    """Return what went wrong as a part of a message that names the place."""
    said = str(cause)
    return said[:1].lower() + said[1:] if said[1:2].islower() else said


def _scaled(value: Any, scale: float) -> Any:
    return value if scale == 1.0 else mapped(lambda x: x * scale, value, value.unit)


def _first_event(scope: Scope, name: str) -> Place:
    positions = scope.events(name)
    if not len(positions):
        raise StudyError(f'Events "{name}": none is found. Change what is looked for.')
    return Place(name, float(positions[0]), float(positions[-1]))


def constant(value: Scalar) -> Compiled:
    """Return a single value as a part of a formula."""
    return Compiled(Kind.SCALAR, value.unit, lambda scope: value)
