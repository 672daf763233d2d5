"""NPY and NPZ: arrays as channels, by name where they have one."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats.binary_preview import SHOWN_ROWS, binary_preview, column_of
from pantelos.formats.detection import time_factor
from pantelos.formats.dialect import Column, Dialect, Preview, Role
from pantelos.formats.format import Format
from pantelos.formats.header import stated_rate
from pantelos.formats.storing import Block, Source, stored
from pantelos.progress import Progress
from pantelos.record.record import Record
from pantelos.record.store import StoredColumn
from pantelos.signal.arrays import AnyArray
from pantelos.signal.integrals import blocks


@dataclass(frozen=True, eq=False, slots=True)
class _Contents:
    """The arrays of a file that have one number per sample, by name, and single numbers beside them."""

    arrays: list[tuple[str, AnyArray]]
    numbers: list[tuple[str, str]]


def _contents(path: Path) -> _Contents:
    try:
        named = _named(path)
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    except Exception as cause:  # NumPy's reader lets through whatever Python's tokenizer and zip files raise
        raise FormatError(path, "the arrays cannot be read", "an NPY or NPZ file of numbers", "Save it again.") from cause
    flat = [pair for name, array in named for pair in _columns(name, array)]
    numeric = [(name, array) for name, array in flat if array.dtype.kind in "iufb" and array.ndim == 1]
    n = max((len(array) for _, array in numeric), default=0)
    arrays = [(name, array) for name, array in numeric if len(array) == n and n > 1]
    if not arrays:
        raise FormatError(path, "there is no array with one number per sample in it", "at least one", "Save the samples.")
    numbers = [(name, str(array[()])) for name, array in named if array.ndim == 0]
    return _Contents(arrays, numbers)


def _named(path: Path) -> list[tuple[str, AnyArray]]:
    """Return the arrays of an NPZ file by name, or the mapped one of an NPY file under no name."""
    with path.open("rb") as file:
        if file.read(2) == b"PK":
            file.seek(0)
            with np.load(file, allow_pickle=False) as loaded:
                return [(name, loaded[name]) for name in loaded.files]
    return [("", np.load(path, mmap_mode="r", allow_pickle=False))]


def _columns(name: str, array: AnyArray) -> list[tuple[str, AnyArray]]:
    """Return the columns of an array: fields of a structured one, rows or columns of a table, or itself."""
    if array.dtype.names:
        return [(field, array[field]) for field in array.dtype.names]
    if array.ndim == 2:
        table = array if array.shape[0] >= array.shape[1] else array.T
        return [(f"{name or 'ch'}{k + 1}", table[:, k]) for k in range(table.shape[1])]
    return [(name or "ch1", array)]


def preview_numpy(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what an NPY or NPZ file holds; a single number named like a rate or interval gives the sample rate.

    Raises
    ------
    FormatError
        When it cannot be read or holds no samples.
    FileAccessError
        When it cannot be opened.
    """
    found = _contents(path)
    columns = [column_of(name) for name, _ in found.arrays]
    rate = stated_rate(found.numbers, ".") if all(c.role is not Role.TIME for c in columns) else None
    n = len(found.arrays[0][1])
    reasons = [f"{len(columns)} arrays of {n} numbers"] + ([f'{rate[0]:g} samples per second from "{rate[1]}"'] if rate else [])
    first = [array[:SHOWN_ROWS] for _, array in found.arrays]
    return binary_preview(path, columns, rate[0] if rate else None, first, n, reasons, found.numbers)


def read_numpy(path: Path, dialect: Dialect, progress: Progress) -> Record:
    """Return the record in an NPY or NPZ file, numbers in their own types.

    Raises
    ------
    FormatError
        When it cannot be read, or its times are not even.
    FileAccessError
        When it cannot be opened or the store cannot be written.
    """
    return stored(path, dialect, lambda: _opened(path, dialect, progress))


def _opened(path: Path, dialect: Dialect, progress: Progress) -> Source:
    found = _contents(path)
    if len(found.arrays) != len(dialect.columns):
        raise FormatError(
            path, f"{len(found.arrays)} arrays", f"{len(dialect.columns)} as in the study", "Relink the right file."
        )
    n, at = len(found.arrays[0][1]), dialect.time_column

    def served() -> Iterator[Block]:
        for low, high in blocks(0, n):
            times = np.asarray(found.arrays[at][1][low:high], dtype=np.float64) * time_factor(dialect) if at is not None else None
            yield Block(low, [found.arrays[k][1][low:high] for k, _ in dialect.channels], times)
            progress.at(high / n)

    columns = tuple(_stored(column, found.arrays[k][1]) for k, column in dialect.channels)
    resolution = _step_of(found.arrays[at][1]) * time_factor(dialect) if at is not None else 0.0
    return Source(columns, served(), tuple(found.numbers), resolution)


def _stored(column: Column, array: AnyArray) -> StoredColumn:
    plain = array.dtype.kind in "iuf" and array.dtype.itemsize <= 8
    return StoredColumn(column.name, column.unit, array.dtype.newbyteorder("=").name if plain else "float64")


def _step_of(times: AnyArray) -> float:
    """Return how finely times can be told apart where they stand."""
    if times.dtype.kind != "f":
        return 1.0
    return float(np.spacing(np.abs(times[[0, -1]]).max().astype(times.dtype)))


FORMAT = Format(
    id="numpy",
    title="NPY, NPZ",
    suffixes=(".npy", ".npz"),
    recognise=lambda head: head[:6] == b"\x93NUMPY" or (head[:4] == b"PK\x03\x04" and b".npy" in head),
    preview=preview_numpy,
    read=read_numpy,
)
