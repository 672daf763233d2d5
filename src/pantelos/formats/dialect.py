"""How a text file of numbers is laid out, as far as it was understood or corrected."""

from enum import StrEnum

import msgspec

from pantelos.notice import Notice
from pantelos.record.timing import Began
from pantelos.units import unit


class ColumnRole(StrEnum):
    """What a column is for."""

    CHANNEL = "channel"
    TIME = "time"
    DATE = "date"  # of the times of day in the time column
    SKIP = "skip"


class TimeForm(StrEnum):
    """How the cells of a time column are written."""

    NUMBER = "number"  # in the unit of the column
    STAMP = "stamp"  # date and time
    CLOCK = "clock"  # time of day; the date stands in a column of its own
    ELAPSED = "elapsed"  # h:mm:ss.ffffff
    SINCE_1970 = "since 1970"  # a number in the unit of the column
    DAYS = "days"  # days since 1899-12-30, as spreadsheets count them
    INDEX = "index"  # samples, at the stated rate


class Side(StrEnum):
    """The side of an instrument transformer that values are those of."""

    UNSTATED = ""
    PRIMARY = "primary"
    SECONDARY = "secondary"


class Column(msgspec.Struct, frozen=True, omit_defaults=True):
    """One column of the file: the name and unit it is read under."""

    name: str
    unit: str = "1"
    role: ColumnRole = ColumnRole.CHANNEL
    scale: float = 1.0  # the value is number * scale, in `unit`
    range: float | None = None  # full scale either side of zero, in `unit`
    form: TimeForm = TimeForm.NUMBER
    order: str = ""  # of year, month and day in dates, such as "dmy"; empty: year first
    base: int = 0  # which of the file's time bases it goes by
    side: Side = Side.UNSTATED  # of an instrument transformer, that the values are read as
    ratio: float = 1.0  # primary over secondary

    def on(self, side: Side) -> "Column":
        """Return the column read as primary or secondary values; one whose side is not stated stays as it is."""
        if self.side in (Side.UNSTATED, side):
            return self
        factor = self.ratio if side is Side.PRIMARY else 1.0 / self.ratio
        return msgspec.structs.replace(self, side=side, scale=self.scale * factor)


class TimeBase(msgspec.Struct, frozen=True, omit_defaults=True):
    """When the samples of one time base were taken, where no time column gives it; or which rows of the first are its own."""

    rate_hz: float | None = None
    start_s: float = 0.0
    every: int = 1  # rows: of a slow column, which is filled in each so many, its times are those of the first base
    first_row: int = 0  # that is filled


class Dialect(msgspec.Struct, frozen=True, omit_defaults=True):
    """Everything needed to read the file again, in the study file and the key of the store."""

    delimiter: str = ","  # " ": any run of blanks
    decimal: str = "."
    thousands: str = ""  # what stands between groups of three digits
    suffixes: bool = False  # numbers may end in a prefix and a unit, as in 3.3k or 12 mV
    comment: str = ""  # lines that begin with it hold no numbers
    encoding: str = "utf-8"
    header_line: int | None = None  # lines count from 1, as an editor shows them
    units_line: int | None = None
    first_line: int = 1  # of the numbers
    columns: tuple[Column, ...] = ()
    rate_hz: float | None = None  # stated; None when a time column gives it
    start_s: float = 0.0  # instant of the first sample, where a rate is all there is
    every: int = 1  # rows, from one that is read to the next
    first_row: int = 0  # that is read, behind `first_line`
    further: tuple[TimeBase, ...] = ()  # time bases beside the first one, of columns whose `base` is 1, 2, ...

    @property
    def parts(self) -> tuple["Dialect", ...]:
        """A dialect for each time base: its own columns, the others left out. One recording is read with each."""
        if not self.further:
            return (self,)
        bases = (TimeBase(self.rate_hz, self.start_s), *self.further)
        return tuple(
            msgspec.structs.replace(
                self,
                rate_hz=base.rate_hz,
                start_s=base.start_s,
                further=(),
                every=base.every,
                first_row=base.first_row,
                columns=tuple(self._in_part(column, at, base) for column in self.columns),
            )
            for at, base in enumerate(bases)
        )

    @staticmethod
    def _in_part(column: Column, at: int, base: TimeBase) -> Column:
        """Return a column as the part of a base has it: its own, and the time of the first base where it has none of its own."""
        lent = base.every > 1 and column.base == 0 and column.role in (ColumnRole.TIME, ColumnRole.DATE)
        own = msgspec.structs.replace(column, base=0)
        return own if column.base == at or lent else msgspec.structs.replace(own, role=ColumnRole.SKIP)

    @property
    def date_column(self) -> int | None:
        """Index of the column of dates beside the time column, or None."""
        return next((k for k, column in enumerate(self.columns) if column.role is ColumnRole.DATE), None)

    @property
    def time_column(self) -> int | None:
        """Index of the time column, or None."""
        return next((k for k, column in enumerate(self.columns) if column.role is ColumnRole.TIME), None)

    @property
    def time_words(self) -> tuple[str, ...]:
        """By what the samples are told when they were taken, for each time base."""
        found = []
        for part in self.parts:
            at = part.time_column
            if at is not None and part.columns[at].form is not TimeForm.INDEX:
                column = part.columns[at]
                how = f" in {column.unit}" if column.form in (TimeForm.NUMBER, TimeForm.SINCE_1970) else ""
                found.append(f'time is column {at + 1}, "{column.name}"{how}')
            elif part.rate_hz:
                found.append(f"time by {part.rate_hz:g} samples per second")
        return tuple(found)

    @property
    def channels(self) -> tuple[tuple[int, Column], ...]:
        """Index and column of every channel."""
        return tuple((k, column) for k, column in enumerate(self.columns) if column.role is ColumnRole.CHANNEL)


class Preview(msgspec.Struct, frozen=True):
    """What was understood of a file, why, and its first rows; shown before anything is built."""

    dialect: Dialect
    reasons: tuple[str, ...]
    metadata: tuple[tuple[str, str], ...]
    rows: tuple[tuple[str, ...], ...]
    n_rows_about: int
    size_bytes: int
    problems: tuple[str, ...] = msgspec.field(default=())  # what must be corrected before it can be read
    told: tuple[Notice, ...] = ()  # what was left out, guessed or found odd
    textual: bool = True  # has a separator and a decimal sign
    rate_hz: float | None = None  # as stated, or as the first rows suggest
    began: Began | None = None  # date and time of the first sample as the file states it
    beginning: tuple[tuple[float, ...], ...] = ()  # the first values of every column, to be sketched


def time_factor(dialect: Dialect) -> float:
    """Return seconds per unit of the time column."""
    column = dialect.time_column
    assert column is not None
    return unit(dialect.columns[column].unit).factor
