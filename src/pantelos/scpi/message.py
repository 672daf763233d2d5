"""Program messages: units between semicolons, each a header and parameters; IEEE 488.2, clause 7, and SCPI-1999 volume 1, 6."""

import re
from collections.abc import Iterator

import msgspec

_HEADER = re.compile(r"^\s*(?P<header>\*?[:A-Za-z][\w:]*\??)(?:\s+(?P<rest>.*))?$", re.DOTALL)
_NUMBER = re.compile(r"^\s*(?P<number>[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*(?P<unit>[A-Za-z%]*)\s*$")
# SCPI-1999 volume 1, table 7-1: M is mega before HZ and OHM, else milli.
_PREFIXES = {"EX": 1e18, "PE": 1e15, "T": 1e12, "G": 1e9, "MA": 1e6, "K": 1e3, "M": 1e-3, "U": 1e-6, "N": 1e-9, "P": 1e-12}
_MEGA = ("HZ", "OHM")


class ScpiCommand(msgspec.Struct, frozen=True):
    """One unit of a message: its header from the root on, without the question mark, and the parameters as typed."""

    header: str
    query: bool
    parameters: tuple[str, ...] = ()


class MessageError(Exception):
    """What cannot be understood: a number of the standard, and its words."""

    def __init__(self, code: int, text: str) -> None:
        super().__init__(code, text)
        self.code, self.text = code, text


def commands(message: str) -> Iterator[ScpiCommand]:
    """Yield the units of a message; a header without a colon goes on from the branch of the one before.

    Raises
    ------
    MessageError
        At the first unit that is none.
    """
    branch = ""
    for unit in _split(message, ";"):
        if not unit.strip():
            continue
        found = _HEADER.match(unit)
        if found is None:
            raise MessageError(-102, "Syntax error")
        header, rest = found["header"].upper(), found["rest"] or ""
        query = header.endswith("?")
        header = header.removesuffix("?")
        if not header.startswith("*"):
            header = header[1:] if header.startswith(":") else branch + header
            branch = header.rpartition(":")[0] + ":" if ":" in header else ""
        yield ScpiCommand(header, query, tuple(part.strip() for part in _split(rest, ",")) if rest.strip() else ())


def _split(text: str, at: str) -> list[str]:
    """Return the parts of a text between signs that stand outside quotes and parentheses."""
    parts, quote, depth, start = [], "", 0, 0
    for k, sign in enumerate(text):
        if quote:
            quote = "" if sign == quote else quote
        elif sign in "\"'":
            quote = sign
        elif sign in "()":
            depth += 1 if sign == "(" else -1
        elif sign == at and not depth:
            parts.append(text[start:k])
            start = k + 1
    if quote:
        raise MessageError(-151, "Invalid string data")
    return [*parts, text[start:]]


def as_number(text: str, unit: str = "", low: float = 0.0, high: float = 0.0, usual: float = 0.0) -> float:
    """Return a numeric parameter, SI: a number with or without a unit, MINimum, MAXimum or DEFault.

    Raises
    ------
    MessageError
        When it is none, or its unit is another one.
    """
    named = as_limit(text, low, high, usual)
    if named is not None:
        return named
    found = _NUMBER.match(text)
    if found is None:
        raise MessageError(-104, "Data type error")
    value, suffix = float(found["number"]), found["unit"].upper()
    if not suffix or suffix == unit.upper():
        return value
    prefix = suffix.removesuffix(unit.upper())
    if not unit or prefix == suffix or prefix not in _PREFIXES:
        raise MessageError(-131, "Invalid suffix")
    return value * (1e6 if prefix == "M" and unit.upper() in _MEGA else _PREFIXES[prefix])


def as_limit(text: str, low: float, high: float, usual: float) -> float | None:
    """Return what MINimum, MAXimum or DEFault stands for (SCPI-1999 volume 1, 7.2.1); None for anything else."""
    for word, value in (("MINIMUM", low), ("MAXIMUM", high), ("DEFAULT", usual)):
        if text.upper() in (word, word[:3]):
            return value
    return None


def as_flag(text: str) -> bool:
    """Return a Boolean parameter: ON, OFF, or a number that rounds to nothing or not.

    Raises
    ------
    MessageError
        When it is none.
    """
    if text.upper() in ("ON", "OFF"):
        return text.upper() == "ON"
    return round(as_number(text)) != 0


def as_word(text: str, words: tuple[str, ...]) -> str:
    """Return which of some mnemonics, short form in capitals as in POSitive, a parameter is.

    Raises
    ------
    MessageError
        When it is none of them.
    """
    for word in words:
        if text.upper() in (word.upper(), short_form(word)):
            return word
    raise MessageError(-224, "Illegal parameter value")


def as_string(text: str) -> str:
    """Return what stands in quotes.

    Raises
    ------
    MessageError
        When there are none.
    """
    if len(text) < 2 or text[0] not in "\"'" or text[-1] != text[0]:
        raise MessageError(-158, "String data not allowed")
    return text[1:-1].replace(text[0] * 2, text[0])


def short_form(mnemonic: str) -> str:
    """Return the short form of a mnemonic: its capitals, and what is no letter."""
    return "".join(sign for sign in mnemonic if not sign.islower())
