"""How long work reports where it is and learns that it is no longer wanted."""

import threading
from collections.abc import Callable

from pantelos.errors import Cancelled


class Progress:
    """Passed to long work; the work calls `at` often, which raises `Cancelled` when asked to stop."""

    def __init__(self, report: Callable[[float], None] | None = None) -> None:
        self._report = report
        self._stop = threading.Event()

    def cancel(self) -> None:
        """Ask the work to stop at its next report. May be called from any thread."""
        self._stop.set()

    def at(self, fraction: float) -> None:
        """State that `fraction` (0 to 1) is done; raise `Cancelled` when the work was given up."""
        if self._stop.is_set():
            raise Cancelled
        if self._report is not None:
            self._report(min(max(fraction, 0.0), 1.0))

    def quiet(self) -> "Progress":
        """Return the progress of work beside this one: it says nothing, and stops when this one is to stop."""
        beside = Progress()
        beside._stop = self._stop
        return beside

    def part(self, low: float, high: float) -> "Progress":
        """Return the progress of a sub-task that covers `low` to `high` of this one."""
        part = Progress(lambda fraction: self.at(low + (high - low) * fraction))
        part._stop = self._stop
        return part
