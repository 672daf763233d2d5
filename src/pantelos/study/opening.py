"""From a file to a record, and from a study to its record."""

from pathlib import Path

import msgspec

from pantelos.errors import FormatError, StudyError
from pantelos.formats import FORMATS, format_of
from pantelos.formats.dialect import Dialect, Preview
from pantelos.progress import Progress
from pantelos.record.record import Record
from pantelos.study import operations
from pantelos.study.model import RecordSource, Study


def preview(path: Path, delimiter: str | None = None, decimal: str | None = None) -> Preview:
    """Return what is understood of a file, before anything is built; a given separator or decimal sign is kept to."""
    return format_of(path).preview(path, delimiter, decimal)


def import_record(study: Study, path: Path, dialect: Dialect, progress: Progress | None = None) -> tuple[Study, Record]:
    """Return the study with the record of a file, and the record itself."""
    reader = format_of(path)
    record = reader.read(path, dialect, progress or Progress())
    source = RecordSource(str(path.resolve()), record.fingerprint, reader.id, dialect)
    return operations.open_record(study, source, record), record


def record_of(study: Study, progress: Progress | None = None) -> Record:
    """Return the record a study refers to.

    Raises
    ------
    FileAccessError
        When the file is gone.
    FormatError
        When its content is not what the study was made with.
    """
    source = study.record
    if source is None:
        raise StudyError(f'The study "{study.title}" refers to no record. Import a recording into a new study.')
    path = Path(source.path)
    record = next(f for f in FORMATS if f.id == source.format).read(path, source.dialect, progress or Progress())
    if record.fingerprint != source.fingerprint:
        raise FormatError(path, "the file has changed since the study was made",
                          f"the content with fingerprint {source.fingerprint[:12]}…",
                          "Put the original back, or accept the change by relinking the record.")  # fmt: skip
    return record


def relinked(study: Study, path: Path, progress: Progress | None = None) -> tuple[Study, Record]:
    """Return the study with its record taken from another place or accepted as changed; all else stays."""
    source = study.record
    assert source is not None
    record = next(f for f in FORMATS if f.id == source.format).read(path, source.dialect, progress or Progress())
    moved = RecordSource(str(path.resolve()), record.fingerprint, source.format, source.dialect)
    return msgspec.structs.replace(study, record=moved), record
