"""How a recording lies in its file: a first line, a header of JSON in room of a fixed size, then rows of 16-bit integers.

The number of rows follows from the length of the file: whatever was written counts, also after a crash. The header is written
again, in the same room, when a shot begins and at the end.
"""

import msgspec

from pantelos.formats.recorded.about import MAGIC

_ROOM_OF_SHOT = 96  # bytes
_ROOM = 1 << 14


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
    """What is known of a recording."""

    rate_hz: float
    channels: tuple[RecordedChannel, ...]
    began: str = ""  # date and time, ISO 8601
    recorder: str = ""  # its identity
    order: str = ""  # what was ordered, in words
    shots: tuple[RecordedShot, ...] = ()
    lost: tuple[Lost, ...] = ()
    ended: str = ""  # why it ended; empty: nobody said so

    @property
    def row_bytes(self) -> int:
        """Bytes of a row."""
        return 2 * len(self.channels)


def room_for(header: RecordedHeader, n_shots: int) -> int:
    """Return the bytes to set aside for a header that will hold so many shots."""
    needed = _ROOM + len(msgspec.json.encode(header)) + _ROOM_OF_SHOT * n_shots
    return -(-needed // _ROOM) * _ROOM


def packed(header: RecordedHeader, room: int) -> bytes:
    """Return first line and header in so many bytes; where they do not fit, without the earliest shots."""
    first = MAGIC + str(room).encode() + b"\n"
    while len(content := first + msgspec.json.encode(header)) >= room and header.shots:
        header = msgspec.structs.replace(header, shots=header.shots[len(header.shots) // 2 + 1 :])
    return content.ljust(room - 1) + b"\n"


def unpacked(head: bytes) -> tuple[int, RecordedHeader | None]:
    """Return the room of the header, and the header where the bytes hold all of it.

    Raises
    ------
    ValueError
        When it is none.
    """
    line, _, rest = head.partition(b"\n")
    room = int(line.removeprefix(MAGIC))
    if not len(MAGIC) < room < 1 << 30:
        raise ValueError("no room")
    if len(head) < room:
        return room, None
    return room, msgspec.json.decode(rest[: room - len(line) - 1], type=RecordedHeader)
