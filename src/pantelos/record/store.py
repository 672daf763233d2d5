"""The store: recordings as plain arrays, mapped into memory, with their pyramids, in the user's cache directory.

Numbers that stand in the source file the way they are kept are mapped there; others, text above all, are
converted once and kept here. A stored recording is a folder named by what it was made from; it appears whole,
by one rename, or not at all. It may be deleted at any time: the next opening imports again.
"""

import contextlib
import errno
import os
import shutil
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import IO

import msgspec
import numpy as np

from pantelos.errors import FileAccessError, access_error
from pantelos.folders import cache_directory
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.file_numbers import FileNumbers, OpenFile
from pantelos.record.recording import RawChannel, Recording, Samples
from pantelos.record.timing import Began, Instants, Segment, Timing
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.sampling.pyramid import Pyramid, PyramidBuilder, flattened, from_flattened, pyramid_above, pyramids_of
from pantelos.units import unit

_LAYOUT = 5  # raised when the folder's content changes its form
_KEPT_BYTES = 20 << 30
_LEFT_AFTER_S = 86_400.0  # a folder in the making that is older belongs to nobody
_MAKING = "making-"
_TIMES = "times.raw"
_PYRAMIDS = "pyramids.raw"  # of all columns, one behind the other
_MANY = 64  # columns kept here: with more, those of a type share a file, row by row


class StoredPlace(msgspec.Struct, frozen=True):
    """Where the numbers of a column stand in a source file."""

    file: int  # 0: the file itself, 1: the one beside it
    offset: int  # bytes before the first number
    stride: int  # bytes from one number to the next


class StoredColumn(msgspec.Struct, frozen=True):
    """One column: name, recorder unit, type of its numbers (NumPy's name), and value = number * scale + zero."""

    name: str
    unit: str
    dtype: str = "float64"
    scale: float = 1.0
    zero: float = 0.0
    missing: int | None = None  # the number that may stand for a missing sample
    skew_s: float = 0.0
    place: StoredPlace | None = None  # None: kept in the store


class Facts(msgspec.Struct, frozen=True):
    """What a reader knows of a file beside its numbers."""

    metadata: tuple[tuple[str, str], ...] = ()
    began: Began | None = None  # date and time of time zero
    told: tuple[Notice, ...] = ()  # what was left out or odd
    n_beyond: dict[str, int] = {}  # samples beyond the range of the recorder, by channel


class _Index(msgspec.Struct, frozen=True):
    """What a stored folder holds."""

    layout: int
    n_samples: int
    segments: tuple[Segment, ...]  # empty: the instants are kept beside it
    step_s: float
    fingerprint: str
    columns: tuple[StoredColumn, ...]
    facts: Facts


class _Kept(msgspec.Struct, frozen=True):
    """Where a column that is kept here stands: file, bytes before its first number, bytes from one to the next."""

    file: str
    offset: int
    stride: int


def _kept_places(columns: Sequence[StoredColumn]) -> dict[int, _Kept]:
    """Return where the columns without a place in a source file are kept."""
    kept = [k for k, column in enumerate(columns) if column.place is None]
    if len(kept) <= _MANY:
        return {k: _Kept(f"{k}.raw", 0, np.dtype(columns[k].dtype).itemsize) for k in kept}
    alike: dict[str, list[int]] = {}
    for k in kept:
        alike.setdefault(columns[k].dtype, []).append(k)
    size = {dtype: np.dtype(dtype).itemsize for dtype in alike}
    return {
        k: _Kept(f"{dtype}.rows", at * size[dtype], len(of) * size[dtype])
        for dtype, of in alike.items()
        for at, k in enumerate(of)
    }


def making_folder() -> Path:
    """Return a new folder beside the stored recordings; one that was forgotten is deleted a day later.

    Raises
    ------
    OSError
        When there cannot be one.
    """
    import tempfile  # here, for the sake of a quick start

    root = cache_directory() / "records"
    root.mkdir(parents=True, exist_ok=True)
    return Path(tempfile.mkdtemp(prefix=_MAKING, dir=root))


class RecordWriter:
    """Takes rows of numbers piece by piece, in their own types, and leaves a stored recording, or nothing.

    Columns with a place are mapped where they stand; rows are taken of the others only.
    """

    def __init__(self, columns: Sequence[StoredColumn], files: Sequence[Path], timed: bool) -> None:
        self._columns, self._sources = tuple(columns), tuple(files)
        self._kept = [k for k, column in enumerate(columns) if column.place is None]
        self._root = cache_directory() / "records"
        try:
            self._folder = making_folder()
            self._shared: dict[str, list[int]] = {}
            for k, place in _kept_places(columns).items():
                self._shared.setdefault(place.file, []).append(k)
            self._files: dict[str, IO[bytes]] = {name: (self._folder / name).open("wb") for name in self._shared}
            self._times = (self._folder / _TIMES).open("wb") if timed else None
        except OSError as cause:
            raise access_error(self._root, "written", cause) from cause
        self._builders = {name: PyramidBuilder() for name in self._shared}
        self.n_samples = 0

    def check_space(self, n_samples: int) -> None:
        """Refuse to begin where the columns kept here would not fit the disk.

        Raises
        ------
        FileAccessError
            When less is free than they need.
        """
        needed = n_samples * sum(np.dtype(self._columns[k].dtype).itemsize for k in self._kept)
        if needed > shutil.disk_usage(self._root).free:
            raise access_error(self._root, "written", OSError(errno.ENOSPC, os.strerror(errno.ENOSPC)))

    def add(self, columns: Sequence[AnyArray], times_s: FloatArray | None = None) -> None:
        """Take the next rows: one array (n_rows,) per column that is kept here, of the type stated for it."""
        try:
            given = dict(zip(self._kept, columns, strict=True))
            for name, of in self._shared.items():
                values = [np.ascontiguousarray(given[k], dtype=self._columns[k].dtype) for k in of]
                rows = values[0][:, np.newaxis] if len(of) == 1 else np.stack(values, axis=1)
                rows.tofile(self._files[name])
                codes = [self._columns[k].missing for k in of]
                if any(code is not None for code in codes):
                    rows = np.stack([_without_missing(x, code) for x, code in zip(values, codes, strict=True)], axis=1)
                self._builders[name].add(rows)
            if times_s is not None and self._times is not None:
                np.ascontiguousarray(times_s, dtype=np.float64).tofile(self._times)
        except OSError as cause:
            self.abandon()
            raise access_error(self._root, "written", cause) from cause
        self.n_samples += len(columns[0]) if columns else len(times_s) if times_s is not None else 0

    def times(self) -> AnyArray:
        """Return all instants taken, mapped."""
        assert self._times is not None
        self._times.flush()
        path = self._folder / _TIMES
        return np.memmap(path, dtype=np.float64, mode="r") if path.stat().st_size else np.zeros(0)

    def abandon(self) -> None:
        """Leave nothing behind."""
        for file in (*self._files.values(), *([self._times] if self._times else [])):
            with contextlib.suppress(OSError):  # what could not be written cannot be flushed either
                file.close()
        shutil.rmtree(self._folder, ignore_errors=True)

    def finish(
        self,
        key: str,
        timing: Timing,
        fingerprint: str,
        facts: Facts,
        n_samples: int,
        progress: Progress,
        known: Sequence[Pyramid] = (),
    ) -> None:
        """Make the stored recording appear under `key`; `known` are the pyramids of the columns with a place, where they are."""
        final = _folder_of(key)
        try:
            for file in self._files.values():
                file.close()
            if self._times is not None:
                self._times.close()
            if not isinstance(timing, Instants):
                (self._folder / _TIMES).unlink(missing_ok=True)
            elif self._times is None:  # told by the reader, not by the rows
                np.ascontiguousarray(timing.times_s, dtype=np.float64).tofile(self._folder / _TIMES)
            pyramids = self._pyramids_of_kept()
            columns = self._columns
            placed = [k for k, column in enumerate(columns) if column.place is not None]
            if known and all(pyramid.n_samples == n_samples for pyramid in known):
                pyramids |= dict(zip(placed, known, strict=True))
            else:
                columns = self._with_pyramids_of_placed(placed, pyramids, n_samples, progress)
            with (self._folder / _PYRAMIDS).open("wb") as out:
                for k in range(len(columns)):
                    for part in flattened(pyramids[k]):
                        out.write(part.data)
            segments, step_s = ((), timing.step_s) if isinstance(timing, Instants) else (timing, 0.0)
            index = _Index(_LAYOUT, n_samples, segments, step_s, fingerprint, columns, facts)
            (self._folder / "index.json").write_bytes(msgspec.json.encode(index))
            if stored_recording(key, self._sources) is not None:  # another process was faster, and may be reading it by now
                self.abandon()
                return
            shutil.rmtree(final, ignore_errors=True)
            self._folder.rename(final)
        except OSError as cause:
            self.abandon()
            if stored_recording(key, self._sources) is None:
                raise access_error(self._root, "written", cause) from cause
        _forget_oldest(final)

    def _pyramids_of_kept(self) -> dict[int, Pyramid]:
        """Return the pyramids of the columns that are kept here, empty ones where no row came."""
        found: dict[int, Pyramid] = {}
        for name, of in self._shared.items():
            made = self._builders[name].finish() or [pyramid_above(np.zeros(0), np.zeros(0), 0)] * len(of)
            found |= dict(zip(of, made, strict=True))
        return found

    def _with_pyramids_of_placed(
        self, placed: list[int], pyramids: dict[int, Pyramid], n_samples: int, progress: Progress
    ) -> tuple[StoredColumn, ...]:
        """Add the pyramids of columns that stay where they are; return all columns, without codes that do not occur."""
        columns = list(self._columns)
        opened = [OpenFile(path) for path in self._sources] if placed else []
        samples = {k: _placed(columns[k], opened, n_samples) for k in placed}
        pyramids |= _pyramids([samples[k] for k in placed], placed, n_samples, progress)
        for k in placed:
            code = columns[k].missing
            if code is not None and pyramids[k].extent[0] > code:
                columns[k] = msgspec.structs.replace(columns[k], missing=None)
        coded = [k for k in placed if columns[k].missing is not None]
        cleaned = [_Cleaned(samples[k], columns[k].missing) for k in coded]
        pyramids |= _pyramids(cleaned, coded, n_samples, progress)
        return tuple(columns)


class _Cleaned:
    """Numbers served with missing ones as NaN."""

    def __init__(self, samples: FileNumbers, missing: int | None) -> None:
        self._samples, self._missing = samples, missing

    def __getitem__(self, rows: slice) -> AnyArray:
        return _without_missing(self._samples[rows], self._missing)


def _pyramids(columns: Sequence[FileNumbers | _Cleaned], at: list[int], n_samples: int, progress: Progress) -> dict[int, Pyramid]:
    served: list[Callable[[int, int], AnyArray]] = [lambda a, b, x=x: x[a:b] for x in columns]  # type: ignore[misc]
    return dict(zip(at, pyramids_of(served, n_samples, progress), strict=True))


def _without_missing(values: AnyArray, missing: int | None) -> AnyArray:
    return values if missing is None else np.where(values == missing, np.nan, values)


def _placed(column: StoredColumn, files: Sequence[OpenFile], n_samples: int) -> FileNumbers:
    """Return the numbers of a column where they stand in a source file."""
    assert column.place is not None
    return FileNumbers(files[column.place.file], column.dtype, n_samples, column.place.offset, column.place.stride)


def stored_recording(key: str, files: Sequence[Path]) -> Recording | None:
    """Return the stored recording of that key, mapped, or None when there is none or it is damaged."""
    folder = _folder_of(key)
    index = _index_in(folder)
    if index is None:
        return None
    try:
        n = index.n_samples
        places = _kept_places(index.columns)
        kept = {name: np.memmap(folder / name, np.uint8, "r") for name in {place.file for place in places.values()}}
        opened = [OpenFile(path) for path in files] if len(places) < len(index.columns) else []
        pyramids = np.asarray(np.memmap(folder / _PYRAMIDS, np.float64, "r")).reshape(len(index.columns), -1)
        channels = []
        for k, column in enumerate(index.columns):
            if k in places:
                samples: Samples = np.ndarray(
                    (n,), column.dtype, kept[places[k].file].data, places[k].offset, (places[k].stride,)
                )
            else:
                samples = _placed(column, opened, n)
            pyramid = from_flattened(pyramids[k], n)
            channels.append(
                RawChannel(
                    column.name,
                    samples,
                    unit(column.unit),
                    pyramid,
                    column.scale,
                    column.zero,
                    column.missing,
                    column.skew_s,
                    index.facts.n_beyond.get(column.name, 0),
                )
            )
        timing: Timing = index.segments
        if not index.segments:
            timing = Instants(np.memmap(folder / _TIMES, dtype=np.float64, mode="r", shape=(n,)), index.step_s)
        os.utime(folder)  # most recently used stays longest
    except (OSError, ValueError, TypeError, FileAccessError):
        return None
    return Recording(
        tuple(channels), timing, files[0], index.fingerprint, index.facts.metadata, index.facts.began, index.facts.told
    )


def _index_in(folder: Path) -> _Index | None:
    """Return what a stored folder says it holds, or None where it is none of today."""
    try:
        index = msgspec.json.decode((folder / "index.json").read_bytes(), type=_Index)
    except (OSError, msgspec.DecodeError):
        return None
    return index if index.layout == _LAYOUT else None


def _folder_of(key: str) -> Path:
    return cache_directory() / "records" / key


def _forget_oldest(keep: Path) -> None:
    """Delete the least recently used recordings beyond the bound, and what crashed imports left; others may do so too."""
    aged: list[tuple[float, Path]] = []
    for folder in keep.parent.iterdir():
        with contextlib.suppress(OSError):  # another process was faster
            aged.append((folder.stat().st_mtime, folder))
    held = 0
    for modified, folder in sorted(aged, reverse=True):
        making = folder.name.startswith(_MAKING)
        with contextlib.suppress(OSError):
            held += 0 if making else sum(file.stat().st_size for file in folder.iterdir())
        left = making and time.time() - modified > _LEFT_AFTER_S
        if left or (held > _KEPT_BYTES and folder != keep and not making):
            shutil.rmtree(folder, ignore_errors=True)
