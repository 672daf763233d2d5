"""Alternating channels have no mean, and none changes its size within the active interval."""

import math
from collections.abc import Iterator

import numpy as np

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.power.wirings import wiring
from pantelos.reading.kinds import reading_kind
from pantelos.signal.cycles.window import samples_between

_OFFSET = 0.02  # of the rms of an alternating channel
_DRIFT = 0.02  # of the rms, from the first to the last third of the interval
_FEWEST_CYCLES = 4  # in a third of the interval, to say anything about drift
_LOOKED_AT = 1 << 16  # samples whose spectrum tells whether the rate is high enough


def offset(channel: str, mean: str, share: float) -> Notice:
    """State that an alternating channel has a mean."""
    return Notice(
        Severity.CAUTION,
        "record.offset",
        f"{channel} has an offset of {mean}",
        f"{100 * abs(share):.2g} % of its rms: zero the transducer, or state the offset in the chain",
        channel,
    )


def drift(channel: str, interval: str, first: str, last: str, steps: bool = False) -> Notice:
    """State that a channel changes its size within an interval; where it `steps`, that is what the interval was marked for."""
    if steps:
        said = f"rms {first} in the first third, {last} in the last"
        return Notice(Severity.NOTE, "interval.step", f"{channel} steps within {interval}", said, channel)
    return Notice(
        Severity.CAUTION,
        "interval.drift",
        f"{channel} is not steady in {interval}",
        f"rms {first} in the first third, {last} in the last: choose a steadier stretch",
        channel,
    )


def offset_and_drift(evaluation: Evaluation) -> Iterator[Notice]:
    """Check that alternating channels have no mean, and that none changes its size within the active interval."""
    place = evaluation.study.active_interval
    if place is None:
        return
    names = {
        channel: None for c in evaluation.study.connections if wiring(c.wiring).alternating for channel in c.sockets.values()
    }
    mean, rms = reading_kind("mean"), reading_kind("rms")
    assert mean is not None and rms is not None
    for name in names:
        if name not in evaluation.names.types or evaluation.study.formula(name) is not None:
            continue
        if not evaluation.places.window(
            None, [name]
        ).n_cycles:  # a part of a cycle has a mean, and what does not alternate has one
            continue
        size = evaluation.reading(rms, [name]).value
        level = evaluation.reading(mean, [name]).value
        if not size > max(evaluation.samples.low_signal(name), 0.0):
            continue
        if abs(level) > _OFFSET * size:
            yield offset(name, with_unit(level, evaluation.names.unit(name), 3), level / size)
        thirds = [_rms_between(evaluation, name, place.start_s + k * place.length_s / 3, place.length_s / 3) for k in (0, 2)]
        if all(math.isfinite(part) for part in thirds) and abs(thirds[1] - thirds[0]) > _DRIFT * size:
            sizes = [with_unit(part, evaluation.names.unit(name), 4) for part in thirds]
            yield drift(name, place.name, sizes[0], sizes[1], steps=_steps(evaluation, name))


def _steps(evaluation: Evaluation, name: str) -> bool:
    """Return whether a step lies within the active interval: a dip, a load that comes or goes."""
    cycles, (start, stop) = evaluation.references.of([name]).cycles, evaluation.times.span(None)
    own = evaluation.cycles.of(name)
    seams = [one.seams for one in (cycles, own) if one is not None and one.seams is not None]
    return any(bool(((found > start) & (found < stop)).any()) for found in seams)


def _rms_between(evaluation: Evaluation, name: str, start_s: float, length_s: float) -> float:
    """Return the rms over the whole cycles of the reference in a stretch; NaN where there are too few to compare."""
    low, high = evaluation.times.positions(start_s, start_s + length_s)
    cycles = evaluation.references.of([name]).cycles
    if cycles is not None:
        crossings, _ = cycles.between(low, high)
        if len(crossings) < _FEWEST_CYCLES + 1:
            return math.nan
        low, high = float(crossings[0]), float(crossings[-1])
    window = samples_between(low, min(high, low + 64 * _LOOKED_AT))
    x = evaluation.samples.waveform(name).read(window.first, window.end)
    return math.sqrt(float(np.nanmean(x * x))) if len(x) and not np.isnan(x).all() else math.nan


CHECK = Check("drift", "Alternating channels have no mean and keep their size", offset_and_drift, place=7)
