"""Operands written as text, in dialogs and on the command line."""

import re

from msgspec.structs import replace

from pantelos.amounts import NUMBER, amount, amount_of, figure
from pantelos.errors import StudyError, UnitError, clipped
from pantelos.study.shown import Look
from pantelos.units import Unit, unit


def rate_from(text: str) -> float:
    """Return a sample rate in Hz written like `20 kHz`, `20000` or `50 us` (a sample interval).

    Raises
    ------
    StudyError
        When the text is neither.
    """
    try:
        found, given = amount_of(text.replace("S/s", "Hz"), "Hz")
    except (StudyError, UnitError):
        found, given = 0.0, unit("Hz")
    if not found > 0 or not (given.like(unit("Hz")) or given.like(unit("s"))):
        raise StudyError(f'"{clipped(text)}" is not a sample rate. Write it like 20 kHz, or a sample interval like 50 us.')
    return found if given.like(unit("Hz")) else 1.0 / found


_LOOK = re.compile(
    rf"\s*(?:[x×*]\s*(?P<factor>{NUMBER}))?\s*(?:(?P<minus>[-\N{{MINUS SIGN}}])?\s*\+?\s*(?P<offset>{NUMBER}\s*\S*))?\s*"
)


def look_from(text: str, shown: Unit, before: Look) -> Look:
    """Return how a channel is drawn, written like `x 10 + 5 V`; a part that is left out says nothing.

    Raises
    ------
    StudyError
        When the text is neither factor nor offset, or its unit is not that of the channel.
    """
    match = _LOOK.fullmatch(text)
    factor = figure(match["factor"] or "1") if match else 0.0
    refused = f"is no factor and offset. Write them like x 10 + 5 {shown.symbol}."
    if match is None or not abs(factor) > 0:
        raise StudyError(f'"{clipped(text)}" {refused}')
    offset = amount(match["offset"], shown, refused) if match["offset"] else 0.0
    return replace(before, factor=factor, offset=-offset if match["minus"] else offset)


def time_from(text: str) -> float:
    """Return an instant or a length in seconds written like `1.5`, `20 ms`.

    Raises
    ------
    StudyError
        When it is no time.
    """
    return amount(text, "s", "is no time. Write it like 1.5 s or 20 ms.")


def edges_from(text: str) -> tuple[float, float]:
    """Return start and stop in seconds written like `6.4 .. 8.4` or `20 ms .. 0.5 s`.

    Raises
    ------
    StudyError
        When the text is not of that form.
    """
    start, _, stop = text.partition("..")
    try:
        return amount(start, "s"), amount(stop, "s")
    except StudyError as cause:
        raise StudyError(
            f'"{clipped(text)}" does not name two edges. Write start and stop in seconds, as in 6.4 .. 8.4.'
        ) from cause
