"""The store: imported records as plain arrays in the user's cache directory, mapped into memory.

A stored record is a folder named by what it was made from; it appears whole, by one rename, or not at
all. It may be deleted at any time: the next opening imports again.
"""

import os
import shutil
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import access_error
from pantelos.record.cache import cache_directory
from pantelos.record.record import RawChannel, Record
from pantelos.signal.arrays import AnyArray
from pantelos.signal.pyramid import PyramidBuilder, pyramid_above
from pantelos.units import unit

_LAYOUT = 1  # raised when the folder's content changes its form
_KEPT_BYTES = 20 << 30


class _Index(msgspec.Struct, frozen=True):
    """What a stored folder holds."""

    layout: int
    rate_hz: float
    n_samples: int
    fingerprint: str
    names: tuple[str, ...]
    units: tuple[str, ...]
    metadata: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Columns:
    """What a reader found out before the numbers: names and units of the columns, rate, header."""

    names: tuple[str, ...]
    units: tuple[str, ...]
    rate_hz: float
    metadata: tuple[tuple[str, str], ...] = ()


class RecordWriter:
    """Takes rows of numbers piece by piece and leaves a stored record, or nothing."""

    def __init__(self, n_columns: int) -> None:
        self._root = cache_directory() / "records"
        try:
            self._root.mkdir(parents=True, exist_ok=True)
            self._folder = Path(tempfile.mkdtemp(prefix="making-", dir=self._root))
            self._files = [(self._folder / f"{k}.f64").open("wb") for k in range(n_columns)]
        except OSError as cause:
            raise access_error(self._root, "written", cause) from cause
        self._builders = [PyramidBuilder() for _ in range(n_columns)]
        self.n_samples = 0

    def add(self, columns: Sequence[AnyArray]) -> None:
        """Take the next rows: one array (n_rows,) of float64 per column."""
        try:
            for file, column, builder in zip(self._files, columns, self._builders, strict=True):
                values = np.ascontiguousarray(column, dtype=np.float64)
                values.tofile(file)
                builder.add(values)
        except OSError as cause:
            self.abandon()
            raise access_error(self._root, "written", cause) from cause
        self.n_samples += len(columns[0])

    def abandon(self) -> None:
        """Leave nothing behind."""
        for file in self._files:
            file.close()
        shutil.rmtree(self._folder, ignore_errors=True)

    def finish(self, key: str, columns: Columns, fingerprint: str) -> None:
        """Make the stored record appear under `key`."""
        final = _place(key)
        index = _Index(_LAYOUT, columns.rate_hz, self.n_samples, fingerprint, columns.names, columns.units, columns.metadata)
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
        for k, (name, symbol) in enumerate(zip(index.names, index.units, strict=True)):
            samples = np.memmap(folder / f"{k}.f64", dtype=np.float64, mode="r", shape=(index.n_samples,))
            lows, highs = np.fromfile(folder / f"{k}.pyramid").reshape(2, -1)
            channels.append(RawChannel(name, samples, unit(symbol), pyramid_above(lows, highs, index.n_samples)))
        os.utime(folder)  # most recently used stays longest
    except (OSError, ValueError, msgspec.DecodeError):
        return None
    return Record(tuple(channels), index.n_samples, index.rate_hz, source, index.fingerprint, index.metadata)


def _place(key: str) -> Path:
    return cache_directory() / "records" / key


def _forget_oldest(keep: Path) -> None:
    """Delete the least recently used records beyond the bound."""
    folders = sorted((f for f in keep.parent.iterdir() if f.is_dir()), key=lambda f: f.stat().st_mtime, reverse=True)
    held = 0
    for folder in folders:
        held += sum(file.stat().st_size for file in folder.iterdir())
        if held > _KEPT_BYTES and folder != keep:
            shutil.rmtree(folder, ignore_errors=True)
