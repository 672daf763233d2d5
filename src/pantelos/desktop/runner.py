"""Long work off the interface thread: a newer request of a kind replaces the older, stale answers are dropped."""

import contextlib
import os
import sys
import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, Qt, pyqtSignal

from pantelos.errors import Cancelled, PantelosError
from pantelos.progress import Progress

# How long a thread may keep the interpreter: painting calls it hundreds of times a picture, each time waiting that long.
_SWITCH_S = 0.00005
_NICE = 10


def _step_back() -> None:
    """Let the interface have the processor first; Linux keeps a priority per thread, and threads made by this one inherit it."""
    with contextlib.suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)


class _Request(msgspec.Struct):
    """One piece of work on its way."""

    kind: str
    progress: Progress
    done: Callable[[Any], None]
    failed: Callable[[PantelosError], None] | None
    future: "Future[Any] | None" = None


class Runner(QObject):
    """Runs jobs on threads and delivers their results on the interface thread."""

    busy_changed = pyqtSignal()
    progressed = pyqtSignal(str, float)
    failed = pyqtSignal(PantelosError)
    _finished = pyqtSignal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        sys.setswitchinterval(_SWITCH_S)
        self._pool = ThreadPoolExecutor(2, thread_name_prefix="work", initializer=_step_back)
        self._current: dict[str, _Request] = {}
        self._closed = False
        # Queued even where a job has ended before `run` returns: an answer never arrives inside the call that asks for it.
        self._finished.connect(self._deliver, Qt.ConnectionType.QueuedConnection)

    def run(
        self,
        kind: str,
        job: Callable[[Progress], Any],
        done: Callable[[Any], None],
        failed: Callable[[PantelosError], None] | None = None,
    ) -> None:
        """Start a job; one of the same kind that still runs is given up, and its answer never arrives. Closed, it starts none."""
        if self._closed:  # a timer of a window that is going may still ask
            return
        self.cancel(kind)
        request = _Request(kind, Progress(lambda fraction: self.progressed.emit(kind, fraction)), done, failed)
        self._current[kind] = request
        request.future = self._pool.submit(job, request.progress)
        request.future.add_done_callback(lambda finished: self._finished.emit(request, finished))
        self.busy_changed.emit()

    def cancel(self, kind: str) -> None:
        """Give up the job of that kind, if there is one."""
        request = self._current.pop(kind, None)
        if request is not None:
            request.progress.cancel()
            if request.future is not None:
                request.future.cancel()
            self.busy_changed.emit()

    def busy(self, kind: str | None = None) -> bool:
        """Return whether a job of that kind, or any, is on its way."""
        return bool(self._current) if kind is None else kind in self._current

    @property
    def kinds(self) -> tuple[str, ...]:
        """The kinds of the jobs on their way."""
        return tuple(self._current)

    def close(self) -> None:
        """Give everything up and wait for the threads."""
        self._closed = True
        for kind in tuple(self._current):
            self.cancel(kind)
        self._pool.shutdown(wait=True, cancel_futures=True)

    def _deliver(self, request: _Request, future: "Future[Any]") -> None:
        if self._current.get(request.kind) is not request:
            return
        del self._current[request.kind]
        self.busy_changed.emit()
        error = future.exception()
        if error is None:
            request.done(future.result())
        elif isinstance(error, PantelosError):
            (request.failed or self.failed.emit)(error)
        elif not isinstance(error, Cancelled):
            raise error
