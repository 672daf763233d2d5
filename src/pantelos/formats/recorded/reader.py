"""Reading a recording, where it stands: also one that was not ended, or is being made."""

from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats import remarks
from pantelos.formats.bases import Timed
from pantelos.formats.beside import Rate
from pantelos.formats.binary_preview import FIRST_ROWS, binary_preview, check_columns
from pantelos.formats.dialect import Column, Dialect, Preview
from pantelos.formats.recorded.layout import RecordedHeader, unpacked
from pantelos.formats.storing import Source, stored
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.recording import Recording
from pantelos.record.store import Place, StoredColumn
from pantelos.record.timing import Segment, Timing, start_of

_FIRST_LINE = 64


class _Found(msgspec.Struct, frozen=True):
    header: RecordedHeader
    room: int
    n_rows: int


def _found(path: Path) -> _Found:
    try:
        with path.open("rb") as file:
            room, _ = unpacked(file.read(_FIRST_LINE))
            file.seek(0)
            _, header = unpacked(file.read(room))
        if header is None or not header.channels or not header.rate_hz > 0:
            raise ValueError("cut off")
        return _Found(header, room, max(path.stat().st_size - room, 0) // header.row_bytes)
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    except (ValueError, msgspec.DecodeError) as cause:
        raise FormatError(path, "the header cannot be read", "the one a recording begins with", "Copy the file again.") from cause


def _told(header: RecordedHeader) -> list[Notice]:
    said = [] if header.ended else [remarks.not_ended()]
    return [*said, *(remarks.rows_lost(one.n, one.before) for one in header.lost)]


def preview_recorded(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what the header of a recording says.

    Raises
    ------
    FormatError
        When it is none.
    FileAccessError
        When it cannot be read.
    """
    found = _found(path)
    header, n = found.header, min(found.n_rows, FIRST_ROWS)
    first = np.fromfile(path, "<i2", n * len(header.channels), offset=found.room).reshape(n, -1)
    arrays = [
        Timed(
            Column(one.name, "V", range=one.range_v),
            found.n_rows,
            "",
            Rate(header.rate_hz, "header"),
            _start_s(header, found.n_rows),
        )
        for one in header.channels
    ]
    facts = {"recorder": header.recorder, "order": header.order, "started": header.began, "ended": header.ended}
    shots = [("shots", str(len(header.shots)))] if len(header.shots) > 1 else []
    return binary_preview(
        path,
        arrays,
        [first[:, k] * one.step_v for k, one in enumerate(header.channels)],
        [f"{len(header.channels)} channels of 16 bits, {header.rate_hz:g} samples per second"],
        [*((label, text) for label, text in facts.items() if text), *shots],
        _told(header),
    )


def _start_s(header: RecordedHeader, n_rows: int) -> float:
    """Return the instant of the first row; the start of the first shot is zero."""
    return start_of(timing_of_rows(header, n_rows)) if n_rows else 0.0


def timing_of_rows(header: RecordedHeader, n_rows: int) -> Timing:
    """Return when rows were taken: every shot from its start on, rows behind a loss so much later."""
    shots = [shot for shot in header.shots if shot.first < n_rows]
    if not shots or shots[0].first:
        shots = [msgspec.structs.replace(shots[0], first=0)] if shots else []
    bounds = sorted({0, *(shot.first for shot in shots), *(one.before for one in header.lost if one.before < n_rows)})
    segments = []
    for begin, end in zip(bounds, [*bounds[1:], n_rows], strict=True):
        shot = next((one for one in reversed(shots) if one.first <= begin), None)
        first = shot.first if shot is not None else 0  # what is lost between two shots is taken to be of the one that ends
        lost = sum(one.n for one in header.lost if first < one.before <= begin or (not first and not one.before))
        start = shot.start if shot is not None else 0
        segments.append(Segment((begin + lost - start) / header.rate_hz, header.rate_hz, begin, end - begin))
    return tuple(segments)


def read_recorded(path: Path, dialect: Dialect, progress: Progress) -> Recording:
    """Return a recording, mapped where it stands.

    Raises
    ------
    FormatError
        When it is none, or holds no rows.
    FileAccessError
        When it cannot be read or the store cannot be written.
    """
    return stored(path, dialect, progress, lambda _: _opened(path, dialect))


def _opened(path: Path, dialect: Dialect) -> Source:
    found, seen = _found(path), preview_recorded(path)
    header = found.header
    check_columns(path, len(header.channels), dialect)

    def column(k: int, stated: Column) -> StoredColumn:
        place = Place(0, found.room + 2 * k, header.row_bytes)
        return StoredColumn(stated.name, stated.unit, "<i2", header.channels[k].step_v * stated.scale, place=place)

    return Source(
        tuple(column(k, stated) for k, stated in dialect.channels),
        iter(()),
        seen.metadata,
        n_mapped=found.n_rows,
        timing=lambda n: timing_of_rows(header, n),
        began=lambda: seen.began,
        told=lambda: tuple(_told(header)),
    )
