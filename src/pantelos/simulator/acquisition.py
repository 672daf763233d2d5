"""Recording: rows as time goes by, starts found in them, what belongs to a shot kept until it has been fetched."""

import threading
import time
from collections import deque
from collections.abc import Callable, Iterator

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray
from pantelos.simulator.feed import Feed
from pantelos.simulator.trigger import Edge, EdgeSeeker, open_stretches

_TICK_S = 0.005
_MOST_AT_ONCE = 1 << 17  # rows
_LEAST_LOST = 16  # rows of an overrun to order


class AcquisitionOrder(msgspec.Struct, frozen=True):
    """What is recorded, in rows of the sample rate."""

    rate_hz: float
    n_columns: int
    points: int  # of a shot; 0: until it is stopped
    before: int = 0  # of them, before the start
    count: int = 1  # shots; 0: until it is stopped
    source: str = "IMMediate"  # IMMediate, EDGE, EXTernal, BUS
    edge: Edge | None = None
    hold_off: int = 0
    delay: int = 0
    alone_after: int | None = None  # rows after which a shot starts without an edge
    gate: tuple[int, float] | None = None  # column and level that is kept while it is reached
    external_every: int = 1  # rows between edges of the digital input
    memory: int = 64 << 20  # bytes of rows that are kept until they are fetched


class AcquiredShot(msgspec.Struct, frozen=True):
    """One start: the row of what is kept it begins at, the row of the start itself, and when that was, s from the beginning."""

    first: int
    start: int
    at_s: float
    alone: bool = False  # it started without an edge


class Acquisition:
    """One recording, in a thread of its own."""

    def __init__(
        self, feed: Callable[[], Feed], order: AcquisitionOrder, ended: Callable[[], None], lost: Callable[[], None]
    ) -> None:
        self._make_feed, self._order = feed, order
        self._ended, self._lost = ended, lost
        self._lock = threading.Lock()
        self._news = threading.Condition(self._lock)
        self._pieces: deque[tuple[int, AnyArray]] = deque()
        self.n_kept = 0  # rows that have been kept so far
        self._freed = 0  # rows before it have been fetched and are gone
        self._losses: list[tuple[int, int]] = []  # before which row, how many
        self.shots: list[AcquiredShot] = []
        self.missed = 0
        self.waiting = False
        self.running = True
        self._begun = 0.0
        self._stop = threading.Event()
        self._bus = threading.Event()
        self.overrun_wanted = threading.Event()
        self._thread = threading.Thread(target=self._run, name="recorder", daemon=True)

    def start(self) -> None:
        """Begin, as soon as there is something to record."""
        self._thread.start()

    def stop(self) -> None:
        """End; what was kept stays."""
        self._stop.set()
        if threading.current_thread() is not self._thread:
            self._thread.join()

    def trigger(self) -> None:
        """Start a shot by command."""
        self._bus.set()

    def fetch(self, first: int, most: int, wait_s: float) -> tuple[int, int, AnyArray]:
        """Return where rows begin, how many were lost before, and the rows from `first` on; asking frees those before it.

        There are none where none have come within `wait_s`; they begin later where rows have been freed, and end where some were
        lost.
        """
        with self._news:
            self._free(first)
            if self.n_kept <= first and self.running:
                self._news.wait(wait_s)
            rows, at = [], max(first, self._freed)
            begin, left = at, min([most, *(row - at for row, _ in self._losses if row > at)])
            lost = sum(n for row, n in self._losses if row <= at)
            for start, piece in self._pieces:
                if left and start + len(piece) > at:
                    part = piece[at - start :][:left]
                    rows.append(part)
                    at, left = at + len(part), left - len(part)
            empty = np.zeros((0, self._order.n_columns), dtype="<i2")
            return begin, lost, np.concatenate(rows) if rows else empty

    def _free(self, first: int) -> None:
        while self._pieces and self._pieces[0][0] + len(self._pieces[0][1]) <= first:
            start, piece = self._pieces.popleft()
            self._freed = start + len(piece)

    def _keep(self, rows: AnyArray) -> None:
        """Take rows, or lose them where nobody has fetched for long."""
        with self._news:
            held = sum(piece.nbytes for _, piece in self._pieces)
            if held + rows.nbytes > self._order.memory or (self.overrun_wanted.is_set() and len(rows) >= _LEAST_LOST):
                self.overrun_wanted.clear()
                if self._losses and self._losses[-1][0] == self.n_kept:  # one gap, however many pieces it is made of
                    self._losses[-1] = (self.n_kept, self._losses[-1][1] + len(rows))
                else:
                    self._losses.append((self.n_kept, len(rows)))
                    self._lost()
                return
            self._pieces.append((self.n_kept, rows))
            self.n_kept += len(rows)
            self._news.notify_all()

    def _run(self) -> None:
        try:
            self._feed = self._make_feed()
            self._begun = time.monotonic()
            if self._order.gate is not None:
                self._gated()
            elif self._order.source == "IMMediate" and not self._order.points:
                self._endless()
            else:
                self._shots()
        finally:
            with self._news:
                self.running = self.waiting = False
                self._news.notify_all()
            self._ended()

    def _from(self, low: int) -> Iterator[tuple[int, int]]:
        """Yield stretches of rows from `low` on as their time comes, until the recording is stopped."""
        while not self._stop.is_set():
            due = int((time.monotonic() - self._begun) * self._order.rate_hz)
            if due > low:
                high = min(due, low + _MOST_AT_ONCE)
                yield low, high
                low = high
            else:
                self._stop.wait(_TICK_S)

    def _endless(self) -> None:
        self.shots.append(AcquiredShot(0, 0, 0.0))
        for low, high in self._from(0):
            self._keep(self._feed.rows(low, high - low))

    def _gated(self) -> None:
        assert self._order.gate is not None
        column, level = self._order.gate
        open_at, n_rows = -1, 0
        for low, high in self._from(0):
            rows = self._feed.rows(low, high - low)
            for a, b in open_stretches(rows, column, level):
                if open_at != low + a:
                    if self._order.count and len(self.shots) >= self._order.count:
                        return
                    self.shots.append(AcquiredShot(self.n_kept, self.n_kept, (low + a) / self._order.rate_hz))
                end = min(b, a + self._order.points - n_rows) if self._order.points else b
                self._keep(rows[a:end])
                n_rows += end - a
                open_at = low + end
                if self._order.points and n_rows >= self._order.points:
                    return

    def _shots(self) -> None:
        """Keep shots of a fixed length around their starts."""
        of = self._order
        seeker = EdgeSeeker(of.edge) if of.edge is not None else None
        free_from = of.before  # a start counts from here on
        armed_at = 0
        self.waiting = True
        for low, high in self._from(0):
            for at, alone in self._starts(seeker, low, high, free_from, armed_at):
                if at < free_from:
                    self.missed += not alone
                    continue
                self.waiting = False
                if not self._shot(at + of.delay, alone):
                    return
                if of.count and len(self.shots) >= of.count:
                    return
                armed_at = at + of.delay + max(of.points - of.before, 1)
                free_from = max(armed_at, at + of.hold_off)
                self.waiting = True

    def _starts(self, seeker: EdgeSeeker | None, low: int, high: int, free_from: int, armed_at: int) -> list[tuple[int, bool]]:
        """Return the rows of starts within a stretch of time, and whether they came without an edge."""
        of = self._order
        found: list[tuple[int, bool]] = []
        if seeker is not None:
            found = [(low + k, False) for k in seeker.found(self._feed.rows(low, high - low))]
        elif of.source == "EXTernal":
            first = -(-low // of.external_every) * of.external_every
            found = [(k, False) for k in range(max(first, of.external_every), high, of.external_every)]
        elif of.source == "IMMediate" and free_from < high:
            found = [(free_from, False)]
        elif of.source == "BUS" and self._bus.is_set() and free_from < high:
            self._bus.clear()
            found = [(max(free_from, low), False)]
        if of.alone_after is not None and not any(at >= free_from for at, _ in found):
            due = max(armed_at + of.alone_after, free_from)
            if due < high:
                found.append((due, True))
        return found

    def _shot(self, start: int, alone: bool) -> bool:
        """Keep the rows around a start as they come; return False when it was stopped meanwhile."""
        of = self._order
        with self._lock:
            self.shots.append(AcquiredShot(self.n_kept, self.n_kept + of.before, start / of.rate_hz, alone))
        low = start - of.before
        last = low + of.points if of.points else None
        for a, b in self._from(low):
            end = b if last is None else min(b, last)
            self._keep(self._feed.rows(a, end - a))
            if end == last:
                return True
        return False
