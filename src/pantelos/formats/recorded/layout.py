"""How a recording lies in its file: a first line, a header of JSON in room of a fixed size, rows of 16-bit integers, its course.

What becomes known while it is made, shots, losses and why it ended, is its course. It stands in a file beside while rows are
added, written again in the same room, and behind the rows at the end. So nothing that was written changes, and what the file
holds can be summed up while it grows. Without a course behind the rows their number follows from the length of the file:
whatever was written counts, also after a crash.
"""

import msgspec

from pantelos.formats.recorded.about import MAGIC

VERSION = 2  # 1: the course stood in the header, as long as there was room
_ROOM_OF_SHOT = 96  # bytes
_ROOM = 1 << 12
_LAST_LINE = b"\nPANTELOS COURSE %012d\n"  # bytes of the course before it
LAST_LINE_BYTES = len(_LAST_LINE % 0)


class RecordedChannel(msgspec.Struct, frozen=True):
    """One column: value in V = number * step_v."""

    name: str
    step_v: float
    range_v: float
    coupling: str = "DC"
    differential: bool = True


class RecordedShot(msgspec.Struct, frozen=True):
    """One start: the row it begins at, the row of the start, and when that was, s from the beginning of the recording on."""

    first: int
    start: int
    at_s: float
    alone: bool = False  # it started without an edge


class Lost(msgspec.Struct, frozen=True):
    """Rows that never came, before the row `before`."""

    before: int
    n: int


class RecordedHeader(msgspec.Struct, frozen=True):
    """What is known of a recording before its first row."""

    rate_hz: float
    channels: tuple[RecordedChannel, ...]
    began: str = ""  # date and time, ISO 8601
    recorder: str = ""  # its identity
    order: str = ""  # what was ordered, in words

    @property
    def row_bytes(self) -> int:
        """Bytes of a row."""
        return 2 * len(self.channels)


class RecordedCourse(msgspec.Struct, frozen=True):
    """What became known of a recording while it was made."""

    shots: tuple[RecordedShot, ...] = ()
    lost: tuple[Lost, ...] = ()
    ended: str = ""  # why it ended; empty: nobody said so
    n_rows: int | None = None  # of all of it; None: it grows


def packed_header(header: RecordedHeader) -> bytes:
    """Return first line and header, in the room that they keep."""
    content = msgspec.json.encode(header)
    room = -(-(len(content) + len(MAGIC) + 16) // _ROOM) * _ROOM
    return (MAGIC + b"%d %d\n" % (VERSION, room) + content).ljust(room - 1) + b"\n"


def unpacked_header(head: bytes) -> tuple[int, RecordedHeader | None, RecordedCourse]:
    """Return the room of the header, the header where the bytes hold all of it, and the course where it stands in it.

    Raises
    ------
    ValueError
        When it is none.
    """
    line, _, rest = head.partition(b"\n")
    version, room = (int(part) for part in line.removeprefix(MAGIC).split())
    if version not in (1, VERSION) or not len(MAGIC) < room < 1 << 30:
        raise ValueError("no header")
    if len(head) < room:
        return room, None, RecordedCourse()
    content = rest[: room - len(line) - 1]
    course = msgspec.json.decode(content, type=RecordedCourse) if version == 1 else RecordedCourse()
    return room, msgspec.json.decode(content, type=RecordedHeader), course


def packed_course(course: RecordedCourse) -> bytes:
    """Return what stands behind the rows."""
    content = msgspec.json.encode(course)
    return content + _LAST_LINE % len(content)


def bytes_of_course(last_line: bytes) -> int:
    """Return how many bytes of course stand before the last line of a file; 0 where it is none."""
    words = last_line.split()
    length = int(words[-1]) if len(last_line) == LAST_LINE_BYTES and words and words[-1].isdigit() else 0
    return length if last_line == _LAST_LINE % length else 0


def room_for_course(n_shots: int) -> int:
    """Return the bytes that a course beside needs for so many shots."""
    return -(-(_ROOM + _ROOM_OF_SHOT * n_shots) // _ROOM) * _ROOM
