"""How a recording is to be read, in words: separator, decimal sign, rate, columns."""

import re
from collections.abc import Sequence
from pathlib import Path

import msgspec

from pantelos.errors import StudyError
from pantelos.formats.corrections import rebased, with_column
from pantelos.formats.dialect import Column, ColumnRole, Dialect, TimeForm
from pantelos.formats.memory import agreed_before
from pantelos.formats.problems import problems_of
from pantelos.study import operations as op
from pantelos.study.importing import Agreed
from pantelos.study.opening import preview
from pantelos.units import unit

_DELIMITERS = {
    "comma": ",",
    "semicolon": ";",
    "tab": "\t",
    "bar": "|",
    "blanks": " ",
    " ": " ",
    ",": ",",
    ";": ";",
    "\\t": "\t",
    "|": "|",
}
_DECIMALS = {"point": ".", "comma": ",", ".": ".", ",": ","}


def read_as(
    recording: Path,
    delimiter: str | None = None,
    decimal: str | None = None,
    rate: str | None = None,
    columns: Sequence[str] = (),
    as_before: bool = False,
) -> Agreed:
    """Return how a recording is read with these corrections; with `as_before` those that were agreed on for its shape count.

    Raises
    ------
    StudyError
        When a correction is not understood, or the recording cannot be read with them.
    """
    kept = _choice(delimiter, _DELIMITERS, "separator"), _choice(decimal, _DECIMALS, "decimal sign")
    seen = preview(recording, *kept)
    before = agreed_before(seen) if as_before else None
    return Agreed(recording, corrected(before or seen.dialect, rate, columns), seen)


def corrected(dialect: Dialect, rate: str | None, columns: Sequence[str]) -> Dialect:
    """Return the dialect with corrections."""
    if rate is not None:
        dialect = msgspec.structs.replace(dialect, rate_hz=op.rate_from(rate))
    for text in columns:
        dialect = _with_column(dialect, text)
    if rate is not None and dialect.time_column is not None:
        changed = [msgspec.structs.replace(c, role=ColumnRole.SKIP) if c.role is ColumnRole.TIME else c for c in dialect.columns]
        dialect = rebased(msgspec.structs.replace(dialect, columns=tuple(changed)))
    for problem in problems_of(dialect):
        raise StudyError(f"The recording cannot be read yet: {problem} Use --column or --rate.")
    return dialect


def _choice(text: str | None, known: dict[str, str], what: str) -> str | None:
    if text is None:
        return None
    if text not in known:
        raise StudyError(f'"{text}" is not a {what}; choose one of {", ".join(name for name in known if name.isalpha())}.')
    return known[text]


_COLUMN = re.compile(r"^(?P<at>\d+)=(?P<name>[^\[:]+?)\s*(\[(?P<unit>[^\]]*)\]|:(?P<time>\w+))?$")


def _with_column(dialect: Dialect, text: str) -> Dialect:
    match = _COLUMN.match(text)
    at = int(match["at"]) if match else 0
    if match is None or not 1 <= at <= len(dialect.columns):
        raise StudyError(f"--column {text}: write NUMBER=NAME [UNIT], with a number from 1 to {len(dialect.columns)}.")
    old, name = dialect.columns[at - 1], match["name"]
    if name == "skip":
        changed = msgspec.structs.replace(old, role=ColumnRole.SKIP)
    elif name == "channel":
        changed = msgspec.structs.replace(old, unit=match["unit"] or old.unit, role=ColumnRole.CHANNEL, form=TimeForm.NUMBER)
    elif name == "time":
        changed = Column(old.name, match["time"] or match["unit"] or _of_time(old.unit), ColumnRole.TIME, base=old.base)
    else:
        changed = Column(name, match["unit"] or old.unit, ColumnRole.CHANNEL, base=old.base)
    return with_column(dialect, at - 1, changed)


def _of_time(symbol: str) -> str:
    """Return a unit, or seconds where it is none of time."""
    return symbol if symbol != "1" and unit(symbol).like(unit("s")) else "s"
