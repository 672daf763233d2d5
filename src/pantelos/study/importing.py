"""Importing recordings into a study: the first one, and others beside or behind it."""

from pathlib import Path

import msgspec

from pantelos.formats.dialect import Dialect, Preview
from pantelos.formats.memory import remember
from pantelos.formats.registry import format_of
from pantelos.progress import Progress
from pantelos.record.alignment import Alignment, placement
from pantelos.record.assembly import shots_of
from pantelos.record.recording import Recording
from pantelos.study import operations
from pantelos.study.model import RecordSource, SourceFile, Study
from pantelos.study.opening import read_file
from pantelos.study.recordings import Recordings


def import_recording(
    study: Study, path: Path, dialect: Dialect, progress: Progress | None = None, seen: Preview | None = None
) -> tuple[Study, Recordings]:
    """Return the study with the recording in a file, and the recordings it rests on.

    `seen` is what was understood before corrections: they are remembered for files of that shape.
    """
    file, read = _imported(path, dialect, progress, seen)
    recordings = Recordings()
    recordings.add(file, read)
    source = RecordSource((file,))
    record = recordings.record(source)
    made = operations.open_record(study, source, record)
    return operations.with_shots(made, shots_of(read[0]), record.grid), recordings


def join_recording(
    study: Study,
    recordings: Recordings,
    path: Path,
    dialect: Dialect,
    alignment: Alignment,
    progress: Progress | None = None,
    seen: Preview | None = None,
) -> tuple[Study, Recordings]:
    """Return the study with one more recording beside or behind those it has; those are kept in `recordings` too.

    Raises
    ------
    StudyError
        When it cannot be set as asked for.
    """
    source = study.record
    if source is None:
        return import_recording(study, path, dialect, progress, seen)
    file, read = _imported(path, dialect, progress, seen)
    there = [(recording, known.placement) for known in source.files for recording in recordings.of(known)]
    file = msgspec.structs.replace(file, placement=placement(there, read, alignment))
    recordings.add(file, read)
    return operations.join_file(study, file, recordings.record), recordings


def _imported(
    path: Path, dialect: Dialect, progress: Progress | None, seen: Preview | None
) -> tuple[SourceFile, tuple[Recording, ...]]:
    reader = format_of(path)
    read = read_file(reader, path, dialect, progress or Progress())
    if seen is not None:
        remember(seen, dialect)
    return SourceFile(str(path.resolve()), read[0].fingerprint, reader.id, dialect), read
