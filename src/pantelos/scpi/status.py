"""The status model: event status, status byte, two groups of conditions, and the queue of errors.

Source: IEEE 488.2, clause 11; SCPI-1999 volume 1, 9, and volume 2, 20 (STATus) and 21 (SYSTem:ERRor).
"""

from collections import deque
from collections.abc import Sequence

from pantelos.scpi.message import MessageError, as_number
from pantelos.scpi.response import quoted
from pantelos.scpi.tree import Tree

OPERATION_COMPLETE, QUERY_ERROR, DEVICE_ERROR, EXECUTION_ERROR, COMMAND_ERROR, POWER_ON = 1, 4, 8, 16, 32, 128
ERROR_QUEUE, QUESTIONABLE, MESSAGE_AVAILABLE, EVENT_STATUS, REQUEST, OPERATION = 4, 8, 16, 32, 64, 128
_LONGEST_QUEUE = 32
_REGISTER, _HIGHEST = 0xFFFF, 0x8000  # of 16 bits; the highest is never used (SCPI-1999 volume 2, 20)
# Classes of errors by hundreds: -100 commands, -200 execution, -300 device, -400 queries.
_CLASSES = {1: COMMAND_ERROR, 2: EXECUTION_ERROR, 3: DEVICE_ERROR, 4: QUERY_ERROR}


class StatusGroup:
    """One group of conditions: what is, what was since it was read, and what of it counts."""

    def __init__(self) -> None:
        self.condition, self.event, self.enabled = 0, 0, 0

    def set(self, bits: int, on: bool) -> None:
        """Set or clear conditions; those that rise are events."""
        risen = bits & ~self.condition if on else 0
        self.condition = self.condition | bits if on else self.condition & ~bits
        self.event |= risen

    def take(self) -> int:
        """Return the events, which are forgotten."""
        found, self.event = self.event, 0
        return found

    def enter(self, tree: Tree, name: str) -> None:
        """Add the commands of the group to a tree."""
        tree.add(f"STATus:{name}[:EVENt]", lambda *_: str(self.take()), query=True)
        tree.add(f"STATus:{name}:CONDition", lambda *_: str(self.condition), query=True)
        tree.add(f"STATus:{name}:ENABle", lambda *_: str(self.enabled), query=True)
        tree.add(f"STATus:{name}:ENABle", lambda _, given: setattr(self, "enabled", _bits(given, _REGISTER) & ~_HIGHEST), takes=1)


class Status:
    """All of it, with its commands."""

    def __init__(self) -> None:
        self.event_status, self.event_enabled, self.request_enabled = POWER_ON, 0, 0
        self.operation, self.questionable = StatusGroup(), StatusGroup()
        self._errors: deque[tuple[int, str]] = deque()

    def fail(self, code: int, text: str) -> None:
        """Put an error into the queue; where it is full the last one becomes its overflow."""
        self.event_status |= _CLASSES.get(-code // 100, DEVICE_ERROR)
        if len(self._errors) >= _LONGEST_QUEUE:
            self._errors[-1] = (-350, "Queue overflow")
        else:
            self._errors.append((code, text))

    def clear(self) -> None:
        """Forget events and errors."""
        self.event_status = self.operation.event = self.questionable.event = 0
        self._errors.clear()

    def byte(self) -> int:
        """Return the status byte."""
        found = ERROR_QUEUE if self._errors else 0
        found |= QUESTIONABLE if self.questionable.event & self.questionable.enabled else 0
        found |= EVENT_STATUS if self.event_status & self.event_enabled else 0
        found |= OPERATION if self.operation.event & self.operation.enabled else 0
        return found | (REQUEST if found & self.request_enabled else 0)

    def enter(self, tree: Tree) -> None:
        """Add the commands of the status model to a tree."""

        def register(get: str, set_: str, left_out: int = 0) -> None:
            def put(_: tuple[int, ...], given: Sequence[str]) -> None:
                setattr(self, set_, _bits(given, 255) & ~left_out)

            tree.add(get, put, takes=1)
            tree.add(get, lambda *_: str(getattr(self, set_)), query=True)

        def events(*_: object) -> str:
            found, self.event_status = self.event_status, 0
            return str(found)

        register("*ESE", "event_enabled")
        register("*SRE", "request_enabled", REQUEST)  # which is what the others ask for: IEEE 488.2, 11.3.2.3
        tree.add("*ESR", events, query=True)
        tree.add("*STB", lambda *_: str(self.byte()), query=True)
        tree.add("*CLS", lambda *_: self.clear())
        tree.add("SYSTem:ERRor[:NEXT]", lambda *_: self._next(), query=True)
        tree.add("SYSTem:ERRor:COUNt", lambda *_: str(len(self._errors)), query=True)
        tree.add("STATus:PRESet", lambda *_: self._preset())
        self.operation.enter(tree, "OPERation")
        self.questionable.enter(tree, "QUEStionable")

    def _preset(self) -> None:
        self.operation.enabled = self.questionable.enabled = 0

    def _next(self) -> str:
        code, text = self._errors.popleft() if self._errors else (0, "No error")
        return f"{code},{quoted(text)}"


def _bits(given: Sequence[str], most: int) -> int:
    if len(given) != 1:
        raise MessageError(-109, "Missing parameter")
    value = round(as_number(given[0]))
    if not 0 <= value <= most:
        raise MessageError(-222, "Data out of range")
    return value
