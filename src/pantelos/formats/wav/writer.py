"""Writes WAV: float64 samples, names and units in a comment; RF64 where RIFF is too short.

Source: Microsoft RIFF WAVE (extensible format, LIST INFO chunk), EBU Tech 3306 (RF64).
"""

import struct
from pathlib import Path

import msgspec
import numpy as np

from pantelos.formats.heading_names import known_unit
from pantelos.formats.output import Output
from pantelos.progress import Progress

_SUBTYPE_FLOAT = struct.pack("<H", 3) + b"\x00\x00\x00\x00\x10\x00\x80\x00\x00\xaa\x00\x38\x9b\x71"
_LONGEST_RIFF = 2**32 - 1


class Comment(msgspec.Struct, frozen=True):
    """What the comment of a file of ours holds, as JSON."""

    names: tuple[str, ...]
    units: tuple[str, ...]
    facts: tuple[tuple[str, str], ...]
    rate_hz: float

    def describes(self, n_channels: int) -> bool:
        """Return whether it fits a file of so many channels: every name once, every unit known, a rate above zero."""
        fits = len(self.names) == len(self.units) == n_channels == len(set(self.names))
        return fits and all(map(known_unit, self.units)) and 0 < self.rate_hz < float("inf")


def write_wav(path: Path, output: Output, progress: Progress) -> None:
    """Write samples as float64, values in the units of the comment; a rate that is no whole number stands there too."""
    n_channels = len(output.channels)
    frame = 8 * n_channels
    size = frame * output.n_samples
    rate = max(round(output.rate_hz), 1)
    form = struct.pack("<HHIIHH", 0xFFFE, n_channels, rate, min(rate * frame, 2**32 - 1), frame & 0xFFFF, 64)
    form += struct.pack("<HHI", 22, 64, 0) + _SUBTYPE_FLOAT
    names, units = tuple(c.name for c in output.channels), tuple(c.unit for c in output.channels)
    comment = Comment(names, units, output.statements, output.rate_hz)
    text = msgspec.json.encode(comment) + b"\0"
    text += b"\0" * (len(text) % 2)
    info = b"INFO" + _chunk(b"ICMT", text)
    head = _chunk(b"fmt ", form) + _chunk(b"fact", struct.pack("<I", min(output.n_samples, 2**32 - 1))) + _chunk(b"LIST", info)
    long = size + len(head) + 64 > _LONGEST_RIFF
    with path.open("wb") as file:
        if long:
            whole = 4 + 36 + len(head) + 8 + size
            file.write(b"RF64" + struct.pack("<I", 2**32 - 1) + b"WAVE")
            file.write(_chunk(b"ds64", struct.pack("<QQQI", whole, size, output.n_samples, 0)))
        else:
            file.write(b"RIFF" + struct.pack("<I", 4 + len(head) + 8 + size) + b"WAVE")
        file.write(head + b"data" + struct.pack("<I", 2**32 - 1 if long else size))
        for low, high in output.parts(progress):
            frames = np.empty((high - low, n_channels), dtype="<f8")
            for k, channel in enumerate(output.channels):
                frames[:, k] = channel.read(low, high)
            file.write(frames.tobytes())


def _chunk(name: bytes, content: bytes) -> bytes:
    return name + struct.pack("<I", len(content)) + content + b"\0" * (len(content) % 2)
