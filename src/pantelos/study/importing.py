"""Importing recordings into a study: the first one, and others beside or behind it."""

from collections.abc import Sequence
from pathlib import Path

import msgspec

from pantelos.errors import StudyError, clipped
from pantelos.formats.dialect import Dialect, Preview, TimeForm
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
from pantelos.study.usual import with_usual_accuracy

_OF_A_DAY = (TimeForm.STAMP, TimeForm.CLOCK, TimeForm.SINCE_1970, TimeForm.DAYS)


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


class Agreed(msgspec.Struct, frozen=True):
    """A file as it is to be read: its dialect, what was understood of it, how it is set; None: all others are set against it."""

    path: Path
    dialect: Dialect
    seen: Preview
    alignment: Alignment | None = None

    @property
    def dated(self) -> bool:
        """Whether it says when it began: before its samples, or with each of them."""
        at = self.dialect.time_column
        return self.seen.began is not None or (at is not None and self.dialect.columns[at].form in _OF_A_DAY)


def usual_order(files: Sequence[Agreed]) -> tuple[list[int], How, bool]:
    """Return the usual order of files, how they are set, and whether the files tell: those of other columns without dates do not.

    Files of the same columns are parts of one recording, one behind the other; others go by date and time.
    """
    n, dated = len(files), all(file.dated for file in files)
    if n > 1 and are_parts([file.dialect for file in files]):
        return in_order([file.path for file in files], [file.seen for file in files]), How.BEHIND, True
    return list(range(n)), How.START if dated and n > 1 else How.TOGETHER, dated or n == 1


def set_usually(files: Sequence[Agreed]) -> list[Agreed]:
    """Return files in their usual order, set against the first of them.

    Raises
    ------
    StudyError
        When nothing tells how they lie.
    """
    order, how, told = usual_order(files)
    if not told:
        raise StudyError("These files hold other columns and do not say when they began. Take one of them, and join the others.")
    ordered = [files[k] for k in order]
    return [msgspec.structs.replace(file, alignment=Alignment(how) if k else None) for k, file in enumerate(ordered)]


def import_files(
    study: Study, recordings: Recordings, files: Sequence[Agreed], progress: Progress | None = None
) -> tuple[Study, Recordings]:
    """Return the study with recordings as agreed, and all recordings it rests on; channels have the limits of the settings.

    Raises
    ------
    StudyError
        When one cannot be set as asked for.
    """
    progress, before = progress or Progress(), frozenset(channel.name for channel in study.channels)
    total, done = max(sum(file.seen.size_bytes for file in files), 1), 0
    for file in files:
        part = progress.part(done / total, (done + file.seen.size_bytes) / total)
        done += file.seen.size_bytes
        if file.alignment is None:
            study, recordings = import_recording(study, file.path, file.dialect, part, file.seen)
        else:
            study, recordings = join_recording(study, recordings, file.path, file.dialect, file.alignment, part, file.seen)
    return with_usual_accuracy(study, before), recordings


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
