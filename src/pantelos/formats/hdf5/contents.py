"""What an HDF5 file holds: datasets as channels, and what attributes and small datasets beside them say."""

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats.beside import LONGEST_LIST, Beside, Scopes
from pantelos.formats.hdf5.probe import check_readable
from pantelos.notation import in_letters
from pantelos.record.store import StoredPlace

if TYPE_CHECKING:
    import h5py

MOST_DATASETS = 4096
_DEEPEST = 32
_MOST_UNPACKED = 2000  # times what stands in the file: more was never written
_MOST_ZEROS = 1 << 30  # bytes; beyond, a dataset that is packed so tightly holds nothing
_TIGHTLY = 200  # times what stands in the file
_NAMELESS = frozenset({"values", "value", "data", "samples", "sample", "signal", "waveform", "wave", "y", "raw"})


class Array(msgspec.Struct, frozen=True):
    """One channel's numbers: a dataset, a column of one, or a field of one."""

    name: str
    path: str  # of the dataset in the file
    part: int | str | None  # column or field
    across: bool  # channels lie one below the other
    n: int
    dtype: np.dtype[Any]
    place: StoredPlace | None  # where its numbers stand, when they can be mapped


class Contents(msgspec.Struct):
    """The arrays of a file, and what its places say, by path: "" is the file itself."""

    arrays: list[Array] = msgspec.field(default_factory=list)
    beside: dict[str, Beside] = msgspec.field(default_factory=dict)
    members: dict[str, list[int]] = msgspec.field(default_factory=dict)  # the arrays below a path

    def scopes(self, at: int) -> Scopes:
        """Return the places that speak of an array, the nearest first."""
        path = self.arrays[at].path
        places = [path]
        while path:
            path = path.rpartition("/")[0]
            places.append(path)
        return [(self.beside[place], self.members[place]) for place in places if place in self.beside]

    @property
    def metadata(self) -> list[tuple[str, str]]:
        """What the file says of itself."""
        return [(key, text) for key, text in self.beside[""].values.items() if len(text) < LONGEST_LIST]


class Guard:
    """Turns what the library raises on a damaged file into one sentence."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: type[BaseException] | None, cause: BaseException | None, trace: object) -> None:
        if isinstance(cause, OSError) and cause.errno is not None and not str(cause).startswith("Unable to synchronously"):
            raise access_error(self._path, "read", cause) from cause
        if isinstance(cause, OSError | RuntimeError | KeyError | ValueError | TypeError | MemoryError | OverflowError):
            raise FormatError(
                self._path, "the datasets in it cannot be read", "a whole HDF5 file", "Write or copy it again."
            ) from cause


def contents_of(path: Path) -> Contents:
    """Return what a file holds.

    Raises
    ------
    FormatError
        When it is damaged, or no dataset has one number per sample.
    FileAccessError
        When it cannot be read.
    """
    try:
        path.open("rb").close()
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    check_readable(path)
    return listed(path)


def listed(path: Path) -> Contents:
    """Return the same; the library may not come back from a damaged file."""
    import h5py  # here, for the sake of a quick start

    found = Contents()
    with Guard(path), h5py.File(path, "r") as file:
        for name, item in _datasets(file, "", 0, set(), found):
            arrays = _arrays(name, item)
            if arrays and len(found.arrays) + len(arrays) <= MOST_DATASETS:
                found.beside[name] = _attributes(item)
                found.arrays += arrays
            elif not arrays:
                _take_small(found, name, item)
    if not found.arrays:
        raise FormatError(path, "no dataset in it has one number per sample", "at least one", "Save the samples.")
    size = path.stat().st_size
    for array in found.arrays:
        if array.place is not None and array.place.offset + array.place.stride * (array.n - 1) + array.dtype.itemsize > size:
            raise FormatError(path, "a dataset reaches beyond the end of the file", "a whole file", "Copy it again.")
    for at, array in enumerate(found.arrays):
        place = array.path
        found.members.setdefault(place, []).append(at)
        while place:
            place = place.rpartition("/")[0]
            found.members.setdefault(place, []).append(at)
    return found


def _datasets(
    group: "h5py.Group", inside: str, depth: int, seen: set[int], found: Contents
) -> "Iterator[tuple[str, h5py.Dataset]]":
    """Yield every dataset with its path, in the order the file keeps; what groups say is taken along. No group comes twice."""
    import h5py

    found.beside[inside.rstrip("/")] = _attributes(group)
    for name in group:
        link = group.get(name, getlink=True)
        if not isinstance(link, h5py.HardLink) or depth > _DEEPEST:  # no other files
            continue
        item = group[name]
        if isinstance(item, h5py.Dataset):
            yield f"{inside}{name}", item
        elif isinstance(item, h5py.Group):
            address = h5py.h5o.get_info(item.id).addr
            if address not in seen:  # a group may contain itself
                seen.add(address)
                yield from _datasets(item, f"{inside}{name}/", depth + 1, seen, found)


def _text(value: Any) -> str:
    return value.decode("utf-8", errors="replace") if isinstance(value, bytes) else in_letters(str(value))


def _attributes(item: Any) -> Beside:
    """Return the attributes of a place: single values, and lists."""
    values, lists = {}, {}
    for key, value in item.attrs.items():
        given = np.ravel(value)
        if given.size == 1:
            values[_text(key)] = _text(given[0])
        elif 1 < given.size <= LONGEST_LIST and given.dtype.kind in "iufbSUO":
            lists[_text(key)] = tuple(map(_text, given.tolist()))
    return Beside(values, lists)


def _take_small(found: Contents, name: str, item: "h5py.Dataset") -> None:
    """Take a dataset of one value, or of a few texts or numbers, as something said beside the others."""
    if item.size is None or not 1 <= item.size <= LONGEST_LIST or item.dtype.kind not in "iufbSUO":
        return
    place, _, key = name.rpartition("/")
    key = in_letters(key)
    given = np.ravel(item[()])
    beside = found.beside[place]
    if given.size == 1:
        found.beside[place] = Beside({**beside.values, key: _text(given[0])}, beside.lists)
    else:
        found.beside[place] = Beside(beside.values, {**beside.lists, key: tuple(map(_text, given.tolist()))})


def _arrays(name: str, item: "h5py.Dataset") -> list[Array]:
    """Return the channels in a dataset: fields of a structured one, rows or columns of a table, or itself."""
    dtype = item.dtype
    parent, _, plain = name.rpartition("/")
    if parent and plain.lower() in _NAMELESS:
        plain = parent.rpartition("/")[2]
    offset = item.id.get_offset() if item.chunks is None and not item.compression else None
    n = int(item.shape[0]) if item.ndim else 0
    if item.ndim == 1 and dtype.names and dtype.fields:
        _check_written(name, item)
        return [
            _array(
                field,
                name,
                field,
                False,
                n,
                dtype.fields[field][0],
                StoredPlace(0, offset + dtype.fields[field][1], dtype.itemsize) if offset is not None else None,
            )
            for field in dtype.names
            if dtype.fields[field][0].kind in "iuf" and n > 1
        ]
    if dtype.kind not in "iufb" or n < 1 or item.ndim not in (1, 2) or item.is_virtual or item.external:
        return []
    _check_written(name, item)
    if item.ndim == 1:
        place = StoredPlace(0, offset, dtype.itemsize) if offset is not None else None
        return [_array(plain, name, None, False, n, dtype, place)] if n > 1 else []
    rows, columns = (int(length) for length in item.shape)
    across = columns > rows
    n_channels, length = (rows, columns) if across else (columns, rows)
    step, along = (columns * dtype.itemsize, dtype.itemsize) if across else (dtype.itemsize, columns * dtype.itemsize)
    return (
        [
            _array(
                f"{plain}{k + 1}",
                name,
                k,
                across,
                length,
                dtype,
                StoredPlace(0, offset + k * step, along) if offset is not None else None,
            )
            for k in range(min(n_channels, MOST_DATASETS))
        ]
        if length > 1
        else []
    )


def _check_written(name: str, item: "h5py.Dataset") -> None:
    """Refuse a dataset that promises far more than was ever written."""
    held = max(item.id.get_storage_size(), 512)
    if item.nbytes > _MOST_UNPACKED * held or (item.nbytes > _MOST_ZEROS and item.nbytes > _TIGHTLY * held):
        raise ValueError(f"{name} promises {item.nbytes} bytes that were never written")


def _array(
    name: str, path: str, part: int | str | None, across: bool, n: int, dtype: np.dtype[Any], place: StoredPlace | None
) -> Array:
    mappable = dtype.kind in "iuf" and dtype.itemsize <= 8
    return Array(in_letters(name), path, part, across, n, dtype, place if mappable else None)
