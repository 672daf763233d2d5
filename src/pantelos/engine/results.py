"""The cache of results: same identity, same result; bounded by the bytes it holds; used from any thread."""

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any, TypeAlias, TypeVar

import msgspec
import numpy as np

T = TypeVar("T")
Key: TypeAlias = tuple[str, ...]
KEPT_BYTES = 384 << 20  # room for the quality of a week
_ENTRY = 500  # bytes of a key and what keeps it


def identity_of(*parts: Any) -> str:
    """Return a digest of everything a result depends on; parts are values msgspec can write."""
    return hashlib.blake2b(msgspec.json.encode(parts), digest_size=16).hexdigest()


def bytes_of(result: Any) -> int:
    """Return about how many bytes a result holds: those of its arrays, however deep. What is read when asked for holds none."""
    if isinstance(result, np.ndarray):
        return int(result.nbytes)
    if isinstance(result, str | bytes):
        return len(result)
    if isinstance(result, dict):
        return sum(bytes_of(part) for part in result.values())
    if isinstance(result, list | tuple):
        return sum(bytes_of(part) for part in result) if len(result) < 1000 else len(result) * (8 + bytes_of(result[0]))
    if isinstance(result, msgspec.Struct) and not hasattr(result, "read"):
        return sum(bytes_of(getattr(result, name)) for name in result.__struct_fields__)
    return 8


class ResultCache:
    """Keeps results by identity, the most recently used ones longest; one larger than all there is room for is not kept.

    A result is made by one thread at a time: another that asks meanwhile waits, and makes it itself where the first one failed.
    """

    lasting = True  # what is made may be kept for later runs, too

    def __init__(self, kept_bytes: int = KEPT_BYTES) -> None:
        self._results: OrderedDict[Key, tuple[Any, int]] = OrderedDict()
        self._room, self._held = kept_bytes, 0
        self._lock = threading.Lock()
        self._makers: dict[Key, tuple[int, threading.Event]] = {}  # thread that makes a result, and when it is done

    def get(self, key: Key, make: Callable[[], T]) -> T:
        """Return the result of that identity, made by `make` when it is not there."""
        me = threading.get_ident()
        while True:
            with self._lock:
                if key in self._results:
                    self._results.move_to_end(key)
                    found: T = self._results[key][0]
                    return found
                maker, done = self._makers.get(key, (me, None))
                if done is None:
                    self._makers[key] = me, threading.Event()
                    break
            if maker == me:
                return make()  # it rests on itself: whoever made it that way says so
            done.wait()
        try:
            made = make()
            self._keep(key, made)
            return made
        finally:
            with self._lock:
                self._makers.pop(key)[1].set()

    def _keep(self, key: Key, made: Any) -> None:
        size = bytes_of(made) + _ENTRY
        with self._lock:
            if size <= self._room and key not in self._results:
                self._results[key] = made, size
                self._held += size
            while self._held > self._room:
                self._held -= self._results.popitem(last=False)[1][1]

    def has(self, key: Key) -> bool:
        """Return whether a result is there already."""
        with self._lock:
            return key in self._results

    @property
    def held_bytes(self) -> int:
        """About how many bytes are kept."""
        return self._held

    def under(self, *prefix: str) -> "ResultCache":
        """Return the part of this cache whose keys begin so: what is made under other circumstances, in the same room."""
        return _Part(self, prefix)


class _Part(ResultCache):
    """A part of a cache."""

    lasting = False  # of channels as they are not

    def __init__(self, whole: ResultCache, prefix: Key) -> None:
        super().__init__(0)
        self._whole, self._prefix = whole, prefix

    def get(self, key: Key, make: Callable[[], T]) -> T:
        return self._whole.get((*self._prefix, *key), make)

    def has(self, key: Key) -> bool:
        return self._whole.has((*self._prefix, *key))

    def under(self, *prefix: str) -> ResultCache:
        return self._whole.under(*self._prefix, *prefix)
