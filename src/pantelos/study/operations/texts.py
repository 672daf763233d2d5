"""Operands written as text, in dialogs and on the command line."""

import math
import re

from msgspec.structs import replace

from pantelos.errors import StudyError, UnitError
from pantelos.study.model import Look
from pantelos.units import Unit, unit

_AMOUNT = re.compile(r"^\s*([-−]?[\d.]+(?:[eE][-+]?\d+)?)\s*(\S*)\s*$")


def _amount(text: str, usual: str) -> tuple[float, Unit]:
    """Return a number in SI and its unit, the usual one where none is written; ValueError or UnitError when it is neither."""
    match = _AMOUNT.match(text)
    if match is None:
        raise ValueError(text)
    given = unit(match[2].replace("S/s", "Hz") or usual)
    return float(match[1].replace("−", "-")) * given.factor, given


def rate_from(text: str) -> float:
    """Return a sample rate in Hz written like `20 kHz`, `20000` or `50 us` (a sample interval).

    Raises
    ------
    StudyError
        When the text is neither.
    """
    try:
        amount, given = _amount(text, "Hz")
        assert 0 < amount < math.inf
        if given.like(unit("Hz")):
            return amount
        assert given.like(unit("s"))
    except (AssertionError, ValueError, UnitError) as cause:
        raise StudyError(f'"{text}" is not a sample rate. Write it like 20 kHz, or a sample interval like 50 us.') from cause
    return 1.0 / amount


_LOOK = re.compile(
    r"^\s*(?:[x×*]\s*(?P<factor>[-+]?[\d.]+(?:[eE][-+]?\d+)?))?\s*(?:(?P<sign>[-+−])?\s*(?P<offset>[-\d.]+(?:[eE][-+]?\d+)?)\s*(?P<unit>\S*))?\s*$"
)


def look_from(text: str, shown: Unit, before: Look) -> Look:
    """Return how a channel is drawn, written like `x 10 + 5 V`; a part that is left out says nothing.

    Raises
    ------
    StudyError
        When the text is neither factor nor offset, or its unit is not that of the channel.
    """
    match = _LOOK.match(text)
    try:
        assert match is not None
        factor = float(match["factor"] or 1.0)
        offset = float(match["offset"] or 0.0) * (-1.0 if match["sign"] in ("-", "−") else 1.0)
        given = unit(match["unit"]) if match["unit"] else shown
        assert given.like(shown) and factor != 0
    except (AssertionError, ValueError, UnitError) as cause:
        raise StudyError(f'"{text}" is no factor and offset. Write them like x 10 + 5 {shown.symbol}.') from cause
    return replace(before, factor=factor, offset=offset * given.factor)


def time_from(text: str) -> float:
    """Return an instant or a length in seconds written like `1.5`, `20 ms`.

    Raises
    ------
    StudyError
        When it is no time.
    """
    try:
        amount, given = _amount(text, "s")
        assert given.like(unit("s"))
        return amount
    except (AssertionError, ValueError, UnitError) as cause:
        raise StudyError(f'"{text}" is no time. Write it like 1.5 s or 20 ms.') from cause


def edges_from(text: str) -> tuple[float, float]:
    """Return start and stop in seconds written like `6.4 .. 8.4`.

    Raises
    ------
    StudyError
        When the text is not of that form.
    """
    start, sign, stop = text.partition("..")
    try:
        edges = float(start), float(stop.strip().removesuffix("s"))
        assert sign and all(map(math.isfinite, edges))
    except (AssertionError, ValueError) as cause:
        raise StudyError(f'"{text}" does not name two edges. Write start and stop in seconds, as in 6.4 .. 8.4.') from cause
    return edges
