"""When the samples of a COMTRADE recording were taken: by the rates of its configuration and the stamps of its data.

Source: IEEE C37.111, sampling rate information and time stamps. The rates are those of the configuration; where one gives
way to the next is told by the stamps, as the configuration counts samples in ways that differ from recorder to recorder.
"""

from collections.abc import Callable

import msgspec
import numpy as np

from pantelos.errors import FormatError
from pantelos.formats import remarks
from pantelos.formats.clock import timing_of
from pantelos.formats.comtrade.data import Opened
from pantelos.notice import Notice
from pantelos.record.timing import Segment, Timing
from pantelos.signal.arrays import AnyArray, FloatArray

_OFF = 0.01  # of a rate: stamps that tell one further off disagree
_LIKE = 0.1  # of a step: steps this near each other are of one rate


def timing_in(found: Opened, n: int, stamps_s: Callable[[], AnyArray]) -> Timing:
    """Return the timing of n samples; time zero is the trigger.

    Raises
    ------
    FormatError
        When the configuration states rates that cannot be.
    """
    before, resolution = found.configuration.trigger_s, 1e-6 * found.configuration.time_multiplier
    if not found.configuration.rates:
        return timing_of(found.path, stamps_s() - before, resolution, lambda row: f"row {row + 1} of the data")
    stated = _as_stated(found, n)
    if len(stated) == 1:
        return stated
    stamps = np.asarray(stamps_s(), dtype=np.float64)
    return _joined(stated, stamps, _changes(stated, stamps, resolution), resolution)


def doubts(found: Opened, n: int, stamps_s: AnyArray) -> list[Notice]:
    """Return what is to be said where stamps that rise tell other rates than the configuration."""
    rates = found.configuration.rates
    if not rates or n < 2 or not stamps_s[n - 1] > stamps_s[0]:
        return []
    if len(rates) > 1:
        stated = _as_stated(found, n)
        stamps = np.asarray(stamps_s, dtype=np.float64)
        shown = len(stated) < 2 or _changes(stated, stamps, 1e-6 * found.configuration.time_multiplier)
        return [] if shown else [remarks.stamps_disagree("do not show the rates that are stated")]
    rate = (n - 1) / float(stamps_s[n - 1] - stamps_s[0])
    told = f"tell {rate:.6g} samples per second, the configuration {rates[0][0]:.6g}"
    return [remarks.stamps_disagree(told)] if abs(rate / rates[0][0] - 1) > _OFF else []


def _as_stated(found: Opened, n: int) -> tuple[Segment, ...]:
    """Return a segment for each stated rate, one behind the other; time zero at the trigger."""
    segments: list[Segment] = []
    start, first = -found.configuration.trigger_s, 0
    for k, (rate, last) in enumerate(found.configuration.rates):
        end = n if k + 1 == len(found.configuration.rates) else min(last, n)
        if not 0 < rate < np.inf or last < first:
            raise FormatError(
                found.path,
                f"a rate of {rate:g} Hz up to sample {last}",
                "rising samples and rates above zero",
                "Check the configuration.",
            )
        if end > first:
            segments.append(Segment(start, rate, first, end - first))
            start, first = start + (end - first) / rate, end
    return tuple(segments)


def _changes(stated: tuple[Segment, ...], stamps: FloatArray, resolution_s: float) -> list[int]:
    """Return the first row of each rate by the stamps; empty where they do not show these rates one behind the other."""
    steps = np.diff(stamps)
    firsts = [0]
    for k, segment in enumerate(stated):
        like = np.abs(steps[firsts[-1] :] * segment.rate_hz - 1.0) <= _LIKE + resolution_s * segment.rate_hz
        others = np.flatnonzero(~like)
        if k + 1 == len(stated):
            return firsts if not len(others) else []
        if not len(others) or not len(like) or others[0] == 0:
            return []
        firsts.append(firsts[-1] + int(others[0]) + 1)
    return []


def _joined(stated: tuple[Segment, ...], stamps: FloatArray, firsts: list[int], resolution_s: float) -> tuple[Segment, ...]:
    """Return segments that begin where the stamps say, joined where no sample is missing between.

    The step from one rate to the next is one of either: the sample at the joint then belongs to both segments.
    """
    if not firsts:
        return stated
    zero = stated[0].start_s - float(stamps[0])
    ends = [*firsts[1:], len(stamps)]
    found = [
        msgspec.structs.replace(segment, start_s=float(stamps[first]) + zero, first=first, n_samples=end - first)
        for segment, first, end in zip(stated, firsts, ends, strict=True)
    ]
    for k in range(1, len(found)):
        before, after = found[k - 1], found[k]
        gap = float(stamps[after.first] - stamps[after.first - 1])
        near = _LIKE * min(1 / before.rate_hz, 1 / after.rate_hz) + resolution_s
        if abs(gap - 1 / after.rate_hz) <= near:
            step_s = 1 / after.rate_hz
            found[k] = Segment(after.start_s - step_s, after.rate_hz, after.first - 1, after.n_samples + 1)
        elif abs(gap - 1 / before.rate_hz) <= near:
            found[k - 1] = msgspec.structs.replace(before, n_samples=before.n_samples + 1)
    return tuple(found)
