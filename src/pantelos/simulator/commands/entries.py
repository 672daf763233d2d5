"""Settings as pairs of a command and a query."""

from collections.abc import Callable, Sequence
from typing import TypeAlias

import msgspec

from pantelos.scpi.message import MessageError, as_flag, as_limit, as_number, as_word, short_form
from pantelos.scpi.response import number
from pantelos.scpi.tree import Tree

# What is read and written: by the numbers in the header.
Get: TypeAlias = Callable[[tuple[int, ...]], object]
Put: TypeAlias = Callable[[tuple[int, ...], object], None]


class Amount(msgspec.Struct, frozen=True):
    """A number: its unit, what it lies between, and what one of them is in the unit it is kept in."""

    unit: str = ""
    low: float = 0.0
    high: float = 1e12
    factor: float = 1.0
    usual: float = 0.0  # after *RST
    whole: bool = False  # a count: fractions are rounded, as SCPI-1999 has it (volume 1, 7.2.1)

    def taken(self, text: str) -> float:
        """Return it from a parameter."""
        value = as_number(text, self.unit, self.low, self.high, self.usual)
        value = float(round(value)) if self.whole else value
        if not self.low <= value <= self.high:
            raise MessageError(-222, "Data out of range")
        return value * self.factor

    def said(self, value: object) -> str:
        """Return it as a response."""
        assert isinstance(value, int | float)
        return str(round(value)) if self.whole else number(value / self.factor)

    def limit(self, text: str) -> str:
        """Return what a query with MINimum, MAXimum or DEFault asks for."""
        value = as_limit(text, self.low, self.high, self.usual)
        if value is None:
            raise MessageError(-224, "Illegal parameter value")
        return str(round(value)) if self.whole else number(value)


class Flag(msgspec.Struct, frozen=True):
    """On or off."""

    def taken(self, text: str) -> bool:
        """Return it from a parameter."""
        return as_flag(text)

    def said(self, value: object) -> str:
        """Return it as a response."""
        return str(int(bool(value)))


class EntryWord(msgspec.Struct, frozen=True):
    """One of some mnemonics."""

    words: tuple[str, ...]

    def taken(self, text: str) -> str:
        """Return it from a parameter."""
        return as_word(text, self.words)

    def said(self, value: object) -> str:
        """Return its short form."""
        return short_form(str(value))


Kind: TypeAlias = Amount | Flag | EntryWord


def one(given: Sequence[str]) -> str:
    """Return the only parameter.

    Raises
    ------
    MessageError
        When there is none.
    """
    if not given:
        raise MessageError(-109, "Missing parameter")
    return given[0]


def add_setting(tree: Tree, header: str, kind: Kind, get: Get, put: Put) -> None:
    """Add a command that sets something, and the query that reads it."""

    def ask(numbers: tuple[int, ...], given: Sequence[str]) -> str:
        if given and isinstance(kind, Amount):
            return kind.limit(given[0])
        return kind.said(get(numbers))

    tree.add(header, lambda numbers, given: put(numbers, kind.taken(one(given))), takes=1)
    tree.add(header, ask, query=True, takes=int(isinstance(kind, Amount)))
