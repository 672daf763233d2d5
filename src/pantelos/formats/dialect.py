"""How a text file of numbers is laid out, as far as it was understood or corrected."""

from dataclasses import dataclass, field
from enum import StrEnum

import msgspec


class Role(StrEnum):
    """What a column is for."""

    CHANNEL = "channel"
    TIME = "time"
    SKIP = "skip"


class Column(msgspec.Struct, frozen=True):
    """One column of the file: the name and unit it is read under."""

    name: str
    unit: str = "1"
    role: Role = Role.CHANNEL


class Dialect(msgspec.Struct, frozen=True):
    """Everything needed to read the file again, in the study file and the key of the store."""

    delimiter: str = ","
    decimal: str = "."
    encoding: str = "utf-8"
    header_line: int | None = None  # lines count from 1, as an editor shows them
    units_line: int | None = None
    first_line: int = 1  # of the numbers
    columns: tuple[Column, ...] = ()
    rate_hz: float | None = None  # stated; None when a time column gives it

    @property
    def time_column(self) -> int | None:
        """Index of the time column, or None."""
        return next((k for k, column in enumerate(self.columns) if column.role is Role.TIME), None)

    @property
    def channels(self) -> tuple[tuple[int, Column], ...]:
        """Index and column of every channel."""
        return tuple((k, column) for k, column in enumerate(self.columns) if column.role is Role.CHANNEL)


@dataclass(frozen=True, slots=True)
class Preview:
    """What was understood of a file, why, and its first rows; shown before anything is built."""

    dialect: Dialect
    reasons: tuple[str, ...]
    metadata: tuple[tuple[str, str], ...]
    rows: tuple[tuple[str, ...], ...]
    n_rows_about: int
    size_bytes: int
    problems: tuple[str, ...] = field(default=())  # what must be corrected before it can be read
    textual: bool = True  # has a separator and a decimal sign

    @property
    def rate_hz(self) -> float | None:
        """The rate as stated, or as the first rows of the time column suggest."""
        return self.dialect.rate_hz
