"""The import preview: what was understood, corrected before anything is built."""

from dataclasses import dataclass, replace
from pathlib import Path

import msgspec

from pantelos.errors import PantelosError, StudyError
from pantelos.formats.dialect import Column, Dialect, Preview, Role
from pantelos.formats.problems import problems_of
from pantelos.formats.text.conversion import seconds_of
from pantelos.notation import count, with_unit
from pantelos.study import operations as op
from pantelos.study.opening import preview
from pantelos.units import unit


@dataclass(frozen=True, slots=True)
class ImportDraft:
    """A file and the dialect it would be read with."""

    path: Path
    preview: Preview
    dialect: Dialect
    rate_text: str = ""
    rate_problem: str = ""

    @property
    def problems(self) -> tuple[str, ...]:
        """What still keeps it from being read."""
        return tuple(map(str, problems_of(self.dialect))) + ((self.rate_problem,) if self.rate_problem else ())

    @property
    def summary(self) -> str:
        """Rows, rate and length, as far as the beginning of the file tells."""
        rows = f"about {count(self.preview.n_rows_about)} rows"
        rate = self.rate_hz
        if rate is None:
            return rows
        length = with_unit(self.preview.n_rows_about / rate, unit("s"), 3)
        return f"{rows}, {with_unit(rate, unit('Hz'), 5)} sampling, about {length}"

    @property
    def rate_hz(self) -> float | None:
        """The rate stated, or what the first rows of the time column suggest."""
        at = self.dialect.time_column
        if at is None:
            return self.dialect.rate_hz
        try:
            seconds = seconds_of([row[at] for row in self.preview.rows], self.dialect)
        except (PantelosError, IndexError):
            return None
        span = seconds[-1] - seconds[0] if len(seconds) > 1 else 0.0
        return float(f"{(len(seconds) - 1) / span:.5g}") if span > 0 else None


def draft(path: Path, delimiter: str | None = None, decimal: str | None = None) -> ImportDraft:
    """Return a draft of how a file is understood; a given separator or decimal sign is kept to."""
    found = preview(path, delimiter, decimal)
    return ImportDraft(path, found, found.dialect, f"{found.dialect.rate_hz:g} Hz" if found.dialect.rate_hz else "")


def with_rate(given: ImportDraft, text: str) -> ImportDraft:
    """Return the draft with a stated sample rate; an empty text states none."""
    if not text.strip():
        return replace(given, dialect=msgspec.structs.replace(given.dialect, rate_hz=None), rate_text=text, rate_problem="")
    try:
        rate = op.rate_from(text)
    except StudyError as error:
        return replace(given, rate_text=text, rate_problem=str(error))
    return replace(given, dialect=msgspec.structs.replace(given.dialect, rate_hz=rate), rate_text=text, rate_problem="")


def with_column(
    given: ImportDraft, at: int, name: str | None = None, symbol: str | None = None, role: Role | None = None
) -> ImportDraft:
    """Return the draft with another name, unit or role of a column; only one column can be the time."""
    old = given.dialect.columns[at]
    changed = Column(name if name is not None else old.name, symbol if symbol is not None else old.unit, role or old.role)
    columns = list(given.dialect.columns)
    if changed.role is Role.TIME:
        columns = [msgspec.structs.replace(c, role=Role.CHANNEL) if c.role is Role.TIME else c for c in columns]
    columns[at] = changed
    return replace(given, dialect=msgspec.structs.replace(given.dialect, columns=tuple(columns)))
