"""From files to recordings, and from a study to its record."""

from pathlib import Path

import msgspec

from pantelos.errors import FileAccessError, FormatError, StudyError
from pantelos.formats.dialect import Dialect, Preview, Side
from pantelos.formats.format import Format
from pantelos.formats.registry import format_named, format_of
from pantelos.progress import Progress
from pantelos.record.record import Record
from pantelos.record.recording import Recording
from pantelos.study.model import RecordSource, Study
from pantelos.study.recordings import Recordings
from pantelos.study.usual import with_usual_dates


def preview(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what is understood of a file, before anything is built; a given separator or decimal sign is kept to."""
    return with_usual_dates(format_of(path).preview(path, delimiter, decimal))


def read_file(reader: Format, path: Path, dialect: Dialect, progress: Progress) -> tuple[Recording, ...]:
    """Return the recordings in a file: one for each of its time bases."""
    parts = [part for part in dialect.parts if part.channels] or [dialect]
    return tuple(reader.read(path, part, progress.part(k / len(parts), (k + 1) / len(parts))) for k, part in enumerate(parts))


def recordings_of(study: Study, progress: Progress | None = None) -> Recordings:
    """Return the recordings a study refers to.

    Raises
    ------
    FileAccessError
        When a file is gone.
    FormatError
        When its content is not what the study was made with.
    """
    source = study.record
    if source is None:
        raise StudyError(f'The study "{study.title}" refers to no record. Import a recording into a new study.')
    progress, n = progress or Progress(), len(source.files)
    recordings = Recordings()
    for at, file in enumerate(source.files):
        path = Path(file.path)
        if not path.exists():
            advice = f"Put it back, or say where it is now: pantelos relink STUDY {path.name} (in the window: Find the record)"
            raise FileAccessError(path, "read", "it is not there any more", f"{advice}.")
        read = read_file(format_named(file.format), path, file.dialect, progress.part(at / n, (at + 1) / n))
        if read[0].fingerprint != file.fingerprint:
            raise FormatError(
                path,
                "the file has changed since the study was made",
                f"the content with fingerprint {file.fingerprint[:12]}…",
                "Put the original back, or accept the change by relinking the record.",
            )
        recordings.add(file, read)
    return recordings


def record_of(study: Study, progress: Progress | None = None) -> Record:
    """Return the record a study refers to; raises what `recordings_of` raises."""
    return recordings_of(study, progress).record(study.record)


def relinked(
    study: Study, path: Path, instead_of: Path | None = None, progress: Progress | None = None
) -> tuple[Study, Recordings]:
    """Return the study with one file of its record taken from another place or accepted as changed; all else stays.

    Raises
    ------
    StudyError
        When the record has several files and it is not said which.
    """
    source = study.record
    assert source is not None
    at = _which(source, path, instead_of)
    old = source.files[at]
    read = read_file(format_named(old.format), path, old.dialect, progress or Progress())
    file = msgspec.structs.replace(old, path=str(path.resolve()), fingerprint=read[0].fingerprint)
    files = (*source.files[:at], file, *source.files[at + 1 :])
    moved = msgspec.structs.replace(study, record=msgspec.structs.replace(source, files=files))
    if len(files) > 1:
        return moved, recordings_of(moved, progress)
    recordings = Recordings()
    recordings.add(file, read)
    return moved, recordings


def read_on(study: Study, recordings: Recordings, side: Side, progress: Progress | None = None) -> Study:
    """Return the study with all values whose side of an instrument transformer is stated read as primary or secondary ones.

    What is read for it is added to `recordings`.

    Raises
    ------
    StudyError
        When the record states no side.
    """
    source, progress = study.record, progress or Progress()
    if source is None or not any(c.side for file in source.files for c in file.dialect.columns):
        raise StudyError("The record does not say on which side of an instrument transformer its values are.")
    files = []
    for at, file in enumerate(source.files):
        dialect = msgspec.structs.replace(file.dialect, columns=tuple(column.on(side) for column in file.dialect.columns))
        files.append(msgspec.structs.replace(file, dialect=dialect))
        part = progress.part(at / len(source.files), (at + 1) / len(source.files))
        recordings.add(files[-1], read_file(format_named(file.format), Path(file.path), dialect, part))
    return msgspec.structs.replace(study, record=msgspec.structs.replace(source, files=tuple(files)))


def _which(source: RecordSource, path: Path, instead_of: Path | None) -> int:
    if len(source.files) == 1:
        return 0
    wanted = (instead_of or path).name
    found = [at for at, file in enumerate(source.files) if Path(file.path).name == wanted]
    if len(found) != 1:
        names = ", ".join(Path(file.path).name for file in source.files)
        raise StudyError(f"{path.name} could stand for any of {names}. Say which one it replaces.")
    return found[0]


def missing_file(study: Study) -> Path | None:
    """Return the first file of a study's record that is not there, or None."""
    files = study.record.files if study.record is not None else ()
    return next((Path(file.path) for file in files if not Path(file.path).exists()), None)
