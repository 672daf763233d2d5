"""Reads text: in large pieces, in parallel, into the store."""

import os
import re
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import IO, TYPE_CHECKING

import numpy as np

from pantelos.errors import FormatError, access_error, clipped
from pantelos.formats import remarks
from pantelos.formats.dialect import ColumnRole, Dialect, time_factor
from pantelos.formats.storing import Block, Source, stored
from pantelos.formats.text.cells import MINUS_SIGN, MISSING_CELLS, PREFIXES, UNITS_IN_CELLS, is_missing, is_time_of_day
from pantelos.formats.text.conversion import ParsedNumbers, ParsedTimes, numbers, style_of
from pantelos.formats.text.lines import lines_of, opened_text
from pantelos.formats.text.preview import preview_text, time_resolution
from pantelos.formats.text.stamps import CellError
from pantelos.formats.text.tally import Tally
from pantelos.formats.vocabulary import STATISTICS, plain_words
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.recording import Recording
from pantelos.record.store import StoredColumn
from pantelos.record.timing import Began
from pantelos.signal.arrays import FloatArray

if TYPE_CHECKING:
    import pyarrow as pa

_PIECE = 24 << 20  # bytes read at a time: memory stays bounded, threads stay busy
_PARSED_AT_ONCE = 1 << 20
_LONGEST_ROW = 1 << 20
_MOST_FOOTER_LINES = 1000
_MINUS = MINUS_SIGN.encode()
# A number in groups, with another decimal sign, a prefix or a unit, where others have none: never a word for a missing value.
_OTHER_NUMBER = re.compile(
    rf"[-+{MINUS_SIGN}]?[.,'\s]*+\d[\d.,'\s]*+(?:[eE][-+]?\d+)?\s*+[{''.join(PREFIXES)}]?(?:{'|'.join(UNITS_IN_CELLS)})?"
)


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
    times = ParsedTimes(dialect) if at is not None else None
    tally = Tally()
    if at is not None:
        time_factor(dialect)  # a unit that is no time is refused here

    def blocks() -> Iterator[Block]:
        before = 0
        for first_row, read in _Pieces(path, dialect, times, tally, progress).read():
            columns, n = read, len(next(iter(read.values())))
            if dialect.every > 1:
                columns = _own_rows(read, dialect, before, tally)
            before += n
            seconds = columns.pop(at) if at is not None else None
            yield Block(first_row, list(columns.values()), seconds)

    columns = tuple(StoredColumn(c.name, c.unit, scale=c.scale) for _, c in dialect.channels)
    resolution = time_resolution(found.rows, dialect) if at is not None else 0.0

    def began() -> Began | None:
        return times.began if times is not None and times.began is not None else found.began

    def told() -> tuple[Notice, ...]:
        seen = (notice for notice in found.told if notice.code != remarks.UNEVEN)
        return (*seen, *tally.told, *(times.told if times is not None else ()))

    return Source(
        columns,
        blocks(),
        found.metadata,
        resolution,
        start_s=dialect.start_s,
        began=began,
        n_beyond=lambda: tally.beyond,
        told=told,
    )


def _own_rows(read: dict[int, FloatArray], dialect: Dialect, before: int, tally: Tally) -> dict[int, FloatArray]:
    """Return the rows of columns that are filled in every so many rows only; what stands between is counted."""
    n = len(next(iter(read.values())))
    own = (np.arange(before, before + n) - dialect.first_row) % dialect.every == 0
    for k, column in dialect.channels:
        tally.between[column.name] = tally.between.get(column.name, 0) + int(np.isfinite(read[k][~own]).sum())
    return {k: values[own] for k, values in read.items()}


class _Pieces:
    """A text file cut into pieces of whole lines, each parsed into columns of numbers."""

    def __init__(self, path: Path, dialect: Dialect, times: ParsedTimes | None, tally: Tally, progress: Progress) -> None:
        self._path, self._dialect, self._times, self._progress = path, dialect, times, progress
        self._tally, self._style = tally, style_of(dialect)
        self._as_text = not self._style.plain
        self._header: set[str] = set()
        self._wanted = [k for k, column in enumerate(dialect.columns) if column.role is not ColumnRole.SKIP]
        self._encoding = "utf-8" if dialect.encoding.startswith("utf-16") else dialect.encoding

    def read(self) -> Iterator[tuple[int, dict[int, FloatArray]]]:
        """Yield (number of the first line, numbers by column) for the whole file."""
        try:
            with opened_text(self._path, self._dialect.encoding) as file:
                size = os.fstat(file.fileno()).st_size
                row = self._dialect.first_line
                for number in range(1, row):
                    line = file.readline()
                    if number in (self._dialect.header_line, self._dialect.units_line):
                        self._header.add(line.decode(self._encoding, errors="replace").strip())
                rest, at_end = b"", False
                while not at_end:
                    read = file.read(_PIECE)  # waiting for the disk here holds up no other thread, unlike in a mapped file
                    at_end = len(read) < _PIECE
                    piece, rest = self._cut(rest + read, at_end)
                    if piece[:_PARSED_AT_ONCE].strip() or piece.strip():
                        columns = self._parsed(piece, row, file, rest, at_end)
                        if len(next(iter(columns.values()))):
                            yield row, columns
                        row += piece.count(b"\n")
                    self._progress.at(file.tell() / max(size, 1))
        except OSError as cause:
            raise access_error(self._path, "read", cause) from cause

    def _cut(self, read: bytes, at_end: bool) -> tuple[bytes, bytes]:
        """Return whole lines, and what was read of the next one."""
        end = len(read) if at_end else read.rfind(b"\n") + 1
        if end == 0 and len(read) > _PIECE + _LONGEST_ROW:
            raise FormatError(
                self._path,
                f"there is no end of a line within {_PIECE >> 20} MB",
                "rows of numbers in lines",
                "Check that this is a recording.",
            )
        return read[:end], read[end:]

    def _parsed(self, piece: bytes, row: int, file: IO[bytes], rest: bytes, at_end: bool) -> dict[int, FloatArray]:
        """Return the numbers of a piece; what is no row is taken out where it may be left out."""
        import pyarrow as pa

        try:
            try:
                columns = self._columns(self._normal(piece), piece, row)
            except pa.ArrowInvalid:
                kept = self._rows_only(piece, row, at_end or not self._rows_follow(file, rest))
                columns = self._columns(self._normal(kept), piece, row, rows_only=True)
        except CellError as wrong:
            line = self._line_of(wrong.at, piece, row)
            raise FormatError(
                self._path,
                f'line {line} holds "{clipped(wrong.cell)[:40]}"',
                wrong.expected,
                "Mend or delete that line, or say how it is read.",
            ) from wrong
        except pa.ArrowInvalid as cause:
            raise FormatError(
                self._path,
                f"the rows from line {row} on cannot be read",
                f"{len(self._dialect.columns)} numbers each",
                "Check the separator and the decimal sign.",
            ) from cause
        return _without_empty_end(columns) if at_end else columns

    def _columns(self, piece: bytes, whole: bytes, row: int, rows_only: bool = False) -> dict[int, FloatArray]:
        """Return the numbers of rows; `whole` is the piece as it stands in the file from line `row` on.

        With `rows_only` nothing else stands in it any more: a row may hold words alone.
        """
        import pyarrow as pa

        if not self._as_text:
            try:
                return self._numbers_in(self._table(piece, as_text=False), whole, row, rows_only)
            except pa.ArrowInvalid:
                pass  # words for values beyond the range, say: those are told apart cell by cell
        columns = self._numbers_in(self._table(piece, as_text=True), whole, row, rows_only)
        self._as_text = True  # the pieces that follow will hold the like
        return columns

    def _numbers_in(self, table: "pa.Table", whole: bytes, row: int, rows_only: bool) -> dict[int, FloatArray]:
        """Return the columns of a table as numbers, that of the time as seconds; all of them, or none is counted."""
        import pyarrow as pa

        at, day = self._dialect.time_column, self._dialect.date_column
        found = {k: numbers(table.column(str(k)), self._style) for k in self._wanted if k not in (at, day)}
        columns = {k: one.values for k, one in found.items()}
        self._check_words(found, rows_only)
        if at is not None and self._times is not None:
            columns[at] = self._times(table.column(str(at)), table.column(str(day)) if day is not None else None)
            if np.isnan(columns[at]).any():
                raise pa.ArrowInvalid("a row without a time")
        for k, one in found.items():
            name = self._dialect.columns[k].name
            self._tally.beyond[name] = self._tally.beyond.get(name, 0) + one.n_beyond
            if one.strange:
                self._tally.take_words(name, one.strange, partial(self._line_of, int(one.where[0]), whole, row))
        return columns

    def _check_words(self, found: "dict[int, ParsedNumbers]", rows_only: bool) -> None:
        """Refuse what is no missing value: a number written in another way, and a row without a time that may be none."""
        import pyarrow as pa

        strange = [one for one in found.values() if one.strange]
        for one in strange:
            odd = next((k for k, word in enumerate(one.strange) if _OTHER_NUMBER.fullmatch(word)), None)
            if odd is not None:
                sign = "comma" if self._style.decimal == "," else "point"
                raise CellError(one.strange[odd], f"a number with a decimal {sign}, written like the others", int(one.where[odd]))
        if not strange or self._dialect.time_column is not None or rows_only:
            return
        empty = np.logical_and.reduce([np.isnan(one.values) for one in found.values()])
        named = found[self._wanted[0]].strange
        if any(plain_words(word) in STATISTICS for word in named) or empty[np.concatenate([one.where for one in strange])].any():
            raise pa.ArrowInvalid("what may be no row")

    def _line_of(self, at: int, piece: bytes, first_line: int) -> int:
        """Return the number of the line that row `at` of a piece stands in: blank lines, comments and headers are no rows."""
        rows = -1
        for line, text in enumerate(lines_of(piece.decode(self._encoding, errors="replace")), start=first_line):
            rows += not (self._may_be_left_out(text) or text.strip() in self._header)
            if rows == at:
                return line
        return first_line

    def _table(self, piece: bytes, as_text: bool) -> "pa.Table":
        import pyarrow as pa  # here, for the sake of a quick start: a stored recording is opened without it
        import pyarrow.csv as pacsv

        at, day = self._dialect.time_column, self._dialect.date_column
        worded = {day} | ({at} if self._times is not None and self._times.as_text else set())
        types = {str(k): pa.string() if as_text or k in worded else pa.float64() for k in self._wanted}
        names = [str(k) for k in range(len(self._dialect.columns))]
        if not piece.strip():
            return pa.table({name: pa.array([], kind) for name, kind in types.items()})
        return pacsv.read_csv(
            pa.BufferReader(piece),
            pacsv.ReadOptions(column_names=names, block_size=_PARSED_AT_ONCE, encoding=self._encoding),
            pacsv.ParseOptions(delimiter=self._dialect.delimiter),
            pacsv.ConvertOptions(
                column_types=types,
                include_columns=list(types),
                decimal_point=self._dialect.decimal,
                null_values=list(MISSING_CELLS),
            ),
        )

    def _normal(self, piece: bytes) -> bytes:
        """Return a piece with one blank between cells, where blanks separate them, and plain minus signs."""
        if self._encoding == "utf-8" and _MINUS in piece:
            piece = piece.replace(_MINUS, b"-")
        if self._dialect.delimiter != " ":
            return piece
        return re.sub(rb"(?m)^ | (?=\r?$)", b"", re.sub(rb"[ \t]+", b" ", piece))

    def _is_row(self, line: str) -> bool:
        """Return whether a line is a row: with a time where rows have one, else with a number; other cells may hold words."""
        cells, at = self._style.split(line), self._dialect.time_column
        if len(cells) != len(self._dialect.columns):
            return False
        if at is not None:
            return self._style.is_data([cells[at]])
        wanted = [cells[k] for k in self._wanted]
        if plain_words(cells[0]) in STATISTICS:
            return False
        return self._style.is_data(wanted) or any(map(self._style.is_number, wanted))

    def _may_be_left_out(self, line: str) -> bool:
        """Return whether a line is a comment or blank."""
        text = line.strip()
        return not text or bool(self._dialect.comment and text.startswith(self._dialect.comment))

    def _rows_follow(self, file: IO[bytes], rest: bytes) -> bool:
        """Return whether there are rows of numbers behind a piece."""
        place = file.tell()
        text = (rest + file.read(_PARSED_AT_ONCE)).decode(self._encoding, errors="replace")
        file.seek(place)
        return any(self._is_row(line) for line in lines_of(text)[:_MOST_FOOTER_LINES])

    def _rows_only(self, piece: bytes, first_row: int, at_end: bool) -> bytes:
        """Return a piece without comments, blank lines, the header again and, at the end of the file, a footer.

        Raises
        ------
        FormatError
            Naming the first line that is none of these and no row either.
        """
        kept: list[str] = []
        strange: list[tuple[int, str]] = []
        lines = lines_of(piece.decode(self._encoding, errors="replace"))
        for row, line in enumerate(lines, start=first_row):
            if line.strip() and line.strip() in self._header:
                self._tally.headers.append(row)
            elif self._may_be_left_out(line):
                self._tally.n_comments += bool(line.strip())
            elif self._is_row(line):
                wrong = next((one for one in strange if not self._may_be_row(one[1])), None)
                if wrong is not None:
                    raise self._bad_line(*wrong)
                kept += [text for _, text in strange]  # between rows, words alone are a row of missing values
                kept.append(line)
                strange = []
            else:
                strange.append((row, line))
        if strange and (not at_end or self._looks_like_row(strange[0][1])):
            raise self._bad_line(*strange[0])
        if strange:
            behind = [line for line in lines[strange[0][0] - first_row :] if line.strip()]
            self._tally.behind = len(behind), *strange[0]
        return ("\n".join(kept) + "\n").encode(self._encoding, errors="replace")

    def _may_be_row(self, line: str) -> bool:
        """Return whether a line of words has as many cells as a row, where rows have no time that it would lack."""
        return self._dialect.time_column is None and len(self._style.split(line)) == len(self._dialect.columns)

    def _looks_like_row(self, line: str) -> bool:
        """Return whether a line was meant as a row: it begins like one, and has as many cells or is cut off."""
        cells = self._style.split(line)
        return bool(cells) and self._style.is_number(cells[0]) and len(cells) >= len(self._dialect.columns)

    def _bad_line(self, row: int, line: str) -> FormatError:
        cells, columns = self._style.split(line), self._dialect.columns
        if len(cells) != len(columns):
            return FormatError(
                self._path,
                f"line {row} has {len(cells)} columns",
                f"{len(columns)} as in the rows before",
                "Mend or delete that line, or check the separator.",
            )
        at = self._dialect.time_column
        if at is not None and is_missing(cells[at]):
            return FormatError(self._path, f"line {row} has no time", "one in each row", "Mend or delete that line.")
        for column, cell in zip(columns, cells, strict=True):
            if column.role is ColumnRole.SKIP or is_missing(cell) or self._style.is_number(cell) or is_time_of_day(cell):
                continue
            return FormatError(
                self._path,
                f'line {row} holds "{cell[:40]}" in column "{column.name}"',
                "a number",
                "Mend or delete that line, or leave the column out.",
            )
        return FormatError(self._path, f"line {row} holds no numbers", f"{len(columns)} of them", "Mend or delete that line.")


def _without_empty_end(columns: dict[int, FloatArray]) -> dict[int, FloatArray]:
    """Return columns without the rows at the end in which everything is missing: lines of separators only."""
    n = min(len(values) for values in columns.values())
    given = max((int(np.flatnonzero(~np.isnan(x))[-1]) + 1 if not np.isnan(x).all() else 0 for x in columns.values()), default=0)
    return columns if given == n else {k: values[:given] for k, values in columns.items()}
