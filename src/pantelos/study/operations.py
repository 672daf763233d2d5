"""Operations: each takes a study and returns a new one. The window and the command line call the same ones."""

import re
from collections.abc import Callable, Collection

from msgspec.structs import replace

from pantelos.errors import FormulaError, StudyError, UnitError
from pantelos.formula.functions import function_help
from pantelos.formula.syntax import KEYWORDS, NAME, names_used, parse, with_name_changed
from pantelos.power.wiring import wiring
from pantelos.record.record import Record
from pantelos.record.scaling import Scaling, parse_scaling
from pantelos.study.model import ChannelSetup, Connection, Formula, Interval, Lane, Panel, RecordSource, Study
from pantelos.units import unit


def checked_name(study: Study, name: str, but: str = "") -> str:
    """Return `name` if a channel or formula may be called so."""
    if not NAME.match(name):
        raise StudyError(f'"{name}" cannot be used in formulas. Use letters, digits and _, beginning with a letter.')
    if name in KEYWORDS or any(name == function.name for function in function_help()):
        raise StudyError(f'"{name}" is a word of the formula language. Choose another name.')
    if name in study.names and name != but:
        raise StudyError(f'The name "{name}" is taken. Choose another one.')
    return name


def formula_name(text: str) -> str:
    """Return a name for formulas made of whatever a column is called."""
    name = re.sub(r"\W+", "_", text.strip()).strip("_") or "ch"
    name = f"ch{name}" if name[0].isdigit() else name
    taken = name in KEYWORDS or any(name == function.name for function in function_help())
    return f"{name}_" if taken else name


# record and channels


def open_record(study: Study, source: RecordSource, record: Record) -> Study:
    """Return the study with a record, one channel per column, and the voltage named first as reference."""
    channels: list[ChannelSetup] = []
    for raw in record.channels:
        name = formula_name(raw.name)
        while any(name == channel.name for channel in channels):
            name += "_"
        channels.append(ChannelSetup(name, raw.name, raw.unit.symbol))
    title = study.title if study.title != "untitled" else record.source.stem
    return replace(study, title=title, record=source, channels=tuple(channels), lanes=_lanes_for(channels))


def _lanes_for(channels: list[ChannelSetup]) -> tuple[Lane, ...]:
    """Return lanes that put channels of one unit together, three at the most, in their order."""
    lanes: list[Lane] = []
    units: list[str] = []
    for channel in channels:
        if units and units[-1] == channel.recorder_unit and len(lanes[-1].channels) < 3:
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
            Formula(new if f.name == old else f.name, with_name_changed(f.expression, old, new)) for f in study.formulas
        ),
        reference=new if study.reference == old else study.reference,
        connections=tuple(
            replace(c, sockets={s: new if channel == old else channel for s, channel in c.sockets.items()})
            for c in study.connections
        ),
        lanes=tuple(replace(lane, channels=changed(lane.channels)) for lane in study.lanes),
        panels=tuple(replace(panel, channels=changed(panel.channels)) for panel in study.panels),
    )


def change_channel(study: Study, name: str, **changes: object) -> Study:
    """Return the study with other properties of a recorded channel: `recorder_unit`, `scaling`."""
    changed = replace(study.channel(name), **changes)
    changed.scaling.resolve(unit(changed.recorder_unit))
    return replace(study, channels=tuple(changed if c.name == name else c for c in study.channels))


def scale_channel(study: Study, name: str, text: str) -> Study:
    """Return the study with the scaling chain of a channel as written in `text`."""
    recorder_unit = unit(study.channel(name).recorder_unit)
    return change_channel(study, name, scaling=parse_scaling(text, recorder_unit))


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
        study = rename_channel(study, current, name)
    study = change_channel(study, name, recorder_unit=recorder_unit, scaling=Scaling())
    return scale_channel(study, name, scaling)


def set_reference(study: Study, name: str) -> Study:
    """Return the study with another reference channel, whose cycles count everywhere."""
    if name not in study.names:
        raise StudyError(f'There is no channel "{name}" to take cycles from.')
    return replace(study, reference=name)


# wiring


def add_connection(study: Study, name: str, kind: str) -> Study:
    """Return the study with another connection, nothing in its sockets yet."""
    wiring(kind)
    if any(connection.name == name for connection in study.connections):
        raise StudyError(f'There is already a connection "{name}". Choose another name.')
    return replace(study, connections=(*study.connections, Connection(name, kind)))


def remove_connection(study: Study, name: str) -> Study:
    """Return the study without a connection."""
    gone = study.connection(name)
    return replace(study, connections=tuple(c for c in study.connections if c is not gone))


def change_wiring(study: Study, name: str, kind: str) -> Study:
    """Return the study with another kind of connection; channels stay where the new kind has the same socket."""
    names = {socket.name for socket in wiring(kind).sockets}
    return _with_connection(study, name, lambda c: Connection(
        c.name, kind, {socket: channel for socket, channel in c.sockets.items() if socket in names}))  # fmt: skip


def place_channel(study: Study, connection: str, socket: str, channel: str) -> Study:
    """Return the study with a channel in a socket; it leaves the socket it had in the same connection."""
    wiring(study.connection(connection).wiring).socket(socket)
    if channel not in study.names:
        raise StudyError(f'There is no channel "{channel}" to put into {connection}.{socket}.')
    study = _with_connection(study, connection, lambda c: replace(
        c, sockets={**{s: ch for s, ch in c.sockets.items() if ch != channel}, socket: channel}))  # fmt: skip
    kind = wiring(study.connection(connection).wiring)
    if study.reference is None and kind.alternating and kind.socket(socket).quantity == "voltage":
        study = replace(study, reference=channel)
    return study


def take_channel_out(study: Study, connection: str, socket: str) -> Study:
    """Return the study with an empty socket."""
    return _with_connection(study, connection, lambda c: replace(
        c, sockets={s: ch for s, ch in c.sockets.items() if s != socket}))  # fmt: skip


def _with_connection(study: Study, name: str, change: Callable[[Connection], Connection]) -> Study:
    found = study.connection(name)
    return replace(study, connections=tuple(change(c) if c is found else c for c in study.connections))


# formulas


def set_formula(study: Study, text: str) -> Study:
    """Return the study with a formula `name = expression` added, or replaced where the name exists.

    Raises
    ------
    FormulaError
        When it cannot be read, or refers to itself over any number of steps.
    StudyError
        When the name is that of a recorded channel or a word of the language.
    """
    name, _ = parse(text)
    if name is None:
        raise FormulaError(text, 0, len(text), "give the result a name, as in p1 = u1 * i1.")
    known = study.formula(name)
    checked_name(study, name, but=name if known is not None else "")
    new = Formula(name, text.partition("=")[2].strip())
    formulas = tuple(new if f is known else f for f in study.formulas) if known else (*study.formulas, new)
    changed = replace(study, formulas=formulas)
    _check_no_circle(changed, text, name)
    return changed


def _check_no_circle(study: Study, text: str, name: str) -> None:
    path = _way_back(study, name, name, ())
    if path:
        raise FormulaError(text, 0, len(name), f"this refers to itself: {' → '.join((name, *path))}. Take one reference out.")


def _way_back(study: Study, at: str, to: str, seen: tuple[str, ...]) -> tuple[str, ...]:
    """Return the references that lead from one formula to another, empty when there are none."""
    formula = study.formula(at)
    if formula is None:
        return ()
    for used in sorted(names_used(formula.expression)):
        if used == to:
            return (used,)
        if used not in seen and (rest := _way_back(study, used, to, (*seen, used))):
            return (used, *rest)
    return ()


def remove_formula(study: Study, name: str) -> Study:
    """Return the study without a formula; refused while others use it."""
    users = [f.name for f in study.formulas if name in names_used(f.expression)]
    if users:
        raise StudyError(f'"{name}" is used by {", ".join(users)}. Change or remove those first.')
    return replace(
        study,
        formulas=tuple(f for f in study.formulas if f.name != name),
        lanes=without_channel(study.lanes, name),
        panels=tuple(panel for panel in study.panels if name not in panel.channels),
        connections=tuple(replace(c, sockets={s: ch for s, ch in c.sockets.items() if ch != name}) for c in study.connections),
        reference=None if study.reference == name else study.reference,
    )


# intervals


def add_interval(study: Study, interval: Interval, duration_s: float) -> Study:
    """Return the study with another interval, which becomes the active one.

    Raises
    ------
    StudyError
        When the name is taken, the stretch is empty, or lies outside the record.
    """
    if any(known.name == interval.name for known in study.intervals):
        raise StudyError(f'There is already an interval "{interval.name}". Choose another name.')
    return replace(study, intervals=(*study.intervals, _inside(interval, duration_s)), active=interval.name)


def _inside(interval: Interval, duration_s: float) -> Interval:
    if not interval.name.strip() or '"' in interval.name:
        raise StudyError("An interval needs a name, without quotation marks.")
    if not interval.start_s < interval.stop_s:
        raise StudyError(
            f'Interval "{interval.name}" ends at {interval.stop_s:g} s, not after its start at {interval.start_s:g} s.'
        )
    if interval.start_s < -1e-9 or interval.stop_s > duration_s * (1 + 1e-12) + 1e-9:
        raise StudyError(f'Interval "{interval.name}", {interval.start_s:g} to {interval.stop_s:g} s, lies outside the record, '
                         f"which runs from 0 to {duration_s:g} s. Choose times inside.")  # fmt: skip
    return replace(interval, start_s=max(interval.start_s, 0.0), stop_s=min(interval.stop_s, duration_s))


def move_interval(study: Study, name: str, start_s: float, stop_s: float, duration_s: float) -> Study:
    """Return the study with other edges of an interval."""
    moved = _inside(replace(study.interval(name), start_s=start_s, stop_s=stop_s), duration_s)
    return replace(study, intervals=tuple(moved if i.name == name else i for i in study.intervals))


def rename_interval(study: Study, old: str, new: str) -> Study:
    """Return the study with an interval under another name, in formulas and panels too."""
    found = study.interval(old)
    if new != old and any(i.name == new for i in study.intervals):
        raise StudyError(f'There is already an interval "{new}". Choose another name.')
    renamed = _inside(replace(found, name=new), found.stop_s)
    return replace(
        study,
        intervals=tuple(renamed if i is found else i for i in study.intervals),
        active=new if study.active == old else study.active,
        panels=tuple(replace(p, interval=new) if p.interval == old else p for p in study.panels),
        formulas=tuple(replace(f, expression=_with_place_changed(f.expression, old, new)) for f in study.formulas),
    )


def _with_place_changed(expression: str, old: str, new: str) -> str:
    quoted = f'in "{new}"'
    return re.sub(rf'\bin\s+("{re.escape(old)}"|{re.escape(old)}(?!\w))', lambda match: quoted, expression)


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
    """Return the study with another active interval."""
    return replace(study, active=study.interval(name).name)


def new_interval_name(study: Study) -> str:
    """Return a name that no interval has yet."""
    taken = {interval.name for interval in study.intervals}
    return next(name for k in range(1, len(taken) + 2) if (name := f"interval {k}") not in taken)


# what is shown


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


def _with_item(lanes: tuple[Lane, ...], at: int, lane: Lane) -> tuple[Lane, ...]:
    return (*lanes[:at], lane, *lanes[at + 1 :])


def add_panel(study: Study, panel: Panel) -> Study:
    """Return the study with another panel."""
    return replace(study, panels=(*study.panels, panel))


def change_panel(study: Study, at: int, panel: Panel | None) -> Study:
    """Return the study with a panel replaced, or taken away when None."""
    kept = () if panel is None else (panel,)
    return replace(study, panels=study.panels[:at] + kept + study.panels[at + 1 :])


def arrange_lanes(study: Study, shown: Collection[Collection[str]]) -> Study:
    """Return the study with these channels in these lanes, all of equal height."""
    return replace(study, lanes=tuple(Lane(tuple(channels)) for channels in shown))


def rate_from(text: str) -> float:
    """Return a sample rate in Hz written like `20 kHz`, `20000` or `50 us` (a sample interval).

    Raises
    ------
    StudyError
        When the text is neither.
    """
    match = re.match(r"^\s*([\d.]+(?:[eE][-+]?\d+)?)\s*(\S*)\s*$", text)
    try:
        assert match is not None
        given = unit(match[2].replace("S/s", "Hz") or "Hz")
        amount = float(match[1]) * given.factor
        assert amount > 0
        if given.like(unit("Hz")):
            return amount
        assert given.like(unit("s"))
    except (AssertionError, ValueError, UnitError) as cause:
        raise StudyError(f'"{text}" is not a sample rate. Write it like 20 kHz, or a sample interval like 50 us.') from cause
    return 1.0 / amount


def change_recorder(study: Study, name: str, text: str) -> Study:
    """Return the study with the recorder unit of a channel, and its range when one is given: `V`, or `±10 V`.

    Raises
    ------
    StudyError
        When the text is neither.
    """
    match = re.match(r"^\s*[±]?\s*(\d+(?:\.\d*)?(?:[eE][-+]?\d+)?)?\s*(\S+)\s*$", text)
    if match is None:
        raise StudyError(f'"{text}" is not a recorder range. Write it like ±10 V, or just the unit.')
    symbol = unit(match[2]).symbol
    reach = float(match[1]) if match[1] else None
    scaling = replace(study.channel(name).scaling, recorder_range=reach)
    return change_channel(study, name, recorder_unit=symbol, scaling=scaling)


def edges_from(text: str) -> tuple[float, float]:
    """Return start and stop in seconds written like `6.4 .. 8.4`.

    Raises
    ------
    StudyError
        When the text is not of that form.
    """
    start, sign, stop = text.partition("..")
    try:
        assert sign
        return float(start), float(stop.strip().removesuffix("s"))
    except (AssertionError, ValueError) as cause:
        raise StudyError(f'"{text}" does not name two edges. Write start and stop in seconds, as in 6.4 .. 8.4.') from cause
