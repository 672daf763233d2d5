"""A recording while rows are added: an outline of all of it at any moment, and what opening it would have to find out again."""

import hashlib
import os
import shutil
import threading
from pathlib import Path

import numpy as np

from pantelos.formats.recorded.layout import RecordedHeader
from pantelos.formats.storing import KnownSource
from pantelos.record.file_numbers import OpenFile
from pantelos.record.store import making_folder
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.sampling.growing_pyramid import GrowingPyramid
from pantelos.signal.sampling.pyramid import BUCKET, Pyramid, envelope

TYPE = "<i2"  # of the numbers
_FEW = BUCKET  # rows of a column that are looked at one by one


class Growing:
    """What is known of the rows that are in a file; one thread adds, others look.

    It lives in the cache folder. Where that has no room the recording goes on without it, and opening it takes its time.
    """

    def __init__(self, path: Path, header: RecordedHeader, head: bytes) -> None:
        self.n_rows = 0
        self._n_channels, self._room, self._row_bytes = len(header.channels), len(head), header.row_bytes
        self._file = OpenFile(path)
        self._digest = hashlib.blake2b(head, digest_size=32)
        self._lock = threading.Lock()
        self._pyramid: GrowingPyramid | None = None
        self._folder: Path | None = None
        self._last: list[Pyramid] = []  # when no more is added
        self.why_not = ""  # there is no outline any more
        try:
            self._folder = making_folder()
            self._pyramid = GrowingPyramid(self._folder, self._n_channels, TYPE)
        except OSError as cause:
            self._give_up(cause)

    def add(self, rows: AnyArray) -> None:
        """Take rows (n, n_channels) that have been written."""
        self._digest.update(rows.data)
        if self._pyramid is not None:
            try:
                self._pyramid.add(rows)
            except OSError as cause:
                self._give_up(cause)
        self.n_rows += len(rows)

    def _give_up(self, cause: OSError) -> None:
        self.why_not = f"there is no outline: {os.strerror(cause.errno) if cause.errno else cause}, in the cache folder"
        self.close()

    def rows(self, start: int, stop: int) -> AnyArray:
        """Return rows as they stand in the file, (n, n_channels).

        Raises
        ------
        FileAccessError
            When they cannot be read.
        """
        content = self._file.read(self._room + start * self._row_bytes, (stop - start) * self._row_bytes)
        return np.frombuffer(content, TYPE).reshape(-1, self._n_channels)

    def envelopes(self, start: float, stop: float, n_columns: int) -> list[tuple[FloatArray, FloatArray]]:
        """Return lowest and highest number of each channel per picture column of a view in rows; NaN where there is none.

        None of any channel without an outline.
        """
        with self._lock:
            pyramids = self._pyramid.pyramids() if self._pyramid is not None else self._last
        first, last = max(int(start), 0), min(int(np.ceil(stop)) + 1, self.n_rows)
        few = pyramids and last - first < _FEW * n_columns
        rows = self.rows(first, max(last, first)) if few else np.zeros((0, self._n_channels), TYPE)
        return [
            envelope(lambda a, b, k=k: rows[a - first : b - first, k], pyramid, start, stop, n_columns)  # type: ignore[misc]
            for k, pyramid in enumerate(pyramids)
        ]

    def known(self, tail: bytes) -> KnownSource | None:
        """Return what opening the file need not find out again, when `tail` has been written behind its rows."""
        if self._pyramid is None:
            return None
        self._digest.update(tail)
        return KnownSource(self._digest.hexdigest(), self._pyramid.pyramids())

    def close(self) -> None:
        """Leave nothing behind in the cache folder; the outline stays as long as somebody looks at it."""
        with self._lock:
            if self._pyramid is not None:
                self._last = [] if self.why_not else self._pyramid.pyramids()
                self._pyramid.close()
                self._pyramid = None
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
