"""Delimited text: numbers read with pyarrow in large pieces, in parallel, into the store."""

import mmap
import re
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats.detection import MISSING_CELLS, is_numeric, preview_delimited, split, time_factor
from pantelos.formats.dialect import Dialect, Role
from pantelos.formats.format import Format
from pantelos.formats.storing import Block, Source, stored
from pantelos.progress import Progress
from pantelos.record.record import Record
from pantelos.record.store import StoredColumn
from pantelos.signal.arrays import FloatArray

if TYPE_CHECKING:
    import pyarrow as pa

_PIECE = 24 << 20  # bytes read at a time: memory stays bounded, threads stay busy
_PARSED_AT_ONCE = 1 << 20


def read_delimited(path: Path, dialect: Dialect, progress: Progress) -> Record:
    """Return the record in a text file, from the store when it was read this way before.

    Raises
    ------
    FormatError
        When the file does not fit the dialect: names the row and the column.
    FileAccessError
        When the file cannot be read or the store cannot be written.
    """
    return stored(path, dialect, lambda: _opened(path, dialect, progress))


def _opened(path: Path, dialect: Dialect, progress: Progress) -> Source:
    found = preview_delimited(path, dialect.delimiter, dialect.decimal)
    at = dialect.time_column

    def blocks() -> Iterator[Block]:
        for first_row, table in _pieces(path, dialect, progress):
            times = _numbers(table.column(str(at))) * time_factor(dialect) if at is not None else None
            yield Block(first_row, [_numbers(table.column(str(k))) for k, _ in dialect.channels], times)

    columns = tuple(StoredColumn(column.name, column.unit) for _, column in dialect.channels)
    resolution = _time_resolution(found.rows, dialect) if at is not None else 0.0
    return Source(columns, blocks(), found.metadata, resolution)


def _pieces(path: Path, dialect: Dialect, progress: Progress) -> "Iterator[tuple[int, pa.Table]]":
    """Yield (number of the first row, table of float64 columns named by index) for the whole file."""
    import pyarrow as pa  # here, for the sake of a quick start: a stored record is opened without it
    import pyarrow.csv as pacsv

    wanted = [str(k) for k, column in enumerate(dialect.columns) if column.role is not Role.SKIP]
    names = [str(k) for k in range(len(dialect.columns))]
    read = pacsv.ReadOptions(column_names=names, block_size=_PARSED_AT_ONCE, encoding=dialect.encoding)
    parse = pacsv.ParseOptions(delimiter=dialect.delimiter)
    convert = pacsv.ConvertOptions(
        column_types=dict.fromkeys(wanted, pa.float64()), include_columns=wanted,
        decimal_point=dialect.decimal, null_values=list(MISSING_CELLS),
    )  # fmt: skip
    try:
        with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as view:
            low = _offset_of_line(view, dialect.first_line)
            row = dialect.first_line
            while low < len(view):
                high = _end_of_piece(view, low)
                piece = view[low:high]
                if piece[:_PARSED_AT_ONCE].strip() or piece.strip():
                    try:
                        table = pacsv.read_csv(pa.BufferReader(piece), read, parse, convert)
                    except pa.ArrowInvalid as cause:
                        raise _bad_row(path, dialect, piece, row) from cause
                    yield row, table
                    row += table.num_rows
                low = high
                progress.at(low / len(view))
    except OSError as cause:
        raise access_error(path, "read", cause) from cause


def _offset_of_line(view: mmap.mmap, line: int) -> int:
    offset = 0
    for _ in range(line - 1):
        offset = view.find(b"\n", offset) + 1
        if offset == 0:
            return len(view)
    return offset


def _end_of_piece(view: mmap.mmap, low: int) -> int:
    if low + _PIECE >= len(view):
        return len(view)
    end = view.rfind(b"\n", low, low + _PIECE) + 1
    if end <= low:
        end = view.find(b"\n", low) + 1
    return end if end > low else len(view)


def _numbers(column: "pa.ChunkedArray") -> FloatArray:
    """Return a column as float64, missing cells as NaN."""
    parts = [chunk.to_numpy(zero_copy_only=False) for chunk in column.chunks]
    return np.asarray(parts[0] if len(parts) == 1 else np.concatenate(parts), dtype=np.float64)


def _bad_row(path: Path, dialect: Dialect, piece: bytes, first_row: int) -> FormatError:
    """Return the error that names the first row of a piece that cannot be read."""
    for row, line in enumerate(piece.decode(dialect.encoding, errors="replace").splitlines(), start=first_row):
        if not line.strip():
            continue
        cells = split(line, dialect.delimiter)
        if len(cells) != len(dialect.columns):
            return FormatError(path, f"line {row} has {len(cells)} columns", f"{len(dialect.columns)} as in the rows before",
                               "Mend or delete that line, or check the separator.")  # fmt: skip
        for column, cell in zip(dialect.columns, cells, strict=True):
            if column.role is not Role.SKIP and cell not in MISSING_CELLS and not is_numeric([cell], dialect.decimal):
                return FormatError(path, f'line {row} holds "{cell[:40]}" in column "{column.name}"', "a number",
                                   "Mend or delete that line, or leave the column out.")  # fmt: skip
    return FormatError(path, f"the rows from line {first_row} on cannot be read", f"{len(dialect.columns)} numbers each",
                       "Check the separator and the decimal sign.")  # fmt: skip


def _time_resolution(rows: Sequence[Sequence[str]], dialect: Dialect) -> float:
    """Return the step of the last decimal that the times are printed with, s."""
    at = dialect.time_column
    assert at is not None
    cells = [row[at] for row in rows if len(row) > at and is_numeric([row[at]], dialect.decimal)]
    decimals = 0
    for cell in cells:
        mantissa, _, exponent = re.sub(r"[\"\s]", "", cell).lower().partition("e")
        decimals = max(decimals, len(mantissa.partition(dialect.decimal)[2]) - int(exponent or 0))
    return float(time_factor(dialect) * 10.0**-decimals)


FORMAT = Format(
    id="delimited",
    title="Delimited text",
    suffixes=(".csv", ".tsv", ".txt"),
    recognise=lambda head: b"\0" not in head,  # whatever is not binary is tried as text
    preview=preview_delimited,
    read=read_delimited,
)
