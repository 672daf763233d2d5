"""What is seen of a recording while it is made: its last stretch or its last whole shot, and any part of what came before."""

import math
import threading
import time
from pathlib import Path

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import FileAccessError
from pantelos.formats.recorded.layout import RecordedShot
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.recorder.driver import Taken
from pantelos.recorder.recording import News
from pantelos.recorder.shots import ShotsSeen
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.sampling.bands import drawn_bands, parts_of_column
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.study.model import ChannelSetup, Study
from pantelos.units import unit

_KEPT = 1 << 22  # numbers of all channels
_SHOWN = 1 << 16  # rows of a recording without shots
_EVALUATED = 1 << 20  # numbers of all channels of a part that readings are taken of at once


class LiveStretch(msgspec.Struct, frozen=True, eq=False):
    """Rows to look at, and where they lie."""

    rows: AnyArray  # (n, n_channels), int16
    start_s: float  # of the first one, against the start of its shot, or from the beginning of the recording on
    shot: int  # from 1 on; 0: none in particular
    arrived: float  # of the last row, monotonic clock, s
    first: int = 0  # row of the recording


class LivePart(msgspec.Struct, frozen=True):
    """Rows to look at that need not be in memory, and the instants of the first and of the one behind the last, s."""

    first: int
    stop: int
    start_s: float
    stop_s: float


class Live:
    """Takes what a recording says, from its thread; tells the window."""

    def __init__(self, taken: Taken) -> None:
        self.taken = taken
        order = taken.order
        # One channel's cycles count for all: finding those of each would take longer than anything else.
        counts = order.start.channel or order.channels[0].name
        setups = tuple(ChannelSetup(one.name, one.name, "V", one.scaling) for one in order.channels)
        self.study = Study(channels=setups, reference=counts)
        n_channels = len(order.channels)
        self._room = max(_KEPT // n_channels, 2 * min(order.n_samples, _KEPT))
        self._rows = np.zeros((self._room, n_channels), dtype="<i2")
        self._lock = threading.Lock()
        self._first = self._n = 0  # rows [first, n) of the recording are in the ring
        self._shots: tuple[RecordedShot, ...] = ()
        self._arrived = 0.0
        self.news: News | None = None
        self.seen, self._n_seen = ShotsSeen(), 0  # shots that are whole, and how many of them were looked at

    def add(self, news: News) -> None:
        """Take rows."""
        values = news.rows.values
        with self._lock:
            self.news, self._shots = news, news.shots
            if len(values):
                self._arrived = time.monotonic()
                self._keep(values)
        self._see_shots()  # rows are written by this thread alone: nobody has to wait while it looks at them

    def _keep(self, values: AnyArray) -> None:
        kept = values[-self._room :]
        at = (self._n + len(values) - len(kept)) % self._room
        part = min(len(kept), self._room - at)
        self._rows[at : at + part] = kept[:part]
        self._rows[: len(kept) - part] = kept[part:]
        self._n += len(values)
        self._first = max(self._first, self._n - self._room)

    def stretch(self, number: int | None = None) -> LiveStretch | None:
        """Return the last whole shot, or that of a number, from 1 on; without shots the last rows; None of nothing."""
        order = self.taken.order
        with self._lock:
            if order.n_samples and order.gate is None:  # what a gate lets through has no length of its own
                n_whole = sum(shot.first + order.n_samples <= self._n for shot in self._shots)
                k = min(number or n_whole, n_whole) - 1
                if k >= 0 and order.n_samples <= _KEPT:
                    shot = self._shots[k]
                    rows = self._rows_of(shot.first, shot.first + order.n_samples)
                    if rows is not None:
                        before_s = (shot.first - shot.start) / order.rate_hz
                        return LiveStretch(rows, before_s, k + 1, self._arrived, shot.first)
                if len(self._shots) > 1 or order.n_samples <= _SHOWN:
                    return None
            begin = max(self._n - _SHOWN, self._first)
            if begin >= self._n:
                return None
            return LiveStretch(self._between(begin, self._n), self._instant(begin), 0, self._arrived, begin)

    @property
    def n_rows(self) -> int:
        """Rows that have come."""
        return self._n

    def _instant(self, row: int) -> float:
        """Return when a row was taken, s from the beginning of the recording on."""
        lost = sum(gap.n for gap in self.news.gaps if gap.before <= row) if self.news is not None else 0
        return (row + lost) / self.taken.order.rate_hz

    def part(self, first: float, stop: float) -> LivePart | None:
        """Return a part of what has come, in rows; None where there is nothing of it."""
        with self._lock:
            low, high = max(math.floor(first), 0), min(math.ceil(stop), self._n)
            return LivePart(low, high, self._instant(low), self._instant(high)) if high - low > 1 else None

    def stretch_of(self, part: LivePart) -> LiveStretch | None:
        """Return the rows of a part, None where they are too many to hold.

        Raises
        ------
        FileAccessError
            When they cannot be read.
        """
        growing = self.news.growing if self.news is not None else None
        if growing is None or (part.stop - part.first) * self._rows.shape[1] > _EVALUATED:
            return None
        return LiveStretch(growing.rows(part.first, part.stop), part.start_s, 0, time.monotonic(), part.first)

    def bands(self, first: float, stop: float, n_columns: int) -> list[tuple[FloatArray, FloatArray]]:
        """Return lowest and highest value of each channel per picture column of a view in rows; NaN where there is none, SI.

        None of any channel without an outline.
        """
        growing = self.news.growing if self.news is not None else None
        parts = parts_of_column((stop - first) / max(n_columns, 1))
        try:
            found = growing.envelopes(first, stop, n_columns * parts) if growing is not None else []
        except FileAccessError:  # while it is painted: what comes goes on being recorded
            found = []
        gains = [self.gain(k) for k in range(len(found))]
        drawn = [drawn_bands(low, high, parts) for low, high in found]
        ends = [(low * gain + zero, high * gain + zero) for (low, high), (gain, zero) in zip(drawn, gains, strict=True)]
        return [(np.minimum(a, b), np.maximum(a, b)) for a, b in ends]

    @property
    def why_no_outline(self) -> str:
        """Why what came before cannot be seen; empty where it can."""
        return self.news.growing.why_not if self.news is not None and self.news.growing is not None else ""

    def _rows_of(self, low: int, high: int) -> AnyArray | None:
        """Return rows from memory, or from the file where they are no longer there."""
        if low >= self._first:
            return self._between(low, high)
        growing = self.news.growing if self.news is not None else None
        try:
            return growing.rows(low, high) if growing is not None else None
        except FileAccessError:  # what comes goes on being recorded
            return None

    def _see_shots(self) -> None:
        """Look at the shots that have become whole."""
        order = self.taken.order
        if not order.n_samples or order.gate is not None or order.n_samples * self._rows.shape[1] > _KEPT:
            return
        for k, shot in enumerate(self._shots[self._n_seen :], start=self._n_seen):
            if shot.first + order.n_samples > self._n:
                return
            self._n_seen = k + 1
            if shot.first >= self._first:
                rows = self._between(shot.first, shot.first + order.n_samples)
                values = np.array([self.values(rows, column) for column in range(rows.shape[1])])
                self.seen.add(k + 1, shot.at_s, shot.alone, values)

    def _between(self, low: int, high: int) -> AnyArray:
        return np.asarray(self._rows.take(np.arange(low, high), axis=0, mode="wrap"))

    def values(self, rows: AnyArray, column: int) -> FloatArray:
        """Return rows of a channel, SI."""
        gain, zero = self.gain(column)
        return np.asarray(rows[:, column] * gain + zero)

    def gain(self, column: int) -> tuple[float, float]:
        """Return what a number of a channel is multiplied by and what is added, SI."""
        one = self.taken.order.channels[column]
        gain, zero, _ = one.scaling.resolve(unit("V"))
        return gain * self.taken.steps_v[column], zero

    def evaluation(self, stretch: LiveStretch) -> Evaluation:
        """Return the evaluation of a stretch: panels and readings are those of any record."""
        raws = []
        for k, one in enumerate(self.taken.order.channels):
            x = np.ascontiguousarray(stretch.rows[:, k])
            scale = self.taken.steps_v[k]
            raws.append(RawChannel(one.name, x, unit("V"), build_pyramid(lambda a, b, x=x: x[a:b], len(x)), scale))  # type: ignore[misc]
        record = record_of_arrays(tuple(raws), self.taken.order.rate_hz, Path("live"), f"{stretch.shot}-{stretch.arrived}")
        return Evaluation(self.study, record)
