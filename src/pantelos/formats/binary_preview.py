"""Previews of files whose numbers need no parsing: columns by name, first rows as text."""

from collections.abc import Sequence
from itertools import islice, zip_longest
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from pantelos.errors import FormatError
from pantelos.formats import header, remarks
from pantelos.formats.bases import Timed, bases_of
from pantelos.formats.dialect import Column, ColumnRole, Dialect, Preview
from pantelos.formats.heading_names import is_index, is_time, known_unit, split_name
from pantelos.formats.problems import problems_of
from pantelos.formats.time_columns import settled
from pantelos.notice import Notice
from pantelos.signal.arrays import AnyArray

SHOWN_ROWS = 30
FIRST_ROWS = 600  # looked at, to sketch the beginning


def column_of(name: str, unit: str | None = None) -> Column:
    """Return the column a name such as `u1 [V]` or `time [ms]` stands for."""
    plain, symbol = split_name(name)
    symbol = unit or (symbol if symbol and known_unit(symbol) else None)
    if is_time(plain, None) and (symbol is None or is_time(plain, symbol)):
        return Column(plain, symbol or "1", ColumnRole.TIME)  # as far as its name tells
    counts = is_index(plain) and symbol is None  # what has a unit counts nothing: n in min⁻¹ is a speed
    return Column(plain, symbol or "1", ColumnRole.SKIP if counts else ColumnRole.CHANNEL)


def binary_preview(
    path: Path,
    arrays: Sequence[Timed],
    first: Sequence[AnyArray],
    reasons: Sequence[str],
    metadata: Sequence[tuple[str, str]] = (),
    told: Sequence[Notice] = (),
) -> Preview:
    """Return the preview of a file; `first` holds the first rows of every array."""
    arrays, of_times = settled(_with_a_channel(arrays), first)
    found = bases_of(arrays)
    base, *further = found.bases
    dialect = Dialect(columns=found.columns, rate_hz=base.rate_hz, start_s=base.start_s, further=tuple(further))
    beginning = tuple(_values(values, column.scale) for values, column in zip(first, dialect.columns, strict=True))
    rows = islice(zip_longest(*(np.asarray(column[:SHOWN_ROWS]).tolist() for column in first), fillvalue=""), SHOWN_ROWS)
    shown = tuple(tuple(f"{value:.9g}" if isinstance(value, float) else str(value) for value in row) for row in rows)
    problems = tuple(map(str, problems_of(dialect)))
    counting = [c.name for c in dialect.columns if c.role is ColumnRole.SKIP and is_index(c.name)]
    said = [*told, *of_times, *found.told, *([remarks.left_out(counting, "the name of a count of samples")] if counting else [])]
    why = [f"numbers of {c.name} are multiplied by {c.scale:g}, as stated beside them" for c in dialect.columns if c.scale != 1.0]
    n_rows = max((array.n for array, column in zip(arrays, found.columns, strict=True) if column.base == 0), default=0)
    return Preview(
        dialect,
        (*reasons, *found.reasons, *why),
        tuple(metadata),
        shown,
        n_rows,
        path.stat().st_size,
        problems,
        told=tuple(said),
        textual=False,
        rate_hz=base.rate_hz,
        began=header.stated_start(metadata),
        beginning=beginning,
    )


def _with_a_channel(arrays: Sequence[Timed]) -> Sequence[Timed]:
    """Return the arrays; where names make counts of all of them, they are channels after all."""
    if any(array.column.role is ColumnRole.CHANNEL for array in arrays):
        return arrays
    return [replace(a, column=replace(a.column, role=ColumnRole.CHANNEL)) if is_index(a.column.name) else a for a in arrays]


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


def check_arrays(path: Path, lengths: Sequence[int], dialect: Dialect) -> None:
    """Refuse the same of arrays, and those that go by one time and differ in length.

    Parameters
    ----------
    lengths : numbers in each of the arrays of the file

    Raises
    ------
    FormatError
        Which names them.
    """
    check_columns(path, len(lengths), dialect)
    used = [k for k, column in enumerate(dialect.columns) if column.role in (ColumnRole.CHANNEL, ColumnRole.TIME)]
    odd = next((k for k in used if lengths[k] != lengths[used[0]]), None)
    if odd is not None:
        one, other = (f"{lengths[k]} numbers of {dialect.columns[k].name}" for k in (used[0], odd))
        raise FormatError(path, f"{one} and {other}", "as many of all that go by one time", "Leave one of them out.")
