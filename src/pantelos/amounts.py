"""Amounts as people type them, a figure and a unit: `20 kHz`, `−5 mV`, `2.5e-3 s`. One rule for all places where one is typed.

A sign may be `+`, `-` or `−`; blanks may stand around and between; the decimal sign is a point, and a comma separates one amount
from the next. What is returned is the nearest number to what was written: 50 us are 5e-5 s, not what the product of two rounded
numbers leaves.
"""

import math
import re
from decimal import Decimal

from pantelos.errors import StudyError, UnitError, clipped
from pantelos.units import Unit, unit

NUMBER = r"(?:[-+\N{MINUS SIGN}]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)"
_AMOUNT = re.compile(rf"\s*(?P<number>{NUMBER})\s*(?P<unit>\D.*|1/.*)?", re.DOTALL)


def figure(text: str) -> float:
    """Return a number without a unit; NaN where the text is none, or one beyond all numbers.

    >>> figure("−2.5e-3")
    -0.0025
    """
    found = re.fullmatch(rf"\s*{NUMBER}\s*", text)
    value = float(text.replace("\N{MINUS SIGN}", "-")) if found else math.nan
    return value if math.isfinite(value) else math.nan


def _times(number: str, factor: float) -> float:
    """Return the number nearest to a written one times a factor; NaN where that is beyond all numbers."""
    value = figure(number)
    if not value:  # zero, or nearer to it than any number
        return value
    if math.isnan(value):  # so large by itself
        return math.nan
    return float(Decimal(number.strip().replace("\N{MINUS SIGN}", "-")) * Decimal(repr(factor)))


def parted(text: str) -> tuple[str, str]:
    """Return figure and unit of an amount as they are written; the unit may be empty.

    Raises
    ------
    StudyError
        When the text does not begin with a figure.
    """
    found = _AMOUNT.fullmatch(text)
    if found is None:
        raise StudyError(f'"{clipped(text.strip())}" is no amount. Write a figure and a unit, such as 10 V.')
    return found["number"], (found["unit"] or "").strip()


def amount_of(text: str, usual: str | Unit = "1") -> tuple[float, Unit]:
    """Return an amount in SI and the unit it is written in; a figure alone is in the usual one.

    Raises
    ------
    StudyError
        When it is none, or too large for a number.
    UnitError
        When its unit is not known.
    """
    number, symbol = parted(text)
    given = unit(symbol) if symbol else unit(usual) if isinstance(usual, str) else usual
    value = _times(number, given.factor)
    if not math.isfinite(value):
        raise StudyError(f'"{clipped(text.strip())}" is too large for a number.')
    return value, given


def amount(text: str, expected: str | Unit, otherwise: str = "") -> float:
    """Return an amount in SI; a figure alone is in the unit expected. `otherwise` ends the sentence that refuses it.

    Raises
    ------
    StudyError
        When it is none, or of another kind than is expected.
    """
    like = unit(expected) if isinstance(expected, str) else expected
    said = clipped(text.strip())
    try:
        value, given = amount_of(text, like)
    except (StudyError, UnitError) as error:
        raise StudyError(f'"{said}" {otherwise}' if otherwise else _refused(error, said, like)) from error
    if not given.like(like):
        raise StudyError(f'"{said}" {otherwise}' if otherwise else f'"{said}" is in {given.symbol}; expected {like.symbol}.')
    return value


def _refused(error: StudyError | UnitError, said: str, like: Unit) -> str:
    if isinstance(error, UnitError):
        return str(error)
    return f'"{said}" is no amount. Write a figure and a unit, such as 10 {like.symbol}.'
