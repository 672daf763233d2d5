"""Axes: round values to mark, and how they are written."""

import math

import msgspec

from pantelos.notation import minus, prefix_for
from pantelos.units import Unit

_CLEAR = 0.04  # of a scale: a mark nearer to its end may have no room for its number
_MOST_TRIED, _FINER = 64.0, 1.5  # marks asked for until there are two


class Tick(msgspec.Struct, frozen=True):
    """One mark: its value and the text beside it."""

    value: float
    text: str


def round_step(span: float, n_wanted: float) -> float:
    """Return a step of 1, 2 or 5 times a power of ten that divides `span` into about `n_wanted` parts."""
    raw = span / max(n_wanted, 1)
    power = 10.0 ** math.floor(math.log10(raw))
    return next(factor * power for factor in (1, 2, 5, 10) if factor * power >= 0.7 * raw)


def ticks(low: float, high: float, n_wanted: float, scale: float = 1.0) -> list[Tick]:
    """Return round marks between two values, two of them clear of the ends at least; texts are in units of `scale`."""
    if not (math.isfinite(low) and math.isfinite(high) and high > low):
        return []
    step = round_step((high - low) / scale, n_wanted)
    inner = _CLEAR * (high - low)
    marks, tried = _multiples(low, high, step * scale), n_wanted
    while tried < _MOST_TRIED and len(_multiples(low + inner, high - inner, step * scale)) < 2:
        tried *= _FINER
        step = round_step((high - low) / scale, tried)
        marks = _multiples(low + inner, high - inner, step * scale)
        marks = marks[:: max(len(marks) - 1, 1)] if len(marks) > max(2.0, n_wanted) else marks  # no more than have room
    decimals = max(0, -math.floor(math.log10(step) + 1e-9))
    return [Tick(k * step * scale, minus(f"{k * step:.{decimals}f}")) for k in marks]


def _multiples(low: float, high: float, step: float) -> range:
    """Return which multiples of a step lie between two values."""
    return range(math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9) + 1)


def value_ticks(low: float, high: float, unit: Unit, n_wanted: float) -> tuple[list[Tick], str]:
    """Return marks of a value axis in SI and the unit with its prefix, chosen by the larger end."""
    scale, symbol = prefix_for(max(abs(low), abs(high)), unit)
    return ticks(low, high, n_wanted, scale), symbol


def decade_ticks(low: float, high: float, n_wanted: float) -> list[float]:
    """Return marks of a logarithmic axis between two positive values: decades, not all where there are many.

    Their 2 and 5 where there is room; where even they are fewer than two, round values of an even step.
    """
    powers = range(math.floor(math.log10(low)), math.ceil(math.log10(high)) + 1)
    decades = [power for power in powers if low * (1 - 1e-9) <= 10.0**power <= high * (1 + 1e-9)]
    if len(decades) >= 2 and 3 * math.log10(high / low) > n_wanted:
        every = min(max(1, round(math.log10(high / low) / max(n_wanted, 1))), len(decades) - 1)
        return [10.0**power for power in decades[::-every]][::-1]
    between = [factor * 10.0**power for power in powers for factor in (1, 2, 5)]
    found = [value for value in between if low * (1 - 1e-9) <= value <= high * (1 + 1e-9)]
    return found if len(found) >= 2 else [mark.value for mark in ticks(low, high, max(n_wanted, 2))]


_AS_GOOD_AS_CONSTANT = 1e-6  # of the size


def fitted(low: float, high: float, zero: bool = False) -> tuple[float, float]:
    """Return a scale that shows low to high with a margin; with `zero` it includes zero."""
    if not (math.isfinite(low) and math.isfinite(high)):
        return -1.0, 1.0
    if zero:
        low, high = min(low, 0.0), max(high, 0.0)
    if high <= low:
        half = abs(high) * 0.1 or 1.0
        return low - half, high + half
    size = max(abs(low), abs(high))
    if high - low < _AS_GOOD_AS_CONSTANT * size:  # what a computation leaves is no change: digits of an axis would not tell it
        half, middle = 1000 * _AS_GOOD_AS_CONSTANT * size, 0.5 * (low + high)
        return middle - half, middle + half
    margin = 0.08 * (high - low)
    return low - margin, high + margin
