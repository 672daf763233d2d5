"""Writing a recording while it is made: rows behind each other, the header in its room."""

import os
from collections.abc import Sequence
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import access_error
from pantelos.formats.recorded.layout import Lost, RecordedHeader, RecordedShot, packed, room_for
from pantelos.signal.arrays import AnyArray


class RecordingWriter:
    """A recording in the making; what was added stands in the file."""

    def __init__(self, path: Path, header: RecordedHeader, n_shots: int) -> None:
        """Begin a file.

        Raises
        ------
        FileAccessError
            When it cannot be written, or is there already.
        """
        self.path, self.header = path, header
        self._room = room_for(header, n_shots)
        self.n_rows = 0
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o644)
            os.write(self._file, packed(header, self._room))
        except OSError as cause:
            raise access_error(path, "written", cause) from cause

    def add(self, rows: AnyArray) -> None:
        """Add rows (n, n_channels).

        Raises
        ------
        FileAccessError
            When they do not fit the disk; rows that were added before stay.
        """
        content = memoryview(np.ascontiguousarray(rows, dtype="<i2").data).cast("B")
        at = self._room + self.n_rows * self.header.row_bytes
        try:
            while content:
                written = os.pwrite(self._file, content, at)
                content, at = content[written:], at + written
        except OSError as cause:
            raise access_error(self.path, "written", cause) from cause
        self.n_rows += len(rows)

    def state(self, shots: Sequence[RecordedShot] | None = None, lost: int = 0, ended: str = "") -> None:
        """Say which shots there are, that rows were lost before the next one, or why it ended.

        Raises
        ------
        FileAccessError
            When it cannot be written.
        """
        gaps = (*self.header.lost, Lost(self.n_rows, lost)) if lost else self.header.lost
        known = tuple(shots) if shots is not None else self.header.shots
        self.header = msgspec.structs.replace(self.header, shots=known, lost=gaps, ended=ended or self.header.ended)
        try:
            os.pwrite(self._file, packed(self.header, self._room), 0)
        except OSError as cause:
            raise access_error(self.path, "written", cause) from cause

    def close(self) -> None:
        """End; the file is on the disk."""
        if self._file >= 0:
            os.fsync(self._file)
            os.close(self._file)
            self._file = -1
