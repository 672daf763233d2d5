"""What the Traces page shows: lanes and panels."""

from collections.abc import Collection
from typing import get_args

from msgspec.structs import replace

from pantelos.errors import StudyError
from pantelos.reading.kinds import reading_kind, single_readings
from pantelos.study.model import Study
from pantelos.study.shown import Lane, Look, Panel, TimeAxis


def without_channel(lanes: tuple[Lane, ...], name: str) -> tuple[Lane, ...]:
    """Return the lanes with a channel taken out; empty ones go."""
    kept = (replace(lane, channels=tuple(c for c in lane.channels if c != name)) for lane in lanes)
    return tuple(lane for lane in kept if lane.channels)


def show_alone(study: Study, name: str, at: int) -> Study:
    """Return the study with a channel in a lane of its own at position `at`."""
    marker = study.lanes[at] if at < len(study.lanes) else None
    lanes = list(without_channel(study.lanes, name))
    place = next((k for k, lane in enumerate(lanes) if marker and set(lane.channels) <= set(marker.channels)), len(lanes))
    lanes.insert(place, Lane((name,)))
    return replace(study, lanes=tuple(lanes))


def show_with(study: Study, name: str, lane: Collection[str]) -> Study:
    """Return the study with a channel overlaid on the lane that holds `lane`."""
    if name in lane:
        return study
    wanted = set(lane) - {name}
    lanes = without_channel(study.lanes, name)
    overlaid = (replace(row, channels=(*row.channels, name)) if set(row.channels) == wanted else row for row in lanes)
    return replace(study, lanes=tuple(overlaid))


def hide_channel(study: Study, name: str) -> Study:
    """Return the study with a channel not shown."""
    return replace(study, lanes=without_channel(study.lanes, name))


def resize_lane(study: Study, at: int, weight: float) -> Study:
    """Return the study with another height of a lane."""
    return replace(study, lanes=_with_item(study.lanes, at, replace(study.lanes[at], weight=min(max(weight, 0.25), 6.0))))


def fix_scale(study: Study, at: int, scale: tuple[float, float] | None) -> Study:
    """Return the study with a fixed scale of a lane, SI, or none."""
    return replace(study, lanes=_with_item(study.lanes, at, replace(study.lanes[at], scale=scale)))


def change_lane(study: Study, at: int, **changes: object) -> Study:
    """Return the study with other properties of a lane: `collapsed`, `drawing`."""
    return replace(study, lanes=_with_item(study.lanes, at, replace(study.lanes[at], **changes)))


def move_lane(study: Study, at: int, to: int) -> Study:
    """Return the study with a lane in another place of the order."""
    lanes = [*study.lanes[:at], *study.lanes[at + 1 :]]
    lanes.insert(to if to <= at else to - 1, study.lanes[at])
    return replace(study, lanes=tuple(lanes))


def show_channels(study: Study, names: Collection[str], together: bool) -> Study:
    """Return the study with channels shown, in one lane or a lane each, behind the lanes there are."""
    lanes = study.lanes
    for name in names:
        lanes = without_channel(lanes, name)
    added = (Lane(tuple(names)),) if together else tuple(Lane((name,)) for name in names)
    return replace(study, lanes=(*lanes, *added))


def hide_channels(study: Study, names: Collection[str]) -> Study:
    """Return the study with channels not shown."""
    for name in names:
        study = hide_channel(study, name)
    return study


def set_look(study: Study, name: str, look: Look) -> Study:
    """Return the study with a channel drawn otherwise; as it is, when the look says nothing."""
    looks = {other: known for other, known in study.looks.items() if other != name}
    return replace(study, looks=looks if look == Look() else {**looks, name: look})


def change_columns(study: Study, **changes: object) -> Study:
    """Return the study with other columns of readings: `readings`, `compare`, `comparing`, `accuracy`.

    Raises
    ------
    StudyError
        When a reading is not one of a single channel.
    """
    columns = replace(study.columns, **changes)
    for name in (*columns.readings, *([columns.compare] if columns.compare else [])):
        kind = reading_kind(name)
        if kind is None or len(kind.arguments) != 1:
            raise StudyError(f'"{name}" is no reading of one channel; there are {", ".join(r.name for r in single_readings())}.')
    return replace(study, columns=columns)


def _with_item(lanes: tuple[Lane, ...], at: int, lane: Lane) -> tuple[Lane, ...]:
    return (*lanes[:at], lane, *lanes[at + 1 :])


def arrange_lanes(study: Study, shown: Collection[Collection[str]]) -> Study:
    """Return the study with these channels in these lanes, all of equal height.

    Raises
    ------
    StudyError
        When a channel is not there.
    """
    for name in (name for lane in shown for name in lane):
        if name not in study.names:
            raise StudyError(f'There is no channel "{name}" to show; there are {", ".join(study.names)}.')
    return replace(study, lanes=tuple(Lane(tuple(channels)) for channels in shown))


def add_panel(study: Study, panel: Panel) -> Study:
    """Return the study with another panel."""
    return replace(study, panels=(*study.panels, panel))


def change_panel(study: Study, at: int, panel: Panel | None) -> Study:
    """Return the study with a panel replaced, or taken away when None."""
    kept = () if panel is None else (panel,)
    return replace(study, panels=study.panels[:at] + kept + study.panels[at + 1 :])


def set_time_axis(study: Study, axis: str) -> Study:
    """Return the study with another time axis: `record`, `edge a` or `clock`."""
    if axis not in get_args(TimeAxis):
        raise StudyError(f'"{axis}" is no time axis; there are {", ".join(get_args(TimeAxis))}.')
    return replace(study, time_axis=axis)
