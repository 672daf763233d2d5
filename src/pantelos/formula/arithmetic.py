"""Arithmetic with waveforms, blocks and single values: of each as wide as the widest operand."""

import math
from collections.abc import Callable
from typing import Any

import msgspec
import numpy as np

from pantelos.formula.derived import Blocks, Derived, Scalar, ServedStretch
from pantelos.record.waveform import LeftOut, Waveform
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


Operand = Callable[[ServedStretch], Any]


def operand(value: Waveform | Scalar) -> Operand:
    """Return what gives an operand over a stretch: a single value is the same everywhere."""
    if isinstance(value, Scalar):
        number = value.value
        return lambda stretch: number
    if isinstance(value, Derived) and value.within is not None:
        return value.within
    return lambda stretch: stretch.of(value)


def of_operands(within: Operand, like: Waveform, result: Unit, masked: LeftOut) -> Derived:
    """Return a waveform computed from operands, as long as one of them."""
    compute = lambda start, stop: within(ServedStretch(start, stop))  # noqa: E731
    return Derived(compute, result, like.n_samples, like.rate_hz, masked, within=within)


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
    first, others = operand(result), [operand(value) for value in rest]
    waves = [x for x in (result, *rest) if not isinstance(x, Scalar)]

    def within(stretch: ServedStretch) -> FloatArray:
        total: FloatArray = functions[0](first(stretch), others[0](stretch))  # an array of its own, to go on in
        for function, other in zip(functions[1:], others[1:], strict=True):
            function(total, other(stretch), out=total)
        return total

    return of_operands(within, waves[0], steps[-1][1], max(wave.masked for wave in waves))


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
        turns = left.turns and right.turns and function in (np.add, np.subtract)
        if turns and abs(found) > math.pi:
            back = math.remainder(found, 2 * math.pi) - found
            found, moved = found + back, [m + back for m in moved]
            explained = (*explained, "an angle between waveforms: told between −180° and 180°")
        if not math.isfinite(found):
            known = math.isfinite(left.value) and math.isfinite(right.value)
            return Scalar(math.nan, result, (*explained, "not given: it is divided by zero") if known else explained)
        method_u = math.hypot(*(m - found for m in moved)) if all(map(math.isfinite, moved)) else 0.0
        return Scalar(found, result, explained, method_u, turns)
    for one, other in ((left, right), (right, left)):
        same = isinstance(other, Blocks) and isinstance(one, Blocks) and one.partition.same_as(other.partition)
        if isinstance(one, Blocks) and (isinstance(other, Scalar) or same):
            said = tuple(dict.fromkeys((*left.explained, *right.explained)))
            return Blocks(function(_values(left), _values(right)), one.partition, result, explained=said)
    x, y = operand(left), operand(right)
    wave = right if isinstance(left, Scalar) else left
    masked = max(x.masked for x in (left, right) if not isinstance(x, Scalar))

    def into(start: int, stop: int, out: FloatArray) -> object:
        stretch = ServedStretch(start, stop)
        return function(x(stretch), y(stretch), out=out)

    made = of_operands(lambda stretch: function(x(stretch), y(stretch)), wave, result, masked)
    return msgspec.structs.replace(made, into=into)


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
    x = operand(of)
    return of_operands(lambda stretch: function(x(stretch)), of, result, of.masked)
