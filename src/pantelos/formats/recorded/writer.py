"""Writing a recording while it is made: rows behind each other, what becomes known beside, and behind them at the end."""

import contextlib
import os
from collections.abc import Sequence
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import FileAccessError, access_error
from pantelos.formats.recorded.companions import course_beside
from pantelos.formats.recorded.growing import TYPE, Growing
from pantelos.formats.recorded.layout import (
    Lost,
    RecordedCourse,
    RecordedHeader,
    RecordedShot,
    packed_course,
    packed_header,
    room_for_course,
)
from pantelos.formats.recorded.reader import keep_recorded
from pantelos.signal.arrays import AnyArray


class RecordingWriter:
    """A recording in the making; what was added stands in the file."""

    def __init__(self, path: Path, header: RecordedHeader, n_shots: int) -> None:
        """Begin a file that will have so many shots.

        Raises
        ------
        FileAccessError
            When it cannot be written, or is there already.
        """
        self.path, self.header, self.course = path, header, RecordedCourse()
        head, room = packed_header(header), room_for_course(n_shots)
        self._course_bytes = 0
        self._room = len(head)
        self.n_rows = 0
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o644)
            os.write(self._file, head)
            self._beside = os.open(course_beside(path), os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o644)
            os.write(self._beside, b" " * room)  # so that a disk that fills up keeps nobody from saying why it ended
            self._write_course()
        except OSError as cause:
            raise access_error(path, "written", cause) from cause
        self.growing = Growing(path, header, head)

    def add(self, rows: AnyArray) -> None:
        """Add rows (n, n_channels).

        Raises
        ------
        FileAccessError
            When they do not fit the disk; rows that were added before stay.
        """
        numbers = np.ascontiguousarray(rows, dtype=TYPE)
        try:
            self._put(memoryview(numbers.data).cast("B"), self._room + self.n_rows * self.header.row_bytes)
        except OSError as cause:
            raise access_error(self.path, "written", cause) from cause
        self.n_rows += len(rows)
        self.growing.add(numbers)

    def _put(self, content: memoryview, at: int) -> None:
        while content:
            written = os.pwrite(self._file, content, at)
            content, at = content[written:], at + written

    def state(self, shots: Sequence[RecordedShot] | None = None, lost: int = 0, ended: str = "") -> None:
        """Say which shots there are, that rows were lost before the next one, or why it ended.

        Raises
        ------
        FileAccessError
            When it cannot be written.
        """
        gaps = (*self.course.lost, Lost(self.n_rows, lost)) if lost else self.course.lost
        known = tuple(shots) if shots is not None else self.course.shots
        n_rows = self.n_rows if ended else None
        self.course = RecordedCourse(known, gaps, ended or self.course.ended, n_rows)
        try:
            self._write_course()
        except OSError as cause:
            raise access_error(self.path, "written", cause) from cause

    def _write_course(self) -> None:
        content = msgspec.json.encode(self.course).ljust(self._course_bytes)
        self._course_bytes = len(content)
        os.pwrite(self._beside, content, 0)

    def close(self) -> None:
        """End; the file is on the disk. What was stated stands behind the rows where it has room there, else beside."""
        if self._file < 0:
            return
        tail = packed_course(msgspec.structs.replace(self.course, n_rows=self.n_rows)) if self.course.ended else b""
        end = self._room + self.n_rows * self.header.row_bytes
        whole = bool(tail)
        try:
            self._put(memoryview(tail), end)
        except OSError:
            whole = False
        with contextlib.suppress(OSError):  # beside, all of it was written before
            os.ftruncate(self._file, end + len(tail) if whole else end)
            os.fsync(self._file)
        os.close(self._file)
        os.close(self._beside)
        self._file = -1
        if whole:
            course_beside(self.path).unlink(missing_ok=True)
            known = self.growing.known(tail) if self.n_rows else None
            if known is not None:
                with contextlib.suppress(FileAccessError):  # then opening it finds it out
                    keep_recorded(self.path, known)
        self.growing.close()
