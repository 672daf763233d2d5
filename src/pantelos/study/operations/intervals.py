"""Intervals: added, moved, renamed, removed, made active."""

from collections.abc import Collection

from msgspec.structs import replace

from pantelos.errors import StudyError
from pantelos.formula.uses import with_place_changed
from pantelos.record.pieces import Grid
from pantelos.study.model import WHOLE_RECORD, Interval, Study
from pantelos.study.validation import check_interval


def add_interval(study: Study, interval: Interval, grid: Grid) -> Study:
    """Return the study with another interval, which becomes the active one.

    Raises
    ------
    StudyError
        When the name is taken, the stretch is empty, or lies outside the record.
    """
    _check_not_taken(study, interval.name)
    return replace(study, intervals=(*study.intervals, _inside(interval, grid)), active=interval.name)


def _check_not_taken(study: Study, name: str) -> None:
    """Check that no interval has a name, shown or hidden."""
    if any(known.name == name for known in study.intervals):
        raise StudyError(f'There is already an interval "{name}". Choose another name.')
    if name in study.hidden.names:
        raise StudyError(f'There is an interval "{name}" outside the stretch that is kept. Choose another name.')


def _inside(interval: Interval, grid: Grid) -> Interval:
    check_interval(interval)
    near = 1e-9 + 1e-12 * max(abs(grid.start_s), abs(grid.stop_s))
    if interval.start_s < grid.start_s - near or interval.stop_s > grid.stop_s + near:
        raise StudyError(
            f'Interval "{interval.name}", {interval.start_s:g} to {interval.stop_s:g} s, lies outside the record, '
            f"which runs from {grid.start_s:g} to {grid.stop_s:g} s. Choose times inside."
        )
    return replace(interval, start_s=max(interval.start_s, grid.start_s), stop_s=min(interval.stop_s, grid.stop_s))


def add_intervals(study: Study, intervals: Collection[Interval], grid: Grid) -> Study:
    """Return the study with several intervals more, the first of which becomes the active one."""
    for at, interval in enumerate(intervals):
        _check_not_taken(study, interval.name)
        if any(other.name == interval.name for other in list(intervals)[:at]):
            raise StudyError(f'There is already an interval "{interval.name}". Choose another name.')
    inside = tuple(_inside(interval, grid) for interval in intervals)
    return replace(study, intervals=(*study.intervals, *inside), active=inside[0].name if inside else study.active)


def change_interval(study: Study, name: str, **changes: object) -> Study:
    """Return the study with other properties of an interval: `note`, `rides`."""
    found = study.interval(name)
    return replace(study, intervals=tuple(replace(i, **changes) if i is found else i for i in study.intervals))


def shift_interval(study: Study, name: str, seconds: float, grid: Grid) -> Study:
    """Return the study with an interval moved as a whole, as far as the record goes; its length stays."""
    found = study.interval(name)
    seconds = min(max(seconds, grid.start_s - found.start_s), grid.stop_s - found.stop_s)
    return move_interval(study, name, found.start_s + seconds, found.stop_s + seconds, grid)


def move_interval(study: Study, name: str, start_s: float, stop_s: float, grid: Grid) -> Study:
    """Return the study with other edges of an interval."""
    moved = _inside(replace(study.interval(name), start_s=start_s, stop_s=stop_s, rule=""), grid)  # by hand now
    return replace(study, intervals=tuple(moved if i.name == name else i for i in study.intervals))


def rename_interval(study: Study, old: str, new: str) -> Study:
    """Return the study with an interval under another name, in formulas and panels too."""
    found = study.interval(old)
    if new != old:
        _check_not_taken(study, new)
    renamed = replace(found, name=new)
    check_interval(renamed)
    return replace(
        study,
        intervals=tuple(renamed if i is found else i for i in study.intervals),
        active=new if study.active == old else study.active,
        hidden=study.hidden.renamed(old, new),
        panels=tuple(replace(p, interval=new) if p.interval == old else p for p in study.panels),
        formulas=tuple(replace(f, expression=with_place_changed(f.expression, old, new)) for f in study.formulas),
    )


def remove_interval(study: Study, name: str) -> Study:
    """Return the study without an interval; the one before it becomes active, panels follow the active one."""
    at = study.intervals.index(study.interval(name))
    rest = study.intervals[:at] + study.intervals[at + 1 :]
    active = study.active
    if active == name:
        active = rest[max(at - 1, 0)].name if rest else None
    panels = tuple(replace(p, interval=None) if p.interval == name else p for p in study.panels)
    return replace(study, intervals=rest, active=active, panels=panels)


def activate(study: Study, name: str) -> Study:
    """Return the study with another active interval; none is where the whole record is meant."""
    return replace(study, active=None if name == WHOLE_RECORD else study.interval(name).name)


def new_interval_name(study: Study) -> str:
    """Return a name that no interval has yet."""
    taken = {*(interval.name for interval in study.intervals), *study.hidden.names}
    return next(name for k in range(1, len(taken) + 2) if (name := f"interval {k}") not in taken)
