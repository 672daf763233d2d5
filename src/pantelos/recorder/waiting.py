"""Waiting for a recorder: who waits is told what for, can have enough of it, and never waits without a bound."""

import math
import time
from collections.abc import Callable

from pantelos.errors import clipped
from pantelos.recorder.link import LinkLost, RecorderError

PATIENCE_S = 60.0  # that a lost recorder is asked again for
_INFINITY = 9.9e37  # as SCPI-1999 writes it, volume 1, 7.2.1.4
_SLICE_S = 0.1  # of a pause, after which one may have had enough


class Stopped(RecorderError):
    """Whoever waited has had enough."""


class Nonsense(LinkLost):
    """The recorder answers, and what it answers cannot be."""


class Waiting:
    """Who waits: says what for, and asks whether that is still wanted."""

    def __init__(
        self,
        stopped: Callable[[], bool] = lambda: False,
        say: Callable[[str], None] = lambda _: None,
        patience_s: float = PATIENCE_S,
    ) -> None:
        self.stopped, self.say, self.patience_s = stopped, say, patience_s

    def go_on(self) -> None:
        """Go on only where it is still wanted.

        Raises
        ------
        Stopped
            When it is not.
        """
        if self.stopped():
            raise Stopped("Stopped before anything was recorded; nothing is kept.")

    def pause(self, seconds: float) -> None:
        """Do nothing for a while, or until it is no longer wanted."""
        until = time.monotonic() + seconds
        while (left := until - time.monotonic()) > 0 and not self.stopped():
            time.sleep(min(left, _SLICE_S))


def as_amount(text: str, asked: str, low: float = -math.inf, high: float = math.inf) -> float:
    """Return the number that answers a query.

    Raises
    ------
    Nonsense
        When it is none, or one that cannot be: SCPI writes 9.91E37 for what is not a number and 9.9E37 for infinity.
    """
    try:
        found = float(text)
    except ValueError:
        found = math.nan
    if not (low <= found <= high) or abs(found) >= _INFINITY:
        raise Nonsense(f'The recorder answers "{clipped(text)}" to {asked}, which cannot be. Check what stands at that address.')
    return found


def as_count(text: str, asked: str, low: int = 0, high: int = 1 << 62) -> int:
    """Return the whole number that answers a query.

    Raises
    ------
    Nonsense
        When it is none, or lies beyond what can be.
    """
    found = as_amount(text, asked, low, high)
    if found != round(found):
        raise Nonsense(f'The recorder answers "{clipped(text)}" to {asked}, which is no whole number.')
    return round(found)
