"""HDF5: rate, units and scale from what stands beside the numbers; mapped where they stand contiguous and unpacked."""

from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np

from pantelos.formats import beside, remarks
from pantelos.formats.array_source import array_source
from pantelos.formats.bases import Timed
from pantelos.formats.beside import number, said_of
from pantelos.formats.binary_preview import FIRST_ROWS, binary_preview, check_arrays, column_of
from pantelos.formats.dialect import Column, Dialect, Preview
from pantelos.formats.hdf5.contents import Array, Contents, Guard, contents_of
from pantelos.formats.header import stated_first
from pantelos.formats.heading_names import known_unit, unique
from pantelos.formats.storing import Source, stored
from pantelos.formats.vocabulary import NAMES, UNITS
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.recording import Recording
from pantelos.record.store import StoredColumn
from pantelos.signal.arrays import AnyArray
from pantelos.signal.sums.integrals import blocks


def _timed(found: Contents) -> tuple[list[Timed], list[Notice]]:
    """Return every array as a column, every name once: name, unit, scale and rate as the places around it say."""
    taken: set[str] = set()
    arrays, told = [], []
    for at, array in enumerate(found.arrays):
        scopes = found.scopes(at)
        symbol = said_of(at, scopes, UNITS)
        column = column_of(said_of(at, scopes, NAMES) or array.name, symbol if symbol and known_unit(symbol) else None)
        name = unique(column.name, taken)
        taken.add(name)
        if symbol and known_unit(symbol) is None:
            told.append(remarks.unknown_unit(name, symbol))
        scale = number(said_of(at, scopes, beside.SCALE), 1.0)
        start_s = number(said_of(at, scopes, beside.FIRST), stated_first(found.metadata))
        rate = beside.rate_of(at, scopes)
        arrays.append(Timed(Column(name, column.unit, column.role, scale or 1.0), array.n, array.path, rate, start_s))
    return arrays, told


def preview_hdf5(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what an HDF5 file holds.

    Raises
    ------
    FormatError
        When it is damaged or no dataset has one number per sample.
    FileAccessError
        When it cannot be read.
    """
    found = contents_of(path)
    lengths = Counter(array.n for array in found.arrays)
    served = {n: iter(next(_rows(path, [array for array in found.arrays if array.n == n], FIRST_ROWS))) for n in lengths}
    first = [next(served[array.n]) for array in found.arrays]
    reasons = [f"{count} {'dataset' if count == 1 else 'datasets'} of {n} numbers" for n, count in lengths.most_common(4)]
    arrays, told = _timed(found)
    return binary_preview(path, arrays, first, reasons, found.metadata, told)


def _rows(path: Path, arrays: Sequence[Array], n_block: int) -> Iterator[list[AnyArray]]:
    """Yield the numbers of datasets of one length, block after block."""
    import h5py

    with Guard(path), h5py.File(path, "r") as file:
        for low, high in blocks(0, arrays[0].n if arrays else 0, n_block):
            rows: dict[str, AnyArray] = {}
            for item in arrays:
                if item.path not in rows:
                    dataset = file[item.path]
                    rows[item.path] = np.asarray(dataset[:, low:high]).T if item.across else np.asarray(dataset[low:high])
            yield [_part(rows[item.path], item.part) for item in arrays]


def _part(rows: AnyArray, part: int | str | None) -> AnyArray:
    if part is None:
        return rows
    return np.asarray(rows[part] if isinstance(part, str) else rows[:, part])


def read_hdf5(path: Path, dialect: Dialect, progress: Progress) -> Recording:
    """Return the recording in an HDF5 file, numbers in their own types; contiguous datasets stay where they are.

    Raises
    ------
    FormatError
        When it is damaged.
    FileAccessError
        When it cannot be read or the store cannot be written.
    """
    return stored(path, dialect, progress, lambda part: _opened(path, dialect, part))


def _opened(path: Path, dialect: Dialect, progress: Progress) -> Source:
    found = contents_of(path)
    check_arrays(path, [array.n for array in found.arrays], dialect)
    n, at = found.arrays[dialect.channels[0][0]].n, dialect.time_column
    columns = tuple(_stored(column, found, k) for k, column in dialect.channels)
    kept = [found.arrays[k] for (k, _), column in zip(dialect.channels, columns, strict=True) if column.place is None]
    timed = [found.arrays[at]] if at is not None else []
    spacing = _spacing(path, found.arrays[at]) if at is not None else 0.0
    rows = _rows(path, [*timed, *kept], 1 << 18)
    told = preview_hdf5(path).told
    return array_source(dialect, columns, rows, n, spacing, found.metadata, told, progress)


def _spacing(path: Path, times: Array) -> float:
    """Return how finely times can be told apart where they stand."""
    if times.dtype.kind != "f":
        return 1.0
    last = max(float(np.abs(rows[0]).max()) for rows in _rows(path, [times], 1 << 20))
    return float(np.spacing(np.asarray(last, dtype=times.dtype)))


def _stored(column: Column, found: Contents, at: int) -> StoredColumn:
    item = found.arrays[at]
    plain = item.dtype.kind in "iuf" and item.dtype.itemsize <= 8
    dtype = (item.dtype.str if item.place else item.dtype.newbyteorder("=").name) if plain else "float64"
    zero = number(said_of(at, found.scopes(at), beside.ZERO), 0.0)
    return StoredColumn(column.name, column.unit, dtype, column.scale, zero, place=item.place)
