"""Workbooks: a sheet each as an engineer lays it out, native charts, numbers kept in full beneath formats that fit them.

A report follows its accuracy with the digits; tables are grids, with a sheet that says where their numbers come from. Every
sheet prints landscape, as wide as the page.
"""

import io
import math
from collections.abc import Callable, Iterable, Sequence
from datetime import datetime
from textwrap import wrap
from typing import Any

from pantelos.notation import digits_after_point
from pantelos.paper.paper import Role
from pantelos.paper.svg import colour
from pantelos.sheets.blocks import CellGrid, Composition, FactList, Figure, Picture, SectionHeading, Sheet, Words
from pantelos.sheets.harmless import harmless
from pantelos.sheets.table import Table, TableSet
from pantelos.sheets.workbook_charts import chart_trends
from pantelos.sheets.workbook_grid import GridWriter
from pantelos.sheets.workbook_looks import Looks

_PAPERS = {"A4": 9, "Letter": 1}
_WIDEST, _NARROWEST = 46.0, 7.0  # of a column, letters
_LINE = 110  # letters of a line of words
_DIGITS = 6  # of the largest number of a column of a table, as it is shown
_NEVER = datetime(2000, 1, 1)  # so that the same study gives the same file on any day
_VERDICTS = (("outside", "#9C1A14"), ("undecided", "#9A5410"), ("inside", "#2C7A33"))


def report_workbook(of: Composition, trends: Table | None = None) -> bytes:
    """Return a report as a file; `trends` are values that are charted over time behind it."""

    def fill(book: "_Book") -> None:
        for sheet in of.sheets:
            if any(isinstance(block, CellGrid | FactList) for block in sheet.blocks):  # what is only drawn is in the other kinds
                book.write_sheet(sheet)
        if trends is not None:
            page = book.write_table(trends)
            chart_trends(book.book, page, trends)
        if of.not_given:
            book.write_sheet(Sheet("not_given", *of.left_out, (FactList(of.not_given),)))

    return _file(fill, of.title, of.program, of.paper)


def tables_workbook(tables: TableSet) -> bytes:
    """Return tables as a file, a sheet each, and what they rest on."""
    said = tables.provenance

    def fill(book: "_Book") -> None:
        for table in tables.tables:
            book.write_table(table)
        facts = (
            ("program", said.program),
            *said.facts,
            *((table.title, line) for table in tables.tables for line in table.method),
        )
        book.write_sheet(Sheet("source", "Method and source", said.study, (FactList(facts),)))

    return _file(fill, said.study, said.program)


def _file(fill: Callable[["_Book"], None], title: str, program: str, paper: str = "A4") -> bytes:
    import xlsxwriter  # here, for the sake of a quick start

    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        fill(_Book(book, _PAPERS[paper]))
        book.set_properties({"title": title, "comments": program, "created": _NEVER})
    return out.getvalue()


class _Book:
    """Writes sheets and tables."""

    def __init__(self, book: Any, paper: int) -> None:
        self.book, self._paper, self._looks = book, paper, Looks(book)
        self._names: set[str] = set()

    def _page(self, title: str) -> Any:
        page = self.book.add_worksheet(self._name(title), _number_sheet())
        page.set_landscape()
        page.set_paper(self._paper)
        page.fit_to_pages(1, 0)
        page.set_margins(0.5, 0.5, 0.6, 0.6)
        page.set_footer("&L&8&F · &A&R&8&P / &N")
        return page

    def _name(self, title: str) -> str:
        plain = "".join(letter for letter in title if letter not in "[]:*?/\\")[:28] or "sheet"
        name, n = plain, 2
        while name.lower() in self._names:
            name, n = f"{plain} {n}", n + 1
        self._names.add(name.lower())
        return name

    def write_table(self, table: Table) -> Any:
        """Write a table as a grid, its heads in the first row; return its page."""
        page, head = self._page(table.title), self._looks(bold=True, text_wrap=True, bottom=1)
        for at, column in enumerate(table.columns):
            values = [row[at] for row in table.rows]
            decimals = _decimals_of(values)
            look = self._looks(num_format="0." + "0" * decimals if decimals else "0") if decimals is not None else self._looks()
            page.write_string(0, at, harmless(column.heading), head)
            texts = [f"{x:.{decimals or 0}f}" if isinstance(x, float) else str(x or "") for x in values]
            page.set_column(at, at, min(max([min(len(column.heading), 14), *map(len, texts)]) + 2, _WIDEST), look)
            for down, value in enumerate(values, start=1):
                if isinstance(value, str):
                    page.write_string(down, at, value)
                elif value is not None and math.isfinite(value):
                    page.write_number(down, at, value)
            if column.key == "verdict":
                for text, ink in _VERDICTS:
                    rule = {"type": "cell", "criteria": "==", "value": f'"{text}"', "format": self._looks(font_color=ink)}
                    page.conditional_format(1, at, max(len(table.rows), 1), at, rule)
        page.freeze_panes(1, 0)
        page.repeat_rows(0)
        return page

    def write_sheet(self, sheet: Sheet) -> None:
        """Write a sheet of the report: title, words, facts, grids."""
        page = self._page(sheet.title)
        page.hide_gridlines(2)
        page.write_string(0, 0, harmless(sheet.title), self._looks(bold=True, font_size=14))
        page.write_string(1, 0, harmless(sheet.subtitle), self._looks(font_color=colour(Role.SOFT), font_size=9))
        at, grids = 3, GridWriter(self.book, page, self._looks)
        for block, following in zip(sheet.blocks, [*sheet.blocks[1:], None], strict=True):
            if isinstance(block, CellGrid):
                at = grids.write(block, at)
            elif isinstance(block, FactList):
                at = self._facts(page, at, block, grids.widths)
            elif isinstance(block, Picture) and block.kind == "png":  # spreadsheets take no drawing of that kind
                at = self._picture(page, at, block)
            elif isinstance(block, Words):
                look = self._looks(font_color=colour(block.ink), bold=block.bold, font_size=9)
                at = _lines(page, at, 0, wrap(block.text, _LINE), look)
            elif isinstance(block, SectionHeading) and not isinstance(following, Figure):  # figures are drawn in the other kinds
                at = _lines(page, at, 0, [block.text], self._looks(bold=True, font_size=11))
        for k, wide in grids.widths.items():
            page.set_column(k, k, min(max(wide, _NARROWEST), _WIDEST))
        if len(grids.heads) == 1:
            page.freeze_panes(grids.heads[0] + 1, 1)
            page.repeat_rows(0, grids.heads[0])

    def _picture(self, page: Any, at: int, block: Picture) -> int:
        """Write a picture above a row as high as it is; return the row behind."""
        own = int.from_bytes(block.data[16:20], "big")
        scale = block.width / max(own, 1)
        page.set_row_pixels(at, round(block.height) + 6)
        given = {"image_data": io.BytesIO(block.data), "x_scale": scale, "y_scale": scale, "description": block.title}
        page.insert_image(at, 0, "logo.png", given)
        return at + 1

    def _facts(self, page: Any, at: int, block: FactList, widths: dict[int, float]) -> int:
        for label, text in block.pairs:
            page.write_string(at, 0, harmless(label), self._looks(font_color=colour(Role.SOFT)))
            at = _lines(page, at, 1, wrap(text, _LINE) or [""], self._looks())
            widths[0] = max(widths.get(0, 0.0), len(label) + 2.0)
        return at + 1


def _lines(page: Any, at: int, column: int, lines: Iterable[str], look: Any) -> int:
    """Write lines one below the other; return the row behind them."""
    for line in lines:
        page.write_string(at, column, harmless(line), look)
        at += 1
    return at


def _decimals_of(values: Sequence[object]) -> int | None:
    """Return the decimals that the numbers of a column are shown with, None where it holds none."""
    numbers = [abs(value) for value in values if isinstance(value, float)]
    largest = max(numbers, default=0.0)
    return None if not numbers else digits_after_point(largest, _DIGITS) if largest > 0 else 0


def _number_sheet() -> Any:
    """Return a kind of sheet that writes numbers with all the digits a double needs; the library itself writes sixteen."""
    from xlsxwriter.worksheet import Worksheet  # here, for the sake of a quick start

    class FullNumberSheet(Worksheet):  # type: ignore[misc]
        """Writes numbers in full."""

        def _xml_number_element(self, number: float, attributes: Any = ()) -> None:
            said = "".join(f' {key}="{self._escape_attributes(str(text))}"' for key, text in attributes)
            self.fh.write(f"<c{said}><v>{float(number)!r}</v></c>")

    return FullNumberSheet
