"""NPY and NPZ: arrays as channels, by name where they have one; mapped where they stand uncompressed."""

import struct
import zipfile
import zlib
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import IO, Any

import msgspec
import numpy as np
from numpy.lib import format as npy

from pantelos.errors import FormatError, access_error
from pantelos.formats import beside, remarks
from pantelos.formats.array_source import array_source
from pantelos.formats.bases import Timed
from pantelos.formats.beside import Beside, Rate, Scopes, is_said, number, said_of
from pantelos.formats.binary_preview import FIRST_ROWS, binary_preview, check_arrays, column_of
from pantelos.formats.dialect import Column, ColumnRole, Dialect, Preview
from pantelos.formats.header import stated_first, stated_rate
from pantelos.formats.heading_names import known_unit, unique
from pantelos.formats.storing import Source, stored
from pantelos.formats.vocabulary import NAMES, UNITS
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.file_numbers import FileNumbers, OpenFile
from pantelos.record.recording import Recording
from pantelos.record.store import StoredColumn, StoredPlace
from pantelos.signal.arrays import AnyArray
from pantelos.signal.sums.integrals import blocks

_LONGEST_LIST = 1 << 16  # bytes
_LOCAL_HEADER = struct.Struct("<4s5H3I2H")  # of a member of a ZIP file


class _Member(msgspec.Struct, frozen=True):
    """An array in the file: where its numbers begin, or that they must be unpacked on the way."""

    name: str  # of the member; empty in an NPY file
    dtype: np.dtype[Any]
    shape: tuple[int, ...]
    fortran: bool
    offset: int | None  # bytes before its numbers in the file; None: compressed
    header: int  # bytes of its own header

    @property
    def by_columns(self) -> bool:
        """Whether a table has its channels side by side rather than one below the other."""
        return self.shape[0] >= self.shape[-1]

    @property
    def n_rows(self) -> int:
        """Numbers per channel."""
        return self.shape[0] if self.by_columns else self.shape[-1]


class _Array(msgspec.Struct, frozen=True):
    """One channel's numbers: a member, a column of it, or a field of it."""

    name: str
    dtype: np.dtype[Any]
    member: _Member
    shift: int  # bytes from the first number of the member to the first one of the array
    stride: int  # bytes from one number to the next


class _Contents(msgspec.Struct, frozen=True):
    """The arrays that have one number per sample, what stands beside them, and arrays that are no channels."""

    arrays: list[_Array]
    beside: Beside
    strange: list[str]

    def scopes(self) -> list[Scopes]:
        """Return the lists that speak of each array: those for the columns of its member, then those for all arrays."""
        everything = range(len(self.arrays))
        without_times = [k for k in everything if column_of(self.arrays[k].name).role is not ColumnRole.TIME]
        of_all: Scopes = [(self.beside, without_times), (self.beside, everything)]
        together = defaultdict[str, list[int]](list)
        for k, array in enumerate(self.arrays):
            together[array.member.name].append(k)
        members = [together[array.member.name] for array in self.arrays]
        return [[(self.beside, same), *of_all] if len(same) > 1 else of_all for same in members]

    @property
    def metadata(self) -> list[tuple[str, str]]:
        """Single values."""
        return list(self.beside.values.items())


def _contents(path: Path) -> _Contents:
    try:
        with path.open("rb") as file:
            zipped = file.read(2) == b"PK"
            file.seek(0)
            members, said = _zipped(file) if zipped else ([_member("", file, 0)], Beside())
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    except Exception as cause:  # NumPy's reader lets through whatever Python's tokenizer and zip files raise
        raise FormatError(path, "the arrays cannot be read", "an NPY or NPZ file of numbers", "Save it again.") from cause
    arrays = [
        array
        for member in members
        if member.name not in said.lists
        for array in _arrays(member)
        if array.dtype.kind in "iufb" and array.member.n_rows > 1
    ]
    used = {array.member.name for array in arrays}
    strange = [member.name for member in members if member.name not in used and member.name not in said.lists]
    if not arrays:
        raise FormatError(path, "there is no array with one number per sample in it", "at least one", "Save the samples.")
    size = path.stat().st_size
    for member in {array.member.name: array.member for array in arrays}.values():
        needed = member.dtype.itemsize * int(np.prod(member.shape, dtype=object))
        if member.offset is not None and member.offset + needed > size:
            raise FormatError(
                path,
                f"{member.n_rows} numbers per channel are promised, but the file ends before",
                f"{needed} bytes of them",
                "Copy or save it again.",
            )
    return _Contents(arrays, said, strange)


def _member(name: str, file: IO[bytes], start: int | None) -> _Member:
    """Return the array whose own header is read from `file`; `start` is where that header stands, None when packed."""
    major, _ = npy.read_magic(file)
    shape, fortran, dtype = (npy.read_array_header_1_0 if major == 1 else npy.read_array_header_2_0)(file)
    if min(shape, default=1) < 0:
        raise ValueError("negative length")
    header = file.tell()
    return _Member(name, dtype, tuple(shape), bool(fortran), None if start is None else start + header, header)


def _zipped(file: IO[bytes]) -> tuple[list[_Member], Beside]:
    """Return the arrays in an NPZ file, and its single values and short lists as text."""
    members: list[_Member] = []
    values: dict[str, str] = {}
    lists: dict[str, tuple[str, ...]] = {}
    with zipfile.ZipFile(file) as archive:
        for info in archive.infolist():
            start = None
            if info.compress_type == zipfile.ZIP_STORED:
                file.seek(info.header_offset)
                fields = _LOCAL_HEADER.unpack(file.read(_LOCAL_HEADER.size))
                start = info.header_offset + _LOCAL_HEADER.size + fields[-2] + fields[-1]
            name = info.filename.removesuffix(".npy")
            with archive.open(info) as packed:
                found = _member(name, packed, start)
                n = int(np.prod(found.shape, dtype=object))
                if n == 1 and found.dtype.itemsize < 4096 and found.dtype.kind in "iufbUS":
                    values[name] = _texts(packed.read(found.dtype.itemsize), found.dtype)[0]
                elif found.dtype.kind in "US" and n * found.dtype.itemsize < _LONGEST_LIST and len(found.shape) == 1:
                    lists[name] = _texts(packed.read(n * found.dtype.itemsize), found.dtype)
            if n != 1:
                members.append(found)
    for member in members:  # a short list of numbers under a name for rates, scales or units is one too
        if (
            len(member.shape) == 1
            and member.shape[0] < _LONGEST_LIST // 8
            and is_said(member.name)
            and member.dtype.kind in "iuf"
        ):
            lists[member.name] = _short_list(file, member.name)
    return members, Beside(values, lists)


def _texts(content: bytes, dtype: np.dtype[Any]) -> tuple[str, ...]:
    return tuple(v.decode("utf-8", "replace") if isinstance(v, bytes) else str(v) for v in np.frombuffer(content, dtype).tolist())


def _short_list(file: IO[bytes], name: str) -> tuple[str, ...]:
    with zipfile.ZipFile(file) as archive, archive.open(f"{name}.npy") as packed:
        return tuple(map(str, npy.read_array(packed).tolist()))


def _arrays(member: _Member) -> list[_Array]:
    """Return the channels in an array: fields of a structured one, rows or columns of a table, or itself."""
    item = member.dtype.itemsize
    if len(member.shape) == 1 and member.dtype.names and member.dtype.fields:
        return [
            _Array(name, member.dtype.fields[name][0], member, member.dtype.fields[name][1], item) for name in member.dtype.names
        ]
    if len(member.shape) == 1:
        return [_Array(member.name or "ch1", member.dtype, member, 0, item)]
    if len(member.shape) != 2:
        return []
    steps = (item, item * member.shape[0]) if member.fortran else (item * member.shape[1], item)
    along, across = steps if member.by_columns else steps[::-1]
    n_channels = member.shape[1] if member.by_columns else member.shape[0]
    return [
        _Array(f"{member.name or 'ch'}{k + 1}", member.dtype, member, k * across, along) for k in range(min(n_channels, 4096))
    ]


def _placed(file: OpenFile, array: _Array) -> FileNumbers:
    """Return the numbers of an array that stands uncompressed in the file."""
    assert array.member.offset is not None
    return FileNumbers(file, array.dtype, array.member.n_rows, array.member.offset + array.shift, array.stride)


class _Unpacked:
    """Serves the arrays of compressed members, block after block."""

    def __init__(self, path: Path, members: list[_Member], opened: ExitStack) -> None:
        archive = opened.enter_context(zipfile.ZipFile(path)) if members else None
        self._files: dict[str, IO[bytes]] = {}
        self._bytes: dict[str, bytes] = {}
        for member in members:
            assert archive is not None
            self._files[member.name] = opened.enter_context(archive.open(f"{member.name}.npy"))
            self._files[member.name].read(member.header)

    def take(self, member: _Member, n_rows: int) -> None:
        """Unpack the next rows of a member."""
        size = n_rows * (int(np.prod(member.shape)) // member.n_rows) * member.dtype.itemsize
        self._bytes[member.name] = self._files[member.name].read(size)
        if len(self._bytes[member.name]) != size:
            raise EOFError

    def numbers(self, array: _Array, n_rows: int) -> AnyArray:
        """Return the rows unpacked last."""
        return np.ndarray((n_rows,), array.dtype, self._bytes[array.member.name], array.shift, (array.stride,))


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
    lengths = Counter(array.member.n_rows for array in found.arrays)
    alike = {n: [array for array in found.arrays if array.member.n_rows == n] for n in lengths}
    served = {n: iter(next(_rows(path, arrays, FIRST_ROWS, n))) for n, arrays in alike.items()}
    first = [next(served[array.member.n_rows]) for array in found.arrays]
    reasons = [f"{count} {'array' if count == 1 else 'arrays'} of {n} numbers" for n, count in lengths.most_common(4)]
    arrays, told = _timed(found)
    return binary_preview(path, arrays, first, reasons, found.metadata, told)


def _timed(found: _Contents) -> tuple[list[Timed], list[Notice]]:
    """Return every array as a column, every name once: name, unit, scale and rate as stated beside it; and what to say."""
    taken: set[str] = set()
    arrays = []
    told = [remarks.left_out(found.strange, "not one number per sample")] if found.strange else []
    for at, (array, scopes) in enumerate(zip(found.arrays, found.scopes(), strict=True)):
        symbol = said_of(at, scopes, UNITS)
        column = column_of(said_of(at, scopes, NAMES) or array.name, symbol if symbol and known_unit(symbol) else None)
        name = unique(column.name, taken)
        taken.add(name)
        if symbol and known_unit(symbol) is None:
            told.append(remarks.unknown_unit(name, symbol))
        scale = number(said_of(at, scopes, beside.SCALE), 1.0) or 1.0
        start_s = number(said_of(at, scopes, beside.FIRST), stated_first(found.metadata))
        arrays.append(
            Timed(
                Column(name, column.unit, column.role, scale),
                array.member.n_rows,
                array.name,
                _own_rate(found, array) or beside.rate_of(at, scopes),
                start_s,
            )
        )
    return arrays, told


def _own_rate(found: _Contents, array: _Array) -> Rate | None:
    """Return the rate stated under the name of an array, such as `u1_fs` or `fs_u1`, or None."""
    for key, text in found.beside.values.items():
        for own in (key.removeprefix(f"{array.name}_"), key.removesuffix(f"_{array.name}")):
            if own != key and (rate := stated_rate([(own, text)], ".")):
                return Rate(rate[0], f"{key}: {text}")
    return None


def _rows(path: Path, arrays: list[_Array], n_block: int, n: int) -> Iterator[list[AnyArray]]:
    """Yield the numbers of arrays, block after block.

    Raises
    ------
    FormatError
        When a compressed one cannot be unpacked.
    """
    packed = {array.member.name: array.member for array in arrays if array.member.offset is None}
    if any(len(m.shape) == 2 and (m.fortran or not m.by_columns) for m in packed.values()):
        raise FormatError(
            path,
            "a compressed table stands row by row",
            "one whose rows are samples, or one array per channel",
            "Save it with one array per channel, or uncompressed.",
        )
    try:
        with ExitStack() as opened:
            unpacked = _Unpacked(path, list(packed.values()), opened)
            served: list[Callable[[int, int], AnyArray]] = []
            file = OpenFile(path)
            for array in arrays:
                if array.member.offset is None:
                    served.append(lambda a, b, x=array: unpacked.numbers(x, b - a))  # type: ignore[misc]
                else:
                    served.append(lambda a, b, x=_placed(file, array): x[a:b])  # type: ignore[misc]
            for low, high in blocks(0, n, n_block):
                for member in packed.values():
                    unpacked.take(member, high - low)
                yield [serve(low, high) for serve in served]
    except (zipfile.BadZipFile, zlib.error, EOFError, KeyError, ValueError, NotImplementedError) as cause:
        raise FormatError(path, "an array is damaged", "a whole file", "Copy or save it again.") from cause


def read_numpy(path: Path, dialect: Dialect, progress: Progress) -> Recording:
    """Return the recording in an NPY or NPZ file, numbers in their own types; mapped where they are not compressed.

    Raises
    ------
    FormatError
        When it cannot be read.
    FileAccessError
        When it cannot be opened or the store cannot be written.
    """
    return stored(path, dialect, progress, lambda part: _opened(path, dialect, part))


def _opened(path: Path, dialect: Dialect, progress: Progress) -> Source:
    found = _contents(path)
    check_arrays(path, [array.member.n_rows for array in found.arrays], dialect)
    n, at = found.arrays[dialect.channels[0][0]].member.n_rows, dialect.time_column
    columns = tuple(_stored(column, found.arrays[k]) for k, column in dialect.channels)
    kept = [found.arrays[k] for (k, _), column in zip(dialect.channels, columns, strict=True) if column.place is None]
    timed = [found.arrays[at]] if at is not None else []
    spacing = _step_of(path, found.arrays[at], n) if at is not None else 0.0
    rows = _rows(path, [*timed, *kept], 1 << 16, n)
    told = preview_numpy(path).told
    return array_source(dialect, columns, rows, n, spacing, found.metadata, told, progress)


def _stored(column: Column, array: _Array) -> StoredColumn:
    plain = array.dtype.kind in "iuf" and array.dtype.itemsize <= 8
    if plain and array.member.offset is not None:
        place = StoredPlace(0, array.member.offset + array.shift, array.stride)
        return StoredColumn(column.name, column.unit, array.dtype.str, column.scale, place=place)
    return StoredColumn(column.name, column.unit, array.dtype.newbyteorder("=").name if plain else "float64", column.scale)


def _step_of(path: Path, times: _Array, n: int) -> float:
    """Return how finely times can be told apart where they stand."""
    if times.dtype.kind != "f":
        return 1.0
    last = max(float(np.abs(rows[0]).max()) for rows in _rows(path, [times], 1 << 20, n))
    return float(np.spacing(np.asarray(last, dtype=times.dtype)))
