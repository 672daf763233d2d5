"""The store: imported records as plain arrays in the user's cache directory, mapped into memory.

A stored record is a folder named by what it was made from; it appears whole, by one rename, or not at
all. It may be deleted at any time: the next opening imports again.
"""

import contextlib
import os
import shutil
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import access_error
from pantelos.record.cache import cache_directory
from pantelos.record.record import RawChannel, Record
from pantelos.signal.arrays import AnyArray
from pantelos.signal.pyramid import PyramidBuilder, pyramid_above
from pantelos.units import unit

_LAYOUT = 2  # raised when the folder's content changes its form
_KEPT_BYTES = 20 << 30
_LEFT_AFTER_S = 86_400.0  # a folder in the making that is older belongs to nobody


class StoredColumn(msgspec.Struct, frozen=True):
    """One column: name, recorder unit, type of its numbers (NumPy's name), and value = number * scale + zero."""

    name: str
    unit: str
    dtype: str = "float64"
    scale: float = 1.0
    zero: float = 0.0


class _Index(msgspec.Struct, frozen=True):
    """What a stored folder holds."""

    layout: int
    rate_hz: float
    n_samples: int
    fingerprint: str
    columns: tuple[StoredColumn, ...]
    metadata: tuple[tuple[str, str], ...]


class RecordWriter:
    """Takes rows of numbers piece by piece, in their own types, and leaves a stored record, or nothing."""

    def __init__(self, columns: Sequence[StoredColumn]) -> None:
        self._columns = tuple(columns)
        self._root = cache_directory() / "records"
        try:
            self._root.mkdir(parents=True, exist_ok=True)
            self._folder = Path(tempfile.mkdtemp(prefix="making-", dir=self._root))
            self._files = [(self._folder / f"{k}.raw").open("wb") for k in range(len(columns))]
        except OSError as cause:
            raise access_error(self._root, "written", cause) from cause
        self._builders = [PyramidBuilder() for _ in columns]
        self.n_samples = 0

    def add(self, columns: Sequence[AnyArray]) -> None:
        """Take the next rows: one array (n_rows,) per column, of the type stated for it."""
        try:
            for file, numbers, builder, column in zip(self._files, columns, self._builders, self._columns, strict=True):
                values = np.ascontiguousarray(numbers, dtype=column.dtype)
                values.tofile(file)
                builder.add(values.astype(np.float64, copy=False))
        except OSError as cause:
            self.abandon()
            raise access_error(self._root, "written", cause) from cause
        self.n_samples += len(columns[0])

    def abandon(self) -> None:
        """Leave nothing behind."""
        for file in self._files:
            file.close()
        shutil.rmtree(self._folder, ignore_errors=True)

    def finish(self, key: str, rate_hz: float, fingerprint: str, metadata: tuple[tuple[str, str], ...]) -> None:
        """Make the stored record appear under `key`."""
        final = _place(key)
        index = _Index(_LAYOUT, rate_hz, self.n_samples, fingerprint, self._columns, metadata)
        try:
            for k, (file, builder) in enumerate(zip(self._files, self._builders, strict=True)):
                file.close()
                finest = builder.finish()
                np.stack([finest.lows[0], finest.highs[0]]).tofile(self._folder / f"{k}.pyramid")
            (self._folder / "index.json").write_bytes(msgspec.json.encode(index))
            if final.exists():
                shutil.rmtree(final, ignore_errors=True)
            self._folder.rename(final)
        except OSError as cause:
            self.abandon()
            if not final.exists():  # otherwise another process was faster, which is as good
                raise access_error(self._root, "written", cause) from cause
        _forget_oldest(final)


def stored_record(key: str, source: Path) -> Record | None:
    """Return the stored record of that key, mapped, or None when there is none or it is damaged."""
    folder = _place(key)
    try:
        index = msgspec.json.decode((folder / "index.json").read_bytes(), type=_Index)
        if index.layout != _LAYOUT:
            return None
        channels = []
        for k, column in enumerate(index.columns):
            samples = np.memmap(folder / f"{k}.raw", dtype=column.dtype, mode="r", shape=(index.n_samples,))
            lows, highs = np.fromfile(folder / f"{k}.pyramid").reshape(2, -1)
            pyramid = pyramid_above(lows, highs, index.n_samples)
            channels.append(RawChannel(column.name, samples, unit(column.unit), pyramid, column.scale, column.zero))
        os.utime(folder)  # most recently used stays longest
    except (OSError, ValueError, msgspec.DecodeError):
        return None
    return Record(tuple(channels), index.n_samples, index.rate_hz, source, index.fingerprint, index.metadata)


def _place(key: str) -> Path:
    return cache_directory() / "records" / key


def _forget_oldest(keep: Path) -> None:
    """Delete the least recently used records beyond the bound, and what crashed imports left; others may do so too."""
    aged: list[tuple[float, Path]] = []
    for folder in keep.parent.iterdir():
        with contextlib.suppress(OSError):  # another process was faster
            aged.append((folder.stat().st_mtime, folder))
    held = 0
    for modified, folder in sorted(aged, reverse=True):
        making = folder.name.startswith("making-")
        with contextlib.suppress(OSError):
            held += 0 if making else sum(file.stat().st_size for file in folder.iterdir())
        left = making and time.time() - modified > _LEFT_AFTER_S
        if left or (held > _KEPT_BYTES and folder != keep and not making):
            shutil.rmtree(folder, ignore_errors=True)
