"""Importing recordings into a study: the first one, and others beside or behind it."""

from collections.abc import Sequence
from pathlib import Path

import msgspec

from pantelos.errors import StudyError, clipped
from pantelos.formats.dialect import Dialect, Preview
from pantelos.formats.memory import remember
from pantelos.formats.registry import format_of
from pantelos.progress import Progress
from pantelos.record.alignment import Alignment, How, placement
from pantelos.record.assembly import shots_of
from pantelos.record.recording import Recording
from pantelos.study import operations
from pantelos.study.model import RecordSource, SourceFile, Study
from pantelos.study.opening import read_file
from pantelos.study.parts import are_parts, in_order
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


def import_parts(
    study: Study,
    paths: Sequence[Path],
    dialects: Sequence[Dialect],
    progress: Progress | None = None,
    seen: Sequence[Preview] = (),
) -> tuple[Study, Recordings]:
    """Return the study with recordings in several files: parts of one, in their order, where they hold the same columns.

    Other files are set beside the first by their dates and times.

    Raises
    ------
    StudyError
        When they hold other columns and state no date and time.
    """
    progress, n = progress or Progress(), len(paths)
    parts = are_parts(dialects)
    order = in_order(paths, seen) if parts and len(seen) == n else list(range(n))
    recordings = Recordings()
    for done, k in enumerate(order):
        part = progress.part(done / n, (done + 1) / n)
        shown = seen[k] if len(seen) == n else None
        if not done:
            study, recordings = import_recording(study, paths[k], dialects[k], part, shown)
            continue
        alignment = Alignment(How.BEHIND if parts else How.START)
        study, recordings = join_recording(study, recordings, paths[k], dialects[k], alignment, part, shown)
    return study, recordings


def _imported(
    path: Path, dialect: Dialect, progress: Progress | None, seen: Preview | None
) -> tuple[SourceFile, tuple[Recording, ...]]:
    if str(path.resolve()) != str(path.resolve()).encode(errors="replace").decode():
        raise StudyError(
            f"{clipped(path.name)}: a study keeps names in UTF-8, and this name or that of its folder is not. Rename it."
        )
    reader = format_of(path)
    read = read_file(reader, path, dialect, progress or Progress())
    if seen is not None:
        remember(seen, dialect)
    return SourceFile(str(path.resolve()), read[0].fingerprint, reader.id, dialect), read
