"""Commands that make and change studies: new, edit."""

from pathlib import Path
from typing import Annotated, Any

from pantelos.changes.options import Around, changed, options
from pantelos.checks.as_read import as_read
from pantelos.cli.command import Argument, Option, OptionRows, say
from pantelos.cli.opened import StudyPath
from pantelos.cli.recordings import AsBefore, ColumnNames, Decimal, Delimiter, Rate, understood
from pantelos.cli.reporting import say_told, shown_progress
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.formats import remarks
from pantelos.notation import counted
from pantelos.study.importing import import_files, set_usually
from pantelos.study.model import Study
from pantelos.study.opening import recordings_of
from pantelos.study.parts import are_parts, files_meant, missing_parts
from pantelos.study.recordings import Recordings
from pantelos.study.storage import load_study, save_study


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
    changes: Annotated[dict[str, Any], OptionRows(lambda: options(new=True))],
    delimiter: Delimiter = None,
    decimal: Decimal = None,
    rate: Rate = None,
    column: ColumnNames = None,
    before: AsBefore = False,
    force: Annotated[bool, Option("--force", help="Replace an existing study.")] = False,
) -> None:
    """Import a recording into a new study, with wiring, scaling, formulas and intervals in one go."""
    if study.exists() and not force:
        raise StudyError(f"{study} exists already. Use edit to change it, or --force to replace it.")
    paths = files_meant(recording)
    files = set_usually([understood(path, delimiter, decimal, rate, column, before) for path in paths])
    with shown_progress("importing") as progress:
        made, recordings = import_files(Study(), Recordings(), files, progress)
        made = changed(made, changes, Around(recordings, progress))
    record = recordings.record(made.record)
    save_study(made, study)
    say(f"{study}: {counted(len(made.channels), 'channel')}, {counted(record.n_samples, 'sample')} at {record.rate_hz:g} Hz")
    for words in dict.fromkeys(words for file in files for words in file.dialect.time_words):
        say(f"  · {words}")
    of_files = [n for file in files for n in remarks.still_true(file.seen.told, file.dialect) if n.severity.asks]
    missing = [notice] if are_parts([file.dialect for file in files]) and (notice := missing_parts(paths)) else []
    say_told(dict.fromkeys((*missing, *of_files, *as_read(Evaluation(made, record)))))


def edit(
    study: StudyPath,
    changes: Annotated[dict[str, Any], OptionRows(lambda: options(new=False))],
    output: Annotated[Path | None, Option(help="Write the changed study to another file.")] = None,
) -> None:
    """Change a study: the same operations as in the window; the file is replaced whole or not at all."""
    made = load_study(study)
    with shown_progress("changing") as progress:
        made = changed(made, changes, Around(recordings_of(made), progress))
    save_study(made, output or study)
