"""What is seen of a recording while it is made: its last stretch, or its last whole shot, and an outline of all of it."""

import threading
import time
from pathlib import Path

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.formats.recorded.layout import RecordedShot
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.recorder.driver import Taken
from pantelos.recorder.recording import News
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.pyramid import build_pyramid
from pantelos.study.model import ChannelSetup, Study
from pantelos.units import unit

_KEPT = 1 << 22  # numbers of all channels
_SHOWN = 1 << 16  # rows of a recording without shots
_OUTLINE = 2048  # columns of the outline at most


class Stretch(msgspec.Struct, frozen=True, eq=False):
    """Rows to look at, and where they lie."""

    rows: AnyArray  # (n, n_channels), int16
    start_s: float  # of the first one, against the start of its shot, or from the beginning of the recording on
    shot: int  # from 1 on; 0: none in particular
    arrived: float  # of the last row, monotonic clock, s


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
        self._outline_rows, self._outline_left = 1, np.zeros((0, n_channels), dtype="<i2")
        self._outline: list[AnyArray] = []  # (2, n_channels) each: lowest, highest
        self.news: News | None = None

    def add(self, news: News) -> None:
        """Take rows."""
        values = news.rows.values
        with self._lock:
            self.news, self._shots = news, news.shots
            if not len(values):
                return
            self._arrived = time.monotonic()
            kept = values[-self._room :]
            at = (self._n + len(values) - len(kept)) % self._room
            part = min(len(kept), self._room - at)
            self._rows[at : at + part] = kept[:part]
            self._rows[: len(kept) - part] = kept[part:]
            self._n += len(values)
            self._first = max(self._first, self._n - self._room)
            self._add_outline(values)

    def _add_outline(self, values: AnyArray) -> None:
        left = np.concatenate([self._outline_left, values])
        n = len(left) // self._outline_rows
        if n:
            whole = left[: n * self._outline_rows].reshape(n, self._outline_rows, -1)
            self._outline += list(np.stack([whole.min(axis=1), whole.max(axis=1)], axis=1))
        self._outline_left = left[n * self._outline_rows :]
        while len(self._outline) > _OUTLINE:
            pairs = np.array(self._outline[: len(self._outline) // 2 * 2])
            odd = self._outline[len(pairs) :]
            lows, highs = pairs[:, 0].reshape(-1, 2, pairs.shape[-1]), pairs[:, 1].reshape(-1, 2, pairs.shape[-1])
            self._outline = [*np.stack([lows.min(axis=1), highs.max(axis=1)], axis=1), *odd]
            self._outline_rows *= 2

    def outline(self) -> tuple[AnyArray, float]:
        """Return lowest and highest numbers, (n, 2, n_channels), and the seconds that each stands for."""
        with self._lock:
            found = np.array(self._outline).reshape(-1, 2, self._rows.shape[1])
            return found, self._outline_rows / self.taken.order.rate_hz

    def stretch(self, back: int = 0) -> Stretch | None:
        """Return the last whole shot, or the one so many before; without shots the last rows. None while there is nothing."""
        order = self.taken.order
        with self._lock:
            if order.n_samples and order.gate is None:  # what a gate lets through has no length of its own
                whole = [k for k, shot in enumerate(self._shots) if shot.first + order.n_samples <= self._n]
                for k in whole[len(whole) - 1 - back :: -1] if back < len(whole) else []:
                    shot = self._shots[k]
                    if shot.first >= self._first and order.n_samples <= _KEPT:
                        rows = self._between(shot.first, shot.first + order.n_samples)
                        return Stretch(rows, (shot.first - shot.start) / order.rate_hz, k + 1, self._arrived)
                if len(self._shots) > 1 or order.n_samples <= _SHOWN:
                    return None
            begin = max(self._n - _SHOWN, self._first)
            if begin >= self._n:
                return None
            return Stretch(self._between(begin, self._n), begin / order.rate_hz, 0, self._arrived)

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

    def evaluation(self, stretch: Stretch) -> Evaluation:
        """Return the evaluation of a stretch: panels and readings are those of any record."""
        raws = []
        for k, one in enumerate(self.taken.order.channels):
            x = np.ascontiguousarray(stretch.rows[:, k])
            scale = self.taken.steps_v[k]
            raws.append(RawChannel(one.name, x, unit("V"), build_pyramid(lambda a, b, x=x: x[a:b], len(x)), scale))  # type: ignore[misc]
        record = record_of_arrays(tuple(raws), self.taken.order.rate_hz, Path("live"), f"{stretch.shot}-{stretch.arrived}")
        return Evaluation(self.study, record)
