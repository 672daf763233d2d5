"""HDF5: datasets as channels; rate, units and scale from attributes; mapped where they stand contiguous and unpacked."""

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats.binary_preview import FIRST_ROWS, binary_preview, check_columns, column_of
from pantelos.formats.dialect import Column, Dialect, Preview, Role, time_factor
from pantelos.formats.header import known_unit, stated_rate, stated_start
from pantelos.formats.storing import Source, blocks_of, stored
from pantelos.progress import Progress
from pantelos.record.recording import Recording
from pantelos.record.store import Place, StoredColumn
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.integrals import blocks

if TYPE_CHECKING:
    import h5py

_MOST_DATASETS = 4096
_DEEPEST = 32
_MOST_UNPACKED = 2000  # times what stands in the file: more was never written
_UNIT_KEYS = ("units", "unit")
_SCALE_KEYS = ("scale", "scale_factor", "gain")
_ZERO_KEYS = ("offset", "add_offset", "zero")


@dataclass(frozen=True, slots=True)
class _Set:
    """One channel's numbers: a dataset, a column of one, or a field of one."""

    name: str
    path: str  # of the dataset in the file
    part: int | str | None  # column or field
    across: bool  # channels lie one below the other
    n: int
    dtype: np.dtype[Any]
    place: Place | None
    attributes: dict[str, str]  # its own, then those of the groups around it


@dataclass(frozen=True, slots=True)
class _Contents:
    sets: list[_Set]  # of the same length
    left_out: list[str]
    attributes: dict[str, str]  # of the whole file


class _Guard:
    """Turns what the library raises on a damaged file into one sentence."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: type[BaseException] | None, cause: BaseException | None, trace: object) -> None:
        if isinstance(cause, OSError) and cause.errno is not None and not str(cause).startswith("Unable to synchronously"):
            raise access_error(self._path, "read", cause) from cause
        if isinstance(cause, OSError | RuntimeError | KeyError | ValueError | TypeError | MemoryError | OverflowError):
            raise FormatError(self._path, "the datasets in it cannot be read", "a whole HDF5 file",
                              "Write or copy it again.") from cause  # fmt: skip


def _contents(path: Path) -> _Contents:
    import h5py  # here, for the sake of a quick start

    try:
        path.open("rb").close()
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    with _Guard(path), h5py.File(path, "r") as file:
        found = [one for name, item in _datasets(file, "", 0) for one in _sets(name, item)][:_MOST_DATASETS]
        attributes = _texts(file)
    if not found:
        raise FormatError(path, "no dataset in it has one number per sample", "at least one", "Save the samples.")
    n = Counter({length: sum(s.n == length for s in found) * length for length in {s.n for s in found}}).most_common(1)[0][0]
    kept = [s for s in found if s.n == n]
    size = path.stat().st_size
    if any(s.place is not None and s.place.offset + s.place.stride * (s.n - 1) + s.dtype.itemsize > size for s in kept):
        raise FormatError(path, "a dataset reaches beyond the end of the file", "a whole file", "Copy it again.")
    return _Contents(kept, [s.name for s in found if s.n != n], attributes)


def _datasets(group: "h5py.Group", inside: str, depth: int) -> Iterator[tuple[str, "h5py.Dataset"]]:
    """Yield every dataset with its path, in the order the file keeps."""
    import h5py

    for name in group:
        link = group.get(name, getlink=True)
        if not isinstance(link, h5py.HardLink) or depth > _DEEPEST:  # no other files, no rings
            continue
        item = group[name]
        if isinstance(item, h5py.Dataset):
            yield f"{inside}{name}", item
        elif isinstance(item, h5py.Group):
            yield from _datasets(item, f"{inside}{name}/", depth + 1)


def _texts(item: Any) -> dict[str, str]:
    """Return the attributes that are single values, as text."""
    found = {}
    for key, value in item.attrs.items():
        if np.ndim(value) == 0 or np.size(value) == 1:
            single = np.ravel(value)[0] if np.ndim(value) else value
            found[str(key)] = single.decode("utf-8", errors="replace") if isinstance(single, bytes) else str(single)
    return found


def _sets(name: str, item: "h5py.Dataset") -> list[_Set]:
    """Return the channels in a dataset: fields of a structured one, rows or columns of a table, or itself."""
    dtype = item.dtype
    attributes = dict(_texts(item))
    parent = item.parent
    while True:
        attributes = {**_texts(parent), **attributes}
        if parent.name == "/":
            break
        parent = parent.parent
    plain = name.rpartition("/")[2]
    offset = item.id.get_offset() if item.chunks is None and not item.compression else None
    n = int(item.shape[0]) if item.ndim else 0
    if item.ndim == 1 and dtype.names and dtype.fields:
        return [_set(field, name, field, False, n, dtype.fields[field][0],
                     Place(0, offset + dtype.fields[field][1], dtype.itemsize) if offset is not None else None, attributes)
                for field in dtype.names if dtype.fields[field][0].kind in "iuf" and n > 1]  # fmt: skip
    if dtype.kind not in "iufb" or n < 1 or item.ndim not in (1, 2) or item.is_virtual or item.external:
        return []
    if item.nbytes > _MOST_UNPACKED * max(item.id.get_storage_size(), 512):
        raise ValueError(f"{name} promises {item.nbytes} bytes that were never written")
    if item.ndim == 1:
        place = Place(0, offset, dtype.itemsize) if offset is not None else None
        return [_set(plain, name, None, False, n, dtype, place, attributes)] if n > 1 else []
    rows, columns = (int(length) for length in item.shape)
    across = columns > rows
    n_channels, length = (rows, columns) if across else (columns, rows)
    step, along = (columns * dtype.itemsize, dtype.itemsize) if across else (dtype.itemsize, columns * dtype.itemsize)
    return [_set(f"{plain}{k + 1}", name, k, across, length, dtype,
                 Place(0, offset + k * step, along) if offset is not None else None, attributes)
            for k in range(min(n_channels, _MOST_DATASETS))] if length > 1 else []  # fmt: skip


def _set(
    name: str,
    path: str,
    part: int | str | None,
    across: bool,
    n: int,
    dtype: np.dtype[Any],
    place: Place | None,
    attributes: dict[str, str],
) -> _Set:
    mappable = dtype.kind in "iuf" and dtype.itemsize <= 8
    return _Set(name, path, part, across, n, dtype, place if mappable else None, attributes)


def _stated(attributes: dict[str, str], keys: tuple[str, ...]) -> str | None:
    lowered = {key.lower(): value for key, value in attributes.items()}
    return next((lowered[key] for key in keys if key in lowered), None)


def _number(text: str | None, without: float) -> float:
    try:
        return float(text) if text is not None else without
    except ValueError:
        return without


def _columns(found: _Contents) -> list[Column]:
    """Return a column per dataset: unit and scale as its attributes say, every name once."""
    columns: list[Column] = []
    for item in found.sets:
        symbol = _stated(item.attributes, _UNIT_KEYS)
        column = column_of(item.name, symbol if symbol is not None and known_unit(symbol) else None)
        taken = {c.name for c in columns}
        name = next(n for k in range(1, len(columns) + 2) if (n := column.name if k == 1 else f"{column.name}_{k}") not in taken)
        columns.append(Column(name, column.unit, column.role, _number(_stated(item.attributes, _SCALE_KEYS), 1.0)))
    return columns


def _rate(found: _Contents) -> tuple[float, str] | None:
    """Return the rate that the attributes of a dataset, or of the groups around it, state."""
    return next((rate for item in found.sets if (rate := stated_rate(list(item.attributes.items()), "."))), None)


def preview_hdf5(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what an HDF5 file holds.

    Raises
    ------
    FormatError
        When it is damaged or no dataset has one number per sample.
    FileAccessError
        When it cannot be read.
    """
    found = _contents(path)
    columns = _columns(found)
    rate = _rate(found) if all(c.role is not Role.TIME for c in columns) else None
    reasons = [f"{len(columns)} datasets of {found.sets[0].n} numbers"]
    reasons += [f'{rate[0]:g} samples per second from "{rate[1]}"'] if rate else []
    reasons += [f"left out, as of another length: {', '.join(found.left_out[:8])}"] if found.left_out else []
    reasons += [f"numbers of {c.name} are multiplied by {c.scale:g}, as its attribute says" for c in columns if c.scale != 1.0]
    first = next(_rows(path, found.sets, FIRST_ROWS))
    metadata = list(found.attributes.items())
    return binary_preview(path, columns, rate[0] if rate else None, first, found.sets[0].n, reasons, metadata)


def _rows(path: Path, sets: list[_Set], n_block: int) -> Iterator[list[AnyArray]]:
    """Yield the numbers of datasets, block after block."""
    import h5py

    with _Guard(path), h5py.File(path, "r") as file:
        for low, high in blocks(0, sets[0].n if sets else 0, n_block):
            rows: dict[str, AnyArray] = {}
            for item in sets:
                if item.path not in rows:
                    dataset = file[item.path]
                    rows[item.path] = np.asarray(dataset[:, low:high]).T if item.across else np.asarray(dataset[low:high])
            yield [_part(rows[item.path], item.part) for item in sets]


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
    found = _contents(path)
    check_columns(path, len(found.sets), dialect)
    n, at = found.sets[0].n, dialect.time_column
    columns = tuple(_stored(column, found.sets[k]) for k, column in dialect.channels)
    kept = [found.sets[k] for (k, _), column in zip(dialect.channels, columns, strict=True) if column.place is None]
    timed = [found.sets[at]] if at is not None else []

    def seconds(times: AnyArray) -> FloatArray:
        return np.asarray(times, dtype=np.float64) * time_factor(dialect)

    served = blocks_of(_rows(path, [*timed, *kept], 1 << 18), seconds if timed else None, n, progress)
    resolution = time_factor(dialect) * _spacing(path, found.sets[at]) if at is not None else 0.0
    began = stated_start(list(found.attributes.items()))
    return Source(columns, served if kept or timed else iter(()), tuple(found.attributes.items()), resolution, n,
                  start_s=dialect.start_s, began_ns=lambda: began)  # fmt: skip


def _spacing(path: Path, times: _Set) -> float:
    """Return how finely times can be told apart where they stand."""
    if times.dtype.kind != "f":
        return 1.0
    last = max(float(np.abs(rows[0]).max()) for rows in _rows(path, [times], 1 << 20))
    return float(np.spacing(np.asarray(last, dtype=times.dtype)))


def _stored(column: Column, item: _Set) -> StoredColumn:
    plain = item.dtype.kind in "iuf" and item.dtype.itemsize <= 8
    dtype = (item.dtype.str if item.place else item.dtype.newbyteorder("=").name) if plain else "float64"
    zero = _number(_stated(item.attributes, _ZERO_KEYS), 0.0)
    return StoredColumn(column.name, column.unit, dtype, column.scale, zero, place=item.place)
