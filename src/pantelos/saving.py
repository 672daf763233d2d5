"""Writing files so that they appear whole or not at all."""

import contextlib
import errno
import os
import shutil
import stat
import time
from pathlib import Path

from pantelos.errors import access_error

_LEFT_AFTER_S = 3600.0  # what lies beside a file under its name and is older was left by a save that was killed


def write_whole(path: Path, content: bytes) -> None:
    """Write aside, flush to the disk, rename: on failure what was there before is untouched.

    A symbolic link stays one: what it leads to is replaced. The permissions of the file that was there are kept.

    Raises
    ------
    FileAccessError
        When the folder is missing, not writable or the disk is full.
    """
    made: Path | None = None
    try:
        target = path.resolve()
        if _is_kept_from_writing(target):
            raise PermissionError(errno.EACCES, "it may not be written to")
        clear_leftovers(target)
        import tempfile  # here, for the sake of a quick start

        handle, name = tempfile.mkstemp(prefix=f".{target.name}.", suffix=".part", dir=target.parent)
        made = Path(name)
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        made.chmod(_mode_of(target))
        made.replace(target)
        _flush_folder(target.parent)
    except OSError as cause:
        if made is not None:
            made.unlink(missing_ok=True)
        raise access_error(path, "written", cause) from cause


def _is_kept_from_writing(path: Path) -> bool:
    """Return whether a file is there that nobody may write to: replacing it would go round that."""
    try:
        return not path.stat().st_mode & 0o222 or not os.access(path, os.W_OK)
    except OSError:
        return False


def _mode_of(path: Path) -> int:
    """Return the permissions of a file, or those a new one gets."""
    try:
        return stat.S_IMODE(path.stat().st_mode)
    except OSError:
        return 0o666 & ~_umask()


def _umask() -> int:
    current = os.umask(0)
    os.umask(current)
    return current


def _flush_folder(folder: Path) -> None:
    """Put the rename on the disk too; a file system that cannot is no reason to fail."""
    try:
        handle = os.open(folder, os.O_RDONLY)
    except OSError:
        return
    try:
        os.fsync(handle)
    except OSError:
        pass
    finally:
        os.close(handle)


def clear_leftovers(path: Path) -> None:
    """Delete what was left beside a file by killed programs that wrote it: files and folders in the making."""
    for left in path.parent.glob(f".{_plain(path.name)}.*.part"):
        with contextlib.suppress(OSError):
            if time.time() - left.stat().st_mtime <= _LEFT_AFTER_S:
                continue
            if left.is_dir():
                shutil.rmtree(left)
            else:
                left.unlink()


def _plain(name: str) -> str:
    """Return a name as a pattern that matches nothing else."""
    return "".join(f"[{sign}]" if sign in "*?[" else sign for sign in name)
