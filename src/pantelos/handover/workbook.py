"""A hand-over as a workbook: a sheet each as an engineer lays it out, native charts, and a sheet of methods and sources.

Numbers are kept in full beneath formats that follow their accuracy; every sheet prints landscape, as wide as the page.
"""

import io
import math
from collections.abc import Sequence
from textwrap import wrap
from typing import Any

from pantelos.engine.evaluation import Evaluation
from pantelos.handover.blocks import Cell, CellGrid, Composition, FactList, Figure, GridRow, SectionHeading, Sheet, Words
from pantelos.handover.sheets import SHEETS
from pantelos.handover.trends import TITLE, trends_of, write_trends
from pantelos.paper.paper import Role
from pantelos.paper.svg import colour
from pantelos.report.writers import harmless, number_sheet

_PAPERS = {"A4": 9, "Letter": 1}
_WIDEST, _NARROWEST = 46.0, 7.0  # of a column, letters
_JUDGED = "quality"
_FEWEST_BARS = 3
_LINE = 110  # letters of a line of words


def workbook(of: Composition, evaluation: Evaluation) -> bytes:
    """Return the file."""
    import xlsxwriter  # here, for the sake of a quick start

    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        made = _Book(book, of.paper)
        for sheet in of.sheets:
            if any(isinstance(block, CellGrid | FactList) for block in sheet.blocks):  # what is only drawn is in the other kinds
                made.write(sheet)
        trends = trends_of(evaluation) if any(sheet.id == _JUDGED for sheet in of.sheets) else None
        if trends is not None:
            write_trends(book, trends, TITLE, _PAPERS[of.paper])
        if of.not_given:
            made.write(Sheet("not_given", "Not given", "what this study cannot fill, and why", (FactList(of.not_given),)))
        book.set_properties({"title": of.title, "comments": of.program})
    return out.getvalue()


class _Book:
    """Writes sheets with few formats, each made once."""

    def __init__(self, book: Any, paper: str) -> None:
        self._book, self._paper = book, _PAPERS[paper]
        self._formats: dict[tuple[tuple[str, Any], ...], Any] = {}
        self._names: set[str] = set()

    def _format(self, **look: Any) -> Any:
        key = tuple(sorted(look.items()))
        if key not in self._formats:
            self._formats[key] = self._book.add_format({"font_name": "Arial", "font_size": 10, "valign": "top", **look})
        return self._formats[key]

    def write(self, sheet: Sheet) -> None:
        page = self._book.add_worksheet(self._name(sheet.title), number_sheet())
        page.set_landscape()
        page.set_paper(self._paper)
        page.fit_to_pages(1, 0)
        page.set_margins(0.5, 0.5, 0.6, 0.6)
        page.set_footer("&L&8&F · &A&R&8&P / &N")
        page.hide_gridlines(2)
        page.write_string(0, 0, harmless(sheet.title), self._format(bold=True, font_size=14))
        page.write_string(1, 0, harmless(sheet.subtitle), self._format(font_color=colour(Role.SOFT), font_size=9))
        at, widths, heads = 3, dict[int, float](), list[int]()
        for block, following in zip(sheet.blocks, [*sheet.blocks[1:], None], strict=True):
            if isinstance(block, SectionHeading) and isinstance(following, Figure):
                continue
            if isinstance(block, SectionHeading):
                page.write_string(at, 0, harmless(block.text), self._format(bold=True, font_size=11))
                at += 1
            elif isinstance(block, Words):
                look = self._format(font_color=colour(block.ink), bold=block.bold, font_size=9)
                for line in wrap(block.text, _LINE):
                    page.write_string(at, 0, harmless(line), look)
                    at += 1
            elif isinstance(block, FactList):
                at = self._facts(page, at, block, widths)
            elif isinstance(block, CellGrid):
                heads.append(at + (1 if any(c.group for c in block.columns) else 0))
                at = self._grid(page, at, block, widths, sheet)
            else:
                assert isinstance(block, Figure)  # drawn in the other kinds; here charts stand for them
        for k, wide in widths.items():
            page.set_column(k, k, min(max(wide, _NARROWEST), _WIDEST))
        if len(heads) == 1:
            page.freeze_panes(heads[0] + 1, 1)
            page.repeat_rows(0, heads[0])

    def _name(self, title: str) -> str:
        plain = "".join(letter for letter in title if letter not in "[]:*?/\\")[:28] or "sheet"
        name, n = plain, 2
        while name.lower() in self._names:
            name, n = f"{plain} {n}", n + 1
        self._names.add(name.lower())
        return name

    def _facts(self, page: Any, at: int, block: FactList, widths: dict[int, float]) -> int:
        for label, text in block.pairs:
            page.write_string(at, 0, harmless(label), self._format(font_color=colour(Role.SOFT)))
            for k, line in enumerate(wrap(text, _LINE) or [""]):
                page.write_string(at + k, 1, harmless(line), self._format())
            widths[0] = max(widths.get(0, 0.0), len(label) + 2.0)
            at += max(len(wrap(text, _LINE)), 1)
        return at + 1

    def _grid(self, page: Any, at: int, grid: CellGrid, widths: dict[int, float], sheet: Sheet) -> int:
        shown = [k for k, column in enumerate(grid.columns) if not _is_bar(grid, k)]
        places = {k: at_column for at_column, k in enumerate(self._placed(grid, shown))}
        if any(column.group for column in grid.columns):
            for k in shown:
                if grid.columns[k].group:
                    page.write_string(
                        at, places[k], harmless(grid.columns[k].group), self._format(bold=True, font_color=colour(Role.EDGE))
                    )
            at += 1
        for k in shown:
            column = grid.columns[k]
            look = self._format(
                bold=True, bottom=1, align="right" if column.right else "left", font_color=colour(column.ink), text_wrap=True
            )
            page.write_string(at, places[k], harmless(column.title), look)
            widths[places[k]] = max(widths.get(places[k], 0.0), min(len(column.title), 24) + 2.0)
            if _with_accuracy(grid, k):
                page.write_string(at, places[k] + 1, "±", self._format(bold=True, bottom=1, font_color=colour(Role.SOFT)))
                widths[places[k] + 1] = max(widths.get(places[k] + 1, 0.0), 8.0)
        first = at + 1
        for down, row in enumerate(grid.rows, start=first):
            self._row(page, down, row, grid, shown, places, widths)
        last = first + len(grid.rows) - 1
        if (kind := SHEETS.get(sheet.id)) is not None and kind.by_order:
            self._chart(page, grid, shown, places, first, last, max(widths) + 1)
        return last + 2

    def _placed(self, grid: CellGrid, shown: Sequence[int]) -> list[int]:
        """Return columns by place, those of accuracy taking one of their own behind their value."""
        placed: list[int] = []
        for k in shown:
            placed += [k, -k - 1] if _with_accuracy(grid, k) else [k]
        return placed

    def _row(
        self,
        page: Any,
        down: int,
        row: GridRow,
        grid: CellGrid,
        shown: Sequence[int],
        places: dict[int, int],
        widths: dict[int, float],
    ) -> None:
        if row.group:
            page.write_string(down, 0, harmless(row.group), self._format(font_color=colour(Role.SOFT), bottom=1))
            return
        for k in shown:
            cell, at = row.cells[k], places[k]
            base = {"font_color": colour(cell.ink), "bold": cell.bold}
            if cell.value is not None and math.isfinite(cell.value):
                unit = _unit_behind(cell)
                look = self._format(**base, num_format=_number_format(cell, unit), align="right")
                page.write_number(down, at, cell.value, look)
            elif cell.text:
                look = self._format(
                    **base, align="right" if grid.columns[k].right else "left", text_wrap=len(cell.text) > _WIDEST
                )
                page.write_string(down, at, harmless(cell.text), look)
            if cell.within:
                number = cell.within.removeprefix("±")
                look = self._format(font_color=colour(Role.SOFT), font_size=8, num_format=f'"±"{_decimals(number)}', align="left")
                page.write_number(down, at + 1, float(number), look)
            widths[at] = max(widths.get(at, 0.0), len(cell.text) * 1.08 + 1.5)

    def _chart(
        self, page: Any, grid: CellGrid, shown: Sequence[int], places: dict[int, int], first: int, last: int, beside: int
    ) -> None:
        """Put a chart of the orders beside the numbers."""
        told = [k for k in shown[1:] if grid.columns[k].title != "f"]
        numbers = [k for k in told if any(row.cells[k].value is not None for row in grid.rows if not row.group)]
        rows = [
            down for down, row in enumerate(grid.rows) if not row.group and any(row.cells[k].value is not None for k in numbers)
        ]
        if not numbers or len(rows) < _FEWEST_BARS:
            return
        low, high, name = first + rows[0], first + rows[-1], page.get_name()
        chart = self._book.add_chart({"type": "column"})
        for k in numbers:
            at = places[k]
            chart.add_series({
                "name": [name, first - 1, at], "categories": [name, low, 0, high, 0], "values": [name, low, at, high, at],
                "fill": {"color": colour(grid.columns[k].ink)},
            })  # fmt: skip
        chart.set_x_axis({"name": "order"})
        chart.set_y_axis(
            {"name": "% of the fundamental", "major_gridlines": {"visible": True, "line": {"color": colour(Role.RULE)}}}
        )
        chart.set_legend({"position": "top"})
        chart.set_size({"width": 560, "height": 260})
        page.insert_chart(first - 1, beside, chart)


def _is_bar(grid: CellGrid, k: int) -> bool:
    cells = [row.cells[k] for row in grid.rows if not row.group]
    return any(cell.bar is not None for cell in cells)


def _with_accuracy(grid: CellGrid, k: int) -> bool:
    return any(row.cells[k].within for row in grid.rows if not row.group)


def _unit_behind(cell: Cell) -> str:
    """Return the unit that is written behind the number of a cell, for its format."""
    _, space, unit = cell.text.partition(" ")
    return unit if space else ""


def _number_format(cell: Cell, unit: str) -> str:
    return _decimals(cell.text.partition(" ")[0]) + (f' "{unit}"' if unit else "")


def _decimals(number: str) -> str:
    """Return the format that shows as many decimals as a written number has."""
    decimals = len(number.partition(".")[2])
    return "0." + "0" * decimals if decimals else "0"
