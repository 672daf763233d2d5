"""What keeps a file from being read the way its dialect says."""

import codecs

import msgspec

from pantelos.formats.dialect import ColumnRole, Dialect, TimeForm
from pantelos.formats.heading_names import known_unit


class Problem(msgspec.Struct, frozen=True):
    """Something that must be corrected before a file can be read."""

    found: str
    expected: str
    advice: str

    def __str__(self) -> str:
        return f"{self.found}; expected {self.expected}. {self.advice}"


def problems_of(dialect: Dialect) -> list[Problem]:
    """Return what keeps a file from being read this way."""
    found = [] if _is_known(dialect.encoding) else [_of_encoding(dialect.encoding)]
    seen: dict[str, int] = {}
    for k, column in enumerate(dialect.columns, start=1):
        if column.role in (ColumnRole.SKIP, ColumnRole.DATE):
            continue
        if column.name in seen:
            what = f'the name "{column.name}" stands over columns {seen[column.name]} and {k}'
            found.append(Problem(what, "each name once", "Rename one of them."))
        seen.setdefault(column.name, k)
        if known_unit(column.unit) is None:
            what = f'column {k}, "{column.name}", is in "{column.unit}", which is not a known unit'
            found.append(Problem(what, "a unit such as V or mA", "Set its unit."))
    if not dialect.channels:
        found.append(Problem("no column is a channel", "at least one", "Mark a column as a channel."))
    for part in dialect.parts:
        time = part.time_column
        if part.channels and not part.rate_hz and (time is None or part.columns[time].form is TimeForm.INDEX):
            found.append(_without_rate(part, dialect))
    return found


def _is_known(encoding: str) -> bool:
    try:
        return bool(codecs.lookup(encoding))
    except (LookupError, ValueError):
        return False


def _of_encoding(encoding: str) -> Problem:
    return Problem(
        f'the letters are said to be in "{encoding}", which is no known encoding', "one such as utf-8", "Import it anew."
    )


def _without_rate(part: Dialect, whole: Dialect) -> Problem:
    of = "" if part is whole else f" for {part.channels[0][1].name}"
    return Problem(f"neither a time column nor a sample rate is stated{of}", "one of them", "Give the sample rate.")
