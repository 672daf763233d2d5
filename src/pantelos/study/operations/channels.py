"""Records and recorded channels: columns, names, scaling chains, the reference."""

import re

from msgspec.structs import replace

from pantelos.amounts import NUMBER, figure
from pantelos.errors import StudyError, clipped
from pantelos.formula.uses import with_name_changed
from pantelos.power.over_time import check_step
from pantelos.record.record import Record
from pantelos.record.scaling import Scaling
from pantelos.study.chains import read_chain
from pantelos.study.dependence import rests_on_readings
from pantelos.study.model import ChannelSetup, RecordSource, Study
from pantelos.study.operations.naming import checked_name, formula_name
from pantelos.study.shown import Lane
from pantelos.study.validation import HIGHEST_ORDERS
from pantelos.units import Unit, unit

_MOST_IN_A_LANE = 3


def open_record(study: Study, source: RecordSource, record: Record) -> Study:
    """Return the study with a record: one channel per column, in lanes of up to three of one unit."""
    made = with_new_columns(study, source, record)
    title = study.title if study.title != "untitled" else record.source.stem
    return replace(made, title=title)


def with_new_columns(study: Study, source: RecordSource, record: Record) -> Study:
    """Return the study on a record that may have more columns than before: one channel more for each, in lanes of their own."""
    known, taken = {channel.column for channel in study.channels}, set(study.names)
    ranges = {c.name: c.range for file in source.files for c in file.dialect.columns}
    channels: list[ChannelSetup] = []
    for column in record.columns:
        if column.name in known:
            continue
        name = formula_name(column.name)
        while name in taken:
            name += "_"
        taken.add(name)
        channels.append(ChannelSetup(name, column.name, column.unit.symbol, Scaling(recorder_range=ranges.get(column.name))))
    lanes = study.lanes + _lanes_for(channels)
    return replace(study, record=source, channels=study.channels + tuple(channels), lanes=lanes)


def _lanes_for(channels: list[ChannelSetup]) -> tuple[Lane, ...]:
    """Return lanes that put channels of one unit together, three at the most, in their order."""
    lanes: list[Lane] = []
    units: list[str] = []
    for channel in channels:
        if units and units[-1] == channel.recorder_unit and len(lanes[-1].channels) < _MOST_IN_A_LANE:
            lanes[-1] = Lane((*lanes[-1].channels, channel.name))
        else:
            lanes.append(Lane((channel.name,)))
            units.append(channel.recorder_unit)
    return tuple(lanes)


def rename_channel(study: Study, old: str, new: str) -> Study:
    """Return the study with a channel or formula under another name, wherever it is used."""
    checked_name(study, new, but=old)

    def changed(names: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(new if name == old else name for name in names)

    return replace(
        study,
        channels=tuple(replace(c, name=new) if c.name == old else c for c in study.channels),
        formulas=tuple(
            replace(f, name=new if f.name == old else f.name, expression=with_name_changed(f.expression, old, new))
            for f in study.formulas
        ),
        reference=new if study.reference == old else study.reference,
        connections=tuple(
            replace(
                c,
                sockets={s: new if channel == old else channel for s, channel in c.sockets.items()},
                reference=new if c.reference == old else c.reference,
            )
            for c in study.connections
        ),
        lanes=tuple(replace(lane, channels=changed(lane.channels)) for lane in study.lanes),
        panels=tuple(replace(panel, channels=changed(panel.channels)) for panel in study.panels),
        searches=tuple(replace(search, channel=new) if search.channel == old else search for search in study.searches),
        looks={new if name == old else name: look for name, look in study.looks.items()},
        intervals=tuple(replace(i, rides=tuple(new if name == old else name for name in i.rides)) for i in study.intervals),
    )


def change_channel(study: Study, name: str, **changes: object) -> Study:
    """Return the study with other properties of a recorded channel: `recorder_unit`, `scaling`."""
    before = study.channel(name)
    changed = replace(before, **changes)
    changed_unit = _unit_of(changed)
    changed.scaling.inputs(name, unit(changed.recorder_unit))  # a class of currents says nothing of a voltage: refused here
    study = replace(study, channels=tuple(changed if c.name == name else c for c in study.channels))
    return study if changed_unit.like(_unit_of(before)) else _with_lane_of_its_unit(study, changed)


def _unit_of(setup: ChannelSetup) -> Unit:
    _, _, shown = setup.scaling.resolve(unit(setup.recorder_unit))
    return shown


def _with_lane_of_its_unit(study: Study, changed: ChannelSetup) -> Study:
    """Return the study with a channel that has another unit by now out of a lane of the former one, beside others like it."""
    at = next((k for k, lane in enumerate(study.lanes) if changed.name in lane.channels), None)
    if at is None:
        return study
    lanes, own = list(study.lanes), study.lanes[at]
    others = tuple(name for name in own.channels if name != changed.name)
    setups = {setup.name: setup for setup in study.channels}

    def alike(names: tuple[str, ...]) -> bool:
        return all(n in setups and _unit_of(setups[n]).like(_unit_of(changed)) for n in names)

    if not others or alike(others):
        lanes[at] = replace(own, scale=None)  # it was fixed in the former unit
        before = lanes[at - 1] if at else None
        if before is not None and not others and _were_together(before, changed, setups) and alike(before.channels):
            lanes[at - 1 : at + 1] = [replace(before, channels=_as_recorded(study, (*before.channels, changed.name)))]
        return replace(study, lanes=tuple(lanes))
    lanes[at] = replace(own, channels=others)
    before = lanes[at - 1] if at else None
    if before is not None and _were_together(before, changed, setups) and alike(before.channels):
        lanes[at - 1] = replace(before, channels=_as_recorded(study, (*before.channels, changed.name)))
    else:
        lanes.insert(at, Lane((changed.name,)))
    return replace(study, lanes=tuple(lanes))


def _as_recorded(study: Study, names: tuple[str, ...]) -> tuple[str, ...]:
    """Return names of channels in the order of the record."""
    at = {setup.name: k for k, setup in enumerate(study.channels)}
    return tuple(sorted(names, key=lambda name: at.get(name, len(at))))


def _were_together(lane: Lane, changed: ChannelSetup, setups: dict[str, ChannelSetup]) -> bool:
    """Return whether a lane holds channels recorded like another, and has room for it."""
    recorded = [setups[name].recorder_unit for name in lane.channels if name in setups]
    return len(lane.channels) < _MOST_IN_A_LANE and recorded == [changed.recorder_unit] * len(lane.channels)


def scale_channel(study: Study, name: str, text: str) -> Study:
    """Return the study with the scaling chain of a channel as written in `text`."""
    recorder_unit = unit(study.channel(name).recorder_unit)
    return change_channel(study, name, scaling=read_chain(text, recorder_unit))


def reverse_channel(study: Study, name: str) -> Study:
    """Return the study with the direction of a channel turned over."""
    scaling: Scaling = study.channel(name).scaling
    return change_channel(study, name, scaling=replace(scaling, reversed=not scaling.reversed))


def define_channel(study: Study, name: str, column: str, recorder_unit: str, scaling: str) -> Study:
    """Return the study with the channel of a column named and scaled in one go, as the command line does."""
    current = next((channel.name for channel in study.channels if channel.column == column), None)
    if current is None:
        raise StudyError(f'The record has no column "{column}".')
    if current != name:
        if any(channel.name == name for channel in study.channels):  # another column has that name: it steps aside
            aside = next(free for k in range(2, 99) if (free := f"{name}_{k}") not in study.names)
            study = rename_channel(study, name, aside)
        study = rename_channel(study, current, name)
    study = change_channel(study, name, recorder_unit=recorder_unit, scaling=Scaling())
    return scale_channel(study, name, scaling)


def set_reference(study: Study, name: str) -> Study:
    """Return the study with another reference channel: its cycles count for its connection, and where no connection says so."""
    if name not in study.names:
        raise StudyError(f'There is no channel "{name}" to take cycles from.')
    if rests_on_readings(study, name):
        raise StudyError(f'"{name}" rests on readings, which need the cycles of the reference. Choose another one.')
    connections = tuple(replace(c, reference=name) if name in c.sockets.values() else c for c in study.connections)
    return replace(study, reference=name, connections=connections)


def set_step(study: Study, every: str) -> Study:
    """Return the study with other pieces of tables over time: `cycle`, or a time such as `200 ms`."""
    check_step(every)
    return replace(study, every=every.strip())


def set_highest_order(study: Study, order: int) -> Study:
    """Return the study with another highest harmonic order."""
    low, high = HIGHEST_ORDERS
    if not low <= order <= high:
        raise StudyError(f"{order} is no highest order. Choose one from {low} to {high}.")
    return replace(study, highest_order=order)


def change_recorder(study: Study, name: str, text: str) -> Study:
    """Return the study with the recorder unit of a channel, and its range when one is given: `V`, or `±10 V`.

    Raises
    ------
    StudyError
        When the text is neither.
    """
    match = re.fullmatch(rf"\s*±?\s*({NUMBER})?\s*(\S+)\s*", text)
    reach = figure(match[1]) if match and match[1] else None
    if match is None or (reach is not None and not reach > 0):
        raise StudyError(f'"{clipped(text)}" is not a recorder range. Write it like ±10 V, or just the unit.')
    symbol = unit(match[2]).symbol
    scaling = replace(study.channel(name).scaling, recorder_range=reach)
    return change_channel(study, name, recorder_unit=symbol, scaling=scaling)
