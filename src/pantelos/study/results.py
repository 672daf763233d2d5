"""The cache of results: same identity, same result; used from any thread."""

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any, TypeVar

import msgspec

T = TypeVar("T")
_KEPT = 4000


def identity_of(*parts: Any) -> str:
    """Return a digest of everything a result depends on; parts are values msgspec can write."""
    return hashlib.blake2b(msgspec.json.encode(parts), digest_size=16).hexdigest()


class ResultCache:
    """Keeps results by identity, the most recently used ones longest."""

    def __init__(self) -> None:
        self._results: OrderedDict[tuple[str, ...], Any] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: tuple[str, ...], make: Callable[[], T]) -> T:
        """Return the result of that identity, made by `make` when it is not there."""
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
                return self._results[key]  # type: ignore[no-any-return]
        made = make()  # outside the lock: two threads may both make it, to the same result
        with self._lock:
            self._results[key] = made
            while len(self._results) > _KEPT:
                self._results.popitem(last=False)
        return made

    def has(self, key: tuple[str, ...]) -> bool:
        """Return whether a result is there already."""
        with self._lock:
            return key in self._results
