"""What rows are asked by, and held against: `eta < 92 %`, `failed`, `P > 3 kW and eta >= 80 %`."""

import re
from collections.abc import Callable, Mapping
from enum import StrEnum

import msgspec

from pantelos.amounts import amount_of
from pantelos.campaigns.rows import Cell, Known
from pantelos.errors import StudyError, clipped
from pantelos.units import Unit, unit

_ONE = re.compile(r"(?P<name>.+?)\s*(?P<sign><=|>=|≤|≥|<|>)\s*(?P<amount>[^<>=]+)")
_SIGNS = {"≤": "<=", "≥": ">="}
_HOLDS: Mapping[str, Callable[[float, float], bool]] = {
    "<": lambda a, b: a < b,
    ">": lambda a, b: a > b,
    "<=": lambda a, b: a <= b,
    ">=": lambda a, b: a >= b,
}


class Limit(msgspec.Struct, frozen=True):
    """What a value is compared with."""

    name: str  # of the value
    sign: str  # <, <=, > or >=
    amount: float  # SI
    written: str  # as it was given

    @property
    def text(self) -> str:
        """The limit as a sentence."""
        return f"{self.name} {self.sign_shown} {self.written}"

    @property
    def sign_shown(self) -> str:
        """The sign as it is printed."""
        return {"<=": "≤", ">=": "≥"}.get(self.sign, self.sign)

    @property
    def unit(self) -> Unit:
        """The unit it was given in."""
        return amount_of(self.written)[1]

    def holds(self, value: float) -> bool:
        """Return whether a value, SI, keeps to it."""
        return _HOLDS[self.sign](value, self.amount)


class Standing(StrEnum):
    """How a value stands to its limit, with its ± in mind."""

    INSIDE = "inside"
    OUTSIDE = "outside"
    UNDECIDED = "undecided"
    NOT_GIVEN = "not given"


def limit_from(text: str) -> Limit:
    """Return what a comparison says.

    Raises
    ------
    StudyError
        When it is none.
    """
    match = _ONE.fullmatch(text.strip())
    if match is None:
        raise StudyError(f'"{clipped(text)}" compares nothing. Write it like eta < 92 %.')
    written = match["amount"].strip()
    value, _ = amount_of(written)
    return Limit(match["name"].strip(), _SIGNS.get(match["sign"], match["sign"]), value, written)


def standing(cell: Cell | None, limit: Limit) -> Standing:
    """Return how a value stands to a limit: undecided where the limit lies within its ±."""
    if cell is None or cell.value is None:
        return Standing.NOT_GIVEN
    factor = unit(cell.unit).factor if cell.unit else 1.0
    value, expanded = cell.value * factor, (cell.expanded or 0.0) * factor
    ends = {limit.holds(value - expanded), limit.holds(value + expanded)}
    if len(ends) > 1:
        return Standing.UNDECIDED
    return Standing.INSIDE if ends.pop() else Standing.OUTSIDE


def chosen(text: str, odd: Mapping[int, str] = {}, limits: tuple[Limit, ...] = ()) -> Callable[[Known], bool]:
    """Return the question that a sentence asks of a row: comparisons, and failed, done, waiting, odd, outside, undecided.

    Raises
    ------
    StudyError
        When it is not understood.
    """
    parts = [_question(part.strip(), odd, limits) for part in re.split(r"\band\b|,", text)]
    return lambda known: all(part(known) for part in parts)


def _question(text: str, odd: Mapping[int, str], limits: tuple[Limit, ...]) -> Callable[[Known], bool]:
    if text in ("failed", "done", "waiting"):
        return lambda known: known.state == text
    if text == "odd":
        return lambda known: known.id in odd
    if text in (Standing.OUTSIDE, Standing.UNDECIDED):
        return lambda known: any(standing(known.cells.get(limit.name), limit) is text for limit in limits)
    limit = limit_from(text)

    def holds(known: Known) -> bool:
        cell = known.cells.get(limit.name)
        if cell is None or cell.value is None:
            return False
        return limit.holds(cell.value * (unit(cell.unit).factor if cell.unit else 1.0))

    return holds
