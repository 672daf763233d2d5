"""A hand-over as PDF: pages with numbers, heads of grids repeated on every page, no row cut, vector figures.

A file for archives: PDF/A-2b (ISO 19005-2), its fonts inside, its headings, grids and figures marked as what they are.
"""

import io
from collections.abc import Sequence
from datetime import UTC, datetime
from html import escape

from fpdf import FPDF
from fpdf.enums import DocumentCompliance
from msgspec.structs import replace

from pantelos.paper import letters
from pantelos.paper.paper import Box, Ink, Role
from pantelos.paper.svg import colour
from pantelos.sheets.bars import HEIGHT, WIDTH, draw_bar
from pantelos.sheets.blocks import (
    Block,
    CellGrid,
    Composition,
    FactList,
    Figure,
    GridColumn,
    GridRow,
    Picture,
    SectionHeading,
    Sheet,
    Words,
)
from pantelos.sheets.fitting import TypeSetting, column_widths, grouped, groups, parted, width_of
from pantelos.sheets.pdf_columns import PageColumns
from pantelos.sheets.pdf_paper import FAMILY, PdfPaper
from pantelos.sheets.pdf_tags import Tags

_MARGIN, _FOOT = 42.0, 34.0  # points
_SIZE, _SMALL, _TITLE, _HEAD = 8.0, 6.2, 16.0, 10.5
_PAD = 4.0  # beside the text of a cell
_ROW = 13.0
_UNCUT, _EMPTY = 0.45, 0.2  # of a page: a grid that is no higher is not cut, unless so much of one would stay empty
_BETWEEN, _LEAST = 26.0, 0.15  # points between two sheets on a page; of a page, what one needs to begin there
_FEW_LINES = 4  # of a paragraph, that stand below a title at least
_PIXEL = 0.72  # points of a pixel of a figure
_SETTING = TypeSetting(_SIZE, _SMALL, 7.2, _PAD, _PIXEL)
_NARROW = TypeSetting(7.2, 5.6, 6.6, 2.6, _PIXEL)  # of grids in columns
_NEVER = datetime(2000, 1, 1, tzinfo=UTC)  # so that the same study gives the same file
_METADATA = """<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
<rdf:Description rdf:about="" xmlns:pdfaid="http://www.aiim.org/pdfa/ns/id/" xmlns:dc="http://purl.org/dc/elements/1.1/"
 xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmlns:pdf="http://ns.adobe.com/pdf/1.3/">
<pdfaid:part>2</pdfaid:part><pdfaid:conformance>B</pdfaid:conformance>
<dc:format>application/pdf</dc:format><dc:title><rdf:Alt><rdf:li xml:lang="x-default">{title}</rdf:li></rdf:Alt></dc:title>
<pdf:Producer>{program}</pdf:Producer><xmp:CreateDate>{day}</xmp:CreateDate><xmp:ModifyDate>{day}</xmp:ModifyDate>
</rdf:Description></rdf:RDF></x:xmpmeta>"""  # of the document, ISO 19005-2; the library would tell the time of writing


def pdf(of: Composition) -> bytes:
    """Return the file."""
    return _Pages(of).made()


class _Pages:
    """Lays blocks on pages, from top to foot."""

    def __init__(self, of: Composition) -> None:
        self._of = of
        self._page = FPDF(unit="pt", format=of.paper.lower(), enforce_compliance=DocumentCompliance.PDFA_2B)
        self._page.set_auto_page_break(False)
        self._page.set_margin(0)
        self._page.set_creation_date(_NEVER)
        self._page.set_title(of.title)
        self._page.set_lang(of.language)
        self._page.set_xmp_metadata(_METADATA.format(title=escape(of.title), program=escape(of.program), day=_NEVER.isoformat()))
        self._page.set_producer(of.program)
        for bold, path in letters.FONTS.items():
            self._page.add_font(FAMILY, "B" if bold else "", str(path))
        self._tags = Tags(self._page)
        self._y, self._sheet = 0.0, ""
        self._columns = PageColumns(_MARGIN, float(self._page.w) - 2 * _MARGIN)

    def made(self) -> bytes:
        for sheet in _with_left_out(self._of):
            self._write_sheet(sheet)
        self._number_pages()
        return bytes(self._page.output())

    @property
    def _left(self) -> float:
        return self._columns.left

    @property
    def _width(self) -> float:
        return self._columns.width

    @property
    def _bottom(self) -> float:
        return self._columns.floor(float(self._page.h) - _MARGIN - _FOOT / 2)

    @property
    def _by(self) -> TypeSetting:
        return _SETTING if self._columns.n == 1 else _NARROW

    def _go_on(self) -> None:
        """Go on at the top of the next column, or of a new page behind the last one."""
        if self._columns.next(self._y):
            self._y = self._columns.top
        else:
            self._new_page()

    def _new_page(self) -> None:
        self._page.add_page()
        self._columns.begin(_MARGIN, self._y)
        self._y = _MARGIN
        said = dict.fromkeys((self._of.title, self._sheet))
        with self._tags.decoration():
            self._letters(_MARGIN, self._foot, " · ".join(said), 6.8, Role.SOFT)

    @property
    def _foot(self) -> float:
        return float(self._page.h) - _MARGIN + 8

    def _number_pages(self) -> None:
        """Write on every page which one it is, of how many."""
        n = len(self._page.pages)
        for k in range(1, n + 1):
            self._page.page = k
            self._page.set_font(FAMILY, "B", 1)  # what was set last is of another page
            with self._tags.decoration():
                self._letters(_MARGIN, self._foot, f"{k} / {n}", 6.8, Role.SOFT, right=float(self._page.w) - _MARGIN)

    def _room(self, height: float) -> None:
        """Go on elsewhere where a height does not fit here."""
        if self._y + height > self._bottom:
            self._go_on()

    def _text(
        self, x: float, y: float, text: str, size: float, ink: Ink, bold: bool = False, right: float | None = None
    ) -> float:
        """Write a line of the part that is open with its top at `y`, to the left of `right` where given; return its width."""
        with self._tags.content():
            return self._letters(x, y, text, size, ink, bold, right)

    def _letters(
        self, x: float, y: float, text: str, size: float, ink: Ink, bold: bool = False, right: float | None = None
    ) -> float:
        """Write a line, whatever it is."""
        wide = letters.width(text, size, bold)
        self._page.set_font(FAMILY, "B" if bold else "", size)
        self._page.set_text_color(colour(ink))
        self._page.text(x if right is None else right - wide, y + 0.93 * size, text)
        return wide

    def _write_sheet(self, sheet: Sheet) -> None:
        self._sheet = sheet.title
        self._begin(sheet)
        with self._tags.node("H1"):
            self._text(self._left, self._y, sheet.title, _TITLE, Role.INK, bold=True)
        self._y += _TITLE * 1.4
        with self._tags.node("P"):
            for line in letters.wrapped(sheet.subtitle, self._width, 7.5):
                self._text(self._left, self._y, line, 7.5, Role.SOFT)
                self._y += 10
        self._y += 8
        self._columns.part(sheet.abreast, self._y, 0.0)
        grids = [part for block in sheet.blocks if isinstance(block, CellGrid) for part in parted(block, self._width, self._by)]
        if any(width_of(grid, self._by) > self._width for grid in grids):  # rather over the whole width than cut
            self._columns.part(1, self._y, 0.0)
        self._columns.part(self._columns.n, self._y, sum(self._height(block) for block in sheet.blocks))
        for block, following in zip(sheet.blocks, (*sheet.blocks[1:], None), strict=True):
            self._write(block, following)
        self._y = self._columns.join(self._y)

    def _begin(self, sheet: Sheet) -> None:
        """Go on below the sheet before where there is room for the title and what comes first, else on a page of its own."""
        needed = _BETWEEN + _TITLE * 2.6
        for block in sheet.blocks:  # up to the first that is more than words, or to a few lines of them
            if needed > _LEAST * self._bottom:
                break
            if isinstance(block, SectionHeading):
                needed += 2.6 * _HEAD
            elif isinstance(block, Words):
                needed += 11 * min(len(letters.wrapped(block.text, self._width, _SIZE, block.bold)), _FEW_LINES) + 2
            else:
                needed += self._first_height(block)
                break
        left = self._bottom - self._y
        if not self._page.pages or left < max(needed, _LEAST * self._bottom):
            self._new_page()
            return
        self._y += _BETWEEN / 2
        self._rule(_MARGIN, _MARGIN + self._width, self._y, 0.8)
        self._y += _BETWEEN / 2

    def _write(self, block: Block, following: Block | None) -> None:
        if isinstance(block, SectionHeading):
            self._room(_HEAD * 2.6 + (self._first_height(following) if following is not None else 0.0))
            self._y += _HEAD * 0.7
            with self._tags.node("H2"):
                self._text(self._left, self._y, block.text, _HEAD, Role.INK, bold=True)
            self._y += _HEAD * 1.7
        elif isinstance(block, Words):
            with self._tags.node("P"):
                for line in letters.wrapped(block.text, self._width, _SIZE, block.bold):
                    self._room(_ROW)
                    self._text(self._left, self._y, line, _SIZE, block.ink, block.bold)
                    self._y += 11
            self._y += 2
        elif isinstance(block, FactList):
            with self._tags.node("Table"):
                self._write_facts(block)
        elif isinstance(block, Figure):
            self._write_figure(block)
        elif isinstance(block, Picture):
            wide, high = (_PIXEL * size for size in (block.width, block.height))
            self._room(high + 8)
            with self._tags.node("Figure", alt=block.title), self._tags.content():
                self._page.image(io.BytesIO(block.data), self._left, self._y, wide, high)
            self._y += high + 8
        else:
            for part in parted(block, self._width, self._by):
                with self._tags.node("Table"):
                    self._write_grid(part)

    def _height(self, block: Block) -> float:
        """Return about how high a block is in the present width."""
        if isinstance(block, SectionHeading):
            return _HEAD * 2.4
        if isinstance(block, Words):
            return 11.0 * len(letters.wrapped(block.text, self._width, _SIZE, block.bold)) + 2
        if isinstance(block, FactList):
            room = self._width - self._labels(block)
            return 4 + sum(11.0 * len(letters.wrapped(text, room, _SIZE)) + 2 for _, text in block.pairs)
        if isinstance(block, Figure):
            return self._figure_height(block)
        if isinstance(block, Picture):
            return block.height * _PIXEL + 8
        return sum(self._grid_height(part) + 8 for part in parted(block, self._width, self._by))

    def _first_height(self, block: Block) -> float:
        """Return how much of a block stands below its heading at least."""
        if isinstance(block, Figure):
            return self._figure_height(block)
        if isinstance(block, CellGrid):
            return self._needed(parted(block, self._width, self._by)[0])
        return _ROW

    def _needed(self, grid: CellGrid) -> float:
        """Return the room that a grid wants where it begins: all of it, or its head and what follows where it may be cut."""
        high = self._grid_height(grid)
        may_go_on = high <= _UNCUT * self._bottom and self._bottom - self._y < _EMPTY * self._bottom
        return high if may_go_on else min(high, (_ROW if grouped(grid) else 0.0) + 4 * _ROW)

    def _grid_height(self, grid: CellGrid) -> float:
        """Return how high a grid is, its rows a line each."""
        titles = sum(1 for row in grid.rows if row.group)
        return (_ROW if grouped(grid) else 0.0) + _ROW + 2 + 13.5 * (len(grid.rows) - titles) + 18.0 * titles

    def _labels(self, block: FactList) -> float:
        """Return the width that labels take."""
        return min(max((letters.width(label, _SIZE) for label, _ in block.pairs), default=0.0) + 12, 0.35 * self._width)

    def _write_facts(self, block: FactList) -> None:
        left = self._labels(block)
        for label, text in block.pairs:
            lines = letters.wrapped(text, self._width - left, _SIZE)
            self._room(min(len(lines), 6) * 11 + 2)
            with self._tags.node("TR"):
                with self._tags.node("TH"):
                    self._text(self._left, self._y, letters.shortened(label, left - 6, _SIZE), _SIZE, Role.SOFT)
                with self._tags.node("TD"):
                    for line in lines:
                        self._room(11)
                        self._text(self._left + left, self._y, line, _SIZE, Role.INK)
                        self._y += 11
            self._y += 2
        self._y += 4

    def _figure_height(self, block: Figure) -> float:
        return block.height * min(_PIXEL, self._width / block.width) + 22

    def _write_figure(self, block: Figure) -> None:
        self._room(self._figure_height(block))
        with self._tags.node("P"):
            self._text(self._left, self._y, block.title, 7.5, Role.SOFT)
        self._y += 13
        scale = min(_PIXEL, self._width / block.width)
        with self._tags.node("Figure", alt=block.title), self._tags.content():
            block.draw(PdfPaper(self._page, self._left, self._y, scale), Box(0, 0, block.width, block.height))
        self._y += block.height * scale + 9

    def _write_grid(self, grid: CellGrid) -> None:
        widths = column_widths(grid, self._width, self._by)
        self._room(self._needed(grid))
        self._write_head(grid, widths)
        shaded = False
        for k, row in enumerate(grid.rows):
            lines = _lines(row, grid.columns, widths, self._by)
            high = max((len(one) for one in lines), default=1) * 10.5 + 3
            wanted = high + (1.7 * _ROW if row.group and k + 1 < len(grid.rows) else 0.0)
            if self._y + wanted > self._bottom:
                self._go_on()
                self._write_head(grid, widths)
            if row.group:
                self._y += 5
                with self._tags.node("TR"), self._tags.node("TH"):
                    self._text(self._left, self._y, row.group, 7.2, Role.SOFT)
                self._rule(self._left, self._left + sum(widths), self._y + 10, 0.6)
                self._y += _ROW
                shaded = False
                continue
            if shaded:
                with self._tags.decoration():
                    self._page.set_fill_color("#F6F4EE")
                    self._page.rect(self._left, self._y - 1.5, sum(widths), high, style="F")
            shaded = not shaded
            with self._tags.node("TR"):
                self._write_row(row, grid.columns, widths, lines)
            self._y += high
        self._y += 8

    def _rule(self, left: float, right: float, y: float, width: float) -> None:
        """Draw a level line, which says nothing."""
        with self._tags.decoration():
            self._page.set_draw_color(colour(Role.RULE))
            self._page.set_line_width(width)
            self._page.line(left, y, right, y)

    def _write_head(self, grid: CellGrid, widths: Sequence[float]) -> None:
        if grouped(grid):
            with self._tags.node("TR"):
                self._write_titles(grid, widths)
        x = self._left
        with self._tags.node("TR"):
            for column, wide in zip(grid.columns, widths, strict=True):
                title = letters.shortened(column.title, wide - self._by.pad, self._by.head, bold=True)
                with self._tags.node("TH"):
                    if column.right:
                        self._text(x, self._y, title, self._by.head, column.ink, bold=True, right=x + wide - self._by.pad)
                    else:
                        self._text(x + 1, self._y, title, self._by.head, column.ink, bold=True)
                x += wide
        self._y += _ROW + 2

    def _write_titles(self, grid: CellGrid, widths: Sequence[float]) -> None:
        """Write what stands above several columns together."""
        x, k = self._left, 0
        for title, n in groups(grid):
            wide = sum(widths[k : k + n])
            if title:
                shown = letters.shortened(title, wide - 4, 7.5, bold=True)
                room = wide - letters.width(shown, 7.5, bold=True)
                with self._tags.node("TH"):
                    self._text(x + room / 2, self._y, shown, 7.5, Role.EDGE, bold=True)
                self._rule(x + 3, x + wide - 1, self._y + 10.5, 0.6)
            x, k = x + wide, k + n
        self._y += _ROW

    def _write_row(
        self, row: GridRow, columns: Sequence[GridColumn], widths: Sequence[float], lines: Sequence[Sequence[str]]
    ) -> None:
        x, by = self._left, self._by
        for cell, column, wide, texts in zip(row.cells, columns, widths, lines, strict=True):
            with self._tags.node("TD"):
                if cell.bar is not None:
                    scale = (wide - 2 * by.pad) / WIDTH
                    bar = PdfPaper(self._page, x + by.pad, self._y, scale)
                    with self._tags.content():
                        draw_bar(bar, Box(0, 0, WIDTH, HEIGHT * 0.75 / scale * 0.72), cell.bar)
                elif column.right:
                    behind = letters.width(cell.within, by.small) + 2 if cell.within else 0.0
                    self._text(x, self._y, texts[0], by.size, cell.ink, cell.bold, right=x + wide - by.pad - behind)
                    if cell.within:
                        self._text(x, self._y + 1.2, cell.within, by.small, Role.SOFT, right=x + wide - by.pad)
                else:
                    for k, line in enumerate(texts):
                        self._text(x + 1, self._y + 10.5 * k, line, by.size, cell.ink, cell.bold)
            x += wide


def _with_left_out(of: Composition) -> list[Sheet]:
    """Return the sheets, and what is not given: below the last one where that is set in columns, else as a sheet of its own."""
    if not of.not_given:
        return list(of.sheets)
    *before, last = of.sheets or (None,)
    if last is None or last.abreast == 1:
        return [*of.sheets, Sheet("", *of.left_out, (FactList(of.not_given),))]
    below = SectionHeading(of.left_out[0]), FactList(of.not_given)
    return [*before, replace(last, blocks=(*last.blocks, *below))]


def _lines(row: GridRow, columns: Sequence[GridColumn], widths: Sequence[float], by: TypeSetting) -> list[list[str]]:
    """Return the texts of a row in lines that fit their columns."""
    found = []
    for cell, column, wide in zip(row.cells, columns, widths, strict=False):
        room = wide - by.pad - (letters.width(cell.within, by.small) + 2 if cell.within else 0.0)
        if column.right:
            found.append([letters.shortened(cell.text, room + 1.5, by.size, cell.bold)])
        else:
            found.append(letters.wrapped(cell.text, room, by.size, cell.bold))
    return found
