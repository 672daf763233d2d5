"""Commands that make and change studies: inspect, new, edit, relink."""

import re
from pathlib import Path
from typing import Annotated

import msgspec
import typer

from pantelos.cli.reporting import say_json, shown_progress
from pantelos.errors import StudyError
from pantelos.formats.detection import problems_of
from pantelos.formats.dialect import Column, Dialect, Preview, Role
from pantelos.record.record import Record
from pantelos.study import operations as op
from pantelos.study.evaluation import Evaluation
from pantelos.study.model import Interval, Study
from pantelos.study.opening import import_record, preview, record_of, relinked
from pantelos.study.storage import SUFFIX, load_study, save_study

StudyPath = Annotated[Path, typer.Argument(help=f"Study file ({SUFFIX}).", metavar="STUDY")]
RecordPath = Annotated[Path, typer.Argument(help="Recording to import.", metavar="RECORDING")]
Delimiter = Annotated[str | None, typer.Option(help="Separator: comma, semicolon, tab or bar.")]
Decimal = Annotated[str | None, typer.Option(help="Decimal sign: point or comma.")]
Rate = Annotated[str | None, typer.Option(help="Sample rate, as in 20 kHz, where the file states none.")]
ColumnNames = Annotated[list[str] | None, typer.Option("--column", help="Name, unit and role of a column by number: "
                        "4=i1, '4=i1 [A]', 1=time:ms, 7=skip. Repeatable.")]  # fmt: skip
Channels = Annotated[list[str] | None, typer.Option("--channel", help="Channel from a column (number or name), recorder unit and "
                     "scaling: 'i1=5: clamp 100 mV/A, reversed' or 'u1=2 [mV]: divider 100:1'. Repeatable.")]  # fmt: skip
Connections = Annotated[list[str] | None, typer.Option("--connection", help="Connection with its channels: "
                        "'mains=three-phase-4w: u1=u1, u2=u2, u3=u3, i1=i1, i2=i2, i3=i3'. Kinds: dc, single-phase, "
                        "three-phase-4w, three-phase-3w. Repeatable.")]  # fmt: skip
Connects = Annotated[list[str] | None, typer.Option("--connect", help="One channel into one socket: mains.u1=ch3. Repeatable.")]
Formulas = Annotated[list[str] | None, typer.Option("--formula", help="Formula: 'p1 = u1 * i1'. Repeatable.")]
Intervals = Annotated[list[str] | None, typer.Option("--interval", help="Interval in seconds: 'steady=6.4..8.4'; end it with "
                      "'snap' to move its edges to whole cycles. Repeatable; an existing name is moved.")]  # fmt: skip
Reference = Annotated[str | None, typer.Option(help="Channel whose cycles count.")]
Active = Annotated[str | None, typer.Option(help="Interval to make the active one.")]
Title = Annotated[str | None, typer.Option(help="Title of the study.")]
Orders = Annotated[int | None, typer.Option("--orders", min=2, max=200, help="Highest harmonic order (50).")]

Lanes = Annotated[str | None, typer.Option("--lanes", help="What the Traces page shows: 'u1 u2 u3; i1 i2 i3; p1'.")]
Panels = Annotated[list[str] | None, typer.Option("--panel", help="A panel: 'spectrum i1', 'harmonics i1 in steady', "
                   "'phasors mains', 'spectrum u1 flat-top'. Repeatable; the first one replaces those there are.")]  # fmt: skip

_DELIMITERS = {"comma": ",", "semicolon": ";", "tab": "\t", "bar": "|", ",": ",", ";": ";", "\\t": "\t", "|": "|"}
_DECIMALS = {"point": ".", "comma": ",", ".": ".", ",": ","}


def inspect(recording: RecordPath, as_json: Annotated[bool, typer.Option("--json", help="Print as JSON.")] = False) -> None:
    """Show what is understood of a recording, before anything is made of it."""
    found = preview(recording)
    if as_json:
        say_json({
            "file": recording.name, "dialect": msgspec.to_builtins(found.dialect), "reasons": list(found.reasons),
            "metadata": dict(found.metadata), "rows_about": found.n_rows_about, "problems": list(found.problems),
            "first_rows": [list(row) for row in found.rows[:5]],
        })  # fmt: skip
        return
    typer.echo(f"{recording.name}: about {found.n_rows_about} rows, {found.size_bytes} bytes")
    for reason in found.reasons:
        typer.echo(f"  {reason}")
    for number, column in enumerate(found.dialect.columns, start=1):
        typer.echo(f"  column {number}: {column.name} [{column.unit}], {column.role}")
    for key, value in found.metadata:
        typer.echo(f"  {key}: {value}")
    for problem in found.problems:
        typer.echo(f"  to correct: {problem}")


def new(
    study: StudyPath,
    recording: RecordPath,
    delimiter: Delimiter = None,
    decimal: Decimal = None,
    rate: Rate = None,
    column: ColumnNames = None,
    channel: Channels = None,
    connection: Connections = None,
    connect: Connects = None,
    formula: Formulas = None,
    interval: Intervals = None,
    reference: Reference = None,
    active: Active = None,
    title: Title = None,
    orders: Orders = None,
    lanes: Lanes = None,
    panel: Panels = None,
    force: Annotated[bool, typer.Option("--force", help="Replace an existing study.")] = False,
) -> None:
    """Import a recording into a new study, with wiring, scaling, formulas and intervals in one go."""
    if study.exists() and not force:
        raise StudyError(f"{study} exists already. Use edit to change it, or --force to replace it.")
    kept = _choice(delimiter, _DELIMITERS, "separator"), _choice(decimal, _DECIMALS, "decimal sign")
    dialect = corrected(preview(recording, *kept), rate, column or [])
    with shown_progress("importing") as progress:
        made, record = import_record(Study(), recording, dialect, progress)
    made = _changed(made, record, channel, connection, connect, formula, interval, reference, active, title, orders)
    made = _arranged(made, lanes, panel or [])
    save_study(made, study)
    typer.echo(f"{study}: {len(made.channels)} channels, {record.n_samples} samples at {record.rate_hz:g} Hz")


def edit(
    study: StudyPath,
    channel: Channels = None,
    connection: Connections = None,
    connect: Connects = None,
    formula: Formulas = None,
    interval: Intervals = None,
    reference: Reference = None,
    active: Active = None,
    title: Title = None,
    orders: Orders = None,
    lanes: Lanes = None,
    panel: Panels = None,
    rename: Annotated[list[str] | None, typer.Option(help="Rename a channel or formula: old=new. Repeatable.")] = None,
    rename_interval: Annotated[list[str] | None, typer.Option(help="Rename an interval: old=new. Repeatable.")] = None,
    remove_formula: Annotated[list[str] | None, typer.Option(help="Remove a formula. Repeatable.")] = None,
    remove_interval: Annotated[list[str] | None, typer.Option(help="Remove an interval. Repeatable.")] = None,
    remove_connection: Annotated[list[str] | None, typer.Option(help="Remove a connection. Repeatable.")] = None,
    disconnect: Annotated[list[str] | None, typer.Option(help="Empty a socket: mains.u1. Repeatable.")] = None,
    output: Annotated[Path | None, typer.Option(help="Write the changed study to another file.")] = None,
) -> None:
    """Change a study: the same operations as in the window; the file is replaced whole or not at all."""
    made = load_study(study)
    record = record_of(made)
    for text in rename or []:
        made = op.rename_channel(made, *_pair(text, "old=new"))
    for text in rename_interval or []:
        made = op.rename_interval(made, *_pair(text, "old=new"))
    for name in remove_formula or []:
        made = op.remove_formula(made, name)
    for name in remove_interval or []:
        made = op.remove_interval(made, name)
    for name in remove_connection or []:
        made = op.remove_connection(made, name)
    for text in disconnect or []:
        made = op.take_channel_out(made, *_socket(text))
    made = _changed(made, record, channel, connection, connect, formula, interval, reference, active, title, orders)
    made = _arranged(made, lanes, panel or [])
    save_study(made, output or study)


def relink(study: StudyPath, recording: RecordPath) -> None:
    """Point a study to its recording in another place, or accept that the recording has changed."""
    made, record = relinked(load_study(study), recording)
    save_study(made, study)
    typer.echo(f"{study}: {recording.name}, {record.n_samples} samples")


def corrected(found: Preview, rate: str | None, columns: list[str]) -> Dialect:
    """Return the dialect with the corrections given on the command line."""
    dialect = found.dialect
    if rate is not None:
        dialect = msgspec.structs.replace(dialect, rate_hz=op.rate_from(rate))
    for text in columns:
        dialect = _with_column(dialect, text)
    if rate is not None and dialect.time_column is not None:
        changed = [msgspec.structs.replace(c, role=Role.SKIP) if c.role is Role.TIME else c for c in dialect.columns]
        dialect = msgspec.structs.replace(dialect, columns=tuple(changed))
    for problem in problems_of(dialect):
        raise StudyError(f"The recording cannot be read yet: {problem} Use --column or --rate.")
    return dialect


def _choice(text: str | None, known: dict[str, str], what: str) -> str | None:
    if text is None:
        return None
    if text not in known:
        raise StudyError(f'"{text}" is not a {what}; choose one of {", ".join(name for name in known if name.isalpha())}.')
    return known[text]


_COLUMN = re.compile(r"^(?P<at>\d+)=(?P<name>[^\[:]+?)\s*(\[(?P<unit>[^\]]*)\]|:(?P<time>\w+))?$")


def _with_column(dialect: Dialect, text: str) -> Dialect:
    match = _COLUMN.match(text)
    at = int(match["at"]) if match else 0
    if match is None or not 1 <= at <= len(dialect.columns):
        raise StudyError(f"--column {text}: write NUMBER=NAME [UNIT], with a number from 1 to {len(dialect.columns)}.")
    old, name = dialect.columns[at - 1], match["name"]
    if name == "skip":
        changed = msgspec.structs.replace(old, role=Role.SKIP)
    elif name == "time":
        changed = Column(old.name, match["time"] or match["unit"] or old.unit, Role.TIME)
    else:
        changed = Column(name, match["unit"] or old.unit, Role.CHANNEL)
    columns = (*dialect.columns[: at - 1], changed, *dialect.columns[at:])
    return msgspec.structs.replace(dialect, columns=columns)


def _changed(
    study: Study,
    record: Record,
    channels: list[str] | None,
    connections: list[str] | None,
    connects: list[str] | None,
    formulas: list[str] | None,
    intervals: list[str] | None,
    reference: str | None,
    active: str | None,
    title: str | None,
    orders: int | None,
) -> Study:
    """Return the study with everything the shared options ask for, in an order in which each finds what it needs."""
    if title is not None:
        study = msgspec.structs.replace(study, title=title)
    if orders is not None:
        study = msgspec.structs.replace(study, highest_order=orders)
    for text in channels or []:
        study = _with_channel(study, text)
    for text in connections or []:
        study = _with_connection(study, text)
    for text in connects or []:
        place, channel = _pair(text, "connection.socket=channel")
        study = op.place_channel(study, *_socket(place), channel)
    for text in formulas or []:
        study = op.set_formula(study, text)
    _check_formulas(study, record, formulas or [])
    if reference is not None:
        study = op.set_reference(study, reference)
    for text in intervals or []:
        study = _with_interval(study, record, text)
    return op.activate(study, active) if active is not None else study


def _arranged(study: Study, lanes: str | None, panels: list[str]) -> Study:
    """Return the study with the lanes and panels asked for."""
    if lanes is not None:
        study = op.arrange_lanes(study, [lane.split() for lane in lanes.split(";") if lane.strip()])
    if panels:
        study = msgspec.structs.replace(study, panels=())
    for text in panels:
        study = op.add_panel(study, op.panel_from(study, text))
    return study


def _check_formulas(study: Study, record: Record, texts: list[str]) -> None:
    """Refuse formulas that cannot be computed, before they are saved."""
    broken = Evaluation(study, record).broken
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
    columns = study.record.dialect.columns
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
        interval = Evaluation(study, record).snapped(interval)
    if any(known.name == interval.name for known in study.intervals):
        study = op.move_interval(study, interval.name, interval.start_s, interval.stop_s, record.duration_s)
        return op.activate(study, interval.name)
    return op.add_interval(study, interval, record.duration_s)


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


def add_to(app: typer.Typer) -> None:
    """Register the commands of this module."""
    for command in (inspect, new, edit, relink):
        app.command()(command)
