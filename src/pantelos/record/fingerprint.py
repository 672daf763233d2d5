"""Fingerprint of a file: what a reviewer can recompute with `b2sum -l 256 FILE`."""

import hashlib
from pathlib import Path

import msgspec

from pantelos.errors import access_error
from pantelos.folders import cache_directory
from pantelos.progress import Progress

_PIECE = 1 << 22


def fingerprint(*paths: Path, progress: Progress | None = None) -> str:
    """Return the BLAKE2b-256 digest of a file, 64 hex digits; of several, that of their contents one after the other.

    Raises
    ------
    FileAccessError
        When a file cannot be read.
    """
    digest = hashlib.blake2b(digest_size=32)
    for path in paths:
        try:
            with path.open("rb") as file:
                size, done = path.stat().st_size, 0
                while piece := file.read(_PIECE):  # unlike a mapped file, waiting for the disk here holds up no other thread
                    digest.update(piece)
                    done += len(piece)
                    if progress is not None:
                        progress.at(done / max(size, 1))
        except OSError as cause:
            raise access_error(path, "read", cause) from cause
    return digest.hexdigest()


class _Seen(msgspec.Struct, frozen=True):
    """The fingerprint files had when they were of these sizes and ages."""

    states: tuple[tuple[int, int], ...]  # size in bytes, time of the last change in ns
    fingerprint: str


def _states(paths: tuple[Path, ...]) -> tuple[tuple[int, int], ...]:
    return tuple((state.st_size, state.st_mtime_ns) for state in (path.stat() for path in paths))


def remembered_fingerprint(*paths: Path) -> str | None:
    """Return the fingerprint of files that have not been touched since it was taken, or None."""
    try:
        seen = msgspec.json.decode(_note(paths).read_bytes(), type=_Seen)
        return seen.fingerprint if seen.states == _states(paths) else None
    except (OSError, msgspec.DecodeError):
        return None


def remember_fingerprint(fingerprint: str, *paths: Path) -> None:
    """Keep the fingerprint for the next opening; failing to is no harm."""
    try:
        note = _note(paths)
        note.parent.mkdir(parents=True, exist_ok=True)
        note.write_bytes(msgspec.json.encode(_Seen(_states(paths), fingerprint)))
    except OSError:
        return


def _note(paths: tuple[Path, ...]) -> Path:
    names = "\0".join(str(path.resolve()) for path in paths).encode(errors="surrogateescape")
    name = hashlib.blake2b(names, digest_size=16).hexdigest()
    return cache_directory() / "fingerprints" / f"{name}.json"
