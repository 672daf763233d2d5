"""What a campaign keeps of its records, and what goes to the processes that work on them."""

from pathlib import Path

import msgspec


class Cell(msgspec.Struct, frozen=True):
    """A value of a record in its unit, or why there is none."""

    value: float | None
    unit: str
    expanded: float | None  # uncertainty, k = 2, in the same unit; None: not stated
    remark: str  # why there is no value, or no ±


class Row(msgspec.Struct, frozen=True):
    """What became of a record."""

    cells: dict[str, Cell]
    sentence: str  # why there is no row; empty: it is whole
    mark: str  # of the file when it was looked at
    began: str  # date and time of the record, ISO 8601; empty where it says none
    took_s: float


class Task(msgspec.Struct, frozen=True):
    """Everything that the values of a record rest on, as it goes to another process."""

    recipe: bytes  # a study, JSON
    path: str
    values: tuple[tuple[str, str], ...]  # name, expression
    aliases: dict[str, tuple[str, ...]]
    mark: str


class Wanted(msgspec.Struct, frozen=True):
    """A value that is taken of every record: what it is called, and the formula or reading."""

    name: str
    expression: str

    @classmethod
    def from_text(cls, text: str) -> "Wanted":
        """Return what `eta = mean(p2) / mean(p1)` asks for; without a name the expression is its name."""
        name, sign, expression = text.partition("=")
        named = sign and name.strip().isidentifier()
        return cls(name.strip(), expression.strip()) if named else cls(text.strip(), text.strip())


class Known(msgspec.Struct, frozen=True):
    """A record of the campaign as it is kept."""

    id: int
    path: str
    state: str  # waiting, done, failed
    began: str  # date and time, ISO 8601; empty where the record says none
    sentence: str
    took_s: float
    recipe: str
    cells: dict[str, Cell]

    @property
    def name(self) -> str:
        """The file without its folder and ending."""
        return Path(self.path).stem
