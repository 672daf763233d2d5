"""The record of a study: files joined to it, its time zero, the stretch that is kept, the rate it is read at."""

from collections.abc import Callable, Sequence

from msgspec.structs import replace

from pantelos.errors import StudyError
from pantelos.record.assembly import Shot
from pantelos.record.pieces import Grid
from pantelos.record.record import Record
from pantelos.study.model import Interval, RecordSource, SourceFile, Study
from pantelos.study.operations.channels import with_new_columns
from pantelos.study.report import Evidence

MakeRecord = Callable[[RecordSource | None], Record]
_MOST_SHOTS = 40
_FURTHEST_S = 1e10  # about three centuries


def join_file(study: Study, file: SourceFile, made: MakeRecord) -> Study:
    """Return the study with one more file in its record, and channels for its new columns."""
    source = _source(study)
    if any(known.path == file.path and known.placement.behind == file.placement.behind for known in source.files):
        raise StudyError(f"{file.path.rpartition('/')[2]} is part of this record already. Choose another recording.")
    changed = replace(source, files=(*source.files, file))
    return with_new_columns(study, changed, made(changed))


def with_shots(study: Study, shots: Sequence[Shot], grid: Grid) -> Study:
    """Return the study with an interval for every stretch that was set behind the one before."""
    for at, shot in enumerate(shots[:_MOST_SHOTS], start=1):
        interval = Interval(f"shot {at}", max(shot.start_s, grid.start_s), min(shot.stop_s, grid.stop_s))
        study = replace(study, intervals=(*study.intervals, interval), active=study.active or interval.name)
    return study


def keep_evidence(study: Study, evidence: Evidence) -> Study:
    """Return the study with one more self-check of its chain."""
    return replace(study, evidence=(*study.evidence, evidence))


def move_zero(study: Study, at_s: float) -> Study:
    """Return the study with time zero at an instant of the record; intervals and view stay where they are.

    Raises
    ------
    StudyError
        When it lies so far away that times of samples could not be told apart any more.
    """
    source = _source(study)
    if not abs(source.zero_s + at_s) < _FURTHEST_S:
        raise StudyError(f"{at_s:g} s lies too far from the record to be its time zero. Choose an instant near it.")
    intervals = tuple(replace(i, start_s=i.start_s - at_s, stop_s=i.stop_s - at_s) for i in study.intervals)
    view = (study.view[0] - at_s, study.view[1] - at_s) if study.view is not None else None
    changed = replace(source, zero_s=source.zero_s + at_s)
    return replace(study, record=changed, intervals=intervals, view=view, hidden=study.hidden.moved(at_s))


def set_time_base(study: Study, ppm: float) -> Study:
    """Return the study with a limit of error of the recorder's clock; 0 takes the statement away."""
    if not 0 <= ppm < 1e6:
        raise StudyError(f"{ppm:g} ppm is no accuracy of a clock. Write the limit, such as 50.")
    return replace(study, record=replace(_source(study), time_base_ppm=ppm))


def read_at(study: Study, rate_hz: float | None, made: MakeRecord) -> Study:
    """Return the study with its record read at another rate; None: the highest there is.

    Raises
    ------
    StudyError
        When the rate is lower than that of an even recording.
    """
    changed = replace(_source(study), rate_hz=rate_hz)
    made(changed)
    return replace(study, record=changed)


def _source(study: Study) -> RecordSource:
    if study.record is None:
        raise StudyError("There is no record yet. Import a recording first.")
    return study.record
