"""What a function of the formula language is: its parameters, what it results in, and the kernel that computes it."""

from collections.abc import Callable, Sequence
from typing import Any

import msgspec
import numpy as np

from pantelos.formula.arithmetic import reader
from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Derived, Scalar
from pantelos.reading.reading import ReadingKind
from pantelos.record.waveform import Waveform
from pantelos.units import Unit

CHANNELS = frozenset({Kind.SIGNAL, Kind.SERIES})
VALUES = CHANNELS | {Kind.SCALAR}
_NUMBERS = frozenset({Kind.SCALAR})


class Parameter(msgspec.Struct, frozen=True):
    """One argument: what may stand there, what it has to measure, and what counts where it is left out."""

    name: str
    takes: frozenset[Kind] = CHANNELS
    unit: Unit | None = None  # None: whatever it measures
    default: Scalar | None = None

    @property
    def wanted(self) -> str:
        """What may stand there, in words."""
        return (
            "a single value" if self.takes == _NUMBERS else "a channel" if Kind.SCALAR not in self.takes else "a channel or value"
        )


class Given(msgspec.Struct, frozen=True):
    """What a call hands to a function: the values of its arguments, and the unit of the result."""

    values: tuple[Any, ...]
    unit: Unit

    @property
    def waves(self) -> list[Waveform]:
        """Those values that have samples."""
        return [value for value in self.values if not isinstance(value, Scalar)]


class Function(msgspec.Struct, frozen=True):
    """One entry of the registry: adding it adds it to formulas, completion, lists, command line and help."""

    name: str
    category: str
    parameters: tuple[Parameter, ...]
    help: str
    example: str
    unit: Callable[[Sequence[Unit]], Unit]  # of the result, from those of the arguments
    make: Callable[[Given], Any] | None = None  # sample by sample
    reading: ReadingKind | None = None  # one value over an interval, or one per piece
    source: str = ""
    place: int = 100  # in lists: small ones first

    @property
    def parameter_names(self) -> tuple[str, ...]:
        """The names of its parameters."""
        return tuple(parameter.name for parameter in self.parameters)

    @property
    def least(self) -> int:
        """How many arguments have to be given."""
        return sum(1 for parameter in self.parameters if parameter.default is None)


def elementwise(kernel: Callable[..., Any]) -> Callable[[Given], Any]:
    """Return what applies a NumPy function of as many arrays as there are arguments to every sample; single values broadcast."""

    def make(given: Given) -> Any:
        waves = given.waves
        if not waves:
            return _of_scalars(kernel, given)
        readers = [reader(value) for value in given.values]
        return Derived(
            lambda a, b: kernel(*(read(a, b) for read in readers)),
            given.unit,
            waves[0].n_samples,
            waves[0].rate_hz,
            any(wave.masked for wave in waves),
        )

    return make


def _of_scalars(kernel: Callable[..., Any], given: Given) -> Scalar:
    values = [value.value for value in given.values]
    with np.errstate(all="ignore"):
        found = float(kernel(*values))
        moved = [
            float(kernel(*values[:k], values[k] + given.values[k].method_u, *values[k + 1 :])) - found for k in range(len(values))
        ]
    explained = tuple(line for value in given.values for line in value.explained)
    if not np.isfinite(found) and np.isfinite(values).all():
        return Scalar(float("nan"), given.unit, (*explained, "not given: the function has no real value there"))
    return Scalar(found, given.unit, explained, float(np.hypot.reduce(np.nan_to_num(moved))))
