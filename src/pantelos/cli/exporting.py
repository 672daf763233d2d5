"""Commands that write: tables and samples."""

from pathlib import Path
from typing import Annotated

from pantelos.cli.command import Argument, Option, say
from pantelos.cli.opened import AsJson, OneInterval, StudyPath, opened
from pantelos.cli.reporting import say_table, shown_progress
from pantelos.notation import counted
from pantelos.sheets.writers import WRITERS, write_tables
from pantelos.study import operations as op
from pantelos.tables.building import build_tables
from pantelos.tables.kinds import TABLES
from pantelos.tables.sample_export import write_samples, written_suffixes

SomeIntervals = Annotated[list[str] | None, Option("--interval", help="Interval; all of them when left out. Repeatable.")]


def tables(
    study: StudyPath,
    to: Annotated[
        list[Path] | None,
        Option(
            "--to", help="Write to this file; its suffix says the kind: " + ", ".join(w.suffix for w in WRITERS) + ". Repeatable."
        ),
    ] = None,
    table: Annotated[
        list[str] | None,
        Option("--table", help=lambda: f"Table: {', '.join(TABLES.names)}; all of them when left out. Repeatable."),
    ] = None,
    interval: SomeIntervals = None,
    every: Annotated[str | None, Option(help="Pieces of tables over time: 'cycle', or a time such as '200 ms'.")] = None,
    as_json: AsJson = False,
    comma: Annotated[bool, Option("--decimal-comma", help="CSV with decimal commas and semicolons between cells.")] = False,
) -> None:
    """Compute tables; print them, or write them to files."""
    evaluation = opened(study)
    if every is not None:
        evaluation = evaluation.on(op.set_step(evaluation.study, every))
    with shown_progress("computing") as progress:
        made = build_tables(evaluation, table, interval, progress)
    for title, why in made.provenance.not_given:
        say(f"{title}: {why}", err=True)
    for path in to or []:
        write_tables(made, path, comma)
        say(f"{path}: {', '.join(t.id for t in made.tables)}", err=as_json)
    if as_json:
        say(next(w for w in WRITERS if w.id == "json").write(made).decode("utf-8"), end="")
    elif not to:
        for each in made.tables:
            say_table(each)
            say("")


def convert(
    study: StudyPath,
    to: Annotated[Path, Argument(help=lambda: f"File to write: {', '.join(written_suffixes())}.", metavar="FILE")],
    channel: Annotated[list[str] | None, Option("--channel", help="Channel or formula; all when left out. Repeatable.")] = None,
    interval: OneInterval = None,
    whole: Annotated[bool, Option("--whole", help="The whole record rather than the active interval.")] = False,
    rate: Annotated[
        str | None,
        Option(
            "--rate",
            help="Reduce the rate to this one, such as 2 kHz, a whole part of the "
            "record's; the samples are filtered first, and the file says so.",
        ),
    ] = None,
) -> None:
    """Write samples of channels and formulas, with time, names and units."""
    evaluation = opened(study)
    with shown_progress("writing") as progress:
        n = write_samples(evaluation, to, channel, interval, whole, op.rate_from(rate) if rate else None, progress)
    say(f"{to}: {counted(n, 'sample')}")
