"""What a file of limits may say: each value that cannot be is refused in a sentence, with its line and what to do."""

import difflib
import math
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from itertools import pairwise
from pathlib import Path
from typing import TypeAlias

from msgspec.structs import replace

from pantelos.errors import StudyError, UnitError, clipped
from pantelos.quality.requirements import LimitSet, Requirement
from pantelos.units import Unit, unit

# The unit that each parameter is measured in; where a requirement is relative, its limits are in %.
_MEASURED_IN = {
    "f": "Hz",
    "U": "V",
    "under": "%",
    "over": "%",
    "u2": "%",
    "u0": "%",
    "THD": "%",
    "THD 50": "%",
    "Uh": "V",
    "Uih": "V",
    "Pst": "",
    "Plt": "",
    "signal": "V",
    "I": "A",
    "Ih": "A",
    "Iih": "A",
    "THD I": "%",
    "THC 50": "A",
    "Ig": "A",
    "Ig max": "A",
    "THC": "A",
    "PWHC": "A",
}
Wrong: TypeAlias = Callable[[str, str], StudyError]  # of a word and what is wrong with it
_BASES = ("200 ms", "3 s", "10 s", "10 min", "2 h", "observation")
_INPUTS = ("I_ref", "I_L")
_DC_SOCKETS = ("u", "i")  # that a formula may speak of


def nearest(word: str, known: Iterable[str]) -> str:
    """Return the end of a sentence that names the known word nearest to another one, else all of them."""
    known = list(known)
    close = difflib.get_close_matches(word.casefold(), [one.casefold() for one in known], 1, 0.6)
    found = next((one for one in known if close and one.casefold() == close[0]), "")
    return f'did you mean "{found}"?' if found else f"there are {', '.join(known)}."


def line_of(text: str, requirement: str, word: str = "") -> int:
    """Return the line of a file in which a requirement names something, else that of its id; counted from 1."""
    lines = text.splitlines()
    first = next((k for k, line in enumerate(lines) if re.match(rf"\s*id\s*=\s*[\"']{re.escape(requirement)}[\"']", line)), 0)
    end = next((k for k in range(first + 1, len(lines)) if lines[k].lstrip().startswith("[[")), len(lines))
    begin = next((k for k in range(first, -1, -1) if lines[k].lstrip().startswith("[[")), 0)
    found = (k for k in range(begin, end) if word and re.match(rf"\s*{re.escape(word)}\s*=", lines[k]))
    return next(found, first) + 1


def checked(found: LimitSet, inputs: Mapping[str, str], text: str, path: Path) -> LimitSet:
    """Return a set with its limits in the units that parameters are measured in.

    Raises
    ------
    StudyError
        Naming the first place that cannot be, and what to write there.
    """
    return replace(found, requirement=tuple(_checked(one, inputs, text, path) for one in found.requirement))


def _checked(one: Requirement, inputs: Mapping[str, str], text: str, path: Path) -> Requirement:
    def wrong(word: str, said: str) -> StudyError:
        return StudyError(f'{path}, line {line_of(text, one.id, word)}, requirement "{clipped(one.id)}": {said}')

    if bool(one.parameter) == bool(one.formula):
        raise wrong("parameter", "state either a parameter or a formula.")
    if one.low is None and one.high is None and not one.orders and not one.highs:
        raise wrong("", "it has no limit: state low, high or orders.")
    for word, value in _numbers(one):
        if not math.isfinite(value):
            raise wrong(word, f"{word} is {value}; write a number.")
    if one.low is not None and one.high is not None and not one.low < one.high:
        raise wrong("low", f"low {one.low:g} is not below high {one.high:g}; exchange them.")
    if not 0 < one.share <= 100:
        raise wrong("share", f"share {one.share:g} % is no part of the values; write one above 0 and up to 100.")
    if one.base not in _BASES:
        raise wrong("base", f'base "{clipped(one.base)}" is no interval; {nearest(one.base, _BASES)}')
    if one.parameter and one.parameter not in _MEASURED_IN:
        raise wrong("parameter", f'"{clipped(one.parameter)}" is no parameter; {nearest(one.parameter, _MEASURED_IN)}')
    try:
        one.title.format(order=5)
    except (KeyError, IndexError, ValueError) as cause:
        raise wrong("title", "braces in a title hold {order} and nothing else.") from cause
    try:
        one.formula.format(**dict.fromkeys((*_DC_SOCKETS, *inputs), ""))
    except (KeyError, IndexError, ValueError, AttributeError) as cause:
        raise wrong("formula", "braces in a formula hold u or i of the DC connection, or an input of the set.") from cause
    asked = [name for name in (one.scaled_by, one.relative if one.relative in _INPUTS else "") if name]
    missing = [name for name in asked if name not in inputs]
    if missing:
        said = f'it rests on {missing[0]}, which the set does not ask for: add inputs = {{ {missing[0]} = "what it is" }}.'
        raise wrong("relative" if missing[0] in _INPUTS else "scaled_by", said)
    _check_table(one, inputs, wrong)
    return _in_unit(one, wrong)


def _numbers(one: Requirement) -> Iterator[tuple[str, float]]:
    """Yield every number of a requirement, with the word it stands behind."""
    yield from ((word, value) for word in ("low", "high", "share", "factor") if (value := getattr(one, word)) is not None)
    yield from (("highs", value) for value in one.highs)
    for word, limits in (("orders", one.orders), ("caps", one.caps)):
        for value in limits.values():
            yield from ((word, x) for x in (value if isinstance(value, tuple) else (value,)))
    if one.table is not None:
        yield from (("table", value) for value in one.table.at)


def _check_table(one: Requirement, inputs: Mapping[str, str], wrong: Wrong) -> None:
    rows = [value for value in (*one.orders.values(), one.highs) if isinstance(value, tuple) and value]
    at = one.table.at if one.table is not None else ()
    if any(len(row) != len(at) for row in rows):
        raise wrong("orders", f"each list of limits needs as many as its table has rows, {len(at)}.")
    if one.table is None:
        return
    if one.table.input not in inputs:
        raise wrong("table", f"its table depends on {one.table.input}, which is none of the inputs of the set.")
    if not at or any(a >= b for a, b in pairwise(at)) or (one.table.between == "log" and at[0] <= 0):
        raise wrong("table", "the rows of its table have to rise, above zero where they are logarithmic.")


def _in_unit(one: Requirement, wrong: Wrong) -> Requirement:
    """Return a requirement with its limits in the unit that its parameter is measured in."""
    if one.formula:
        return one
    usual = "%" if one.relative else _MEASURED_IN[one.parameter]
    if one.unit == usual:
        return one
    given, wanted = _unit(one.unit), _unit(usual)
    if given is None or wanted is None or not given.like(wanted):
        measured = f"{one.parameter} is measured in {usual}" if usual else f"{one.parameter} has no unit"
        relative = f", relative to {one.relative} in %" if one.relative else ""
        raise wrong("unit", f'unit "{clipped(one.unit)}" does not fit: {measured}{relative}. Write unit = "{usual}".')
    factor = given.factor / wanted.factor

    def scaled(value: float | tuple[float, ...]) -> float | tuple[float, ...]:
        return tuple(x * factor for x in value) if isinstance(value, tuple) else value * factor

    low, high = (None if x is None else x * factor for x in (one.low, one.high))
    orders = {order: scaled(value) for order, value in one.orders.items()}
    caps = {order: value * factor for order, value in one.caps.items()}
    return replace(one, unit=usual, low=low, high=high, orders=orders, caps=caps, highs=tuple(x * factor for x in one.highs))


def _unit(text: str) -> Unit | None:
    try:
        return unit(text or "1")
    except UnitError:
        return None
