"""WAV and RF64: interleaved samples behind a header; read as far as they are there.

Source: Microsoft RIFF WAVE, EBU Tech 3306 (RF64), ITU-R BS.2088 (BW64). Integer samples become shares of
full scale; the file does not say what full scale is, the scaling chain of the channel does.
"""

import struct
from collections.abc import Iterator
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats import remarks
from pantelos.formats.bases import Timed
from pantelos.formats.beside import Rate
from pantelos.formats.binary_preview import FIRST_ROWS, binary_preview, check_columns
from pantelos.formats.dialect import Column, Dialect, Preview
from pantelos.formats.header import stated_first
from pantelos.formats.storing import Block, Source, stored
from pantelos.formats.wav.writer import Comment
from pantelos.progress import Progress
from pantelos.record.file_numbers import OpenFile
from pantelos.record.recording import Recording
from pantelos.record.store import StoredColumn, StoredPlace
from pantelos.signal.arrays import AnyArray
from pantelos.signal.sums.integrals import blocks

_PCM, _FLOAT, _EXTENSIBLE = 1, 3, 0xFFFE
_LONGEST_COMMENT = 1 << 24
_UNKNOWN_SIZE = 0xFFFFFFFF
# (tag, bits): dtype as it stands in the file, dtype it is kept in, scale, zero
_KINDS: dict[tuple[int, int], tuple[str, str, float, float]] = {
    (_PCM, 8): ("u1", "uint8", 2.0**-7, -1.0),
    (_PCM, 16): ("<i2", "int16", 2.0**-15, 0.0),
    (_PCM, 24): ("u1", "int32", 2.0**-23, 0.0),
    (_PCM, 32): ("<i4", "int32", 2.0**-31, 0.0),
    (_FLOAT, 32): ("<f4", "float32", 1.0, 0.0),
    (_FLOAT, 64): ("<f8", "float64", 1.0, 0.0),
}


class _Layout(msgspec.Struct, frozen=True):
    """What the header says, and how much of it is true."""

    n_channels: int
    rate_hz: float
    tag: int
    bits: int  # of the container: samples of fewer bits fill its upper ones
    valid_bits: int
    offset: int
    n_frames: int
    n_promised: int
    comment: Comment | None  # what a file of ours says of its channels

    @property
    def frame(self) -> int:
        """Bytes per frame."""
        return self.n_channels * self.bits // 8


def _layout(path: Path) -> _Layout:
    """Return the layout of a file, its data cut to what is there."""
    size = path.stat().st_size
    form: tuple[int, int, float, int, int] | None = None
    long_data, comment = None, None
    with path.open("rb") as file:
        if file.read(12)[8:12] != b"WAVE":
            raise FormatError(path, "this is not a WAV file", "a RIFF header with WAVE", "Choose another file.")
        while len(head := file.read(8)) == 8:
            name, length = head[:4], struct.unpack("<I", head[4:])[0]
            if name == b"ds64":
                content = file.read(length)
                long_data = struct.unpack("<Q", content[8:16])[0] if len(content) >= 16 else None
                file.seek(length % 2, 1)
            elif name == b"fmt ":
                form = _form(path, file.read(length))
                file.seek(length % 2, 1)
            elif name == b"LIST" and length < _LONGEST_COMMENT:
                comment = _comment(file.read(length))
                file.seek(length % 2, 1)
            elif name == b"data":
                if form is None:
                    break
                promised = long_data if length == _UNKNOWN_SIZE and long_data is not None else length
                tag, n_channels, rate_hz, bits, valid_bits = form
                frame, offset = n_channels * bits // 8, file.tell()
                there = min(promised, size - offset)
                return _Layout(n_channels, rate_hz, tag, bits, valid_bits, offset, there // frame, promised // frame, comment)
            else:
                file.seek(length + length % 2, 1)
    raise FormatError(path, "the header ends before the samples", "a format and a data chunk", "Record or copy the file again.")


def _comment(content: bytes) -> Comment | None:
    """Return what a comment of ours says, or None for any other."""
    at = content.find(b"ICMT")
    if not content.startswith(b"INFO") or at < 0:
        return None
    try:
        return msgspec.json.decode(content[at + 8 :].rstrip(b"\0"), type=Comment)
    except (msgspec.DecodeError, ValueError):
        return None


def _form(path: Path, content: bytes) -> tuple[int, int, float, int, int]:
    """Return (tag, channels, rate, bits of the container, bits of the samples in it) of a format chunk."""
    if len(content) < 16:
        raise FormatError(path, "the format chunk is cut off", "16 bytes or more", "Copy the file again.")
    tag, n_channels, rate, _, frame, valid = struct.unpack("<HHIIHH", content[:16])
    bits = 8 * -(-valid // 8)
    if n_channels and frame % n_channels == 0 and frame // n_channels * 8 > bits:
        bits = frame // n_channels * 8
    if tag == _EXTENSIBLE and len(content) >= 26:
        stated, tag = struct.unpack("<H", content[18:20])[0], struct.unpack("<H", content[24:26])[0]
        valid = stated if 0 < stated <= bits else valid
    if (tag, bits) not in _KINDS or not valid:
        raise FormatError(
            path, f"samples of kind {tag} with {valid} bits", "PCM of up to 32 bits or float of 32, 64 bits", "Convert the file."
        )
    if not n_channels or not rate:
        raise FormatError(path, f"{n_channels} channels at {rate} Hz", "at least one channel and a rate", "Record it again.")
    return tag, n_channels, float(rate), bits, valid


def _frames(file: OpenFile, layout: _Layout, low: int, high: int) -> AnyArray:
    """Return frames low to high, shape (high - low, n_channels), in the type they are kept in."""
    in_file, kept, _, _ = _KINDS[layout.tag, layout.bits]
    numbers = np.frombuffer(file.read(layout.offset + low * layout.frame, (high - low) * layout.frame), dtype=in_file)
    if layout.bits == 24:
        three = numbers.reshape(-1, 3).astype(np.int32)
        numbers = ((three[:, 0] << 8) | (three[:, 1] << 16) | (three[:, 2] << 24)) >> 8
    return np.asarray(numbers.reshape(-1, layout.n_channels), dtype=kept)


def preview_wav(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what the header of a WAV file says.

    Raises
    ------
    FormatError
        When it is not one, or holds samples of another kind.
    FileAccessError
        When it cannot be read.
    """
    try:
        layout = _layout(path)
        first = _frames(OpenFile(path), layout, 0, min(FIRST_ROWS, layout.n_frames))
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    _, _, scale, zero = _KINDS[layout.tag, layout.bits]
    told = layout.comment if layout.comment is not None and layout.comment.describes(layout.n_channels) else None
    columns = [Column(f"ch{k + 1}", "V") for k in range(layout.n_channels)]
    if told is not None:
        columns = [Column(name, symbol) for name, symbol in zip(told.names, told.units, strict=True)]
    rate_hz = told.rate_hz if told is not None else layout.rate_hz
    kind = "float" if layout.tag == _FLOAT else "integer"
    within = f" in {layout.bits}" if layout.valid_bits != layout.bits else ""
    reasons = [
        f"{layout.n_channels} channels of {kind} samples with {layout.valid_bits} bits{within}",
        f"{rate_hz:g} samples per second from the header",
        "names and units from its comment"
        if told is not None
        else "full scale reads as 1 V until the scaling chain says otherwise",
    ]
    cut = layout.n_frames < layout.n_promised
    said = [remarks.cut_off(layout.n_promised, layout.n_frames)] if cut else []
    values = [first[:, k] * scale + zero for k in range(layout.n_channels)]
    metadata = [("samples promised", str(layout.n_promised)), ("samples there", str(layout.n_frames))]
    metadata += told.facts if told is not None else ()
    start_s = stated_first(metadata)
    arrays = [Timed(column, layout.n_frames, "", Rate(rate_hz, "header"), start_s) for column in columns]
    return msgspec.structs.replace(binary_preview(path, arrays, values, reasons, metadata, said), reasons=tuple(reasons))


def read_wav(path: Path, dialect: Dialect, progress: Progress) -> Recording:
    """Return the recording in a WAV file, mapped where it stands; what was cut off is missing, and the preview says so.

    Raises
    ------
    FormatError
        When it is not one, or holds no samples.
    FileAccessError
        When it cannot be read or the store cannot be written.
    """
    return stored(path, dialect, progress, lambda part: _opened(path, dialect, part))


def _opened(path: Path, dialect: Dialect, progress: Progress) -> Source:
    found = preview_wav(path)
    layout = _layout(path)
    check_columns(path, layout.n_channels, dialect)
    in_file, kept, scale, zero = _KINDS[layout.tag, layout.bits]
    mapped = layout.bits != 24  # three bytes are no type: those are kept in the store as four

    def served() -> Iterator[Block]:
        file = OpenFile(path)
        for low, high in blocks(0, layout.n_frames):
            frames = _frames(file, layout, low, high)
            yield Block(low, [frames[:, k] for k, _ in dialect.channels])
            progress.at(high / layout.n_frames)

    def column(k: int, stated: Column) -> StoredColumn:
        place = StoredPlace(0, layout.offset + k * layout.bits // 8, layout.frame) if mapped else None
        return StoredColumn(
            stated.name, stated.unit, in_file if mapped else kept, scale * stated.scale, zero * stated.scale, place=place
        )

    columns = tuple(column(k, stated) for k, stated in dialect.channels)
    return Source(
        columns,
        iter(()) if mapped else served(),
        found.metadata,
        n_mapped=layout.n_frames if mapped else None,
        start_s=dialect.start_s,
        began=lambda: found.began,
        told=lambda: found.told,
    )
