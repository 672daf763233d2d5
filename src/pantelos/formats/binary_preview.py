"""Previews of files whose numbers need no parsing: columns by name, first rows as text."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from pantelos.errors import FormatError
from pantelos.formats import header
from pantelos.formats.dialect import Column, Dialect, Preview, Role
from pantelos.formats.problems import problems_of
from pantelos.signal.arrays import AnyArray

SHOWN_ROWS = 30
FIRST_ROWS = 600  # looked at, to sketch the beginning


def column_of(name: str, unit: str | None = None) -> Column:
    """Return the column a name such as `u1 [V]` or `time [ms]` stands for."""
    plain, symbol = header.split_name(name)
    symbol = unit or symbol
    if header.is_time(plain, symbol):
        return Column(plain, symbol or "s", Role.TIME)
    return Column(plain, symbol or "1", Role.SKIP if header.is_index(plain) else Role.CHANNEL)


def only_one_time(columns: Sequence[Column]) -> tuple[Column, ...]:
    """Return the columns with the first time kept as such and others as channels."""
    seen, kept = False, []
    for column in columns:
        is_time = column.role is Role.TIME
        kept.append(Column(column.name, column.unit) if is_time and seen else column)
        seen = seen or is_time
    return tuple(kept)


def binary_preview(
    path: Path,
    columns: Sequence[Column],
    rate_hz: float | None,
    first: Sequence[AnyArray],
    n_rows: int,
    reasons: Sequence[str],
    metadata: Sequence[tuple[str, str]] = (),
) -> Preview:
    """Return the preview of a file; `first` holds the first rows of every column."""
    start_s = header.stated_first(metadata)
    dialect = Dialect(columns=only_one_time(columns), rate_hz=rate_hz, start_s=start_s if rate_hz else 0.0)
    beginning = tuple(_values(values, column.scale) for values, column in zip(first, columns, strict=True))
    rows = zip(*(np.asarray(column[:SHOWN_ROWS]).tolist() for column in first), strict=True)
    shown = tuple(tuple(f"{value:.9g}" if isinstance(value, float) else str(value) for value in row) for row in rows)
    problems = tuple(map(str, problems_of(dialect)))
    began_ns = header.stated_start(metadata)
    return Preview(dialect, tuple(reasons), tuple(metadata), shown, n_rows, path.stat().st_size, problems, textual=False,
                   rate_hz=rate_hz, began_ns=began_ns, beginning=beginning)  # fmt: skip


def _values(first: AnyArray, scale: float) -> tuple[float, ...]:
    if np.asarray(first).dtype.kind not in "iufb":
        return ()
    with np.errstate(all="ignore"):  # numbers of a damaged file may be anything
        return tuple((np.asarray(first[:FIRST_ROWS], dtype=np.float64) * scale).tolist())


def check_columns(path: Path, n_found: int, dialect: Dialect) -> None:
    """Refuse a file that does not have the columns a dialect speaks of.

    Raises
    ------
    FormatError
        When their numbers differ.
    """
    if n_found != len(dialect.columns):
        raise FormatError(path, f"{n_found} columns", f"{len(dialect.columns)} as in the study", "Relink the right recording.")
