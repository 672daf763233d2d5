"""How a grid fits a width: what its columns need, and where it is parted when they need more than there is."""

from collections.abc import Sequence
from itertools import groupby

import msgspec
from msgspec.structs import replace

from pantelos.paper import letters
from pantelos.sheets.bars import WIDTH as BAR_WIDTH
from pantelos.sheets.blocks import Cell, CellGrid, GridRow


class TypeSetting(msgspec.Struct, frozen=True):
    """The sizes that grids are set in, in one unit of length."""

    size: float  # of letters
    small: float  # of the accuracy behind a value
    head: float
    pad: float  # beside the text of a cell
    bar: float  # width of a drawn bar, of its pixels

    def needed(self, cell: Cell) -> float:
        """Return how wide the content of a cell is."""
        if cell.bar is not None:
            return BAR_WIDTH * self.bar
        behind = letters.width(cell.within, self.small) + self.pad / 2 if cell.within else 0.0
        return letters.width(cell.text, self.size, cell.bold) + behind


def grouped(grid: CellGrid) -> bool:
    """Return whether columns of a grid share titles."""
    return any(column.group for column in grid.columns)


def groups(grid: CellGrid) -> list[tuple[str, int]]:
    """Return titles that columns share, and over how many each stands."""
    return [(title, len(list(some))) for title, some in groupby(grid.columns, key=lambda column: column.group)]


def parted(grid: CellGrid, width: float, by: TypeSetting) -> list[CellGrid]:
    """Return a grid as it is where it fits, else in parts: groups of columns one below the other, heads of rows repeated."""
    needed = _needed(grid, by)
    if not grouped(grid) or sum(needed) <= width:
        return [grid]
    heads = [k for k, column in enumerate(grid.columns) if not column.group]
    room = width - sum(needed[k] for k in heads)
    parts: list[list[int]] = []
    used = 0.0
    at = 0
    for title, n in groups(grid):
        own = list(range(at, at + n))
        at += n
        if not title:
            continue
        wide = sum(needed[k] for k in own)
        if not parts or used + wide > room:
            parts.append([])
            used = 0.0
        parts[-1] += own
        used += wide
    return [_columns_of(grid, [*heads, *own]) for own in parts]


def _columns_of(grid: CellGrid, kept: Sequence[int]) -> CellGrid:
    rows = tuple(row if row.group else GridRow(tuple(row.cells[k] for k in kept)) for row in grid.rows)
    return replace(grid, columns=tuple(grid.columns[k] for k in kept), rows=rows)


def _needed(grid: CellGrid, by: TypeSetting) -> list[float]:
    found = []
    for k, column in enumerate(grid.columns):
        widest = max((by.needed(row.cells[k]) for row in grid.rows if not row.group), default=0.0)
        found.append(max(letters.width(column.title, by.head, bold=True), widest) + 2.5 * by.pad)
    return found


def width_of(grid: CellGrid, by: TypeSetting) -> float:
    """Return the width that a grid needs for nothing of it to be cut."""
    return sum(_needed(grid, by))


def column_widths(grid: CellGrid, width: float, by: TypeSetting) -> list[float]:
    """Return the width of each column: its share where it has one, else what it needs, all together no wider than there is."""
    needed = _needed(grid, by)
    fixed = {k: column.share * width for k, column in enumerate(grid.columns) if column.share}
    rest, free = width - sum(fixed.values()), [k for k in range(len(needed)) if k not in fixed]
    wanted = sum(needed[k] for k in free)
    if wanted > rest:  # narrow columns keep what they need, the wide ones give way
        limit = _narrowed([needed[k] for k in free], rest)
        return [fixed.get(k, min(needed[k], limit)) for k in range(len(needed))]
    spare = min((rest - wanted) / len(free), 7 * by.pad) if len(free) > 2 else 0.0
    return [fixed.get(k, needed[k] + spare) for k in range(len(needed))]


def _narrowed(needed: Sequence[float], room: float) -> float:
    """Return the width that no column may exceed for all to fit."""
    low, high = 0.0, max(needed)
    for _ in range(40):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if sum(min(x, middle) for x in needed) <= room else (low, middle)
    return low
