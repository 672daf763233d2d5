"""What commands about a study begin with: its file, its record, the interval that is meant."""

from pathlib import Path
from typing import Annotated

from pantelos.cli.command import Argument, Option
from pantelos.cli.reporting import shown_progress
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.study.opening import record_of
from pantelos.study.storage import SUFFIX, load_study

StudyPath = Annotated[Path, Argument(help=f"Study file ({SUFFIX}).", metavar="STUDY")]
AsJson = Annotated[bool, Option("--json", help="Print as JSON.")]
OneInterval = Annotated[str | None, Option("--interval", help="Interval (the active one).")]


def opened(path: Path) -> Evaluation:
    """Return the evaluation of the study in a file, its record opened."""
    study = load_study(path)
    if study.record is None:
        raise StudyError(f"{path} has no record. Make one with: pantelos new STUDY RECORDING.")
    with shown_progress("opening") as progress:
        return Evaluation(study, record_of(study, progress))


def within(evaluation: Evaluation, interval: str | None) -> Evaluation:
    """Return the evaluation with that interval active."""
    if interval is None:
        return evaluation
    from pantelos.study import operations as op  # here, for the sake of a quick start

    return Evaluation(op.activate(evaluation.study, interval), evaluation.record)
