"""Writing files so that they appear whole or not at all."""

import os
import tempfile
from pathlib import Path

from pantelos.errors import access_error


def write_whole(path: Path, content: bytes) -> None:
    """Write aside, flush to the disk, rename: on failure what was there before is untouched.

    Raises
    ------
    FileAccessError
        When the folder is missing, not writable or the disk is full.
    """
    made: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        made = Path(name)
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        made.chmod(0o666 & ~_umask())
        made.replace(path)
    except OSError as cause:
        if made is not None:
            made.unlink(missing_ok=True)
        raise access_error(path, "written", cause) from cause


def _umask() -> int:
    current = os.umask(0)
    os.umask(current)
    return current
