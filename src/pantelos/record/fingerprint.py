"""Fingerprint of a file: what a reviewer can recompute with `b2sum -l 256 FILE`."""

import hashlib
import mmap
from pathlib import Path

import msgspec

from pantelos.errors import access_error
from pantelos.progress import Progress
from pantelos.record.cache import cache_directory

_PIECE = 1 << 22


def fingerprint(path: Path, progress: Progress | None = None) -> str:
    """Return the BLAKE2b-256 digest of a file, 64 hex digits.

    Raises
    ------
    FileAccessError
        When the file cannot be read.
    """
    digest = hashlib.blake2b(digest_size=32)
    try:
        with path.open("rb") as file:
            size = path.stat().st_size
            if size:
                with mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as view:
                    for low in range(0, size, _PIECE):
                        digest.update(view[low : low + _PIECE])
                        if progress is not None:
                            progress.at(low / size)
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    return digest.hexdigest()


class _Seen(msgspec.Struct, frozen=True):
    """The fingerprint a file had when it was of that size and age."""

    size: int
    modified_ns: int
    fingerprint: str


def remembered_fingerprint(path: Path) -> str | None:
    """Return the fingerprint of a file that has not been touched since it was taken, or None."""
    try:
        state = path.stat()
        seen = msgspec.json.decode(_note(path).read_bytes(), type=_Seen)
    except (OSError, msgspec.DecodeError):
        return None
    return seen.fingerprint if (seen.size, seen.modified_ns) == (state.st_size, state.st_mtime_ns) else None


def remember_fingerprint(path: Path, fingerprint: str) -> None:
    """Keep the fingerprint for the next opening; failing to is no harm."""
    try:
        state = path.stat()
        note = _note(path)
        note.parent.mkdir(parents=True, exist_ok=True)
        note.write_bytes(msgspec.json.encode(_Seen(state.st_size, state.st_mtime_ns, fingerprint)))
    except OSError:
        return


def _note(path: Path) -> Path:
    name = hashlib.blake2b(str(path.resolve()).encode(), digest_size=16).hexdigest()
    return cache_directory() / "fingerprints" / f"{name}.json"
