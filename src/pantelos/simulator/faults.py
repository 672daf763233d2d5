"""Faults to order: what can go wrong on the way, once each, so that a client can show that it stands it."""

import threading
from typing import Literal, TypeAlias, get_args

Fault: TypeAlias = Literal["DROP", "LATE", "LENGth", "HUGE", "GARBage", "OVERrun", "ERRor"]
FAULTS: tuple[str, ...] = get_args(Fault)


class Faults:
    """What was ordered and has not happened yet, by the number of blocks that are still served well before it."""

    def __init__(self) -> None:
        self._ordered: list[tuple[str, int]] = []
        self._lock = threading.Lock()

    def order(self, fault: str, after: int) -> None:
        """Order a fault for the block behind so many good ones."""
        with self._lock:
            self._ordered.append((fault, after))

    def due(self) -> str | None:
        """Return the fault of the block that is about to be served; each counts down the others."""
        with self._lock:
            now = next((one for one in self._ordered if one[1] <= 0), None)
            if now is not None:
                self._ordered.remove(now)
            self._ordered = [(fault, after - 1) for fault, after in self._ordered]
            return now[0] if now is not None else None
