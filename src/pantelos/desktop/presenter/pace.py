"""How fast work goes and how long it will still take."""

import time
from collections.abc import Callable

from pantelos.notation import duration

_FIRST_S = 0.7  # before that nothing can be said


class Pace:
    """Measures one piece of work of each kind from its beginning."""

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._begun: dict[str, tuple[float, int]] = {}

    def begin(self, kind: str, size_bytes: int = 0) -> None:
        """Note that work begins; `size_bytes` is what it has to read."""
        self._begun[kind] = self._now(), size_bytes

    def text(self, kind: str, fraction: float) -> str:
        """Return speed and remaining time, or nothing while they are not known."""
        if kind not in self._begun:
            return ""
        begun, size = self._begun[kind]
        passed = self._now() - begun
        if passed < _FIRST_S or not 0 < fraction < 1:
            return ""
        left = f"{duration(passed / fraction * (1 - fraction), 2)} left"
        return f"{size * fraction / passed / 1e6:.0f} MB/s, {left}" if size else left
