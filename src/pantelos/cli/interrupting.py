"""Commands that go on until they have what was asked for, or are interrupted: Ctrl-C and SIGTERM end them in order."""

import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from pantelos.cli.command import say

_SELDOM_S = 5.0


@contextmanager
def until_interrupted() -> Iterator[threading.Event]:
    """Yield what an interruption sets; a second one ends the program at once."""
    ended = threading.Event()

    def end(*_: object) -> None:
        if ended.is_set():
            raise KeyboardInterrupt
        ended.set()

    before = {number: signal.signal(number, end) for number in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield ended
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def seldom(every_s: float = _SELDOM_S) -> Callable[[str], None]:
    """Return what says a text on standard error, and no other for a while."""
    next_at = 0.0

    def told(text: str) -> None:
        nonlocal next_at
        if time.monotonic() >= next_at:
            next_at = time.monotonic() + every_s
            say(text, err=True)

    return told
