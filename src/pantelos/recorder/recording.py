"""One recording from its start to its end: rows stream into the file; a lost link is made again and goes on where it was."""

import contextlib
import itertools
import math
import shutil
import time
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import TypeVar

import msgspec
import numpy as np

from pantelos.errors import FileAccessError, PantelosError
from pantelos.formats.recorded.companions import course_beside
from pantelos.formats.recorded.growing import Growing
from pantelos.formats.recorded.layout import Lost, RecordedChannel, RecordedHeader, RecordedShot
from pantelos.formats.recorded.writer import RecordingWriter
from pantelos.notation import counted, sized
from pantelos.progress import Progress
from pantelos.recorder.driver import AnotherRecorder, Recorder, RowsRead, Taken
from pantelos.recorder.link import LinkLost, RecorderError
from pantelos.recorder.order import WantedChannel
from pantelos.recorder.waiting import Nonsense, Stopped, Waiting

T = TypeVar("T")
_MOST_ROWS = 1 << 18
_TRIES = 5  # that answers which make no sense are asked for again
_BETWEEN_S = 0.2  # from one try to connect to the next
_LONGEST_TRY = 3  # times as long as any answer the first one of a recorder that was lost may take; less at first
_MANY_SHOTS = 10_000
_END = 32_767  # of the numbers, on either side
_STATED_EVERY_S = 1.0
_PROMISED_S = 10.0  # that rows which a recorder has promised, or the end of what was stopped, are waited for
_SLACK = 1.1, 1_000_000  # of the rows that can have been lost by now: of the clock, and at once
_LITTLE = 0.1  # of a range: less of it is told


class GivenUp(RecorderError):
    """A recorder that was lost was not found again."""


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
    trouble: str = ""  # with the connection, as long as there is some
    began: str = ""  # when, ISO 8601


class Recorded(msgspec.Struct, frozen=True):
    """What came of it."""

    path: Path
    n_rows: int
    shots: tuple[RecordedShot, ...]
    missed: int
    lost: int
    ended: str  # why
    remarks: tuple[str, ...]
    failed: PantelosError | None = None  # what ended it too early; what had come by then is in the file


def record(
    recorder: Recorder,
    taken: Taken,
    path: Path,
    watch: Callable[[News], None] | None = None,
    progress: Progress | None = None,
    waiting: Waiting | None = None,
) -> Recorded:
    """Start, fetch rows until it has ended or is no longer wanted, and return what was recorded; what had arrived always stays.

    Raises
    ------
    RecorderError
        When nothing had arrived before the recorder refused, the link was lost for good, or it was stopped; no file is left.
    FileAccessError
        When the file cannot be written, or the disk has no room for what was ordered.
    """
    progress, waiting = progress or Progress(), waiting or Waiting()
    order = taken.order
    channels = (
        RecordedChannel(one.name, step, one.range_v or 0.0, one.coupling, one.differential)
        for one, step in zip(order.channels, taken.steps_v, strict=True)
    )
    began = datetime.now(UTC).isoformat(timespec="microseconds")
    header = RecordedHeader(order.rate_hz, tuple(channels), began, recorder.identity, order.start.text())
    refuse_without_room(path, order.n_samples * max(order.n_shots, 1) * header.row_bytes)
    writer = RecordingWriter(path, header, order.n_shots or _MANY_SHOTS)
    of = _Running(recorder, taken, writer, watch or (lambda _: None), progress, waiting)
    failed: PantelosError | None = None
    try:
        recorder.start(len(order.channels))
        of.run()
    except PantelosError as error:
        failed = error
        _tell_to_stop(recorder)
        of.end(f"ended by an error: {error}")
    except BaseException as error:
        _tell_to_stop(recorder)
        of.end(f"ended by an error: {error or type(error).__name__}")
        raise
    if not writer.n_rows:
        if failed is None:
            of.end("stopped")
        path.unlink(missing_ok=True)
        course_beside(path).unlink(missing_ok=True)
        raise failed or Stopped("Stopped before the first sample came; nothing is kept.")
    if failed is not None:
        kept = f"{writer.n_rows} samples of each channel had arrived and are kept in {path.absolute()}"
        failed = RecorderError(f"{str(failed).rstrip('.')}. {kept}.")
    wanted = order.n_samples * order.n_shots
    whole = bool(wanted) and writer.n_rows + of.lost >= wanted
    if failed is None:
        of.end("stopped" if of.was_stopped else "as ordered" if whole or order.gate is not None else "ended by the recorder")
    remarks = (*taken.remarks, *of.remarks)
    return Recorded(path, writer.n_rows, of.shots, of.missed, of.lost, writer.course.ended, remarks, failed)


def _tell_to_stop(recorder: Recorder) -> None:
    """Leave no recorder recording for nobody; what another client has begun goes on."""
    with contextlib.suppress(RecorderError):
        if recorder.own:
            recorder.stop()


class _Running:
    """A recording that is going on."""

    def __init__(
        self, recorder: Recorder, taken: Taken, writer: RecordingWriter, watch: Callable[[News], None], progress: Progress,
        waiting: Waiting,
    ) -> None:  # fmt: skip
        self._recorder, self._order, self._writer, self._measured = recorder, taken.order, writer, taken.measured
        self._watch, self._progress, self._waiting = watch, progress, waiting
        self.shots: tuple[RecordedShot, ...] = ()
        self.remarks: list[str] = []
        self.lost = self.missed = self._reconnected = 0
        self.was_stopped = False
        self._began = self._moved = time.monotonic()  # when it began, and when something last came
        self._next_state = 0.0
        n_channels = len(taken.order.channels)
        self._clipped = np.zeros(n_channels, dtype=np.int64)
        self._peaks = np.zeros(n_channels, dtype=np.int64)
        self._gone = 0  # rows that the recorder counts and the file does not hold
        self._room: int | None = None  # rows that the recorder keeps for us
        self._last: RowsRead | None = None

    def run(self) -> None:
        """Fetch until the recorder has nothing left."""
        self._room = self._recorder.room()
        while True:
            if not self.was_stopped and self._waiting.stopped():
                self.was_stopped, self._moved = True, time.monotonic()
                self._kept_trying(self._recorder.stop)
            got: RowsRead = self._kept_trying(lambda: self._recorder.rows(self._writer.n_rows + self._gone, _MOST_ROWS))
            self._take(got)
            have = self._writer.n_rows + self._gone
            if not got.running and have >= got.so_far:
                break
            self._refuse_to_wait_for_ever(got, have)
        self._look_at_shots()
        self.missed = self._kept_trying(self._recorder.missed)
        self.remarks += self._kept_trying(self._recorder.errors)
        self.remarks += self._ranges()

    def _refuse_to_wait_for_ever(self, got: RowsRead, have: int) -> None:
        """Refuse to wait for a recorder that promises and gives nothing."""
        since = time.monotonic() - self._moved
        if len(got.values) and not (self.was_stopped and got.running):  # what was kept may take long to fetch
            self._moved = time.monotonic()
        elif not got.running and since > _PROMISED_S:
            raise RecorderError(f"The recorder promises {got.so_far} rows and gives {have} of them; the rest never came.")
        elif self.was_stopped and got.running and since > _PROMISED_S:
            raise RecorderError("The recorder was told to stop and goes on. Look at it; switch it off if need be.")
        elif got.running and not got.waiting and self._order.gate is None and since > self._waiting.patience_s + self._slow:
            raise RecorderError(f"The recorder says that it records, and has sent nothing for {since:.0f} s. Look at it.")

    @property
    def _slow(self) -> float:
        """Return how long a few samples take, s, and what lies between a start and its shot."""
        start = self._order.start
        return 10 / self._order.rate_hz + start.delay_s + start.hold_off_s

    def _take(self, got: RowsRead) -> None:
        gone = got.first - (self._writer.n_rows + self._gone)
        lost = got.lost + self._gone + gone
        if lost > self.lost:
            self._refuse_impossible_loss(lost)
            self._writer.state(lost=lost - self.lost)
            self.lost, self._gone = lost, self._gone + gone
        if len(got.values):
            self._writer.add(got.values)
            self._clipped += np.count_nonzero((got.values >= _END) | (got.values <= -_END), axis=0)
            ends = got.values.max(axis=0).astype(np.int64), got.values.min(axis=0).astype(np.int64)
            self._peaks = np.maximum(self._peaks, np.maximum(ends[0], -ends[1]))
        if time.monotonic() >= self._next_state:
            self._next_state = time.monotonic() + _STATED_EVERY_S
            self._look_at_shots()
            self.missed = self._kept_trying(self._recorder.missed)
        elif len(got.values) and (not self.shots or self._order.n_shots != 1):
            self._look_at_shots()
        wanted = self._order.n_samples * self._order.n_shots
        self._progress.at(self._writer.n_rows / wanted if wanted else 0.0)
        self._last = msgspec.structs.replace(got, values=got.values[:0])
        self._tell(got)

    def _refuse_impossible_loss(self, lost: int) -> None:
        factor, at_once = _SLACK
        if lost > factor * (time.monotonic() - self._began) * self._order.rate_hz + at_once:
            raise Nonsense(f"The recorder says that {lost} rows were lost, more than there can have been.")

    def _tell(self, rows: RowsRead, trouble: str = "") -> None:
        clipped, writer = tuple(self._clipped.tolist()), self._writer
        gaps, growing = writer.course.lost, writer.growing
        news = News(rows, self.shots, writer.n_rows, self.lost, self._reconnected, clipped, self.missed, gaps, growing, trouble)
        self._watch(msgspec.structs.replace(news, began=writer.header.began))

    def _ranges(self) -> list[str]:
        """Return what was seen of the ranges: what did not fit, and what a measured one makes little use of."""
        headroom = f"measured before the start, with {self._order.headroom:g} times the room"
        clipped: dict[str, list[tuple[WantedChannel, int]]] = {}
        found = []
        for one, n, peak in zip(self._order.channels, self._clipped.tolist(), self._peaks.tolist(), strict=True):
            own = one.name in self._measured
            if n:
                clipped.setdefault(headroom if own else "", []).append((one, n))
            elif own and one.range_v and peak < _LITTLE * _END:
                used = f"{peak / (_END + 1) * one.range_v:.3g} V of its range of {one.range_v:g} V"
                found.append(f"{one.name} reached {used}, {headroom}. A smaller one shows more")
        return [_clipped(those, how) for how, those in clipped.items()] + found

    def _look_at_shots(self) -> None:
        new = self._kept_trying(lambda: self._recorder.shots(len(self.shots)))
        if new:
            self.shots += tuple(msgspec.structs.replace(s, first=s.first - self._gone, start=s.start - self._gone) for s in new)
            self._writer.state(self.shots)

    # a connection that is lost

    def _kept_trying(self, ask: Callable[[], T]) -> T:
        """Return what the recorder answers; where the link is lost, after connecting again."""
        lost_at, senseless = math.inf, 0
        while True:
            try:
                return ask()
            except LinkLost as error:
                lost_at = min(lost_at, time.monotonic())
                senseless += isinstance(error, Nonsense)
                if senseless >= _TRIES or time.monotonic() - lost_at > self._waiting.patience_s:
                    raise
                self._connect_again(lost_at, error)

    def _connect_again(self, lost_at: float, error: LinkLost) -> None:
        def go_on() -> None:
            since = time.monotonic() - lost_at
            if since > _BETWEEN_S:
                self._tell_of_loss(since)
                if self._waiting.stopped():
                    self.was_stopped = True
                    raise Stopped("Stopped while the connection to the recorder was lost.") from error
            if since > self._waiting.patience_s:
                raise GivenUp(f"The connection to the recorder was lost for {since:.0f} s; it was not found again.") from error

        for attempt in itertools.count(1):
            go_on()
            try:
                self._recorder.again(go_on, min(attempt, _LONGEST_TRY))
            except (AnotherRecorder, Stopped, GivenUp):
                raise
            except RecorderError:
                self._waiting.pause(_BETWEEN_S)
            else:
                self._reconnected += 1
                self._moved = time.monotonic()
                return

    def _tell_of_loss(self, since: float) -> None:
        said = f"connection lost for {since:.0f} s, asking again until {self._waiting.patience_s:.0f} s"
        if self._room is not None:
            keeps = self._room / self._order.rate_hz
            nothing = "nothing is missing so far" if since < keeps else "what came since is being lost"
            said += f"; {nothing}: the recorder keeps {keeps:.0f} s"
        self._waiting.say(said)
        if self._last is not None:
            self._tell(self._last, said)

    def end(self, why: str) -> None:
        """Write why it ended."""
        try:
            self._writer.state(ended=why)
        finally:
            self._writer.close()


def _clipped(those: Sequence[tuple[WantedChannel, int]], how: str) -> str:
    """Return in one sentence which channels are clipped, how much, and of which ranges."""
    names = ", ".join(one.name for one, _ in those)
    samples = counted(max(n for _, n in those), "sample")
    ranges = ", ".join(dict.fromkeys(f"{one.range_v:g} V" for one, _ in those))
    how = f", {how}" if how else ""
    if len(those) == 1:
        return f"{names} is clipped: {samples} at the end of its range of {ranges}{how}. Record again with a wider one"
    return f"{names} are clipped: up to {samples} at the ends of their ranges of {ranges}{how}. Record again with wider ones"


def refuse_without_room(path: Path, n_bytes: int) -> None:
    """Refuse to begin a file that the disk cannot hold.

    Raises
    ------
    FileAccessError
        When it has less room than so many bytes.
    """
    folder = next((one for one in path.absolute().parents if one.exists()), None)
    free = shutil.disk_usage(folder).free if folder is not None else n_bytes
    if free < n_bytes:
        reason = f"it needs {sized(n_bytes)}, and its disk has room for {sized(free)}"
        raise FileAccessError(path, "written", reason, "Make room, or record less.")
