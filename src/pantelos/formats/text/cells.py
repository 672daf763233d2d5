"""How a cell may be written: plain numbers, numbers with groups or prefixes, words for no value, times."""

import csv
import re
from functools import cache

import msgspec

from pantelos.formats.dates import could_be, is_clock, is_date, is_stamp

MISSING_CELLS = ("", "-", "--", "---", "nan", "NaN", "NAN", "-nan", "-NaN", "null", "NULL", "none", "None", "n/a", "N/A",
                 "#N/A", "#VALUE!", "#NULL!", "?", "1.#QNAN", "-1.#QNAN", "-1.#IND", "1.#IND", "1.#SNAN", "nan(ind)",
                 "-nan(ind)")  # fmt: skip
_BEYOND = ("O.L", "O.L.", "0L", "0.L", "OL", "OVL", "OVLD", "OVER", "OVERRANGE", "OVER RANGE", "OVER-RANGE", "OVERLOAD",
           "OVERFLOW", "INF", "INFINITY", "1.#INF", "UNDERRANGE", "UNDERFLOW", "CLIPPED", "ÜBERLAUF", "\N{INFINITY}", "####",
           "*****", "########")  # fmt: skip
# Beyond its range a recorder has no value either, but that is no missing sample. In capitals, in small letters, or in both.
BEYOND_CELLS = tuple(dict.fromkeys(
    sign + text for word in _BEYOND for sign in ("", "+", "-") for text in (word, word.lower(), word.capitalize(), word.title())
))  # fmt: skip
_MISSING_SET, _BEYOND_SET = frozenset(MISSING_CELLS), frozenset(BEYOND_CELLS)
# Numbers that stand for no number. Source: SCPI-1999, volume 1, 7.2.1.4 and 7.2.1.5: 9.9E37 is infinite, 9.91E37 is none.
INFINITE, NOT_A_NUMBER = 9.9e37, 9.91e37
MINUS_SIGN = "\N{MINUS SIGN}"

PREFIXES = {"": 1.0, "a": 1e-18, "f": 1e-15, "p": 1e-12, "n": 1e-9, "u": 1e-6, "µ": 1e-6, "μ": 1e-6, "m": 1e-3,
            "k": 1e3, "K": 1e3, "M": 1e6, "G": 1e9, "T": 1e12}  # fmt: skip
UNITS_IN_CELLS = ("VA", "var", "Hz", "Ohm", "ohm", "V", "A", "W", "s", "Ω", "\N{OHM SIGN}")
_LONGEST_TIME = 80  # letters
ELAPSED = re.compile(r"^-?(?:\d+:)?\d+:\d{2}(?:[.,]\d+)?$")
_SUFFIXED = re.compile(rf"^(?P<number>.*?\d[.,]?)\s*(?P<prefix>[{''.join(PREFIXES)}]?)(?P<unit>{'|'.join(UNITS_IN_CELLS)})?$")


class Style(msgspec.Struct, frozen=True):
    """How rows are split and numbers written."""

    delimiter: str  # " ": any run of blanks
    decimal: str
    thousands: str = ""
    suffixes: bool = False

    @property
    def plain(self) -> bool:
        """Whether numbers are nothing but digits, a decimal sign and an exponent."""
        return not self.thousands and not self.suffixes

    def split(self, line: str) -> list[str]:
        """Return the cells of one line."""
        line = line.replace(MINUS_SIGN, "-")
        if self.delimiter == " ":
            return line.split()
        try:
            return [cell.strip() for cell in next(csv.reader([line], delimiter=self.delimiter), [])]
        except csv.Error:  # a cell longer than any number
            return [cell.strip() for cell in line.split(self.delimiter)]

    def is_number(self, cell: str) -> bool:
        """Return whether a cell is a number."""
        return bool(_number(self).match(cell))

    def is_data(self, cells: list[str]) -> bool:
        """Return whether all cells are numbers, times or missing, and at least one is not missing."""
        given = [cell for cell in cells if not is_missing(cell)]
        return bool(given) and all(self.is_number(cell) or is_time_of_day(cell) for cell in given)

    def value(self, cell: str) -> float:
        """Return the number in a cell.

        Raises
        ------
        ValueError
            When it is none.
        """
        if not self.is_number(cell):
            raise ValueError(cell)
        factor = 1.0
        text = cell.strip().strip('"')
        if self.suffixes and (match := _SUFFIXED.match(text)):
            text, factor = match["number"], PREFIXES[match["prefix"]]
        if self.thousands:
            text = text.replace(self.thousands, "")
        return float(text.replace(self.decimal, ".")) * factor

    def unit_in(self, cell: str) -> str | None:
        """Return the unit written behind the number in a cell, or None."""
        match = _SUFFIXED.match(cell.strip().strip('"')) if self.suffixes else None
        return match["unit"] if match else None


def is_missing(cell: str) -> bool:
    """Return whether a cell stands for no value, be it missing or beyond the range."""
    return cell in _MISSING_SET or cell in _BEYOND_SET


def is_time_of_day(cell: str) -> bool:
    """Return whether a cell is a date and time, or an elapsed time with colons."""
    return (
        len(cell) <= _LONGEST_TIME
        and could_be(cell)
        and bool(ELAPSED.match(cell) or is_stamp(cell) or is_date(cell) or is_clock(cell))
    )


def number_pattern(style: Style) -> str:
    """Return the regular expression of numbers, of Python and of Arrow alike; the minus sign is a hyphen or one of its own."""
    whole = rf"(?:\d{{1,3}}(?:{re.escape(style.thousands)}\d{{3}})+|\d+)" if style.thousands else r"\d+"
    sign = re.escape(style.decimal)
    number = rf"[-+{MINUS_SIGN}]?(?:{whole}(?:{sign}\d*)?|{sign}\d+)(?:[eE][-+]?\d+)?"
    behind = rf"\s*[{''.join(PREFIXES)}]?(?:{'|'.join(UNITS_IN_CELLS)})?" if style.suffixes else ""
    return rf'^\s*"?{number}{behind}"?\s*$'


@cache
def _number(style: Style) -> re.Pattern[str]:
    return re.compile(number_pattern(style))
