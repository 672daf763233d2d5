"""Parquet and Arrow IPC (Feather): columns of numbers, read batch by batch."""

import contextlib
import json
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats import beside, dates, remarks
from pantelos.formats.bases import Timed
from pantelos.formats.beside import LONGEST_LIST, Beside, Scopes, number, said_of
from pantelos.formats.binary_preview import FIRST_ROWS, SHOWN_ROWS, binary_preview, check_columns, column_of
from pantelos.formats.dialect import Column, ColumnRole, Dialect, Preview, time_factor
from pantelos.formats.header import stated_first, stated_start
from pantelos.formats.heading_names import known_unit, unique
from pantelos.formats.storing import Source, blocks_of, stored
from pantelos.formats.vocabulary import NAMES, UNITS
from pantelos.notation import in_letters
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.recording import Recording
from pantelos.record.store import StoredColumn
from pantelos.record.timing import Began
from pantelos.signal.arrays import AnyArray, FloatArray

if TYPE_CHECKING:
    import pyarrow as pa

_ROWS = 1 << 16
_LONGEST_SHOWN = 200  # letters of metadata


class _Table:
    """An opened file: its schema, its number of rows, its batches."""

    def __init__(self, path: Path) -> None:
        import pyarrow as pa  # here, for the sake of a quick start
        import pyarrow.parquet as pq

        try:
            with path.open("rb") as file:
                parquet = file.read(4) == b"PAR1"
            self._file: Any = pq.ParquetFile(path) if parquet else pa.ipc.open_file(pa.OSFile(str(path)))
            self.schema: pa.Schema = self._file.schema_arrow if parquet else self._file.schema
            self._parquet = parquet
            self.n_rows = self._file.metadata.num_rows if parquet else self._counted()
        except (pa.ArrowException, OSError) as cause:
            if isinstance(cause, OSError) and cause.errno is not None:
                raise access_error(path, "read", cause) from cause
            raise _unreadable(path) from cause
        self._path, self._failure = path, pa.ArrowException

    def _counted(self) -> int:
        return sum(self._file.get_batch(k).num_rows for k in range(self._file.num_record_batches))

    def has_nulls(self, k: int) -> bool:
        """Return whether a column has missing values, or may have some."""
        if not self._parquet:
            return any(self._file.get_batch(at).column(k).null_count for at in range(self._file.num_record_batches))
        groups = self._file.metadata
        stated = [groups.row_group(at).column(k).statistics for at in range(groups.num_row_groups)]
        return any(found is None or not found.has_null_count or found.null_count for found in stated)

    def batches(self) -> "Iterator[pa.RecordBatch]":
        """Yield the rows in batches."""
        try:
            if self._parquet:
                yield from self._file.iter_batches(batch_size=_ROWS)
            else:
                yield from (self._file.get_batch(k) for k in range(self._file.num_record_batches))
        except (self._failure, OSError) as cause:
            raise _unreadable(self._path) from cause


def _unreadable(path: Path) -> FormatError:
    return FormatError(path, "the table in it cannot be read", "a whole Parquet or Arrow file", "Write or copy it again.")


def _numbers(column: Any) -> AnyArray:
    """Return a column as numbers, missing ones as NaN."""
    return np.asarray(column.to_numpy(zero_copy_only=False))


class _Times:
    """Times of one batch after the other, s; date and time as seconds from the first one, which is kept."""

    def __init__(self, dialect: Dialect) -> None:
        self._dialect = dialect
        self.began: Began | None = None
        self._first_ns = 0

    def __call__(self, column: Any) -> FloatArray:
        import pyarrow as pa

        stamped = pa.types.is_timestamp(column.type)
        if not stamped and not pa.types.is_duration(column.type):
            return np.asarray(_numbers(column), dtype=np.float64) * time_factor(self._dialect)
        kind = pa.timestamp("ns") if stamped else pa.duration("ns")
        nanoseconds = np.asarray(column.cast(kind).cast(pa.int64()).to_numpy(zero_copy_only=False))
        if stamped and self.began is None and len(nanoseconds):
            self._first_ns = int(np.nan_to_num(nanoseconds[0]))
            self.began = _began(self._first_ns, column.type.tz)
        return np.asarray((nanoseconds - self._first_ns) / 1e9)


def _began(ns: int, zone: str | None) -> Began:
    """Return an instant of a table: by UTC where its column states a zone, else by some clock."""
    if not zone:
        return Began(ns)
    try:
        local = datetime.fromtimestamp(ns // 10**9, ZoneInfo(zone) if "/" in zone or zone.isalpha() else UTC)
        ahead = dates.zone_s(zone) if zone[0] in "+-" else None
        offset = ahead if ahead is not None else int((local.utcoffset() or timedelta()).total_seconds())
    except (ValueError, KeyError, OSError):
        offset = 0
    return Began(ns + offset * 10**9, offset)


def _usable(type_: "pa.DataType") -> bool:
    import pyarrow as pa

    return bool(
        pa.types.is_integer(type_)
        or pa.types.is_floating(type_)
        or pa.types.is_boolean(type_)
        or pa.types.is_timestamp(type_)
        or pa.types.is_duration(type_)
    )


def preview_columnar(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what a Parquet or Arrow file holds; its metadata may state a sample rate.

    Raises
    ------
    FormatError
        When it is damaged or holds no numbers.
    FileAccessError
        When it cannot be read.
    """
    table = _Table(path)
    arrays, metadata, told = _described(table)
    if all(array.column.role is ColumnRole.SKIP for array in arrays):
        raise FormatError(path, "no column holds numbers", "at least one", "Export the samples.")
    first = next(iter(table.batches()), None)
    reasons = [f"a table of {len(arrays)} columns and {table.n_rows} rows"]
    cells = [_shown(column) for column in first.columns] if first is not None else [np.zeros(0) for _ in arrays]
    return binary_preview(path, arrays, cells, reasons, metadata, told)


def _described(table: _Table) -> tuple[list[Timed], list[tuple[str, str]], list[Notice]]:
    """Return the columns of a table as its schema describes them, its metadata, and what is to be said."""
    import pyarrow as pa

    values = _texts(table.schema.metadata)
    pairs = list(values.items())
    about = Beside({key: text for key, text in values.items() if len(text) < LONGEST_LIST}, _lists(values))
    usable = [k for k, entry in enumerate(table.schema) if _usable(entry.type)]
    scopes: Scopes = [(about, usable), (about, range(len(table.schema)))]
    start_s = stated_first(pairs)
    arrays: list[Timed] = []
    unusable = []
    for k, entry in enumerate(table.schema):
        own = Beside(_texts(entry.metadata))
        around: Scopes = [(own, (k,)), *scopes]
        symbol = said_of(k, around, UNITS)
        stamped = pa.types.is_timestamp(entry.type) or pa.types.is_duration(entry.type)
        name = said_of(k, [(own, (k,))], NAMES) or entry.name
        column = (
            Column(name, "s", ColumnRole.TIME) if stamped else column_of(name, symbol if symbol and known_unit(symbol) else None)
        )
        if k not in usable:
            column = Column(entry.name, "1", ColumnRole.SKIP)
            unusable.append(entry.name)
        unique_name = unique(column.name, {array.column.name for array in arrays})
        scale = number(said_of(k, around, beside.SCALE), 1.0) or 1.0
        rate = beside.rate_of(k, around)
        arrays.append(Timed(Column(unique_name, column.unit, column.role, scale), table.n_rows, "", rate, start_s))
    told = [remarks.left_out(unusable, "no numbers in them")] if unusable else []
    return arrays, [pair for pair in pairs if len(pair[1]) < _LONGEST_SHOWN], told


def _texts(metadata: "dict[bytes, bytes] | None") -> dict[str, str]:
    return {key.decode(errors="replace"): value.decode(errors="replace") for key, value in (metadata or {}).items()}


def _lists(values: dict[str, str]) -> dict[str, tuple[str, ...]]:
    """Return the values that are lists in JSON."""
    found = {}
    for key, text in values.items():
        if text.startswith("[") and len(text) < LONGEST_LIST:
            with contextlib.suppress(ValueError):
                found[key] = tuple(in_letters(str(one)) for one in json.loads(text))
    return found


def _shown(column: Any) -> AnyArray:
    """Return the first rows of a column, numbers where it holds such, else texts."""
    import pyarrow as pa

    if pa.types.is_integer(column.type) or pa.types.is_floating(column.type) or pa.types.is_boolean(column.type):
        return _numbers(column.slice(0, FIRST_ROWS))
    part = column.slice(0, SHOWN_ROWS)
    with contextlib.suppress(pa.ArrowException):
        part = part.cast(pa.string())
    try:
        return np.array([str(value) for value in part.to_pylist()], dtype=object)
    except (ValueError, TypeError, OverflowError):
        return np.array(["?"] * len(part), dtype=object)


def read_columnar(path: Path, dialect: Dialect, progress: Progress) -> Recording:
    """Return the recording in a Parquet or Arrow file, numbers in their own types.

    Raises
    ------
    FormatError
        When it is damaged.
    FileAccessError
        When it cannot be read or the store cannot be written.
    """
    return stored(path, dialect, progress, lambda part: _opened(path, dialect, part))


def _opened(path: Path, dialect: Dialect, progress: Progress) -> Source:
    table = _Table(path)
    check_columns(path, len(table.schema), dialect)
    at, seconds = dialect.time_column, _Times(dialect)

    def rows() -> Iterator[list[Any]]:
        for batch in table.batches():
            timed = [batch.column(at)] if at is not None else []
            yield [*timed, *(_numbers(batch.column(k)) for k, _ in dialect.channels)]

    columns = tuple(
        StoredColumn(column.name, column.unit, _kept_as(table.schema.field(k).type, table.has_nulls(k)), column.scale)
        for k, column in dialect.channels
    )
    served = blocks_of(rows(), seconds if at is not None else None, table.n_rows, progress)
    _, metadata, _ = _described(table)
    told = preview_columnar(path).told
    stated = stated_start(metadata)
    return Source(
        columns,
        served,
        tuple(metadata),
        1e-9 if at is not None else 0.0,
        start_s=dialect.start_s,
        began=lambda: seconds.began or stated,
        told=lambda: told,
    )


def _kept_as(type_: "pa.DataType", has_nulls: bool) -> str:
    """Return the type numbers are stored in: their own, or float64 where whole numbers may be missing."""
    import pyarrow as pa

    if pa.types.is_floating(type_):
        return "float32" if str(type_) == "float" else "float64"
    if has_nulls or not (pa.types.is_integer(type_) or pa.types.is_boolean(type_)):
        return "float64"
    return "uint8" if pa.types.is_boolean(type_) else str(type_)
