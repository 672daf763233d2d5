"""Which way of splitting lines and reading numbers explains most of a text."""

from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import FormatError
from pantelos.formats.text.cells import Style, is_missing, is_time_of_day

DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar", " ": "blanks"}
_GROUPS = {".": (",", "'", " ", "\u00a0", "\u202f"), ",": (".", "'", " ", "\u00a0", "\u202f")}
_MOST_LINES, _FEWEST_LINES, _MOST_LETTERS = 400, 60, 1 << 18
_MOST_COLUMNS = 100_000
_FULL = 0.8  # of the rows
_NUMBERS = 0.1  # of the rows: a column that holds so many numbers is one of numbers, whatever words stand between


class Layout(msgspec.Struct, frozen=True):
    """One way to read the lines, and how many of them it explains."""

    style: Style
    n_columns: int
    first: int  # index of the first row of numbers
    n_rows: int
    words: frozenset[int] = frozenset()  # columns that hold words

    def fits(self, line: str) -> bool:
        """Return whether a line is a row of numbers; some may be missing, or words in their place."""
        cells = self.style.split(line)
        return len(cells) == self.n_columns and _is_row(self.style, cells, self.words)


def best_layout(path: Path, lines: list[str], delimiter: str | None, decimal: str | None) -> Layout:
    """Return the layout that explains most lines, the plainest of those; a given separator or decimal sign is kept to.

    Raises
    ------
    FormatError
        When there are no rows of numbers.
    """
    looked_at = lines[:_MOST_LINES]
    for number, line in enumerate(looked_at, start=1):
        if max(map(line.count, DELIMITERS)) > _MOST_COLUMNS:
            raise FormatError(
                path,
                f"line {number} has more than {_MOST_COLUMNS} columns",
                "rows of fewer numbers",
                "Check that lines end where rows do.",
            )
    pairs = [
        (separator, sign)
        for separator in ((delimiter,) if delimiter else DELIMITERS)
        for sign in ((decimal,) if decimal else (".", ","))
        if sign != separator
    ]
    ends = np.cumsum([len(line) for line in looked_at])
    few = looked_at[: max(int(np.searchsorted(ends, _MOST_LETTERS)), _FEWEST_LINES)]  # of wide rows fewer tell as much
    best = _best(few, pairs) or (_best(looked_at, pairs) if len(few) < len(looked_at) else None)
    if best is None:
        raise FormatError(
            path,
            "there are no rows of numbers in it",
            "rows of numbers below a header",
            "Check that the recording was exported with its samples.",
        )
    return best


def _best(lines: list[str], pairs: list[tuple[str, str]]) -> Layout | None:
    """Return the layout that explains most lines, by some separators and decimal signs; None where none explains any."""
    plain = [Style(*pair) for pair in pairs]
    # A group sign that is the separator too stands in cells in quotes only.
    written = [
        Style(separator, sign, group, False)
        for separator, sign in pairs
        for group in _GROUPS[sign]
        if group != separator or separator != " "
    ]
    written += [Style(separator, sign, "", True) for separator, sign in pairs if separator != " "]
    best: Layout | None = None
    for styles, words in ((plain, False), (written, False), (plain, True)):
        found = [layout for style in styles if (layout := _layout(lines, style, words)) is not None]
        best = max([*([best] if best else []), *found], key=_rank, default=None)
        if best is not None and best.n_rows >= 0.8 * _filled(lines[best.first :]):
            return best
    return best


def _rank(layout: Layout) -> tuple[int, bool, bool, int]:
    return layout.n_rows, layout.style.plain, layout.style.delimiter != " ", layout.n_columns


def _filled(lines: list[str]) -> int:
    return sum(bool(line.strip()) for line in lines)


def _layout(lines: list[str], style: Style, words: bool) -> Layout | None:
    """Return the layout a style leads to; with `words`, rows may hold some."""
    rows: dict[int, list[tuple[int, list[str]]]] = {}
    for index, line in enumerate(lines):
        cells = style.split(line)
        if cells and (style.is_data(cells) if not words else len(cells) > 1 and any(map(style.is_number, cells))):
            rows.setdefault(len(cells), []).append((index, cells))
    if not rows:
        return None
    n_columns, fitting = max(rows.items(), key=lambda item: (len(item[1]), item[0]))
    worded: frozenset[int] = frozenset()
    if words:
        last = [cells for _, cells in fitting[-20:]]
        worded = frozenset(
            k for k in range(n_columns) if sum(_understood(style, cells[k]) for cells in last) < _NUMBERS * len(last)
        )
        fitting = [(index, cells) for index, cells in fitting if _is_row(style, cells, worded)]
        if len(worded) == n_columns or not fitting:
            return None
    timed = sum(not is_missing(cells[0]) for _, cells in fitting) > _FULL * len(fitting)
    while timed and len(fitting) > 1 and is_missing(fitting[0][1][0]):  # ranges, say, between names and numbers
        fitting = fitting[1:]
    first = fitting[0][0]
    while first:  # rows that begin like the others but hold a word stand above the first without
        cells = style.split(lines[first - 1])
        if (
            len(cells) != n_columns
            or not _understood(style, cells[0])
            or (timed and is_missing(cells[0]))
            or not _is_row(style, cells, worded)
        ):
            break
        first -= 1
    return Layout(style, n_columns, first, len(fitting), worded)


def _is_row(style: Style, cells: list[str], worded: frozenset[int]) -> bool:
    """Return whether cells are a row: at least half of those that are given are understood, and one is a number or a time."""
    given = [cell for k, cell in enumerate(cells) if k not in worded and not is_missing(cell)]
    n_known = sum(style.is_number(cell) or is_time_of_day(cell) for cell in given)
    return 0 < n_known and 2 * n_known >= len(given)


def _understood(style: Style, cell: str) -> bool:
    return style.is_number(cell) or is_missing(cell) or is_time_of_day(cell)
