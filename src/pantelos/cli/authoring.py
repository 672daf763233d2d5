"""Commands that make and change studies: new, edit."""

import re
from pathlib import Path
from typing import Annotated

import msgspec

from pantelos.checks.as_read import as_read
from pantelos.cli.command import Argument, Option, say
from pantelos.cli.opened import StudyPath
from pantelos.cli.panel_words import panel_from
from pantelos.cli.quality import Declares
from pantelos.cli.recordings import AsBefore, ColumnNames, Decimal, Delimiter, Rate, understood
from pantelos.cli.reporting import say_told, shown_progress
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.filling import intervals_by_rule
from pantelos.errors import StudyError
from pantelos.formats import remarks
from pantelos.formats.dialect import Side
from pantelos.notation import counted
from pantelos.power.wirings import WIRINGS
from pantelos.record.record import Record
from pantelos.study import operations as op
from pantelos.study.importing import import_files, set_usually
from pantelos.study.model import Interval, Study
from pantelos.study.opening import read_on, recordings_of
from pantelos.study.parts import are_parts, files_meant, missing_parts
from pantelos.study.recordings import Recordings
from pantelos.study.sentences import search_from
from pantelos.study.storage import load_study, save_study

Channels = Annotated[
    list[str] | None,
    Option(
        "--channel",
        help="Channel from a column (number or name), recorder unit and "
        "scaling: 'i1=5: clamp 100 mV/A, reversed' or 'u1=2 [mV]: divider 100:1'. Repeatable.",
    ),
]
Connections = Annotated[
    list[str] | None,
    Option(
        "--connection",
        help=lambda: (
            "Connection with its channels: "
            "'mains=three-phase-4w: u1=u1, u2=u2, u3=u3, i1=i1, i2=i2, i3=i3'. "
            f"Kinds: {', '.join(WIRINGS.names)}. Repeatable."
        ),
    ),
]
Connects = Annotated[list[str] | None, Option("--connect", help="One channel into one socket: mains.u1=ch3. Repeatable.")]
Formulas = Annotated[list[str] | None, Option("--formula", help="Formula: 'p1 = u1 * i1'. Repeatable.")]
Intervals = Annotated[
    list[str] | None,
    Option(
        "--interval",
        help="Interval in seconds: 'steady=6.4..8.4'; end it with "
        "'snap' to move its edges to whole cycles. Repeatable; an existing name is moved.",
    ),
]
Reference = Annotated[str | None, Option(help="Channel whose cycles count.")]
Expects = Annotated[
    list[str] | None,
    Option("--expect", help="What a connection should read, for the checks: 'mains: 230 V, 16 A, load'. Repeatable."),
]
Active = Annotated[str | None, Option(help="Interval to make the active one.")]
Title = Annotated[str | None, Option(help="Title of the study.")]
Orders = Annotated[int | None, Option("--orders", help="Highest harmonic order (50).")]
Chain = Annotated[str | None, Option("--chain", help="Power chain: 'mains > rectifier > dc link > inverter > machine'.")]
Every = Annotated[str | None, Option("--every", help="Pieces of tables over time: 'cycle', or a time such as '200 ms'.")]

Lanes = Annotated[str | None, Option("--lanes", help="What the Traces page shows: 'u1 u2 u3; i1 i2 i3; p1'.")]
Panels = Annotated[
    list[str] | None,
    Option(
        "--panel",
        help="A panel: 'spectrum i1', 'harmonics i1 in steady', "
        "'phasors mains', 'spectrum u1 flat-top'. Repeatable; the first one replaces those there are.",
    ),
]


def new(
    study: StudyPath,
    recording: Annotated[
        list[Path],
        Argument(
            help="Recording to import; several files, a folder, or a pattern such as 'run_*.csv': parts of one recording, "
            "which go on where their times say.",
            metavar="RECORDING",
        ),
    ],
    delimiter: Delimiter = None,
    decimal: Decimal = None,
    rate: Rate = None,
    column: ColumnNames = None,
    before: AsBefore = False,
    channel: Channels = None,
    connection: Connections = None,
    connect: Connects = None,
    expect: Expects = None,
    formula: Formulas = None,
    interval: Intervals = None,
    reference: Reference = None,
    active: Active = None,
    title: Title = None,
    orders: Orders = None,
    every: Every = None,
    chain: Chain = None,
    declare: Declares = None,
    lanes: Lanes = None,
    panel: Panels = None,
    force: Annotated[bool, Option("--force", help="Replace an existing study.")] = False,
) -> None:
    """Import a recording into a new study, with wiring, scaling, formulas and intervals in one go."""
    if study.exists() and not force:
        raise StudyError(f"{study} exists already. Use edit to change it, or --force to replace it.")
    paths = files_meant(recording)
    files = set_usually([understood(path, delimiter, decimal, rate, column, before) for path in paths])
    with shown_progress("importing") as progress:
        made, recordings = import_files(Study(), Recordings(), files, progress)
    record = recordings.record(made.record)
    made = _changed(
        made,
        record,
        channel,
        connection,
        connect,
        expect,
        formula,
        interval,
        reference,
        active,
        title,
        orders,
        every,
        chain,
        declare,
    )
    made = _arranged(made, lanes, panel or [])
    save_study(made, study)
    say(f"{study}: {counted(len(made.channels), 'channel')}, {counted(record.n_samples, 'sample')} at {record.rate_hz:g} Hz")
    for words in dict.fromkeys(words for file in files for words in file.dialect.time_words):
        say(f"  · {words}")
    of_files = [n for file in files for n in remarks.still_true(file.seen.told, file.dialect) if n.severity.asks]
    missing = [notice] if are_parts([file.dialect for file in files]) and (notice := missing_parts(paths)) else []
    say_told(dict.fromkeys((*missing, *of_files, *as_read(Evaluation(made, record)))))


def edit(
    study: StudyPath,
    channel: Channels = None,
    connection: Connections = None,
    connect: Connects = None,
    expect: Expects = None,
    formula: Formulas = None,
    interval: Intervals = None,
    reference: Reference = None,
    active: Active = None,
    title: Title = None,
    orders: Orders = None,
    every: Every = None,
    chain: Chain = None,
    declare: Declares = None,
    lanes: Lanes = None,
    panel: Panels = None,
    rename: Annotated[list[str] | None, Option(help="Rename a channel or formula: old=new. Repeatable.")] = None,
    rename_interval: Annotated[list[str] | None, Option(help="Rename an interval: old=new. Repeatable.")] = None,
    remove_formula: Annotated[list[str] | None, Option(help="Remove a formula. Repeatable.")] = None,
    remove_interval: Annotated[list[str] | None, Option(help="Remove an interval. Repeatable.")] = None,
    remove_connection: Annotated[list[str] | None, Option(help="Remove a connection. Repeatable.")] = None,
    disconnect: Annotated[list[str] | None, Option(help="Empty a socket: mains.u1. Repeatable.")] = None,
    zero: Annotated[float | None, Option(help="Instant, s, that is to read as zero; intervals move along.")] = None,
    trim: Annotated[str | None, Option(help="Keep only this stretch, s: 1.5..2.5. The recording is not touched.")] = None,
    untrim: Annotated[bool, Option("--untrim", help="Show the whole record again.")] = False,
    read_at: Annotated[
        str | None,
        Option(
            help="Read the record at this rate, such as 20 kHz, where its own time is "
            "not even; 'own' for the highest rate there is."
        ),
    ] = None,
    events: Annotated[
        list[str] | None, Option(help="Look for events: 'dips = u1 falls through 200 V, hold-off 20 ms'. Repeatable.")
    ] = None,
    remove_events: Annotated[list[str] | None, Option(help="Look for these no longer. Repeatable.")] = None,
    fill: Annotated[
        str | None, Option(help="Make intervals by rule in the active one: 'every 10 cycles', 'every 200 ms', 'between NAME'.")
    ] = None,
    note: Annotated[list[str] | None, Option(help="Note on an interval: name=text. Repeatable.")] = None,
    columns: Annotated[str | None, Option(help="Readings beside the lanes: 'rms mean crest'.")] = None,
    values: Annotated[
        Side | None,
        Option(
            help="Read values recorded beside an instrument transformer as primary or secondary "
            "ones, where the record states their side."
        ),
    ] = None,
    time_base: Annotated[float | None, Option(help="Limit of error of the recorder's clock, ppm.")] = None,
    output: Annotated[Path | None, Option(help="Write the changed study to another file.")] = None,
) -> None:
    """Change a study: the same operations as in the window; the file is replaced whole or not at all."""
    made = load_study(study)
    recordings = recordings_of(made)
    if values is not None:
        with shown_progress("reading") as progress:
            made = read_on(made, recordings, values, progress)
    made = _retimed(made, recordings, untrim, trim, zero, read_at, time_base)
    record = recordings.record(made.record)
    for texts, change in ((rename, op.rename_channel), (rename_interval, op.rename_interval)):
        for text in texts or []:
            made = change(made, *_pair(text, "old=new"))
    for names, remove in (
        (remove_formula, op.remove_formula),
        (remove_interval, op.remove_interval),
        (remove_connection, op.remove_connection),
    ):
        for name in names or []:
            made = remove(made, name)
    for text in disconnect or []:
        made = op.take_channel_out(made, *_socket(text))
    made = _changed(
        made,
        record,
        channel,
        connection,
        connect,
        expect,
        formula,
        interval,
        reference,
        active,
        title,
        orders,
        every,
        chain,
        declare,
    )
    made = _placed(made, record, events or [], remove_events or [], fill, note or [])
    if columns is not None:
        made = op.change_columns(made, readings=tuple(columns.split()))
    made = _arranged(made, lanes, panel or [])
    save_study(made, output or study)


def _retimed(
    study: Study,
    recordings: Recordings,
    untrim: bool,
    trim: str | None,
    zero: float | None,
    read_at: str | None,
    ppm: float | None,
) -> Study:
    """Return the study with another stretch of its record kept, another time zero, rate, or accuracy of the clock."""
    if untrim:
        study = op.untrim(study)
    if trim is not None:
        study = op.trim(study, *op.edges_from(trim), recordings.record)
    if zero is not None:
        study = op.move_zero(study, zero)
    if read_at is not None:
        study = op.read_at(study, None if read_at == "own" else op.rate_from(read_at), recordings.record)
    return op.set_time_base(study, ppm) if ppm is not None else study


def _placed(study: Study, record: Record, events: list[str], removed: list[str], fill: str | None, notes: list[str]) -> Study:
    """Return the study with other events, intervals made by rule, and notes."""
    for name in removed:
        study = op.remove_search(study, name)
    for text in events:
        study = op.set_search(study, search_from(text, Evaluation(study, record).names.types))
    if fill is not None:
        study = op.add_intervals(study, intervals_by_rule(Evaluation(study, record), fill, study.active), record.grid)
    for text in notes:
        name, said = _pair(text, "name=text")
        study = op.change_interval(study, name, note=said)
    return study


def _changed(
    study: Study,
    record: Record,
    channels: list[str] | None,
    connections: list[str] | None,
    connects: list[str] | None,
    expects: list[str] | None,
    formulas: list[str] | None,
    intervals: list[str] | None,
    reference: str | None,
    active: str | None,
    title: str | None,
    orders: int | None,
    every: str | None,
    chain: str | None,
    declares: list[str] | None,
) -> Study:
    """Return the study with everything the shared options ask for, in an order in which each finds what it needs."""
    if title is not None:
        study = msgspec.structs.replace(study, title=title)
    if orders is not None:
        study = op.set_highest_order(study, orders)
    if every is not None:
        study = op.set_step(study, every)
    for text in channels or []:
        study = _with_channel(study, text)
    for text in formulas or []:
        study = op.set_formula(study, text)
    for text in connections or []:
        study = _with_connection(study, text)
    for text in connects or []:
        place, channel = _pair(text, "connection.socket=channel")
        study = op.place_channel(study, *_socket(place), channel)
    if chain is not None:
        study = op.set_chain(study, op.chain_from(study, chain))
    for text in expects or []:
        name, _, stated = text.partition(":")
        study = op.expect(study, name.strip(), op.expected_from(stated))
    if reference is not None:
        study = op.set_reference(study, reference)
    for text in declares or []:
        of = op.quality_from(study.quality, text)
        study = op.set_quality(study, **{name: getattr(of, name) for name in of.__struct_fields__})
    for text in intervals or []:
        study = _with_interval(study, record, text)
    _check_formulas(study, record, formulas or [])  # by now everything they may speak of is there
    return op.activate(study, active) if active is not None else study


def _arranged(study: Study, lanes: str | None, panels: list[str]) -> Study:
    """Return the study with the lanes and panels asked for."""
    if lanes is not None:
        study = op.arrange_lanes(study, [lane.split() for lane in lanes.split(";") if lane.strip()])
    if panels:
        study = msgspec.structs.replace(study, panels=())
    for text in panels:
        study = op.add_panel(study, panel_from(study, text))
    return study


def _check_formulas(study: Study, record: Record, texts: list[str]) -> None:
    """Refuse formulas that cannot be computed, before they are saved."""
    broken = Evaluation(study, record).names.broken
    for text in texts:
        name = text.partition("=")[0].strip()
        if name in broken:
            raise broken[name]


_CHANNEL = re.compile(r"^(?P<name>[^=]+)=(?P<column>[^:\[]+?)\s*(\[(?P<unit>[^\]]*)\])?\s*(:(?P<scaling>.*))?$")


def _with_channel(study: Study, text: str) -> Study:
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


def _with_connection(study: Study, text: str) -> Study:
    head, _, placed = text.partition(":")
    name, kind = _pair(head, "name=kind")
    if any(connection.name == name for connection in study.connections):
        study = op.change_wiring(study, name, kind)
    else:
        study = op.add_connection(study, name, kind)
    for part in (part for part in placed.split(",") if part.strip()):
        socket, channel = _pair(part, "socket=channel")
        study = op.place_channel(study, name, socket, channel)
    return study


def _with_interval(study: Study, record: Record, text: str) -> Study:
    name, edges = _pair(text, 'NAME=START..STOP in seconds, as in "steady=6.4..8.4"')
    snap = edges.endswith("snap")
    interval = Interval(name, *op.edges_from(edges.removesuffix("snap")))
    if snap:
        interval = Evaluation(study, record).places.snapped(interval)
    if any(known.name == interval.name for known in study.intervals):
        study = op.move_interval(study, interval.name, interval.start_s, interval.stop_s, record.grid)
        return op.activate(study, interval.name)
    return op.add_interval(study, interval, record.grid)


def _pair(text: str, form: str) -> tuple[str, str]:
    left, sign, right = text.partition("=")
    if not sign or not left.strip() or not right.strip():
        raise StudyError(f'"{text.strip()}": write {form}.')
    return left.strip(), right.strip()


def _socket(text: str) -> tuple[str, str]:
    connection, sign, socket = text.rpartition(".")
    if not sign:
        raise StudyError(f'"{text}": write connection.socket, as in mains.u1.')
    return connection.strip(), socket.strip()
