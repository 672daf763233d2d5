"""What a sheet is made of: headings, words, facts, grids, figures. Nothing here knows what they are written to."""

from collections.abc import Callable
from typing import Literal, TypeAlias

import msgspec

from pantelos.paper.paper import Box, Ink, Paper, Role


class About(msgspec.Struct, frozen=True):
    """Which number of which table a cell shows, so that it can explain itself."""

    table: str
    heads: tuple[tuple[str, str], ...]  # key of the column and text, of the heads of its row
    key: str


class Bar(msgspec.Struct, frozen=True):
    """A value drawn against its limit: shares of the limit, and half of the width that it may be off by."""

    value: float
    within: float = 0.0
    ink: Ink = Role.INK


class Cell(msgspec.Struct, frozen=True):
    """One place of a grid."""

    text: str = ""
    within: str = ""  # small behind it: the accuracy
    ink: Ink = Role.INK
    bold: bool = False
    bar: Bar | None = None
    about: About | None = None
    stretch_s: tuple[float, float] | None = None  # of the record, which a click leads to
    value: float | None = None  # in full, where a file keeps it


class GridColumn(msgspec.Struct, frozen=True):
    """One column of a grid."""

    title: str = ""
    ink: Ink = Role.SOFT
    group: str = ""  # what several columns beside each other share
    right: bool = True  # numbers stand at the right
    share: float = 0.0  # of the width; 0: as wide as its texts


class GridRow(msgspec.Struct, frozen=True):
    """One row: cells, or the title of those that follow."""

    cells: tuple[Cell, ...] = ()
    group: str = ""


class CellGrid(msgspec.Struct, frozen=True):
    """Columns and rows."""

    columns: tuple[GridColumn, ...]
    rows: tuple[GridRow, ...]
    by_order: bool = False  # a row per order: workbooks draw them as a chart


class SectionHeading(msgspec.Struct, frozen=True):
    """A title inside a sheet."""

    text: str


class Words(msgspec.Struct, frozen=True):
    """A paragraph."""

    text: str
    ink: Ink = Role.INK
    bold: bool = False


class FactList(msgspec.Struct, frozen=True):
    """Labels, and what belongs to each."""

    pairs: tuple[tuple[str, str], ...]


class Figure(msgspec.Struct, frozen=True, eq=False):
    """Something drawn."""

    title: str
    width: float  # pixels
    height: float
    draw: Callable[[Paper, Box], None]


class Picture(msgspec.Struct, frozen=True):
    """A picture as its file is."""

    title: str
    kind: Literal["png", "svg"]
    data: bytes
    width: float  # as it is shown, pixels
    height: float


Block: TypeAlias = CellGrid | SectionHeading | Words | FactList | Figure | Picture


class Sheet(msgspec.Struct, frozen=True, eq=False):
    """One part of the hand-over."""

    id: str
    title: str
    subtitle: str
    blocks: tuple[Block, ...]
    abreast: int = 1  # columns that its blocks are set in on paper, where they are narrow


class Composition(msgspec.Struct, frozen=True, eq=False):
    """All sheets, and what every page says."""

    title: str
    program: str
    sheets: tuple[Sheet, ...]
    not_given: tuple[tuple[str, str], ...] = ()  # sheets that are not there, and why
    paper: str = "A4"
    language: str = "en"  # that it is written in
    names: frozenset[str] = frozenset()  # words of the user, which stay as they are in any language
    left_out: tuple[str, str] = ("Not given", "what this study cannot fill, and why")  # title and subtitle of what is not there
