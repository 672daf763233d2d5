"""Parquet and Arrow IPC (Feather): columns of numbers, read batch by batch."""

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats.binary_preview import FIRST_ROWS, SHOWN_ROWS, binary_preview, check_columns, column_of
from pantelos.formats.dialect import Column, Dialect, Preview, Role, time_factor
from pantelos.formats.header import stated_rate
from pantelos.formats.storing import Source, blocks_of, stored
from pantelos.progress import Progress
from pantelos.record.recording import Recording
from pantelos.record.store import StoredColumn
from pantelos.signal.arrays import AnyArray, FloatArray

if TYPE_CHECKING:
    import pyarrow as pa

_ROWS = 1 << 16


class _Table:
    """An opened file: its schema, its number of rows, its batches."""

    def __init__(self, path: Path) -> None:
        import pyarrow as pa  # here, for the sake of a quick start
        import pyarrow.parquet as pq

        try:
            with path.open("rb") as file:
                parquet = file.read(4) == b"PAR1"
            self._file: Any = pq.ParquetFile(path) if parquet else pa.ipc.open_file(pa.memory_map(str(path)))
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
        self.began_ns: int | None = None

    def __call__(self, column: Any) -> FloatArray:
        import pyarrow as pa

        stamped = pa.types.is_timestamp(column.type)
        if not stamped and not pa.types.is_duration(column.type):
            return np.asarray(_numbers(column), dtype=np.float64) * time_factor(self._dialect)
        kind = pa.timestamp("ns") if stamped else pa.duration("ns")
        nanoseconds = np.asarray(column.cast(kind).cast(pa.int64()).to_numpy(zero_copy_only=False))
        if stamped and self.began_ns is None and len(nanoseconds):
            self.began_ns = int(np.nan_to_num(nanoseconds[0]))
        return np.asarray((nanoseconds - (self.began_ns or 0)) / 1e9)


def _usable(type_: "pa.DataType") -> bool:
    import pyarrow as pa

    return bool(pa.types.is_integer(type_) or pa.types.is_floating(type_) or pa.types.is_boolean(type_)
                or pa.types.is_timestamp(type_) or pa.types.is_duration(type_))  # fmt: skip


def preview_columnar(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what a Parquet or Arrow file holds; its metadata may state a sample rate.

    Raises
    ------
    FormatError
        When it is damaged or holds no numbers.
    FileAccessError
        When it cannot be read.
    """
    import pyarrow as pa

    table = _Table(path)
    columns = []
    for entry in table.schema:
        stamped = pa.types.is_timestamp(entry.type) or pa.types.is_duration(entry.type)
        found = Column(entry.name, "s", Role.TIME) if stamped else column_of(entry.name)
        columns.append(found if _usable(entry.type) else Column(entry.name, "1", Role.SKIP))
    if all(column.role is Role.SKIP for column in columns):
        raise FormatError(path, "no column holds numbers", "at least one", "Export the samples.")
    metadata = [(key.decode(), value.decode(errors="replace")) for key, value in (table.schema.metadata or {}).items()
                if len(value) < 200]  # fmt: skip
    rate = stated_rate(metadata, ".") if all(c.role is not Role.TIME for c in columns) else None
    first = next(iter(table.batches()), None)
    shown = [column.slice(0, SHOWN_ROWS).to_pylist() for column in first.columns] if first is not None else [[] for _ in columns]
    reasons = [f"a table of {len(columns)} columns and {table.n_rows} rows"]
    reasons += [f'{rate[0]:g} samples per second from "{rate[1]}"'] if rate else []
    cells = [np.array([str(value) for value in column], dtype=object) for column in shown]
    values = [_numbers(column.slice(0, FIRST_ROWS)) for column in first.columns] if first is not None else cells
    cells = [v if np.asarray(v).dtype.kind in "iufb" else c for v, c in zip(values, cells, strict=True)]
    return binary_preview(path, columns, rate[0] if rate else None, cells, table.n_rows, reasons, metadata)


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
        StoredColumn(column.name, column.unit, _kept_as(table.schema.field(k).type), column.scale)
        for k, column in dialect.channels
    )
    served = blocks_of(rows(), seconds if at is not None else None, table.n_rows, progress)
    return Source(columns, served, preview_columnar(path).metadata, 1e-9 if at is not None else 0.0,
                  start_s=dialect.start_s, began_ns=lambda: seconds.began_ns)  # fmt: skip


def _kept_as(type_: "pa.DataType") -> str:
    """Return the type numbers are stored in: their own where it cannot be missing, else float64."""
    return "float32" if str(type_) == "float" else "float64"
