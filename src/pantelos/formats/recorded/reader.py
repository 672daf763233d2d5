"""Reading a recording, where it stands: also one that was not ended, or is being made."""

import os
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import FormatError, access_error
from pantelos.formats import remarks
from pantelos.formats.bases import Timed
from pantelos.formats.beside import Rate
from pantelos.formats.binary_preview import FIRST_ROWS, binary_preview, check_columns
from pantelos.formats.dialect import Column, Dialect, Preview
from pantelos.formats.recorded.companions import course_beside, files_beside
from pantelos.formats.recorded.layout import LAST_LINE_BYTES, RecordedCourse, RecordedHeader, bytes_of_course, unpacked_header
from pantelos.formats.storing import KnownSource, Source, stored
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.recording import Recording
from pantelos.record.store import StoredColumn, StoredPlace
from pantelos.record.timing import Segment, Timing, start_of

_FIRST_LINE = 64


class _Found(msgspec.Struct, frozen=True):
    header: RecordedHeader
    room: int
    n_rows: int
    course: RecordedCourse


def _found(path: Path) -> _Found:
    try:
        with path.open("rb") as file:
            room, _, _ = unpacked_header(file.read(_FIRST_LINE))
            file.seek(0)
            _, header, course = unpacked_header(file.read(room))
            if header is None or not header.channels or not header.rate_hz > 0:
                raise ValueError("cut off")
            size = file.seek(0, os.SEEK_END)
            file.seek(max(size - LAST_LINE_BYTES, room))
            length = bytes_of_course(file.read())
            if length:
                file.seek(size - LAST_LINE_BYTES - length)
                course = msgspec.json.decode(file.read(length), type=RecordedCourse)
        beside = course_beside(path)
        if not length and beside.exists():
            course = msgspec.json.decode(beside.read_bytes(), type=RecordedCourse)
        n_rows = max(size - room, 0) // header.row_bytes
        return _Found(header, room, n_rows if course.n_rows is None else min(n_rows, course.n_rows), course)
    except OSError as cause:
        raise access_error(path, "read", cause) from cause
    except (ValueError, msgspec.DecodeError) as cause:
        raise FormatError(path, "the header cannot be read", "the one a recording begins with", "Copy the file again.") from cause


def _told(course: RecordedCourse) -> list[Notice]:
    said = [] if course.ended else [remarks.not_ended()]
    return [*said, *(remarks.rows_lost(one.n, one.before) for one in course.lost)]


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
    header, course, n = found.header, found.course, min(found.n_rows, FIRST_ROWS)
    starts_at = start_of(timing_of_rows(header.rate_hz, course, found.n_rows)) if found.n_rows else 0.0
    first = np.fromfile(path, "<i2", n * len(header.channels), offset=found.room).reshape(n, len(header.channels))
    arrays = [
        Timed(Column(one.name, "V", range=one.range_v), found.n_rows, "", Rate(header.rate_hz, "header"), starts_at)
        for one in header.channels
    ]
    facts = {"recorder": header.recorder, "order": header.order, "started": header.began, "ended": course.ended}
    shots = [("shots", str(len(course.shots)))] if len(course.shots) > 1 else []
    return binary_preview(
        path,
        arrays,
        [first[:, k] * one.step_v for k, one in enumerate(header.channels)],
        [f"{len(header.channels)} channels of 16 bits, {header.rate_hz:g} samples per second"],
        [*((label, text) for label, text in facts.items() if text), *shots],
        _told(course),
    )


def timing_of_rows(rate_hz: float, course: RecordedCourse, n_rows: int) -> Timing:
    """Return when rows were taken: every shot from its start on, which is zero, rows behind a loss so much later."""
    shots = [shot for shot in course.shots if shot.first < n_rows]
    if not shots or shots[0].first:
        shots = [msgspec.structs.replace(shots[0], first=0)] if shots else []
    bounds = sorted({0, *(shot.first for shot in shots), *(one.before for one in course.lost if one.before < n_rows)})
    segments = []
    for begin, end in zip(bounds, [*bounds[1:], n_rows], strict=True):
        shot = next((one for one in reversed(shots) if one.first <= begin), None)
        first = shot.first if shot is not None else 0  # what is lost between two shots is taken to be of the one that ends
        lost = sum(one.n for one in course.lost if first < one.before <= begin or (not first and not one.before))
        start = shot.start if shot is not None else 0
        segments.append(Segment((begin + lost - start) / rate_hz, rate_hz, begin, end - begin))
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
    return stored(path, dialect, progress, lambda _: _opened(path, dialect), files_beside(path))


def keep_recorded(path: Path, known: KnownSource) -> None:
    """Have a recording that has just been written in the store, so that it opens at once.

    Raises
    ------
    FormatError, FileAccessError
        As `read_recorded`.
    """
    dialect = preview_recorded(path).dialect
    stored(path, dialect, Progress(), lambda _: _opened(path, dialect), known=known)


def _opened(path: Path, dialect: Dialect) -> Source:
    found, seen = _found(path), preview_recorded(path)
    header = found.header
    check_columns(path, len(header.channels), dialect)

    def column(k: int, stated: Column) -> StoredColumn:
        place = StoredPlace(0, found.room + 2 * k, header.row_bytes)
        return StoredColumn(stated.name, stated.unit, "<i2", header.channels[k].step_v * stated.scale, place=place)

    return Source(
        tuple(column(k, stated) for k, stated in dialect.channels),
        iter(()),
        seen.metadata,
        n_mapped=found.n_rows,
        timing=lambda n: timing_of_rows(header.rate_hz, found.course, n),
        began=lambda: seen.began,
        told=lambda: tuple(_told(found.course)),
    )
