"""One recording from its start to its end: rows stream into the file; a lost link is made again and goes on where it was."""

import time
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import TypeVar

import msgspec
import numpy as np

from pantelos.formats.recorded.growing import Growing
from pantelos.formats.recorded.layout import Lost, RecordedChannel, RecordedHeader, RecordedShot
from pantelos.formats.recorded.writer import RecordingWriter
from pantelos.progress import Progress
from pantelos.recorder.driver import Recorder, RowsRead, Taken
from pantelos.recorder.link import LinkLost, RecorderError

T = TypeVar("T")
_MOST_ROWS = 1 << 18
_TRIES, _BETWEEN_S = 5, 0.2  # to connect again
_MANY_SHOTS = 10_000
_END = 32_767  # of the numbers, on either side
_STATED_EVERY_S = 1.0


class News(msgspec.Struct, frozen=True, eq=False):
    """What a recording says while it is made."""

    rows: RowsRead
    shots: tuple[RecordedShot, ...]
    n_rows: int  # in the file
    lost: int
    reconnected: int
    clipped: tuple[int, ...] = ()  # samples at the end of the range, by channel
    missed: int = 0  # starts that came during a shot or its hold-off
    gaps: tuple[Lost, ...] = ()
    growing: Growing | None = None  # what is known of all rows in the file


class Recorded(msgspec.Struct, frozen=True):
    """What came of it."""

    path: Path
    n_rows: int
    shots: tuple[RecordedShot, ...]
    missed: int
    lost: int
    ended: str  # why
    remarks: tuple[str, ...]


def record(
    recorder: Recorder,
    taken: Taken,
    path: Path,
    watch: Callable[[News], None] | None = None,
    progress: Progress | None = None,
    stopped: Callable[[], bool] = lambda: False,
) -> Recorded:
    """Start, fetch rows until it has ended or is stopped, and return what was recorded; what had arrived always stays.

    Raises
    ------
    RecorderError
        When the recorder refuses, or the link is lost for good: with how much was kept.
    FileAccessError
        When the file cannot be written: what was added before is in it.
    """
    progress = progress or Progress()
    order = taken.order
    channels = (
        RecordedChannel(one.name, step, one.range_v or 0.0, one.coupling, one.differential)
        for one, step in zip(order.channels, taken.steps_v, strict=True)
    )
    began = datetime.now(UTC).isoformat(timespec="microseconds")
    header = RecordedHeader(order.rate_hz, tuple(channels), began, recorder.identity, order.start.text())
    writer = RecordingWriter(path, header, order.n_shots or _MANY_SHOTS)
    of = _Running(recorder, taken, writer, watch or (lambda _: None), progress, stopped)
    try:
        recorder.start()
        of.run()
    except BaseException as error:
        of.end(f"ended by an error: {error}")
        if isinstance(error, RecorderError) and writer.n_rows:
            kept = f"{writer.n_rows} samples of each channel had arrived and are kept in {path.name}"
            raise RecorderError(f"{error} {kept}.") from error
        raise
    wanted = order.n_samples * order.n_shots
    whole = bool(wanted) and writer.n_rows + of.lost >= wanted
    of.end("stopped" if of.was_stopped else "as ordered" if whole or order.gate is not None else "ended by the recorder")
    return Recorded(path, writer.n_rows, of.shots, of.missed, of.lost, writer.course.ended, (*taken.remarks, *of.remarks))


class _Running:
    """A recording that is going on."""

    def __init__(
        self, recorder: Recorder, taken: Taken, writer: RecordingWriter, watch: Callable[[News], None], progress: Progress,
        stopped: Callable[[], bool],
    ) -> None:  # fmt: skip
        self._recorder, self._order, self._writer = recorder, taken.order, writer
        self._watch, self._progress, self._stopped = watch, progress, stopped
        self.shots: tuple[RecordedShot, ...] = ()
        self.remarks: list[str] = []
        self.lost = self.missed = self._reconnected = 0
        self.was_stopped = False
        self._next_state = 0.0
        self._clipped = np.zeros(len(taken.order.channels), dtype=np.int64)
        self._gone = 0  # rows that the recorder counts and the file does not hold

    def run(self) -> None:
        """Fetch until the recorder has nothing left."""
        while True:
            if not self.was_stopped and self._stopped():
                self.was_stopped = True
                self._kept_trying(self._recorder.stop)
            got: RowsRead = self._kept_trying(lambda: self._recorder.rows(self._writer.n_rows + self._gone, _MOST_ROWS))
            self._take(got)
            if not got.running and self._writer.n_rows + self._gone >= got.so_far:
                break
        self._look_at_shots()
        self.missed = self._kept_trying(self._recorder.missed)
        self.remarks += self._kept_trying(self._recorder.errors)
        for one, n in zip(self._order.channels, self._clipped.tolist(), strict=True):
            if n:
                said = f"{n} samples at the end of its range of {one.range_v:g} V"
                self.remarks.append(f"{one.name} is clipped: {said}. Record again with a wider one")

    def _take(self, got: RowsRead) -> None:
        gone = got.first - (self._writer.n_rows + self._gone)
        lost = got.lost + self._gone + gone
        if lost > self.lost:
            self._writer.state(lost=lost - self.lost)
            self.lost, self._gone = lost, self._gone + gone
        if len(got.values):
            self._writer.add(got.values)
            self._clipped += np.count_nonzero((got.values >= _END) | (got.values <= -_END), axis=0)
        if time.monotonic() >= self._next_state:
            self._next_state = time.monotonic() + _STATED_EVERY_S
            self._look_at_shots()
            self.missed = self._kept_trying(self._recorder.missed)
        elif len(got.values) and (not self.shots or self._order.n_shots != 1):
            self._look_at_shots()
        wanted = self._order.n_samples * self._order.n_shots
        self._progress.at(self._writer.n_rows / wanted if wanted else 0.0)
        n_rows, clipped, writer = self._writer.n_rows, tuple(self._clipped.tolist()), self._writer
        gaps, growing = writer.course.lost, writer.growing
        self._watch(News(got, self.shots, n_rows, self.lost, self._reconnected, clipped, self.missed, gaps, growing))

    def _look_at_shots(self) -> None:
        new = self._kept_trying(lambda: self._recorder.shots(len(self.shots)))
        if new:
            self.shots += tuple(msgspec.structs.replace(s, first=s.first - self._gone, start=s.start - self._gone) for s in new)
            self._writer.state(self.shots)

    def _kept_trying(self, ask: Callable[[], T]) -> T:
        """Return what the recorder answers; where the link is lost, after connecting again."""
        for attempt in range(_TRIES):
            try:
                return ask()
            except LinkLost:
                if attempt == _TRIES - 1:
                    raise
                self._connect_again()
        raise AssertionError("unreachable")

    def _connect_again(self) -> None:
        for attempt in range(_TRIES):
            try:
                self._recorder.again()
            except RecorderError as error:
                if attempt == _TRIES - 1:
                    raise LinkLost(f"{error}") from error
                time.sleep(_BETWEEN_S)
            else:
                self._reconnected += 1
                return

    def end(self, why: str) -> None:
        """Write why it ended."""
        try:
            self._writer.state(ended=why)
        finally:
            self._writer.close()
