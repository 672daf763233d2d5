"""The recordings a study rests on, mapped, and the record they make."""

from msgspec.structs import replace

from pantelos.errors import StudyError
from pantelos.formats import remarks
from pantelos.record.assembly import assembled
from pantelos.record.record import Record
from pantelos.record.recording import Recording
from pantelos.study.model import RecordSource, SourceFile


class Recordings:
    """Keeps what was read of every file; undoing a step may need one that the present study no longer names."""

    def __init__(self) -> None:
        self._read: dict[tuple[object, ...], tuple[Recording, ...]] = {}
        self._made: tuple[RecordSource, Record] | None = None

    def add(self, file: SourceFile, read: tuple[Recording, ...]) -> None:
        """Keep what was read of a file: a recording for each of its time bases."""
        true = (replace(recording, told=remarks.still_true(recording.told, file.dialect)) for recording in read)
        self._read[_key(file)] = tuple(true)

    def of(self, file: SourceFile) -> tuple[Recording, ...]:
        """Return what was read of a file."""
        return self._read[_key(file)]

    def record(self, source: RecordSource | None) -> Record:
        """Return the record of a study; the same one as long as its source is the same.

        Raises
        ------
        StudyError
            When there is no source, or the recordings cannot be set on one grid.
        """
        if source is None:
            raise StudyError("This study refers to no record. Import a recording.")
        made = self._made  # once: a worker may be making another one
        if made is None or (made[0] is not source and made[0] != source):  # asked for at every stroke: most often the same
            read = [recording for file in source.files for recording in self.of(file)]
            placements = [file.placement for file in source.files for _ in self.of(file)]
            made = source, assembled(read, placements, source.zero_s, source.trim_s, source.rate_hz)
            self._made = made
        return made[1]


def _key(file: SourceFile) -> tuple[object, ...]:
    return file.path, file.fingerprint, file.format, file.dialect
