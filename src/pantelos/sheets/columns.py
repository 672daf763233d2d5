"""Columns of a sheet as somebody wants them: by their titles, in an order of their own, some left out."""

from collections.abc import Iterable

from msgspec.structs import replace

from pantelos.sheets.blocks import CellGrid, GridRow, Sheet
from pantelos.study.report import ColumnChoice


def column_titles(sheet: Sheet) -> tuple[str, ...]:
    """Return the titles by which columns of a sheet can be chosen, in their order; those that head the rows stay."""
    grids = [block for block in sheet.blocks if isinstance(block, CellGrid)]
    return tuple(dict.fromkeys(column.title for grid in grids for column in grid.columns[1:] if column.title))


def with_columns(sheet: Sheet, choice: ColumnChoice | None) -> Sheet:
    """Return a sheet with its columns as chosen, those of a group still beside each other; it says which are left out."""
    if choice is None:
        return sheet
    left_out = [title for title in column_titles(sheet) if title in choice.left_out]
    said = f"{sheet.subtitle} · columns left out: {', '.join(left_out)}" if left_out else sheet.subtitle
    blocks = tuple(_arranged(block, choice) if isinstance(block, CellGrid) else block for block in sheet.blocks)
    return replace(sheet, subtitle=said, blocks=blocks)


def choice_of(titles: Iterable[str], shown: Iterable[str]) -> ColumnChoice | None:
    """Return the choice that shows these titles, in this order, and no others of those there are; None where it is no choice."""
    titles, shown = tuple(titles), tuple(shown)
    left_out = tuple(title for title in titles if title not in shown)
    return None if shown == titles else ColumnChoice(shown, left_out)


def _arranged(grid: CellGrid, choice: ColumnChoice) -> CellGrid:
    place = {title: at for at, title in enumerate(choice.order)}
    groups = list(dict.fromkeys(column.group for column in grid.columns))

    def key(k: int) -> tuple[int, int, int]:
        column = grid.columns[k]
        head = not k or not column.title
        return groups.index(column.group), -1 if head else place.get(column.title, len(place)), k

    kept = [k for k, column in enumerate(grid.columns) if not k or column.title not in choice.left_out]
    order = sorted(kept, key=key)
    rows = (GridRow(tuple(row.cells[k] for k in order), row.group) if row.cells else row for row in grid.rows)
    return replace(grid, columns=tuple(grid.columns[k] for k in order), rows=tuple(rows))
