"""The import preview: what was understood, corrected before anything is built."""

import math
from pathlib import Path

import msgspec
import numpy as np

from pantelos.amounts import figure
from pantelos.errors import PantelosError, StudyError
from pantelos.formats import corrections
from pantelos.formats.dialect import ColumnRole, Dialect, Preview
from pantelos.formats.memory import agreed_before
from pantelos.formats.problems import problems_of
from pantelos.formats.text.conversion import seconds_of
from pantelos.notation import count, with_unit
from pantelos.notice import Notice, Severity
from pantelos.record.alignment import Alignment, How, alignment_from
from pantelos.signal.arrays import FloatArray
from pantelos.study import operations as op
from pantelos.study.importing import Agreed, usual_order
from pantelos.study.opening import preview
from pantelos.study.parts import are_parts, missing_parts
from pantelos.units import unit

_FILLED = 0.6  # of the rows: with less a column is drawn by its values alone


class ImportDraft(msgspec.Struct, frozen=True):
    """A file and the dialect it would be read with."""

    path: Path
    preview: Preview
    dialect: Dialect
    rate_text: str = ""
    agreed_before: Dialect | None = None  # with the corrections made to a file of this shape before
    rate_problem: str = ""
    scale_problem: str = ""

    def agreed(self, alignment: Alignment | None = None) -> Agreed:
        """Return the file as it is to be read."""
        return Agreed(self.path, self.dialect, self.preview, alignment)

    @property
    def problems(self) -> tuple[str, ...]:
        """What still keeps it from being read."""
        typed = tuple(problem for problem in (self.rate_problem, self.scale_problem) if problem)
        return tuple(map(str, problems_of(self.dialect))) + typed

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
            seconds = seconds_of(list(self.preview.rows), self.dialect)
        except (PantelosError, IndexError):
            return None
        span = seconds[-1] - seconds[0] if len(seconds) > 1 else 0.0
        return float(f"{(len(seconds) - 1) / span:.5g}") if span > 0 else None


def draft(path: Path, delimiter: str | None = None, decimal: str | None = None) -> ImportDraft:
    """Return a draft of how a file is understood; a given separator or decimal sign is kept to."""
    found = preview(path, delimiter, decimal)
    return ImportDraft(path, found, found.dialect, _rate_text(found.dialect), agreed_before(found))


def _rate_text(dialect: Dialect) -> str:
    return f"{dialect.rate_hz:g} Hz" if dialect.rate_hz else ""


def with_what_was_agreed(given: ImportDraft) -> ImportDraft:
    """Return the draft with the corrections made to a file of the same shape before."""
    agreed = given.agreed_before or given.dialect
    return msgspec.structs.replace(given, dialect=agreed, rate_text=_rate_text(agreed), agreed_before=None)


def with_rate(given: ImportDraft, text: str) -> ImportDraft:
    """Return the draft with a stated sample rate; an empty text states none."""
    if not text.strip():
        return msgspec.structs.replace(
            given, dialect=msgspec.structs.replace(given.dialect, rate_hz=None), rate_text=text, rate_problem=""
        )
    try:
        rate = op.rate_from(text)
    except StudyError as error:
        return msgspec.structs.replace(given, rate_text=text, rate_problem=str(error))
    return msgspec.structs.replace(
        given, dialect=msgspec.structs.replace(given.dialect, rate_hz=rate), rate_text=text, rate_problem=""
    )


def with_column(
    given: ImportDraft, at: int, name: str | None = None, symbol: str | None = None, role: ColumnRole | None = None
) -> ImportDraft:
    """Return the draft with another name, unit or role of a column; only one column can be the time."""
    old = given.dialect.columns[at]
    changed = msgspec.structs.replace(
        old, name=name if name is not None else old.name, unit=symbol if symbol is not None else old.unit, role=role or old.role
    )
    return msgspec.structs.replace(given, dialect=corrections.with_column(given.dialect, at, changed))


def with_scale(given: ImportDraft, at: int, text: str) -> ImportDraft:
    """Return the draft with another factor that the numbers of a column are multiplied by."""
    scale = figure(text)
    if math.isnan(scale) or scale == 0:
        name = given.dialect.columns[at].name
        return msgspec.structs.replace(
            given, scale_problem=f'"{text}" is not a scale for {name}; expected a number such as 1 or 0.01.'
        )
    columns = list(given.dialect.columns)
    columns[at] = msgspec.structs.replace(columns[at], scale=scale)
    return msgspec.structs.replace(
        given, dialect=msgspec.structs.replace(given.dialect, columns=tuple(columns)), scale_problem=""
    )


def sketch_of(given: ImportDraft, at: int) -> FloatArray:
    """Return the first values of a column, shape (n,); none for one that is no channel."""
    beginning = given.preview.beginning
    if given.dialect.columns[at].role is not ColumnRole.CHANNEL or at >= len(beginning):
        return np.zeros(0)
    values = np.asarray(beginning[at], dtype=np.float64)
    filled = np.isfinite(values)
    return values[filled] if filled.any() and filled.mean() < _FILLED else values  # a slow column has its values far apart


class SettingKind(msgspec.Struct, frozen=True):
    """One way to set a recording against the first: word on the command line, title, what must be typed with it."""

    word: str
    title: str
    operand: str = ""


SETTINGS: tuple[SettingKind, ...] = (
    SettingKind(How.TOGETHER, "first samples together"),
    SettingKind(How.START, "by date and time"),
    SettingKind(How.BEHIND, "one behind the other"),
    SettingKind(How.OFFSET, "by an offset", "0.25 s"),
    SettingKind(How.EDGE, "by the first edge of a channel", "u1 = trigger"),
)


class ImportPlan(msgspec.Struct, frozen=True):
    """Files to be imported as one record: how each is read, and how it is set against the first."""

    drafts: tuple[ImportDraft, ...]
    settings: tuple[str, ...]  # as on the command line; empty for the one that all others are set against
    into_open: bool

    @classmethod
    def of(cls, drafts: tuple[ImportDraft, ...], into_open: bool) -> "ImportPlan":
        """Return the plan to begin with: the same columns are parts of one recording, others go by date and time where stated."""
        order, how, _ = usual_order([given.agreed() for given in drafts])
        settings = tuple("" if at == 0 and not into_open else str(how) for at in range(len(drafts)))
        return cls(tuple(drafts[k] for k in order), settings, into_open)

    def with_draft(self, at: int, changed: ImportDraft) -> "ImportPlan":
        """Return the plan with one file read in another way."""
        return msgspec.structs.replace(self, drafts=(*self.drafts[:at], changed, *self.drafts[at + 1 :]))

    def with_setting(self, at: int, text: str) -> "ImportPlan":
        """Return the plan with one file set in another way."""
        return msgspec.structs.replace(self, settings=(*self.settings[:at], text, *self.settings[at + 1 :]))

    def with_target(self, into_open: bool) -> "ImportPlan":
        """Return the plan for the open study, or for a new one."""
        if into_open == self.into_open:
            return self
        first = str(How.TOGETHER) if into_open else ""
        return msgspec.structs.replace(self, into_open=into_open, settings=(first, *self.settings[1:]))

    @property
    def agreed(self) -> tuple[Agreed, ...]:
        """All files as they are to be read."""
        return tuple(given.agreed(self.alignment(at)) for at, given in enumerate(self.drafts))

    def alignment(self, at: int) -> Alignment | None:
        """Return how a file is set; None for the one that all others are set against."""
        return alignment_from(self.settings[at]) if self.settings[at] else None

    def problems_of(self, at: int) -> tuple[str, ...]:
        """Return what keeps one file from being imported."""
        try:
            self.alignment(at)
        except StudyError as error:
            return (*self.drafts[at].problems, str(error))
        return self.drafts[at].problems

    @property
    def of_parts(self) -> tuple[Notice, ...]:
        """What is to be said of files that are parts of one recording."""
        if len(self.drafts) < 2 or not are_parts([given.dialect for given in self.drafts]):
            return ()
        missing = missing_parts([given.path for given in self.drafts])
        said = Notice(
            Severity.FINE, "record.part", f"{len(self.drafts)} parts of one recording", "they go on where their times say"
        )
        return (said, missing) if missing is not None else (said,)

    @property
    def problems(self) -> tuple[str, ...]:
        """What keeps any of the files from being imported."""
        return tuple(problem for at in range(len(self.drafts)) for problem in self.problems_of(at))
