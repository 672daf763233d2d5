"""The functions of the formula language that act sample by sample; readings have their own registry."""

from collections.abc import Callable
from fractions import Fraction

import msgspec
import numpy as np

from pantelos.formula.derived import Derived, RunningIntegral
from pantelos.reading.kinds import READINGS
from pantelos.record.waveform import Waveform
from pantelos.units import Unit, unit


class SampleFunction(msgspec.Struct, frozen=True):
    """One entry of the registry of functions whose result has one value per sample."""

    name: str
    argument: str
    help: str
    unit: Callable[[Unit], Unit]
    apply: Callable[[Waveform, Unit], Waveform]
    example: str
    scalar: Callable[[float], float] | None = None  # what it does to a single number, if it can


def _elementwise(function: Callable[..., np.ndarray]) -> Callable[[Waveform, Unit], Waveform]:
    def apply(of: Waveform, result: Unit) -> Waveform:
        return Derived(lambda a, b: function(of.read(a, b)), result, of.n_samples, of.rate_hz, of.masked)

    return apply


SAMPLE_FUNCTIONS: tuple[SampleFunction, ...] = (
    SampleFunction(
        "integral",
        "x",
        "Running integral from the start of the record, trapezoidal rule; W becomes J.",
        lambda of: of * unit("s"),
        RunningIntegral,
        "integral(p1)",
    ),
    SampleFunction("abs", "x", "Magnitude of every sample.", lambda of: of, _elementwise(np.abs), "abs(i1)", abs),
    SampleFunction(
        "sqrt",
        "x",
        "Square root of every sample; negative ones have none and are left out.",
        lambda of: of ** Fraction(1, 2),
        _elementwise(np.sqrt),
        "sqrt(u1 * u1)",
        lambda x: x**0.5 if x >= 0 else float("nan"),
    ),
)


class FunctionHelp(msgspec.Struct, frozen=True):
    """What lists of functions show."""

    name: str
    category: str
    arguments: tuple[str, ...]
    help: str
    example: str


def function_help() -> tuple[FunctionHelp, ...]:
    """Return all functions of the language, by category."""
    samples = tuple(FunctionHelp(f.name, "sample by sample", (f.argument,), f.help, f.example) for f in SAMPLE_FUNCTIONS)
    readings = tuple(FunctionHelp(r.name, "reading", r.arguments, r.help, r.example) for r in READINGS)
    return samples + readings


def sample_function(name: str) -> SampleFunction | None:
    """Return the function of that name, or None."""
    return next((function for function in SAMPLE_FUNCTIONS if function.name == name), None)
