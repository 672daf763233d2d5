"""Commands about recordings: inspect, join, relink; and how a recording is read, as the options say."""

from pathlib import Path
from typing import Annotated

import msgspec

from pantelos.changes.reading import read_as
from pantelos.cli.command import Argument, Option, say
from pantelos.cli.opened import StudyPath
from pantelos.cli.reporting import say_json, say_told, shown_progress
from pantelos.formats.memory import agreed_before, as_before
from pantelos.notation import counted
from pantelos.record.alignment import alignment_from
from pantelos.study.importing import Agreed, import_files
from pantelos.study.opening import preview, recordings_of, relinked
from pantelos.study.storage import load_study, save_study

RecordPath = Annotated[Path, Argument(help="Recording to import.", metavar="RECORDING")]
Delimiter = Annotated[str | None, Option(help="Separator: comma, semicolon, tab, bar or blanks.")]
Decimal = Annotated[str | None, Option(help="Decimal sign: point or comma.")]
Rate = Annotated[str | None, Option(help="Sample rate, as in 20 kHz, where the file states none.")]
ColumnNames = Annotated[
    list[str] | None,
    Option(
        "--column", help="Name, unit and role of a column by number: 4=i1, '4=i1 [A]', 1=time:ms, 3=channel, 7=skip. Repeatable."
    ),
]

AsBefore = Annotated[
    bool,
    Option(
        "--as-before", help="Use the corrections agreed on for a file of this shape before; what the file states itself stays."
    ),
]


def inspect(
    recording: RecordPath, before: AsBefore = False, as_json: Annotated[bool, Option("--json", help="Print as JSON.")] = False
) -> None:
    """Show what is understood of a recording, before anything is made of it."""
    found = preview(recording)
    remembered = agreed_before(found) is not None
    found = as_before(found) if before else found
    if as_json:
        say_json(
            {
                "file": recording.name,
                "dialect": msgspec.to_builtins(found.dialect),
                "reasons": list(found.reasons),
                "told": [{"severity": n.severity, "code": n.code, "text": n.text, "detail": n.detail} for n in found.told],
                "began": found.began.text() if found.began is not None else None,
                "agreed_before": remembered,
                "metadata": dict(found.metadata),
                "rate_hz": found.rate_hz,
                "rows_about": found.n_rows_about,
                "problems": list(found.problems),
                "first_rows": [list(row) for row in found.rows[:5]],
            }
        )
        return
    say(f"{recording.name}: about {found.n_rows_about} rows, {found.size_bytes} bytes")
    if found.rate_hz is not None:
        say(f"  {found.rate_hz:g} samples per second{'' if found.dialect.rate_hz else ' by the first times'}")
    if found.began is not None:
        say(f"  began {found.began.text(6)}")
    for reason in found.reasons:
        say(f"  {reason}")
    say_told(found.told)
    if remembered and not before:
        say("  ! corrections were agreed on for a file of this shape before: --as-before uses them")
    for number, column in enumerate(found.dialect.columns, start=1):
        say(f"  column {number}: {column.name} [{column.unit}], {column.role}")
    for key, value in found.metadata:
        say(f"  {key}: {value}")
    for problem in found.problems:
        say(f"  to correct: {problem}")


def join(
    study: StudyPath,
    recording: RecordPath,
    align: Annotated[
        str,
        Option(
            help="How it is set against the first recording: together (first samples at the same "
            "instant), start (by date and time), 'offset 0.25' (s added to its own time), 'edge u1=trigger' (first "
            "rising edge of a column here and there), behind (where the record ends)."
        ),
    ] = "together",
    delimiter: Delimiter = None,
    decimal: Decimal = None,
    rate: Rate = None,
    column: ColumnNames = None,
    before: AsBefore = False,
) -> None:
    """Join one more recording to the record of a study: beside the others, or behind them."""
    made = load_study(study)
    alignment = alignment_from(align)
    agreed = msgspec.structs.replace(understood(recording, delimiter, decimal, rate, column, before), alignment=alignment)
    with shown_progress("importing") as progress:
        recordings = recordings_of(made, progress.part(0.0, 0.3))
        made, recordings = import_files(made, recordings, [agreed], progress.part(0.3, 1.0))
    record = recordings.record(made.record)
    save_study(made, study)
    say(f"{study}: {counted(len(made.channels), 'channel')}, {counted(record.n_samples, 'sample')} at {record.rate_hz:g} Hz")
    say_told(record.told)


def relink(
    study: StudyPath,
    recording: RecordPath,
    instead_of: Annotated[str | None, Option(help="Name of the file it replaces, where the record has several.")] = None,
) -> None:
    """Point a study to its recording in another place, or accept that the recording has changed."""
    with shown_progress("opening") as progress:
        made, recordings = relinked(load_study(study), recording, Path(instead_of) if instead_of else None, progress)
    record = recordings.record(made.record)
    save_study(made, study)
    say(f"{study}: {recording.name}, {record.n_samples} samples")


def understood(
    recording: Path,
    delimiter: str | None,
    decimal: str | None,
    rate: str | None,
    columns: list[str] | None,
    as_before: bool = False,
) -> Agreed:
    """Return how a recording is to be read, with the corrections of the options."""
    agreed = read_as(recording, delimiter, decimal, rate, columns or [], as_before)
    if as_before and agreed_before(agreed.seen) is None:
        say(f"{recording.name}: nothing was agreed on for a file of this shape before", err=True)
    return agreed
