"""A table: columns with units, rows of numbers, and how it was computed."""

import math

import msgspec

TableCell = float | int | str | None


class TableColumn(msgspec.Struct, frozen=True):
    """One column: a key that scripts rely on, a title, the unit its numbers are in."""

    key: str
    title: str
    unit: str = ""
    help: str = ""
    conductor: str = ""  # of the channel the column belongs to, for its hue

    @property
    def heading(self) -> str:
        """Title and unit, as exports print it."""
        return f"{self.title} [{self.unit}]" if self.unit else self.title


class Table(msgspec.Struct, frozen=True):
    """A finished table. Numbers stand in the units of their columns; a missing one is None."""

    id: str
    title: str
    subtitle: str
    columns: tuple[TableColumn, ...]
    rows: tuple[tuple[TableCell, ...], ...]
    method: tuple[str, ...]

    def __post_init__(self) -> None:
        for row in self.rows:
            if len(row) != len(self.columns):
                raise ValueError(f"{self.id}: a row of {len(row)} cells under {len(self.columns)} columns")

    def column(self, key: str) -> list[TableCell]:
        """Return the cells of one column."""
        at = [column.key for column in self.columns].index(key)
        return [row[at] for row in self.rows]


def cell(value: float) -> float | None:
    """Return a number for a table: missing ones become None."""
    return float(value) if math.isfinite(value) else None


class Provenance(msgspec.Struct, frozen=True):
    """What every export states about where its numbers come from."""

    study: str
    program: str
    facts: tuple[tuple[str, str], ...]  # label and text: source file, fingerprint, channels, intervals
    not_given: tuple[tuple[str, str], ...] = ()  # those of the facts that say which tables are not given, and why


class TableSet(msgspec.Struct, frozen=True):
    """The tables of one export, and their provenance."""

    tables: tuple[Table, ...]
    provenance: Provenance
