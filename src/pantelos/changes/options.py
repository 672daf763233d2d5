"""What can be changed of a study in words: a row per option, of its word, its help and the operation it stands for.

The commands `new` and `edit`, and the library, take the rows and apply them in this order, in which each finds what it needs.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import msgspec

from pantelos.changes.option_row import OptionRow
from pantelos.changes.panel_words import panel_from
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.filling import intervals_by_rule
from pantelos.engine.rules import find, with_places
from pantelos.errors import StudyError
from pantelos.formats.dialect import Side
from pantelos.power.wirings import WIRINGS
from pantelos.progress import Progress
from pantelos.record.record import Record
from pantelos.study import operations as op
from pantelos.study.model import Interval, Study
from pantelos.study.opening import read_on
from pantelos.study.recordings import Recordings
from pantelos.study.sentences import search_from


class Around(msgspec.Struct, frozen=True):
    """What a change may look at beside the study: its recordings."""

    recordings: Recordings
    progress: Progress | None = None

    def record(self, study: Study) -> Record:
        """Return the record of a study as it stands."""
        return self.recordings.record(study.record)

    def evaluation(self, study: Study) -> Evaluation:
        """Return the engine on a study as it stands."""
        return Evaluation(study, self.record(study))


Change = Callable[[Study, Any, Around], Study]


DECLARED = (
    "What is declared of the supply: 'U_din = 230 V', 'limits = en50160-lv', 'dip = 90 %', 'signal = 183 Hz', "
    "'I_L = 100 A', 'trend = U L1 = U1_rms every 10 min'."
)


class StudyOption(OptionRow, frozen=True):
    """One option: what it is called and takes, and what it changes."""

    change: Change
    new: bool = False  # whether it makes sense of a study that is just made


def _each(change: Change) -> Change:
    """Return a change that is made for each of several texts."""

    def all_of(study: Study, texts: Sequence[str], around: Around) -> Study:
        for text in texts:
            study = change(study, text, around)
        return study

    return all_of


def _only(change: Callable[[Study, Any], Study]) -> Change:
    return lambda study, value, around: change(study, value)


def changed(study: Study, values: Mapping[str, Any], around: Around) -> Study:
    """Return the study with all that is asked for; options by their names, those not given None.

    Raises
    ------
    StudyError
        Naming the first that does not fit.
    """
    for rows in (OF_THE_STUDY, OF_ITS_VIEW):
        for row in rows:
            value = values.get(row.name)
            if value is not None and value is not False:
                study = row.change(study, value, around)
        if rows is OF_THE_STUDY:
            _check_formulas(study, values.get("formula") or [], around)  # by now all they may speak of is there
    return _found_again(study, around)


def _found_again(study: Study, around: Around) -> Study:
    """Return the study with its intervals by rule where they lie now that all else is said."""
    if not any(interval.rule for interval in study.intervals):
        return study
    study, lost = with_places(study, around.record(study))
    for name, why in lost.items():
        raise StudyError(f'Interval "{name}": {why[:1].upper()}{why[1:]}')
    return study


def _check_formulas(study: Study, texts: Sequence[str], around: Around) -> None:
    """Refuse formulas that cannot be computed, before they are saved."""
    broken = around.evaluation(study).names.broken if texts else {}
    for text in texts:
        name = text.partition("=")[0].strip()
        if name in broken:
            raise broken[name]


def pair(text: str, form: str) -> tuple[str, str]:
    """Return the two sides of a text with an equals sign.

    Raises
    ------
    StudyError
        When one of them is missing, naming the form.
    """
    left, sign, right = text.partition("=")
    if not sign or not left.strip() or not right.strip():
        raise StudyError(f'"{text.strip()}": write {form}.')
    return left.strip(), right.strip()


def _socket(text: str) -> tuple[str, str]:
    connection, sign, socket = text.rpartition(".")
    if not sign:
        raise StudyError(f'"{text}": write connection.socket, as in mains.u1.')
    return connection.strip(), socket.strip()


_CHANNEL = re.compile(r"^(?P<name>[^=]+)=(?P<column>[^:\[]+?)\s*(\[(?P<unit>[^\]]*)\])?\s*(:(?P<scaling>.*))?$")


def _channel(study: Study, text: str, around: Around) -> Study:
    match = _CHANNEL.match(text)
    if match is None:
        raise StudyError(f'--channel {text}: write NAME=COLUMN [UNIT]: SCALING, as in "i1=5: clamp 100 mV/A, reversed".')
    assert study.record is not None
    columns = [column for file in study.record.files for column in file.dialect.columns]
    column = match["column"].strip()
    if column.isdigit():
        if not 1 <= int(column) <= len(columns):
            raise StudyError(f"--channel {text}: the recording has columns 1 to {len(columns)}.")
        column = columns[int(column) - 1].name
    given = next((c.unit for c in columns if c.name == column), "V")
    return op.define_channel(study, match["name"].strip(), column, match["unit"] or given, match["scaling"] or "")


def _connection(study: Study, text: str, around: Around) -> Study:
    head, _, placed = text.partition(":")
    name, kind = pair(head, "name=kind")
    if any(connection.name == name for connection in study.connections):
        study = op.change_wiring(study, name, kind)
    else:
        study = op.add_connection(study, name, kind)
    for part in (part for part in placed.split(",") if part.strip()):
        socket, channel = pair(part, "socket=channel")
        study = op.place_channel(study, name, socket, channel)
    return study


def _connect(study: Study, text: str, around: Around) -> Study:
    place, channel = pair(text, "connection.socket=channel")
    return op.place_channel(study, *_socket(place), channel)


def _expect(study: Study, text: str, around: Around) -> Study:
    name, _, stated = text.partition(":")
    return op.expect(study, name.strip(), op.expected_from(stated))


def _declare(study: Study, text: str, around: Around) -> Study:
    of = op.quality_from(study.quality, text)
    return op.set_quality(study, **{name: getattr(of, name) for name in of.__struct_fields__})


def _interval(study: Study, text: str, around: Around) -> Study:
    name, edges = pair(text, 'NAME=START..STOP in seconds, as in "steady=6.4..8.4", or NAME=RULE')
    if ".." not in edges:
        return _by_rule(study, name, edges, around)
    interval, grid = Interval(name, *op.edges_from(edges.removesuffix("snap"))), around.record(study).grid
    if edges.endswith("snap"):
        interval = around.evaluation(study).places.snapped(interval)
    if any(known.name == interval.name for known in study.intervals):
        return op.activate(op.move_interval(study, interval.name, interval.start_s, interval.stop_s, grid), interval.name)
    return op.add_interval(study, interval, grid)


def _by_rule(study: Study, name: str, rule: str, around: Around) -> Study:
    found = find(around.evaluation(study), Interval(name, 0.0, 1.0, rule=rule))
    if any(known.name == name for known in study.intervals):
        kept = tuple(found if known.name == name else known for known in study.intervals)
        study = msgspec.structs.replace(study, intervals=kept)
        return op.activate(study, name)
    return op.add_interval(study, found, around.record(study).grid)


def _fill(study: Study, rule: str, around: Around) -> Study:
    found = intervals_by_rule(around.evaluation(study), rule, study.active)
    return op.add_intervals(study, found, around.record(study).grid)


def _note(study: Study, text: str, around: Around) -> Study:
    name, said = pair(text, "name=text")
    return op.change_interval(study, name, note=said)


def _panels(study: Study, texts: Sequence[str], around: Around) -> Study:
    study = msgspec.structs.replace(study, panels=())
    for text in texts:
        study = op.add_panel(study, panel_from(study, text))
    return study


def _values(study: Study, side: Side, around: Around) -> Study:
    return read_on(study, around.recordings, side, around.progress)


def _read_at(study: Study, text: str, around: Around) -> Study:
    return op.read_at(study, None if text == "own" else op.rate_from(text), around.recordings.record)


def _renamed(change: Callable[[Study, str, str], Study]) -> Change:
    return _each(lambda study, text, around: change(study, *pair(text, "old=new")))


def _removed(change: Callable[[Study, str], Study]) -> Change:
    return _each(_only(change))


OF_THE_STUDY = (
    StudyOption(
        "values",
        Side,
        "Read values recorded beside an instrument transformer as primary or secondary ones, where the record states their side.",
        _values,
    ),
    StudyOption("untrim", bool, "Show the whole record again.", lambda study, given, around: op.untrim(study)),
    StudyOption(
        "trim",
        str,
        "Keep only this stretch, s: 1.5..2.5. The recording is not touched.",
        lambda study, text, around: op.trim(study, *op.edges_from(text), around.recordings.record),
    ),
    StudyOption("zero", float, "Instant, s, that is to read as zero; intervals move along.", _only(op.move_zero)),
    StudyOption(
        "read_at",
        str,
        "Read the record at this rate, such as 20 kHz, where its own time is not even; 'own' for the highest rate there is.",
        _read_at,
    ),
    StudyOption("time_base", float, "Limit of error of the recorder's clock, ppm.", _only(op.set_time_base)),
    StudyOption("rename", list[str], "Rename a channel or formula: old=new.", _renamed(op.rename_channel)),
    StudyOption("rename_interval", list[str], "Rename an interval: old=new.", _renamed(op.rename_interval)),
    StudyOption("remove_formula", list[str], "Remove a formula.", _removed(op.remove_formula)),
    StudyOption("remove_interval", list[str], "Remove an interval.", _removed(op.remove_interval)),
    StudyOption("remove_connection", list[str], "Remove a connection.", _removed(op.remove_connection)),
    StudyOption(
        "disconnect",
        list[str],
        "Empty a socket: mains.u1.",
        _each(lambda study, text, around: op.take_channel_out(study, *_socket(text))),
    ),
    StudyOption(
        "title", str, "Title of the study.", lambda study, text, around: msgspec.structs.replace(study, title=text), new=True
    ),
    StudyOption("orders", int, "Highest harmonic order (50).", _only(op.set_highest_order), new=True),
    StudyOption("every", str, "Pieces of tables over time: 'cycle', or a time such as '200 ms'.", _only(op.set_step), new=True),
    StudyOption(
        "channel",
        list[str],
        "Channel from a column (number or name), recorder unit and scaling: "
        "'i1=5: clamp 100 mV/A, reversed' or 'u1=2 [mV]: divider 100:1'.",
        _each(_channel),
        new=True,
    ),
    StudyOption("formula", list[str], "Formula: 'p1 = u1 * i1'.", _each(_only(op.set_formula)), new=True),
    StudyOption(
        "connection",
        list[str],
        lambda: (
            "Connection with its channels: 'mains=three-phase-4w: u1=u1, u2=u2, u3=u3, i1=i1, i2=i2, "
            f"i3=i3'. Kinds: {', '.join(WIRINGS.names)}."
        ),
        _each(_connection),
        new=True,
    ),
    StudyOption("connect", list[str], "One channel into one socket: mains.u1=ch3.", _each(_connect), new=True),
    StudyOption(
        "chain",
        str,
        "Power chain: 'mains > rectifier > dc link > inverter > machine'.",
        lambda study, text, around: op.set_chain(study, op.chain_from(study, text)),
        new=True,
    ),
    StudyOption(
        "expect",
        list[str],
        "What a connection should read, for the checks: 'mains: 230 V, 16 A, load'.",
        _each(_expect),
        new=True,
    ),
    StudyOption("reference", str, "Channel whose cycles count.", _only(op.set_reference), new=True),
    StudyOption("declare", list[str], DECLARED, _each(_declare), new=True),
    StudyOption("remove_events", list[str], "Look for these no longer.", _removed(op.remove_search)),
    StudyOption(
        "events",
        list[str],
        "Look for events: 'dips = u1 falls through 200 V, hold-off 20 ms'.",
        _each(lambda study, text, around: op.set_search(study, search_from(text, around.evaluation(study).names.types))),
    ),
    StudyOption(
        "interval",
        list[str],
        "Interval in seconds: 'steady=6.4..8.4'; end it with 'snap' to move its edges to whole cycles. Or by rule, found again "
        "in every record: 'steady = longest stretch where n is steady within 1 % for 2 s'. An existing name is moved.",
        _each(_interval),
        new=True,
    ),
)
OF_ITS_VIEW = (
    StudyOption("active", str, "Interval to make the active one.", _only(op.activate), new=True),
    StudyOption(
        "fill",
        str,
        "Make intervals by rule in the active one: 'every 10 cycles', 'every 200 ms', 'between NAME', or operating points: "
        "'every stretch where n and M are steady within 1 % for 2 s'.",
        _fill,
    ),
    StudyOption("note", list[str], "Note on an interval: name=text.", _each(_note)),
    StudyOption(
        "columns",
        str,
        "Readings beside the lanes: 'rms mean crest'.",
        lambda study, text, around: op.change_columns(study, readings=tuple(text.split())),
    ),
    StudyOption(
        "lanes",
        str,
        "What the Traces page shows: 'u1 u2 u3; i1 i2 i3; p1'.",
        lambda study, text, around: op.arrange_lanes(study, [lane.split() for lane in text.split(";") if lane.strip()]),
        new=True,
    ),
    StudyOption(
        "panel",
        list[str],
        "A panel: 'spectrum i1', 'harmonics i1 in steady', 'phasors mains', 'spectrum u1 flat-top'. The first one "
        "replaces those there are.",
        _panels,
        new=True,
    ),
)


def options(new: bool) -> tuple[StudyOption, ...]:
    """Return the options of `edit`, or of `new`."""
    return tuple(row for row in (*OF_THE_STUDY, *OF_ITS_VIEW) if row.new or not new)
