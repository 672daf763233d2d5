"""CSV, XLSX, JSON, HDF5 and Parquet writers. All write aside and rename, so that a full disk damages nothing."""

import csv
import io
import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import msgspec

from pantelos.errors import StudyError
from pantelos.notation import digits_after_point
from pantelos.report import columnar_writers
from pantelos.report.table import Cell, Table, TableSet
from pantelos.saving import write_whole

_DIGITS = 6  # of the largest number of a column, as it is shown
FORMULA_SIGNS = ("=", "+", "-", "@", "\t", "\r", "'")


class TableWriter(msgspec.Struct, frozen=True):
    """One kind of file tables are written to."""

    id: str
    title: str
    suffix: str
    write: Callable[[TableSet], bytes]
    single: bool = False  # holds one table


def write_tables(tables: TableSet, path: Path, comma: bool = False) -> None:
    """Write tables to a file, of the kind its suffix says; CSV with decimal commas and semicolons when asked for.

    Raises
    ------
    StudyError
        When the suffix is of no known kind.
    FileAccessError
        When it cannot be written; what was there before is untouched.
    """
    writer = writer_for(path)
    write_whole(path, _csv(tables, comma=True) if comma and writer.id == "csv" else writer.write(tables))


def writer_for(path: Path) -> TableWriter:
    """Return the writer for a file name."""
    for writer in WRITERS:
        if path.suffix.lower() == writer.suffix:
            return writer
    suffixes = ", ".join(writer.suffix for writer in WRITERS)
    raise StudyError(f'{path.name}: tables are not written as "{path.suffix}"; choose one of {suffixes}.')


def _csv(tables: TableSet, comma: bool = False) -> bytes:
    """Tables one below the other; lines beginning with # say what they are. Texts are harmless in a spreadsheet."""
    out = io.StringIO()
    rows = _HarmlessRows(csv.writer(out, delimiter=";" if comma else ",", lineterminator="\r\n"), comma)
    rows.writerow([f"# {tables.provenance.study}", tables.provenance.program])
    for label, text in tables.provenance.facts:
        rows.writerow([f"# {label}", text])
    for table in tables.tables:
        rows.writerow([])
        rows.writerow([f"# table {table.id}", table.title, table.subtitle])
        for line in table.method:
            rows.writerow(["# method", line])
        rows.writerow([column.heading for column in table.columns])
        for row in table.rows:
            rows.writerow(row)
    return out.getvalue().encode("utf-8")


def csv_lines(table: Table, most: int | None = None) -> list[str]:
    """Return a table alone as lines of CSV, its heading first; `most` bounds its rows."""
    out = io.StringIO()
    rows = _HarmlessRows(csv.writer(out, lineterminator="\n"), False)
    for row in ([column.heading for column in table.columns], *table.rows[:most]):
        rows.writerow(row)
    return out.getvalue().splitlines()


class _HarmlessRows:
    """Writes rows whose texts no spreadsheet takes for a formula: those that begin like one get an apostrophe before them."""

    def __init__(self, rows: Any, comma: bool) -> None:
        self._rows, self._comma = rows, comma

    def writerow(self, cells: Sequence[Cell]) -> None:
        """Write one row."""
        self._rows.writerow([self._text(cell) for cell in cells])

    def _text(self, cell: Cell) -> str:
        if isinstance(cell, str):
            return harmless(cell)
        number = "" if cell is None else repr(cell)
        return number.replace(".", ",") if self._comma else number


def harmless(text: str) -> str:
    """Return a text with an apostrophe before it where a spreadsheet would take it for a formula, or for one already marked."""
    return f"'{text}" if text[:1] in FORMULA_SIGNS else text


def as_written(cell: str) -> str:
    """Return the text that `harmless` was given: what reads a table of ours takes the mark off again."""
    return cell[1:] if cell[:1] == "'" and cell[1:2] in FORMULA_SIGNS else cell


def json_of(tables: TableSet) -> dict[str, Any]:
    """Return tables and their provenance as JSON holds them."""
    return {
        "format": "pantelos-tables",
        "version": 1,
        "study": tables.provenance.study,
        "program": tables.provenance.program,
        "provenance": [{"label": label, "text": text} for label, text in tables.provenance.facts],
        "tables": [
            {
                "id": table.id,
                "title": table.title,
                "subtitle": table.subtitle,
                "method": list(table.method),
                "columns": [{"key": c.key, "title": c.title, "unit": c.unit} for c in table.columns],
                "rows": [dict(zip((c.key for c in table.columns), row, strict=True)) for row in table.rows],
            }
            for table in tables.tables
        ],
    }


def _json(tables: TableSet) -> bytes:
    return (json.dumps(json_of(tables), ensure_ascii=False, indent=1) + "\n").encode("utf-8")


def number_sheet() -> Any:
    """Return a kind of sheet that writes numbers with all the digits a double needs; the library itself writes sixteen."""
    from xlsxwriter.worksheet import Worksheet  # here, for the sake of a quick start

    class Sheet(Worksheet):  # type: ignore[misc]
        """Writes numbers in full."""

        def _xml_number_element(self, number: float, attributes: Any = ()) -> None:
            said = "".join(f' {key}="{self._escape_attributes(str(text))}"' for key, text in attributes)
            self.fh.write(f"<c{said}><v>{float(number)!r}</v></c>")

    return Sheet


def _xlsx(tables: TableSet) -> bytes:
    """One sheet a table, numbers as numbers, and a sheet that says where they come from."""
    import xlsxwriter  # here, for the sake of a quick start

    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        head = book.add_format({"bold": True, "text_wrap": True, "valign": "top", "bottom": 1})
        title = book.add_format({"bold": True, "font_size": 13})
        wrap = book.add_format({"text_wrap": True, "valign": "top"})
        for table in tables.tables:
            _write_sheet(book, book.add_worksheet(table.title[:31], number_sheet()), table, head)
        sheet = book.add_worksheet("Method and source")
        sheet.set_column(0, 0, 24)
        sheet.set_column(1, 1, 110, wrap)
        sheet.write_string(0, 0, tables.provenance.study, title)
        lines = [("program", tables.provenance.program), *tables.provenance.facts]
        lines += [(table.title, line) for table in tables.tables for line in table.method]
        for at, (label, text) in enumerate(lines, start=2):
            sheet.write_string(at, 0, label, wrap)
            sheet.write_string(at, 1, text, wrap)
    return out.getvalue()


def _write_sheet(book: Any, sheet: Any, table: Table, head: Any) -> None:
    """Write a table: full numbers beneath formats that fit their column, heads repeated, as wide as a landscape page."""
    for at, column in enumerate(table.columns):
        numbers = [abs(value) for row in table.rows if isinstance(value := row[at], float)]
        decimals = digits_after_point(max(numbers), _DIGITS) if numbers and max(numbers) > 0 else 0
        look = book.add_format({"num_format": "0." + "0" * decimals if decimals else "0"}) if numbers else None
        sheet.write_string(0, at, column.heading, head)
        texts = [f"{row[at]:.{decimals}f}" if isinstance(row[at], float) else str(row[at] or "") for row in table.rows]
        sheet.set_column(at, at, min(max([min(len(column.heading), 14), *map(len, texts)]) + 2, 40), look)
    for down, row in enumerate(table.rows, start=1):
        for at, value in enumerate(row):
            if isinstance(value, str):
                sheet.write_string(down, at, value)
            elif value is not None:
                sheet.write_number(down, at, value)
    for at, column in enumerate(table.columns):
        if column.key == "verdict":
            for text, colour in (("outside", "#B3261E"), ("undecided", "#91480A"), ("inside", "#356B35")):
                rule = {"type": "cell", "criteria": "==", "value": f'"{text}"', "format": book.add_format({"font_color": colour})}
                sheet.conditional_format(1, at, max(len(table.rows), 1), at, rule)
    sheet.freeze_panes(1, 0)
    sheet.set_landscape()
    sheet.set_paper(9)
    sheet.fit_to_pages(1, 0)
    sheet.repeat_rows(0)
    sheet.set_footer("&L&8&A&R&8&P / &N")


WRITERS: tuple[TableWriter, ...] = (
    TableWriter("csv", "CSV", ".csv", _csv),
    TableWriter("xlsx", "XLSX", ".xlsx", _xlsx),
    TableWriter("json", "JSON", ".json", _json),
    TableWriter("hdf5", "HDF5", ".h5", columnar_writers.hdf5),
    TableWriter("parquet", "Parquet", ".parquet", columnar_writers.parquet, single=True),
)
