"""Arithmetic with waveforms, blocks and single values: of each as wide as the widest operand."""

import math
from collections.abc import Callable
from typing import Any

import msgspec
import numpy as np

from pantelos.formula.derived import Blocks, Derived, Scalar
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.units import Unit


def _divide(x: Any, y: Any, out: FloatArray | None = None) -> Any:
    """Return x over y; what is divided by zero has no value."""
    found = np.divide(x, y, out=out)
    if isinstance(found, np.ndarray):
        if np.any(np.asarray(y) == 0):
            found[np.broadcast_to(np.asarray(y) == 0, found.shape)] = np.nan
        return found
    return found if y != 0 else math.nan


OPERATORS: dict[str, Any] = {"+": np.add, "-": np.subtract, "*": np.multiply, "/": _divide}


def reader(value: Waveform | Scalar) -> Callable[[int, int], Any]:
    """Return what reads an operand: a single value is the same everywhere."""
    if isinstance(value, Scalar):
        number = value.value
        return lambda start, stop: number
    return value.read


def power(x: Any, exponent: float) -> Any:
    """Return x to a power; where that is no real number, or one over zero, there is no value."""
    with np.errstate(all="ignore"):
        found = np.power(np.asarray(x, dtype=np.float64), exponent)
    return np.where(np.isfinite(found), found, np.nan)[()]


def chained(values: list[Any], steps: list[tuple[Any, Unit]]) -> Any:
    """Return values joined from left to right; from the first waveform on, all of them block by block in one go."""
    result, at = values[0], 1
    while at < len(values) and (len(values) == 2 or not any(_sampled(x) for x in (result, values[at]))):
        result = _combine(steps[at - 1][0], result, values[at], steps[at - 1][1])
        at += 1
    if at == len(values):
        return result
    rest, functions = values[at:], [function for function, _ in steps[at - 1 :]]
    first, readers = reader(result), [reader(value) for value in rest]
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
    return not isinstance(value, Scalar | Blocks)


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
        same = isinstance(other, Blocks) and isinstance(one, Blocks) and one.partition.same_as(other.partition)
        if isinstance(one, Blocks) and (isinstance(other, Scalar) or same):
            said = tuple(dict.fromkeys((*left.explained, *right.explained)))
            return Blocks(function(_values(left), _values(right)), one.partition, result, explained=said)
    x, y = reader(left), reader(right)
    wave = right if isinstance(left, Scalar) else left
    masked = any(x.masked for x in (left, right) if not isinstance(x, Scalar))
    into = lambda a, b, out: function(x(a, b), y(a, b), out=out)  # noqa: E731
    return Derived(lambda a, b: function(x(a, b), y(a, b)), result, wave.n_samples, wave.rate_hz, masked, into)


def _values(value: Blocks | Scalar) -> Any:
    return value.values if isinstance(value, Blocks) else value.value


def relabelled(value: Any, shown: Unit) -> Any:
    """Return the same value, SI as ever, that is shown in another unit."""
    if isinstance(value, Scalar | Blocks):
        return msgspec.structs.replace(value, unit=shown)
    return Derived(value.read, shown, value.n_samples, value.rate_hz, value.masked, full_scale=value.full_scale)


def mapped(function: Callable[[Any], Any], of: Any, result: Unit) -> Any:
    """Return a function of one operand, of the operand's own kind."""
    if isinstance(of, Scalar):
        found, moved = float(function(of.value)), float(function(of.value + of.method_u))
        return Scalar(found, result, of.explained, abs(moved - found) if math.isfinite(moved) else 0.0)
    if isinstance(of, Blocks):
        return Blocks(function(of.values), of.partition, result, explained=of.explained)
    return Derived(lambda a, b: function(of.read(a, b)), result, of.n_samples, of.rate_hz, of.masked)
