"""Reads text: in large pieces, in parallel, into the store."""

import mmap
import re
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats.dialect import Dialect, Role, time_factor
from pantelos.formats.storing import Block, Source, stored
from pantelos.formats.text.cells import MISSING_CELLS, is_missing, is_time_of_day
from pantelos.formats.text.conversion import Times, numbers, style_of
from pantelos.formats.text.preview import preview_text, time_resolution
from pantelos.progress import Progress
from pantelos.record.cache import cache_directory
from pantelos.record.recording import Recording
from pantelos.record.store import StoredColumn
from pantelos.signal.arrays import FloatArray

if TYPE_CHECKING:
    import pyarrow as pa

_PIECE = 24 << 20  # bytes read at a time: memory stays bounded, threads stay busy
_PARSED_AT_ONCE = 1 << 20
_LONGEST_ROW = 1 << 20
_MOST_FOOTER_LINES = 1000


def read_text(path: Path, dialect: Dialect, progress: Progress) -> Recording:
    """Return the recording in a text file, from the store when it was read this way before.

    Raises
    ------
    FormatError
        When the file does not fit the dialect: names the line and the column.
    FileAccessError
        When the file cannot be read or the store cannot be written.
    """
    return stored(path, dialect, progress, lambda part: _opened(path, dialect, part))


def _opened(path: Path, dialect: Dialect, progress: Progress) -> Source:
    found = preview_text(path, dialect.delimiter, dialect.decimal)
    at = dialect.time_column
    times = Times(dialect) if at is not None else None
    if at is not None:
        time_factor(dialect)  # a unit that is no time is refused here

    def blocks() -> Iterator[Block]:
        for first_row, columns in _Pieces(path, dialect, times, progress).read():
            seconds = columns.pop(at) if at is not None else None
            yield Block(first_row, list(columns.values()), seconds)

    columns = tuple(StoredColumn(c.name, c.unit, scale=c.scale) for _, c in dialect.channels)
    resolution = time_resolution(found.rows, dialect) if at is not None else 0.0

    def began_ns() -> int | None:
        return times.began_ns if times is not None and times.began_ns is not None else found.began_ns

    return Source(columns, blocks(), found.metadata, resolution, start_s=dialect.start_s, began_ns=began_ns)


class _Pieces:
    """A text file cut into pieces of whole lines, each parsed into columns of numbers."""

    def __init__(self, path: Path, dialect: Dialect, times: Times | None, progress: Progress) -> None:
        self._path, self._dialect, self._times, self._progress = path, dialect, times, progress
        self._style = style_of(dialect)
        self._wanted = [k for k, column in enumerate(dialect.columns) if column.role is not Role.SKIP]
        self._encoding = "utf-8" if dialect.encoding.startswith("utf-16") else dialect.encoding

    def read(self) -> Iterator[tuple[int, dict[int, FloatArray]]]:
        """Yield (number of the first line, numbers by column) for the whole file."""
        try:
            with _bytes_of(self._path, self._dialect.encoding) as view:
                low = _offset_of_line(view, self._dialect.first_line)
                row = self._dialect.first_line
                while low < len(view):
                    high = _end_of_piece(self._path, view, low)
                    piece = view[low:high]
                    if piece[:_PARSED_AT_ONCE].strip() or piece.strip():
                        columns = self._parsed(piece, row, view, high)
                        n_rows = len(next(iter(columns.values())))
                        if n_rows:
                            yield row, columns
                        row += n_rows
                    low = high
                    self._progress.at(low / len(view))
        except OSError as cause:
            raise access_error(self._path, "read", cause) from cause

    def _parsed(self, piece: bytes, row: int, view: mmap.mmap, high: int) -> dict[int, FloatArray]:
        """Return the numbers of a piece; what is no row is taken out where it may be left out."""
        import pyarrow as pa

        try:
            columns = self._columns(self._normal(piece))
        except pa.ArrowInvalid:
            at_end = not self._rows_follow(view, high)
            kept = self._rows_only(piece, row, at_end)
            try:
                columns = self._columns(self._normal(kept))
            except pa.ArrowInvalid as cause:
                raise FormatError(
                    self._path, f"the rows from line {row} on cannot be read", f"{len(self._dialect.columns)} numbers each",
                    "Check the separator and the decimal sign.",
                ) from cause  # fmt: skip
        return _without_empty_end(columns) if high == len(view) else columns

    def _columns(self, piece: bytes) -> dict[int, FloatArray]:
        table = self._table(piece)
        at = self._dialect.time_column
        return {
            k: self._times(table.column(str(k))) if k == at and self._times is not None
            else numbers(table.column(str(k)), self._style)
            for k in self._wanted
        }  # fmt: skip

    def _table(self, piece: bytes) -> "pa.Table":
        import pyarrow as pa  # here, for the sake of a quick start: a stored recording is opened without it
        import pyarrow.csv as pacsv

        at = self._dialect.time_column
        as_text = not self._style.plain
        types = {str(k): pa.string() if as_text or (k == at and self._times is not None and self._times.as_text) else pa.float64()
                 for k in self._wanted}  # fmt: skip
        names = [str(k) for k in range(len(self._dialect.columns))]
        if not piece.strip():
            return pa.table({name: pa.array([], kind) for name, kind in types.items()})
        return pacsv.read_csv(
            pa.BufferReader(piece),
            pacsv.ReadOptions(column_names=names, block_size=_PARSED_AT_ONCE, encoding=self._encoding),
            pacsv.ParseOptions(delimiter=self._dialect.delimiter),
            pacsv.ConvertOptions(
                column_types=types, include_columns=list(types), decimal_point=self._dialect.decimal,
                null_values=list(MISSING_CELLS),
            ),
        )  # fmt: skip

    def _normal(self, piece: bytes) -> bytes:
        """Return a piece with one blank between cells, where blanks separate them."""
        if self._dialect.delimiter != " ":
            return piece
        return re.sub(rb"(?m)^ | (?=\r?$)", b"", re.sub(rb"[ \t]+", b" ", piece))

    def _is_row(self, line: str) -> bool:
        cells = self._style.split(line)
        wanted = [cell for k, cell in enumerate(cells) if k in set(self._wanted)]
        return len(cells) == len(self._dialect.columns) and self._style.is_data(wanted)

    def _may_be_left_out(self, line: str) -> bool:
        """Return whether a line is a comment or blank."""
        text = line.strip()
        return not text or bool(self._dialect.comment and text.startswith(self._dialect.comment))

    def _rows_follow(self, view: mmap.mmap, high: int) -> bool:
        """Return whether there are rows of numbers behind a piece."""
        text = view[high : high + _PARSED_AT_ONCE].decode(self._encoding, errors="replace")
        return any(self._is_row(line) for line in text.splitlines()[:_MOST_FOOTER_LINES])

    def _rows_only(self, piece: bytes, first_row: int, at_end: bool) -> bytes:
        """Return a piece without comments, blank lines and, at the end of the file, a footer.

        Raises
        ------
        FormatError
            Naming the first line that is none of these and no row either.
        """
        kept: list[str] = []
        strange: tuple[int, str] | None = None
        for row, line in enumerate(piece.decode(self._encoding, errors="replace").splitlines(), start=first_row):
            if self._may_be_left_out(line):
                continue
            if self._is_row(line):
                if strange is not None:
                    raise self._bad_line(*strange)
                kept.append(line)
            elif strange is None:
                strange = row, line
        footer = strange is not None and at_end and not self._looks_like_row(strange[1])
        if strange is not None and not footer:
            raise self._bad_line(*strange)
        return ("\n".join(kept) + "\n").encode(self._encoding, errors="replace")

    def _looks_like_row(self, line: str) -> bool:
        """Return whether a line was meant as a row: it begins like one, and has as many cells or is cut off."""
        cells = self._style.split(line)
        return bool(cells) and self._style.is_number(cells[0]) and len(cells) >= len(self._dialect.columns)

    def _bad_line(self, row: int, line: str) -> FormatError:
        cells, columns = self._style.split(line), self._dialect.columns
        if len(cells) != len(columns):
            return FormatError(self._path, f"line {row} has {len(cells)} columns", f"{len(columns)} as in the rows before",
                               "Mend or delete that line, or check the separator.")  # fmt: skip
        for column, cell in zip(columns, cells, strict=True):
            if column.role is Role.SKIP or is_missing(cell) or self._style.is_number(cell) or is_time_of_day(cell):
                continue
            return FormatError(self._path, f'line {row} holds "{cell[:40]}" in column "{column.name}"', "a number",
                               "Mend or delete that line, or leave the column out.")  # fmt: skip
        return FormatError(self._path, f"line {row} holds no numbers", f"{len(columns)} of them", "Mend or delete that line.")


def _without_empty_end(columns: dict[int, FloatArray]) -> dict[int, FloatArray]:
    """Return columns without the rows at the end in which everything is missing: lines of separators only."""
    n = min(len(values) for values in columns.values())
    given = max((int(np.flatnonzero(~np.isnan(x))[-1]) + 1 if not np.isnan(x).all() else 0 for x in columns.values()), default=0)
    return columns if given == n else {k: values[:given] for k, values in columns.items()}


@contextmanager
def _bytes_of(path: Path, encoding: str) -> "Iterator[mmap.mmap]":
    """Serve the bytes of a text mapped, in an encoding of one byte per sign of a number; UTF-16 by way of a copy."""
    if not encoding.startswith("utf-16"):
        with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as view:
            yield view
        return
    cache_directory().mkdir(parents=True, exist_ok=True)
    with (
        path.open("r", encoding=encoding, errors="replace", newline="") as wide,
        tempfile.TemporaryFile(dir=cache_directory()) as copy,
    ):
        while part := wide.read(1 << 22):
            copy.write(part.replace("\ufeff", "").encode())
        copy.flush()
        with mmap.mmap(copy.fileno(), 0, access=mmap.ACCESS_READ) as view:
            yield view


def _offset_of_line(view: mmap.mmap, line: int) -> int:
    offset = 0
    for _ in range(line - 1):
        offset = view.find(b"\n", offset) + 1
        if offset == 0:
            return len(view)
    return offset


def _end_of_piece(path: Path, view: mmap.mmap, low: int) -> int:
    if low + _PIECE >= len(view):
        return len(view)
    end = view.rfind(b"\n", low, low + _PIECE) + 1
    if end <= low:
        end = view.find(b"\n", low, low + _PIECE + _LONGEST_ROW) + 1
    if end <= low:
        raise FormatError(path, f"there is no end of a line within {_PIECE >> 20} MB", "rows of numbers in lines",
                          "Check that this is a recording.")  # fmt: skip
    return end
