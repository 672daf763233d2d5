"""What samples are written: channels, interval, kind of file, rate."""

from pathlib import Path

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import count, counted, with_unit
from pantelos.progress import Progress
from pantelos.study import operations as op
from pantelos.study.model import WHOLE_RECORD
from pantelos.tables.sample_export import output_of, write_samples, written_suffixes
from pantelos.units import unit


class SamplesChoice(msgspec.Struct, frozen=True):
    """What was chosen so far."""

    channels: tuple[str, ...]
    interval: str
    suffix: str = written_suffixes()[0]
    rate_text: str = ""

    @property
    def rate_hz(self) -> float | None:
        """The rate to reduce to; None: as recorded."""
        return op.rate_from(self.rate_text) if self.rate_text.strip() else None

    def write(self, evaluation: Evaluation, path: Path, progress: Progress) -> int:
        """Write the samples; return how many of each channel."""
        whole = self.interval == WHOLE_RECORD
        return write_samples(evaluation, path, self.channels, None if whole else self.interval, whole, self.rate_hz, progress)


def writable(evaluation: Evaluation) -> list[str]:
    """Return the channels and formulas that have samples."""
    return [name for name in evaluation.names.types if evaluation.names.kind(name) is not Kind.SCALAR]


def first_choice(evaluation: Evaluation) -> SamplesChoice:
    """Return the choice to begin with: everything in the active interval, as CSV."""
    return SamplesChoice(tuple(writable(evaluation)), evaluation.times.interval(None).name, ".csv")


def places(evaluation: Evaluation) -> list[str]:
    """Return the intervals to choose from."""
    return [*(interval.name for interval in evaluation.study.intervals), WHOLE_RECORD]


def judged(choice: SamplesChoice, evaluation: Evaluation) -> tuple[bool, str]:
    """Return whether it can be written, and what would be written or what is wrong."""
    if not choice.channels:
        return False, "Choose at least one channel."
    whole = choice.interval == WHOLE_RECORD
    try:
        made = output_of(evaluation, choice.channels, None if whole else choice.interval, whole, choice.rate_hz)
    except StudyError as error:
        return False, str(error)
    rate = with_unit(made.rate_hz, unit("Hz"), 5)
    filtered = ", low-pass filtered first" if choice.rate_text.strip() else ""
    return True, f"{count(made.n_samples)} samples of {counted(len(made.channels), 'channel')} at {rate}{filtered}"


def with_channel(choice: SamplesChoice, evaluation: Evaluation, name: str, wanted: bool) -> SamplesChoice:
    """Return the choice with a channel taken in or left out."""
    kept = {*choice.channels, name} if wanted else set(choice.channels) - {name}
    return msgspec.structs.replace(choice, channels=tuple(n for n in writable(evaluation) if n in kept))
