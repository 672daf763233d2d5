"""A grid in a workbook: values in full, their accuracy in a column of its own behind them, a chart beside orders."""

import math
from typing import Any

from pantelos.paper.paper import Role
from pantelos.paper.svg import colour
from pantelos.sheets.blocks import Cell, CellGrid, GridRow
from pantelos.sheets.harmless import harmless
from pantelos.sheets.workbook_charts import chart_orders
from pantelos.sheets.workbook_looks import Looks

_WRAPPED = 46.0  # letters from which on a text takes several lines
_HEAD, _ACCURACY = 24, 8.0  # letters: how far a title widens its column, and a column of accuracy


class GridWriter:
    """Writes the grids of one page, and gathers how wide its columns have to be and where heads stand."""

    def __init__(self, book: Any, page: Any, looks: Looks) -> None:
        self._book, self._page, self._looks = book, page, looks
        self.widths: dict[int, float] = {}
        self.heads: list[int] = []

    def write(self, grid: CellGrid, at: int) -> int:
        """Write a grid from a row on; return the row from which on there is room again."""
        shown = [k for k in range(len(grid.columns)) if not _is_bar(grid, k)]
        places, there = dict[int, int](), 0
        for k in shown:
            places[k] = there
            there += 2 if _with_accuracy(grid, k) else 1
        if any(column.group for column in grid.columns):
            look = self._looks(bold=True, font_color=colour(Role.EDGE))
            for k in shown:
                if grid.columns[k].group:
                    self._page.write_string(at, places[k], harmless(grid.columns[k].group), look)
            at += 1
        self.heads.append(at)
        for k in shown:
            self._head(grid, k, at, places[k])
        first = at + 1
        for down, row in enumerate(grid.rows, start=first):
            self._row(down, row, grid, places)
        if grid.by_order:
            chart_orders(self._book, self._page, grid, places, first, max(self.widths) + 1)
        return first + len(grid.rows) + 1

    def _wide(self, at: int, letters: float) -> None:
        self.widths[at] = max(self.widths.get(at, 0.0), letters)

    def _head(self, grid: CellGrid, k: int, at: int, place: int) -> None:
        column, heading = grid.columns[k], {"bold": True, "bottom": 1}
        side = "right" if column.right else "left"
        look = self._looks(**heading, align=side, font_color=colour(column.ink), text_wrap=True)
        self._page.write_string(at, place, harmless(column.title), look)
        self._wide(place, min(len(column.title), _HEAD) + 2.0)
        if _with_accuracy(grid, k):
            self._page.write_string(at, place + 1, "±", self._looks(**heading, font_color=colour(Role.SOFT)))
            self._wide(place + 1, _ACCURACY)

    def _row(self, down: int, row: GridRow, grid: CellGrid, places: dict[int, int]) -> None:
        if row.group:
            look = self._looks(font_color=colour(Role.SOFT), bottom=1)
            self._page.write_string(down, 0, harmless(row.group), look)
            return
        for k, at in places.items():
            cell = row.cells[k]
            base = {"font_color": colour(cell.ink), "bold": cell.bold}
            if cell.value is not None and math.isfinite(cell.value):
                self._page.write_number(down, at, cell.value, self._looks(**base, num_format=_number_format(cell), align="right"))
            elif cell.text:
                side = "right" if grid.columns[k].right else "left"
                look = self._looks(**base, align=side, text_wrap=len(cell.text) > _WRAPPED)
                self._page.write_string(down, at, harmless(cell.text), look)
            if cell.within:
                number = cell.within.removeprefix("±")
                small = {"font_color": colour(Role.SOFT), "font_size": 8, "align": "left"}
                self._page.write_number(down, at + 1, float(number), self._looks(**small, num_format=f'"±"{_decimals(number)}'))
            self._wide(at, len(cell.text) * 1.08 + 1.5)


def _is_bar(grid: CellGrid, k: int) -> bool:
    return any(row.cells[k].bar is not None for row in grid.rows if not row.group)


def _with_accuracy(grid: CellGrid, k: int) -> bool:
    return any(row.cells[k].within for row in grid.rows if not row.group)


def _number_format(cell: Cell) -> str:
    """Return the format of a number with what is written behind it."""
    number, space, unit = cell.text.partition(" ")
    return _decimals(number) + (f' "{unit}"' if space and unit else "")


def _decimals(number: str) -> str:
    """Return the format that shows as many decimals as a written number has."""
    decimals = len(number.partition(".")[2])
    return "0." + "0" * decimals if decimals else "0"
