"""What is handed over: the sheets of the report, and self-checks that are kept as evidence. Part of the study."""

from typing import Literal

import msgspec

from pantelos.notation import MISSING, minus, with_unit
from pantelos.units import unit

_WITH_PREFIX = ("V", "s")


class SheetChoice(msgspec.Struct, frozen=True, omit_defaults=True):
    """A sheet of the hand-over, and whether it is in."""

    id: str
    on: bool = True


class ColumnChoice(msgspec.Struct, frozen=True, omit_defaults=True):
    """Columns of a sheet by their titles: those that come first, in order, and those left out; others stay behind the first."""

    order: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()


# What a title page says of a test, in its order; others may stand behind.
FACTS = ("report", "object", "type, serial", "customer", "order", "place", "date", "issued", "tester", "ambient")


class Equipment(msgspec.Struct, frozen=True, omit_defaults=True):
    """What was measured with, and how long its calibration holds."""

    what: str
    serial: str = ""
    calibrated: str = ""  # ISO 8601 dates
    due: str = ""

    @property
    def text(self) -> str:
        """It as it is typed."""
        parts = (self.what, *(f"{name} {said}" for name in ("serial", "calibrated", "due") if (said := getattr(self, name))))
        return "; ".join(parts)


class Report(msgspec.Struct, frozen=True, omit_defaults=True):
    """The hand-over: which sheets in which order, and how they read. The same for the next record is its template."""

    sheets: tuple[SheetChoice, ...] = ()  # empty: all that can be filled, in their own order
    intervals: tuple[str, ...] = ()  # side by side; empty: all
    accuracy: bool = True  # shown beside values
    paper: Literal["A4", "Letter"] = "A4"
    language: str = "en"  # of the files that are written
    facts: dict[str, str] = {}  # of the title block, such as object, order, place
    own: tuple[str, ...] = ()  # formulas and readings of the user's own sheet
    worst_first: bool = True  # orders by what is left of their limit or by size, not by number
    columns: dict[str, ColumnChoice] = {}  # by sheet
    equipment: tuple[Equipment, ...] = ()
    logo: bytes = b""  # a PNG or SVG picture at the head of the title page, as its file is
    version: int = 0  # of a report that was closed; 0: a draft
    replaces: str = ""  # the version before, and its day of issue


class EvidenceRow(msgspec.Struct, frozen=True, omit_defaults=True):
    """One thing that was found out; no value where it could not be, and why."""

    what: str
    channel: str
    value: float | None = None
    unit: str = ""
    remark: str = ""

    @property
    def text(self) -> str:
        """The value as it is read."""
        if self.value is None:
            return MISSING
        if self.unit in _WITH_PREFIX:
            return with_unit(self.value, unit(self.unit), 4)
        return minus(f"{self.value:.4g} {self.unit}".rstrip())


class Evidence(msgspec.Struct, frozen=True, omit_defaults=True):
    """A self-check of the chain, kept to show what it could at best show."""

    title: str
    at: str  # date and time, ISO 8601
    recorder: str = ""
    said: str = ""  # how it was made
    rows: tuple[EvidenceRow, ...] = ()
