"""Delimited text: numbers read with pyarrow in large pieces, in parallel, into the store."""

import hashlib
import mmap
import re
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats.detection import MISSING_CELLS, is_numeric, preview_delimited, problems_of, split, time_factor
from pantelos.formats.dialect import Dialect, Role
from pantelos.formats.format import Format
from pantelos.progress import Progress
from pantelos.record.fingerprint import fingerprint, remember_fingerprint, remembered_fingerprint
from pantelos.record.record import Record
from pantelos.record.store import Columns, RecordWriter, stored_record
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
    path = path.resolve()
    for problem in problems_of(dialect):
        raise FormatError(path, problem.found, problem.expected, problem.advice)
    known = remembered_fingerprint(path)
    if known is not None and (record := stored_record(_key(known, dialect), path)) is not None:
        return record
    with ThreadPoolExecutor(1) as pool:
        digest = pool.submit(fingerprint, path)  # beside the parsing, which waits for the disk now and then
        return _import(path, dialect, progress, digest.result)


def _import(path: Path, dialect: Dialect, progress: Progress, digest: Callable[[], str]) -> Record:
    found = preview_delimited(path, dialect.delimiter, dialect.decimal)
    writer = RecordWriter(len(dialect.channels))
    clock = _Clock(path, dialect)
    try:
        for first_row, table in _pieces(path, dialect, progress):
            columns = [_numbers(table.column(str(k))) for k, _ in dialect.channels]
            if (at := dialect.time_column) is not None:
                clock.add(_numbers(table.column(str(at))), first_row)
            writer.add(columns)
        if not writer.n_samples:
            raise FormatError(path, "there are no rows of numbers in it", "at least one", "Check the recording.")
        rate_hz = dialect.rate_hz if dialect.time_column is None else clock.rate_hz(_time_resolution(found.rows, dialect))
        assert rate_hz is not None
        mark = digest()
        names = tuple(column.name for _, column in dialect.channels)
        units = tuple(column.unit for _, column in dialect.channels)
        writer.finish(_key(mark, dialect), Columns(names, units, rate_hz, found.metadata), mark)
    except BaseException:
        writer.abandon()
        raise
    remember_fingerprint(path, mark)
    record = stored_record(_key(mark, dialect), path)
    if record is None:
        raise FormatError(path, "the imported record vanished from the cache", "it to stay", "Import it again.")
    return record


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


class _Clock:
    """Checks that the time column is even, and finds the rate."""

    def __init__(self, path: Path, dialect: Dialect) -> None:
        self._path = path
        self._factor = time_factor(dialect) if dialect.time_column is not None else 1.0
        self._first = self._last = 0.0
        self._n = 0
        self._step = 0.0

    def add(self, times: FloatArray, first_row: int) -> None:
        """Take the next times; the first piece sets the step that all later ones must keep."""
        t = times * self._factor
        if self._n == 0:
            self._first = float(t[0])
            self._step = (float(t[-1]) - self._first) / max(len(t) - 1, 1)
        elif self._step:
            self._step = (float(t[-1]) - self._first) / (self._n + len(t) - 1)
        expected = self._first + (self._n + np.arange(len(t))) * self._step
        off = ~(np.abs(t - expected) <= 0.5 * self._step) if self._step > 0 else np.ones(len(t), dtype=bool)
        if len(t) > 1 and off.any():
            back = np.flatnonzero(~(np.diff(t) > 0))
            row = first_row + (int(back[0]) + 1 if len(back) else int(np.argmax(off)))
            found = "does not rise" if len(back) else "leaves an even grid by more than half a step"
            raise FormatError(self._path, f"the time in line {row} {found}", f"one sample every {abs(self._step):.6g} s",
                              "Cut the file there, or give the sample rate and leave the time column out.")  # fmt: skip
        self._n += len(t)
        self._last = float(t[-1])

    def rate_hz(self, resolution_s: float) -> float:
        """Return the rate, rounded as far as the decimals of the printed times leave it open.

        Raises
        ------
        FormatError
            When a single row gives no rate.
        """
        if self._n < 2:
            raise FormatError(self._path, "one row gives no sample rate", "two rows or more", "Give the sample rate.")
        rate = (self._n - 1) / (self._last - self._first)
        slack = rate * max(resolution_s / (self._last - self._first), 1e-12)
        for digits in range(1, 15):
            rounded = float(f"{rate:.{digits}g}")
            if abs(rounded - rate) <= slack:
                return rounded
        return rate


def _time_resolution(rows: Sequence[Sequence[str]], dialect: Dialect) -> float:
    """Return the step of the last decimal that the times are printed with, s."""
    at = dialect.time_column
    assert at is not None
    cells = [row[at] for row in rows if len(row) > at]
    decimals = 0
    for cell in cells:
        mantissa, _, exponent = re.sub(r"[\"\s]", "", cell).lower().partition("e")
        decimals = max(decimals, len(mantissa.partition(dialect.decimal)[2]) - int(exponent or 0))
    return float(time_factor(dialect) * 10.0**-decimals)


def _key(digest: str, dialect: Dialect) -> str:
    return hashlib.blake2b(digest.encode() + msgspec.json.encode(dialect), digest_size=20).hexdigest()


FORMAT = Format(
    id="delimited", title="Delimited text", suffixes=(".csv", ".tsv", ".txt"), preview=preview_delimited, read=read_delimited
)
