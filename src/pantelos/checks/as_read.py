"""What was odd about the files, and what has no value."""

import math
from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.checks.recorded_channels import recorded_channels
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.remembered import remembered
from pantelos.formats import remarks
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.units import unit


@remembered()
def _without(evaluation: Evaluation, name: str) -> int:
    missing = evaluation.samples.channel(name).n_missing(
        between=not evaluation.record.joints
    )  # between shots nothing is recorded
    lag = abs(evaluation.study.channel(name).scaling.lag_s) * evaluation.record.rate_hz
    return max(missing - math.ceil(lag - 1e-6), 0)  # an end is left without a value where a lag is taken off


def _hidden(evaluation: Evaluation) -> Iterator[Notice]:
    """Tell which intervals do not show, or not whole, while only a stretch of the record is looked at."""
    hidden = evaluation.study.hidden.intervals
    if hidden:
        grid = evaluation.record.grid
        names = ", ".join(one.whole.name if one.shown is None else f"{one.whole.name} (in part)" for one in hidden)
        what = f"only {grid.start_s:g} to {grid.stop_s:g} s of the record is looked at"
        yield Notice(Severity.CAUTION, "record.hidden", what, f"hidden until all of it is shown again: {names}")


def as_read(evaluation: Evaluation) -> Iterator[Notice]:
    """Tell what was odd about the files, how the record was put on one grid, and what has no value."""
    yield from evaluation.record.told
    yield from _hidden(evaluation)
    for channel in recorded_channels(evaluation):
        without = _without(evaluation, channel.name)
        beyond = sum({id(piece.raw): piece.raw.n_beyond for piece in channel.pieces}.values())
        if beyond:
            yield remarks.beyond_range(channel.name, beyond)
        apart = channel.whole and without >= beyond
        count = without - beyond if apart else without
        if count:
            share = with_unit(count / evaluation.record.n_samples, unit("%"), 2)
            detail = f"{share} of the record; readings say how much of their interval was measured"
            what = "are missing" if apart or not beyond else "are missing or beyond the range"
            yield Notice(Severity.CAUTION, "record.missing", f"{count} samples of {channel.name} {what}", detail, channel.name)


CHECK = Check("as-read", "The files were read whole", as_read, place=5)
