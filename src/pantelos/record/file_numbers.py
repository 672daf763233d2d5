"""Numbers that stay in the file they came in: read when asked for, never mapped, so that no file can pull them away.

Reading a mapped file that has become shorter ends the process; reading it like this is an error that can be told.
"""

import os
from pathlib import Path
from typing import Any

import numpy as np

from pantelos.errors import FileAccessError, access_error
from pantelos.signal.arrays import AnyArray


class OpenFile:
    """A file kept open: what was there when it was opened stays readable when another takes its name."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._handle = -1
        try:
            self._handle = os.open(path, os.O_RDONLY | getattr(os, "O_CLOEXEC", 0))
        except OSError as cause:
            raise access_error(path, "read", cause) from cause

    def __del__(self) -> None:
        if self._handle >= 0:
            os.close(self._handle)

    def read(self, offset: int, length: int) -> bytes:
        """Return bytes of the file; safe from several threads.

        Raises
        ------
        FileAccessError
            When it cannot be read, or ends before.
        """
        parts: list[bytes] = []
        while length > 0:
            try:
                part = os.pread(self._handle, length, offset)
            except OSError as cause:
                raise access_error(self.path, "read", cause) from cause
            if not part:
                raise FileAccessError(
                    self.path, "read", "it has become shorter while it was open", "Close it, and open it again when it is whole."
                )
            parts.append(part)
            offset, length = offset + len(part), length - len(part)
        return parts[0] if len(parts) == 1 else b"".join(parts)


class FileNumbers:
    """A row of numbers in an open file, each `stride` bytes behind the one before; sliced like an array, read at that moment."""

    def __init__(self, file: OpenFile, dtype: "np.dtype[Any] | str", n: int, offset: int, stride: int | None = None) -> None:
        self.file, self.dtype = file, np.dtype(dtype)
        self._n, self._offset = n, offset
        self._stride = stride if stride is not None else self.dtype.itemsize

    def __len__(self) -> int:
        return self._n

    @property
    def shape(self) -> tuple[int]:
        """Its length, as an array states it."""
        return (self._n,)

    def __getitem__(self, rows: slice) -> AnyArray:
        """Return rows start to stop as an array that is not to be written to."""
        start, stop, step = rows.indices(self._n)
        assert step == 1
        n = max(stop - start, 0)
        if not n:
            return np.zeros(0, self.dtype)
        content = self.file.read(self._offset + start * self._stride, (n - 1) * self._stride + self.dtype.itemsize)
        return np.ndarray((n,), self.dtype, content, 0, (self._stride,))

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> AnyArray:
        return np.asarray(self[:], dtype=dtype)
