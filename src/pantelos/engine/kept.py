"""Results kept on the disk from one run to the next, in one file of the cache folder. All of them can be made again.

A result is kept where it took long to make and reads back as it was, under a digest of all that it depends on: what it was
asked, the record, and the program itself. The file holds no more bytes than the settings say; what was not used for longest goes
first. A file that is damaged, locked or on a full disk is as if it were empty.
"""

import contextlib
import hashlib
import math
import os
import threading
import time
import typing
from collections.abc import Callable, Sequence
from fractions import Fraction
from functools import cache, cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import msgspec
import numpy as np

from pantelos.folders import cache_directory
from pantelos.formats.registry import files_beside
from pantelos.packages import state_of_others
from pantelos.record.fingerprint import remembered_fingerprint
from pantelos.record.record import Record
from pantelos.settings import load_settings
from pantelos.signal.arrays import FloatArray
from pantelos.signal.sums.totals import BlockTotals
from pantelos.version import __version__

if TYPE_CHECKING:
    import sqlite3

T = TypeVar("T")
WORTH_KEEPING = 1 << 16  # samples of a record: what is taken of fewer is taken again as quickly
LONG_TOTALS = 1 << 18  # samples: of fewer, sums are taken anew
_LONG_S = 0.05  # what takes less is made again
_TOLD_S = 60.0  # after so long a use is written down again
_FULL = 0.9  # of the budget that is left when something had to go
_ARRAY, _FRACTION = 1, 2  # of the extension types of MessagePack


class Form:
    """How results of a function are written and read back: by the type that the function is said to return."""

    def __init__(self, function: Callable[..., Any], always: bool = False) -> None:
        self._function = function
        self.always = always  # kept, however quickly it was made
        self.usable = True  # until one cannot be written

    @cached_property
    def _decoder(self) -> "msgspec.msgpack.Decoder[Any]":
        told = typing.get_type_hints(self._function)["return"]
        return msgspec.msgpack.Decoder(told, ext_hook=_unpacked, dec_hook=lambda kind, found: found)

    def read(self, content: bytes) -> Any:
        """Return a result; raises ValueError where it is none."""
        return self._decoder.decode(content)

    def written(self, made: Any) -> bytes | None:
        """Return a result as bytes, or None where it would not read back as it is."""
        try:
            content = msgspec.msgpack.encode(made, enc_hook=_packed)
            if _same(made, self.read(content)):
                return content
        except (TypeError, ValueError, NameError, KeyError, RecursionError):
            pass
        self.usable = False
        return None


def kept_or_made(record: Record, form: Form, key: Sequence[str], make: Callable[[], T]) -> T:
    """Return what an earlier run kept under a key, else make it, and keep it where it took long."""
    if not form.usable or not lasting(record):
        return make()
    place = _digest(record, key)
    content = _store().load(place)
    if content is not None:
        with contextlib.suppress(ValueError):
            found: T = form.read(content)
            return found
    began = time.monotonic()
    made = make()
    if (form.always or time.monotonic() - began > _LONG_S) and untouched(record.sources):
        content = form.written(made)
        if content is not None:
            _store().keep(place, content)
    return made


def totals_of(record: Record, identity: str, power: int) -> BlockTotals:
    """Return the totals per block of a power of a waveform, as far as an earlier run made them; new ones are kept."""
    if not lasting(record):
        return BlockTotals(record.n_samples)
    place = _digest(record, ("totals", identity, str(power)))
    content = _store().load(place)

    def keep(known: FloatArray) -> None:
        if untouched(record.sources):
            _store().keep(place, known.tobytes())

    n_blocks = BlockTotals.n_blocks(record.n_samples)
    known = None
    if content is not None and len(content) == 32 * n_blocks:
        known = np.frombuffer(content).reshape(4, n_blocks)
    return BlockTotals(record.n_samples, known, keep)


def lasting(record: Record) -> bool:
    """Return whether results of a record may outlive this run: it is of files, which its fingerprint tells from all others."""
    return record.n_samples >= WORTH_KEEPING and bool(record.sources) and all(path.is_file() for path, _ in record.sources)


def untouched(sources: Sequence[tuple[Path, str]]) -> bool:
    """Return whether the files of a record are what was read of them."""
    return all(remembered_fingerprint(path, *files_beside(path)) == mark for path, mark in sources)


def bytes_kept() -> int:
    """Return how many bytes of results are kept."""
    return _store().held()


def forget_kept() -> None:
    """Forget all results."""
    _store().forget()


def _digest(record: Record, key: Sequence[str]) -> bytes:
    """Return the digest of what a result depends on."""
    of = (record.fingerprint, record.n_samples, record.rate_hz, record.start_s, record.joints, _program(), tuple(key))
    return hashlib.blake2b(msgspec.json.encode(of), digest_size=16).digest()


@cache
def _program() -> str:
    """Return a digest of the program: versions, and when its files and those of packages that bring more were changed."""
    found = hashlib.blake2b(f"{__version__} {np.__version__}".encode(), digest_size=16)
    for said in state_of_others():
        found.update(said.encode())
    folders, states = [str(Path(__file__).parents[1])], list[str]()
    while folders:
        with os.scandir(folders.pop()) as entries:  # a tenth of the time that a search by pattern takes
            for entry in entries:
                if entry.is_dir() and entry.name != "__pycache__":
                    folders.append(entry.path)
                elif entry.name.endswith((".py", ".toml")):
                    state = entry.stat()
                    states.append(f"{entry.name} {state.st_mtime_ns} {state.st_size}")
    found.update("\n".join(sorted(states)).encode())
    return found.hexdigest()


def _packed(value: Any) -> Any:
    if isinstance(value, np.ndarray) and not value.dtype.hasobject:
        head = msgspec.msgpack.encode((value.dtype.str, value.shape))
        return msgspec.msgpack.Ext(_ARRAY, len(head).to_bytes(2, "little") + head + np.ascontiguousarray(value).tobytes())
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, Fraction):
        return msgspec.msgpack.Ext(_FRACTION, str(value).encode())
    raise TypeError(f"{type(value).__name__} is not kept")


def _unpacked(code: int, data: memoryview) -> Any:
    if code == _FRACTION:
        return Fraction(bytes(data).decode())
    if code != _ARRAY:
        raise ValueError("not written here")
    length = int.from_bytes(data[:2], "little")
    kind, shape = msgspec.msgpack.decode(data[2 : 2 + length], type=tuple[str, tuple[int, ...]])
    return np.frombuffer(data[2 + length :], dtype=kind).reshape(shape).copy()


def _same(one: Any, other: Any) -> Any:
    """Return whether two results are of the same types and values, however deep; NaN is as NaN."""
    one = one.item() if isinstance(one, np.generic) else one
    if type(one) is not type(other):
        return False
    if isinstance(one, np.ndarray):
        return one.dtype == other.dtype and one.shape == other.shape and one.tobytes() == other.tobytes()
    if isinstance(one, msgspec.Struct):
        return all(_same(getattr(one, name), getattr(other, name)) for name in one.__struct_fields__)
    if isinstance(one, dict):
        return list(one) == list(other) and all(_same(one[name], other[name]) for name in one)
    if isinstance(one, list | tuple):
        return len(one) == len(other) and all(map(_same, one, other))
    return bool(one == other) or (isinstance(one, float) and math.isnan(one) and math.isnan(other))


class _Store:
    """The file: digests and contents. Whatever goes wrong with it is no harm."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lock = threading.Lock()
        self._open: sqlite3.Connection | None = None

    def _with(self, act: "Callable[[sqlite3.Connection], T]", otherwise: T) -> T:
        """Return what is done with the file, or otherwise where that goes wrong."""
        import sqlite3  # here, for the sake of a quick start

        with self._lock:
            try:
                if self._open is None:
                    self._open = self._opened()
                return act(self._open)
            except (sqlite3.Error, OSError) as cause:
                if self._open is not None:
                    self._open.close()
                self._open = None
                if isinstance(cause, sqlite3.DatabaseError) and not isinstance(cause, sqlite3.OperationalError):
                    for damaged in self.path.parent.glob(f"{self.path.name}*"):
                        damaged.unlink(missing_ok=True)
                return otherwise

    def _opened(self) -> "sqlite3.Connection":
        import sqlite3

        self.path.parent.mkdir(parents=True, exist_ok=True)
        made = sqlite3.connect(self.path, timeout=0.2, isolation_level=None, check_same_thread=False)
        made.execute("PRAGMA auto_vacuum = FULL")
        made.execute("PRAGMA journal_mode = WAL")
        made.execute("PRAGMA synchronous = NORMAL")
        made.execute("CREATE TABLE IF NOT EXISTS results (digest BLOB PRIMARY KEY, content BLOB, size INTEGER, used REAL)")
        return made

    def load(self, digest: bytes) -> bytes | None:
        """Return what is kept under a digest."""
        now = time.time()

        def load(there: "sqlite3.Connection") -> bytes | None:
            found = there.execute("SELECT content FROM results WHERE digest = ?", (digest,)).fetchone()
            if found is not None:
                there.execute("UPDATE results SET used = ? WHERE digest = ? AND used < ?", (now, digest, now - _TOLD_S))
            return None if found is None else bytes(found[0])

        return self._with(load, None)

    def keep(self, digest: bytes, content: bytes) -> None:
        """Keep a content, and forget others where there is no room for all."""
        most = load_settings().kept_mb << 20

        def keep(there: "sqlite3.Connection") -> None:
            row = digest, content, len(content), time.time()
            there.execute("INSERT OR REPLACE INTO results VALUES (?, ?, ?, ?)", row)
            held = _held(there)
            if held > most:
                oldest = there.execute("SELECT digest, size FROM results ORDER BY used").fetchall()
                while held > _FULL * most and len(oldest) > 1:
                    gone, size = oldest.pop(0)
                    there.execute("DELETE FROM results WHERE digest = ?", (gone,))
                    held -= size

        if len(content) <= most:
            self._with(keep, None)

    def held(self) -> int:
        """Return the bytes of all contents."""
        return self._with(_held, 0)

    def forget(self) -> None:
        """Forget everything."""
        self._with(lambda there: there.execute("DELETE FROM results"), None)


def _held(there: "sqlite3.Connection") -> int:
    return int(there.execute("SELECT TOTAL(size) FROM results").fetchone()[0])


_stores: dict[tuple[Path, int], _Store] = {}


def _store() -> _Store:
    """Return the store of this process in the present cache folder."""
    at = cache_directory() / "results.sqlite", os.getpid()
    if at not in _stores:
        _stores.clear()
        _stores[at] = _Store(at[0])
    return _stores[at]
