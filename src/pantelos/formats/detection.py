"""Find the dialect of a text file by looking at its beginning."""

import csv
import re
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path
from typing import BinaryIO

from pantelos.errors import FormatError, access_error
from pantelos.formats import header
from pantelos.formats.dialect import Column, Dialect, Preview, Role
from pantelos.units import unit

_LOOKED_AT = 1 << 16
_SHOWN_ROWS = 30
_DELIMITERS = (",", ";", "\t", "|")
_DELIMITER_NAMES = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
MISSING_CELLS = ("", "nan", "NaN", "NAN", "-", "--", "null", "NULL", "n/a", "N/A")
_NUMBER = {
    ".": re.compile(r"^\s*\"?[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?\"?\s*$"),
    ",": re.compile(r"^\s*\"?[-+]?(\d+,?\d*|,\d+)([eE][-+]?\d+)?\"?\s*$"),
}


@dataclass(frozen=True, slots=True)
class Problem:
    """Something that must be corrected before a file can be read."""

    found: str
    expected: str
    advice: str

    def __str__(self) -> str:
        return f"{self.found}; expected {self.expected}. {self.advice}"


@dataclass(frozen=True, slots=True)
class _Layout:
    """One way to read the lines, and how many of them it explains."""

    delimiter: str
    decimal: str
    n_columns: int
    first: int  # index of the first row of numbers
    n_numeric: int


def preview_delimited(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what can be understood of a text file from its first 64 KiB; a given separator or decimal sign is kept to.

    Raises
    ------
    FormatError
        When it is empty, not text, or holds no rows of numbers.
    FileAccessError
        When it cannot be read.
    """
    try:
        size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(_LOOKED_AT)
            n_lines_about = _lines_about(file, size)
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    text, encoding = _decoded(path, head)
    lines = text.splitlines()
    if len(head) == _LOOKED_AT and len(lines) > 1:
        lines.pop()  # cut in the middle
    layout = _best_layout(path, lines, delimiter, decimal)
    dialect, metadata, reasons = _dialect(lines, layout, encoding)
    rows = [split(line, layout.delimiter) for line in lines[layout.first : layout.first + _SHOWN_ROWS]]
    preview = Preview(
        dialect, tuple(reasons), tuple(metadata), tuple(tuple(row) for row in rows),
        n_rows_about=max(n_lines_about - layout.first, len(rows)), size_bytes=size,
    )  # fmt: skip
    return replace(preview, problems=tuple(map(str, problems_of(dialect))))


def _lines_about(file: BinaryIO, size: int) -> int:
    """Return about how many lines a file has, from looks at places spread over it."""
    n_looks = 16 if size > 16 * _LOOKED_AT else 1
    length = _LOOKED_AT // 4 if n_looks > 1 else size
    n_found = n_bytes = 0
    for look in range(n_looks):
        file.seek((size - length) * look // max(n_looks - 1, 1))
        part = file.read(length)
        n_found += part.count(b"\n")
        n_bytes += len(part)
    return round(n_found * size / max(n_bytes, 1))


def problems_of(dialect: Dialect) -> list[Problem]:
    """Return what keeps a file from being read this way."""
    found = []
    seen: dict[str, int] = {}
    for k, column in enumerate(dialect.columns, start=1):
        if column.role is Role.SKIP:
            continue
        if column.name in seen:
            what = f'the name "{column.name}" stands over columns {seen[column.name]} and {k}'
            found.append(Problem(what, "each name once", "Rename one of them."))
        seen.setdefault(column.name, k)
        if header.known_unit(column.unit) is None:
            what = f'column {k}, "{column.name}", is in "{column.unit}", which is not a known unit'
            found.append(Problem(what, "a unit such as V or mA", "Set its unit."))
    if not dialect.channels:
        found.append(Problem("no column is a channel", "at least one", "Mark a column as a channel."))
    if dialect.time_column is None and not dialect.rate_hz:
        found.append(Problem("neither a time column nor a sample rate is stated", "one of them", "Give the sample rate."))
    return found


def split(line: str, delimiter: str) -> list[str]:
    """Return the cells of one line."""
    return [cell.strip() for cell in next(csv.reader([line], delimiter=delimiter), [])]


def _decoded(path: Path, head: bytes) -> tuple[str, str]:
    if not head.strip():
        raise FormatError(path, "the file is empty", "rows of numbers", "Record or export it again.")
    control = sum(head.count(byte) for byte in range(32) if byte not in b"\t\n\r\f")
    if b"\0" in head or control > len(head) // 100:
        raise FormatError(path, "this is not a text file", "rows of numbers as text", "Choose a CSV file.")
    for cut in range(4):  # a character may be cut at the end of what was looked at
        try:
            return head[: len(head) - cut].decode("utf-8-sig"), "utf-8"
        except UnicodeDecodeError:
            continue
    return head.decode("latin-1"), "latin-1"


def _best_layout(path: Path, lines: list[str], delimiter: str | None, decimal: str | None) -> _Layout:
    candidates = [
        layout
        for separator in ((delimiter,) if delimiter else _DELIMITERS)
        for sign in ((decimal,) if decimal else (".", ","))
        if sign != separator and (layout := _layout(lines, separator, sign)) is not None
    ]
    if not candidates:
        raise FormatError(path, "there are no rows of numbers in it", "rows of numbers below a header",
                          "Check that the recording was exported with its samples.")  # fmt: skip
    return max(candidates, key=lambda found: (found.n_numeric, found.n_columns))


def _layout(lines: list[str], delimiter: str, decimal: str) -> _Layout | None:
    counts: dict[int, list[int]] = {}
    for index, line in enumerate(lines):
        cells = split(line, delimiter)
        if cells and is_numeric(cells, decimal):
            counts.setdefault(len(cells), []).append(index)
    if not counts:
        return None
    n_columns, rows = max(counts.items(), key=lambda item: (len(item[1]), item[0]))
    return _Layout(delimiter, decimal, n_columns, rows[0], len(rows))


def is_numeric(cells: list[str], decimal: str) -> bool:
    """Return whether all cells are numbers or missing, and at least one is a number."""
    numbers = [bool(_NUMBER[decimal].match(cell)) for cell in cells]
    return any(numbers) and all(is_number or cell in MISSING_CELLS for is_number, cell in zip(numbers, cells, strict=True))


def _dialect(lines: list[str], layout: _Layout, encoding: str) -> tuple[Dialect, list[tuple[str, str]], list[str]]:
    """Return the dialect, the metadata of the preamble, and the reasons for what was decided."""
    reasons = [f"{layout.n_numeric} of the first {len(lines)} lines are {layout.n_columns} numbers separated by "
               f"{_DELIMITER_NAMES[layout.delimiter]}, decimal {'point' if layout.decimal == '.' else 'comma'}"]  # fmt: skip
    names_at, units_at = _header_lines(lines, layout)
    names = split(lines[names_at], layout.delimiter) if names_at is not None else []
    units = split(lines[units_at], layout.delimiter) if units_at is not None else []
    top = min((at for at in (names_at, units_at, layout.first) if at is not None), default=0)
    metadata = [pair for line in lines[:top] if (pair := header.key_value(line))]
    if names_at is not None:
        reasons.append(f"names in line {names_at + 1}" + (f", units in line {units_at + 1}" if units_at is not None else ""))
    columns = _columns(lines, layout, names, units, reasons)
    rate = header.stated_rate(metadata, layout.decimal)
    rate_hz = None
    if all(column.role is not Role.TIME for column in columns) and rate is not None:
        rate_hz, words = rate
        reasons.append(f'{rate_hz:g} samples per second from "{words}"')
    dialect = Dialect(layout.delimiter, layout.decimal, encoding, None if names_at is None else names_at + 1,
                      None if units_at is None else units_at + 1, layout.first + 1, columns, rate_hz)  # fmt: skip
    return dialect, metadata, reasons


def _header_lines(lines: list[str], layout: _Layout) -> tuple[int | None, int | None]:
    """Return the indices of the line of names and the line of units above the numbers."""
    above = [at for at in range(layout.first - 1, max(layout.first - 4, -1), -1) if lines[at].strip()]
    fitting = []
    for at in above:
        cells = split(lines[at].lstrip("# "), layout.delimiter)
        fits = len(cells) == layout.n_columns or (abs(len(cells) - layout.n_columns) == 1 and layout.n_columns > 2)
        pair = header.key_value(lines[at])
        if not fits or is_numeric(cells, layout.decimal) or (pair and header.stated_rate([pair], layout.decimal)):
            break
        fitting.append(at)
    if not fitting:
        return None, None
    if len(fitting) > 1 and header.looks_like_units(split(lines[fitting[0]], layout.delimiter)):
        return fitting[1], fitting[0]
    return fitting[0], None


def _columns(lines: list[str], layout: _Layout, names: list[str], units: list[str], reasons: list[str]) -> tuple[Column, ...]:
    first = split(lines[layout.first], layout.delimiter)
    columns = []
    for k in range(layout.n_columns):
        name, symbol = header.split_name(names[k].lstrip("# ") if k < len(names) else "")
        if k < len(units) and units[k]:
            symbol = units[k].strip('[]()" ')
        role = Role.CHANNEL
        if not name and not first[k]:
            role = Role.SKIP
        elif k == 0 and name and header.is_index(name):
            role = Role.SKIP
            reasons.append(f'column 1, "{name}", counts the samples')
        elif k == 0 and header.is_time(name, symbol):
            role, symbol = Role.TIME, symbol or "s"
            reasons.append(f'column 1, "{name}", is the time in {symbol}')
        columns.append(Column(name or f"ch{k + 1}", symbol or "1", role))
    if not names and layout.n_columns > 1 and _rises_evenly(lines, layout):
        columns[0] = Column("t", "s", Role.TIME)
        reasons.append("column 1 rises evenly and is taken as the time in s")
    return tuple(columns)


def _rises_evenly(lines: list[str], layout: _Layout) -> bool:
    """Return whether the first column of the first rows looks like a time."""
    times = []
    for line in lines[layout.first : layout.first + 50]:
        cells = split(line, layout.delimiter)
        if len(cells) != layout.n_columns or not is_numeric(cells[:1], layout.decimal):
            return False
        times.append(float(cells[0].strip('"').replace(layout.decimal, ".")))
    steps = [b - a for a, b in pairwise(times)]
    return len(steps) > 1 and min(steps) > 0 and max(steps) < 1.5 * min(steps)


def time_factor(dialect: Dialect) -> float:
    """Return seconds per unit of the time column."""
    column = dialect.time_column
    assert column is not None
    return unit(dialect.columns[column].unit).factor
