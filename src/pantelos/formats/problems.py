"""What keeps a file from being read the way its dialect says."""

from dataclasses import dataclass

from pantelos.formats import header
from pantelos.formats.dialect import Dialect, Role, TimeForm


@dataclass(frozen=True, slots=True)
class Problem:
    """Something that must be corrected before a file can be read."""

    found: str
    expected: str
    advice: str

    def __str__(self) -> str:
        return f"{self.found}; expected {self.expected}. {self.advice}"


def problems_of(dialect: Dialect) -> list[Problem]:
    """Return what keeps a file from being read this way."""
    found = []
    seen: dict[str, int] = {}
    for k, column in enumerate(dialect.columns, start=1):
        if column.role is Role.SKIP:
            continue
        if column.name in seen:
            what = f'the name "{column.name}" stands over columns {seen[column.name]} and {k}'
            found.append(Problem(what, "each name once", "Rename one of them."))
        seen.setdefault(column.name, k)
        if header.known_unit(column.unit) is None:
            what = f'column {k}, "{column.name}", is in "{column.unit}", which is not a known unit'
            found.append(Problem(what, "a unit such as V or mA", "Set its unit."))
    if not dialect.channels:
        found.append(Problem("no column is a channel", "at least one", "Mark a column as a channel."))
    time = dialect.time_column
    if not dialect.rate_hz and (time is None or dialect.columns[time].form is TimeForm.INDEX):
        found.append(Problem("neither a time column nor a sample rate is stated", "one of them", "Give the sample rate."))
    return found
