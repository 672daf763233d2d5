"""What a function of the formula language is: its parameters, what it results in, and the kernel that computes it."""

from collections.abc import Callable, Sequence
from enum import StrEnum
from typing import Any

import msgspec
import numpy as np

from pantelos.formula.arithmetic import of_operands, operand
from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Scalar
from pantelos.formula.nodes import Name, Node, Pairs, Quoted
from pantelos.formula.scope import Scope
from pantelos.reading.reading import ReadingKind
from pantelos.record.waveform import Waveform
from pantelos.signal.levels.partition import Partition
from pantelos.units import ONE, Unit

SIGNALS = frozenset({Kind.SIGNAL})
CHANNELS = frozenset({Kind.SIGNAL, Kind.SERIES})
VALUES = CHANNELS | {Kind.SCALAR}
NUMBERS = frozenset({Kind.SCALAR})


class ArgumentRole(StrEnum):
    """What an argument stands for."""

    VALUE = "a channel or value"
    PLACE = "an interval"
    EVENTS = "events"
    MOMENT = "an interval or events"  # the start of one, the first of the others
    WORD = "a word"
    POINTS = "a row of points, such as [0 V 20 degC, 5 V 80 degC]"


class Parameter(msgspec.Struct, frozen=True):
    """One argument: what may stand there, what it has to measure, and what counts where it is left out."""

    name: str
    takes: frozenset[Kind] = CHANNELS
    units: tuple[Unit, ...] = ()  # any of these; none: whatever it measures
    default: Scalar | None = None
    role: ArgumentRole = ArgumentRole.VALUE
    words: tuple[str, ...] = ()  # those that a word may be
    left_out: bool = False  # may be left out without a default: the function does without
    many: bool = False  # may come any number of times

    @property
    def optional(self) -> bool:
        """Whether it may be left out."""
        return self.default is not None or self.left_out or self.role is ArgumentRole.WORD

    @property
    def wanted(self) -> str:
        """What may stand there, in words."""
        if self.role is not ArgumentRole.VALUE:
            return f'"{self.words[0]}"' if self.role is ArgumentRole.WORD else str(self.role)
        what = (
            "a single value" if self.takes == NUMBERS else "a channel" if Kind.SCALAR not in self.takes else "a channel or value"
        )
        return what + (f" in {' or '.join(one.symbol for one in self.units)}" if self.units and self.units != (ONE,) else "")

    @property
    def shown(self) -> str:
        """How it stands in a call that is explained."""
        if self.default is not None:
            value = self.default.value / self.default.unit.factor
            symbol = self.default.unit.symbol
            return f"{self.name} = {value:g}" + (f" {symbol}" if symbol != "1" else "")
        name = f"{self.name}, …" if self.many else self.name
        return f"[{name}]" if self.optional or self.many else name

    def role_of(self, argument: Node) -> ArgumentRole:
        """Return what an argument in this place stands for: names may be those of places, events or words."""
        if self.role is ArgumentRole.POINTS or not isinstance(argument, Name | Quoted):
            return ArgumentRole.POINTS if isinstance(argument, Pairs) and self.role is ArgumentRole.POINTS else ArgumentRole.VALUE
        if self.role is ArgumentRole.WORD:
            return ArgumentRole.WORD if argument.text in self.words else ArgumentRole.VALUE
        return self.role


class Curve(msgspec.Struct, frozen=True):
    """Points that a lookup runs through, in SI."""

    x: tuple[float, ...]
    y: tuple[float, ...]
    unit: Unit


class Place(msgspec.Struct, frozen=True):
    """An interval, or events, as an argument: its name, and where it begins and ends, in samples."""

    name: str
    start: float
    stop: float


class GivenArguments(msgspec.Struct, frozen=True):
    """What a call hands to a function: the values of its arguments (None where left out), and the unit of the result."""

    values: tuple[Any, ...]
    unit: Unit
    scope: Scope | None = None  # for functions that ask for cycles
    used: tuple[str, ...] = ()  # the names that stand in the call
    names: tuple[str, ...] = ()  # of arguments that are one channel each; "" for others

    @property
    def waves(self) -> list[Waveform]:
        """Those values that have samples."""
        return [value for value in self.values if isinstance(value, Waveform)]

    def number(self, k: int) -> float:
        """Return the argument in place k, a single value, SI."""
        value: float = self.values[k].value
        return value

    @property
    def asked(self) -> Scope:
        """What may be asked of the study."""
        assert self.scope is not None
        return self.scope


# Categories whose functions look at the samples at hand and a few beside them.
_LOCAL = frozenset({"sample by sample", "three-phase", "sensor"})
UnitRule = Callable[[Sequence[Unit]], Unit]


class Function(msgspec.Struct, frozen=True):
    """One entry of the registry: adding it adds it to formulas, completion, lists, command line and help."""

    name: str
    category: str
    parameters: tuple[Parameter, ...]
    help: str
    example: str
    unit: UnitRule  # of the result, from those of the arguments
    make: Callable[[GivenArguments], Any] | None = None  # a curve, or a value where all arguments are values
    reading: ReadingKind | None = None  # one value over an interval, or one per piece
    pieces: Callable[[GivenArguments], Partition] | None = None  # what stands behind `over`
    source: str = ""
    formula: str = ""  # how it is computed, in a line
    place: int = 100  # in lists: small ones first
    placed: bool = False  # asks for cycles or intervals, and so depends on the wiring and the study

    @property
    def local(self) -> bool:
        """Whether its samples rest on those at hand alone, and not on the whole record."""
        return self.category in _LOCAL

    @property
    def parameter_names(self) -> tuple[str, ...]:
        """The names of its parameters."""
        return tuple(parameter.name for parameter in self.parameters)

    @property
    def least(self) -> int:
        """How many arguments have to be given."""
        return sum(1 for parameter in self.parameters if not parameter.optional and not parameter.many)

    @property
    def most(self) -> int | None:
        """How many arguments may be given; None for any number."""
        return None if any(parameter.many for parameter in self.parameters) else len(self.parameters)

    @property
    def call(self) -> str:
        """Return how it is called, defaults included."""
        return f"{self.name}({', '.join(parameter.shown for parameter in self.parameters)})" if self.parameters else self.name

    def parameter(self, k: int) -> Parameter | None:
        """Return the parameter that argument k belongs to; None where there are too many."""
        if k < len(self.parameters):
            return self.parameters[k]
        last = self.parameters[-1] if self.parameters else None
        return last if last is not None and last.many else None

    def with_reading(self, kind: ReadingKind) -> "Function":
        """Return the same function that is a reading too, over an interval or over pieces."""
        return msgspec.structs.replace(self, reading=kind)


def elementwise(kernel: Callable[..., Any]) -> Callable[[GivenArguments], Any]:
    """Return what applies a NumPy function of as many arrays as there are arguments to every sample; single values broadcast."""

    def make(given: GivenArguments) -> Any:
        waves = given.waves
        if not waves:
            return _of_scalars(kernel, given)
        operands = [operand(value) for value in given.values]
        masked = max(wave.masked for wave in waves)
        return of_operands(lambda stretch: kernel(*(one(stretch) for one in operands)), waves[0], given.unit, masked)

    return make


def _of_scalars(kernel: Callable[..., Any], given: GivenArguments) -> Scalar:
    values = [np.float64(value.value) for value in given.values]  # these divide by zero as arrays do
    with np.errstate(all="ignore"):
        found = float(kernel(*values))
        moved = [
            float(kernel(*values[:k], values[k] + given.values[k].method_u, *values[k + 1 :])) - found for k in range(len(values))
        ]
    explained = tuple(line for value in given.values for line in value.explained)
    if not np.isfinite(found) and np.isfinite(values).all():
        return Scalar(float("nan"), given.unit, (*explained, "not given: the function has no real value there"))
    return Scalar(found, given.unit, explained, float(np.hypot.reduce(np.nan_to_num(moved))))
