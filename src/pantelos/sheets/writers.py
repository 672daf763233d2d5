"""CSV, XLSX, JSON, HDF5 and Parquet writers. All write aside and rename, so that a full disk damages nothing."""

import csv
import io
import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import msgspec

from pantelos.errors import StudyError
from pantelos.saving import write_whole
from pantelos.sheets import columnar_writers, workbook
from pantelos.sheets.harmless import harmless
from pantelos.sheets.table import Table, TableCell, TableSet


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

    def writerow(self, cells: Sequence[TableCell]) -> None:
        """Write one row."""
        self._rows.writerow([self._text(cell) for cell in cells])

    def _text(self, cell: TableCell) -> str:
        if isinstance(cell, str):
            return harmless(cell)
        number = "" if cell is None else repr(cell)
        return number.replace(".", ",") if self._comma else number


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


WRITERS: tuple[TableWriter, ...] = (
    TableWriter("csv", "CSV", ".csv", _csv),
    TableWriter("xlsx", "XLSX", ".xlsx", workbook.tables_workbook),
    TableWriter("json", "JSON", ".json", _json),
    TableWriter("hdf5", "HDF5", ".h5", columnar_writers.hdf5),
    TableWriter("parquet", "Parquet", ".parquet", columnar_writers.parquet, single=True),
)
