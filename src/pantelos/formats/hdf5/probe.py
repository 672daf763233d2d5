"""A look into an HDF5 file in a process of its own: its library may loop or crash on a damaged one, and nothing stops it then."""

import subprocess
import sys
from pathlib import Path

from pantelos.errors import FormatError

_PATIENCE_S = 6.0
_passed: set[tuple[str, int, int]] = set()


def check_readable(path: Path) -> None:
    """Refuse a file whose contents cannot be listed; one that was not touched since it passed is not looked into again.

    Raises
    ------
    FormatError
        When the library does not come back, or crashes.
    """
    state = path.stat()
    seen = str(path), state.st_size, state.st_mtime_ns
    if seen in _passed:
        return
    try:
        done = subprocess.run(
            [sys.executable, "-m", "pantelos.formats.hdf5.look", str(path)],
            timeout=_PATIENCE_S,
            check=False,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
    except subprocess.TimeoutExpired as cause:
        raise _unreadable(path) from cause
    if done.returncode < 0:  # a signal ended it
        raise _unreadable(path)
    _passed.add(seen)


def _unreadable(path: Path) -> FormatError:
    return FormatError(path, "the datasets in it cannot be listed", "a whole HDF5 file", "Write or copy it again.")
