"""When the samples of a COMTRADE recording were taken: by the rates of its configuration and the stamps of its data.

Source: IEEE C37.111, sampling rate information and time stamps. The rates are those of the configuration; where one gives
way to the next is told by the stamps, as the configuration counts samples in ways that differ from recorder to recorder.
"""

from collections.abc import Callable
from itertools import pairwise

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
_LIKE = 0.1  # of a step: so far a stamp may lie beside its time, beyond its rounding
_SAME = 1e-6  # of a step
_LOOKED_AT, _TOLD_BY = 1 << 16, 512  # stamps that tell their rounding, and a change


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
    return by_stamps(stated, np.asarray(stamps_s(), dtype=np.float64), resolution) or stated


def doubts(found: Opened, n: int, stamps_s: AnyArray) -> list[Notice]:
    """Return what is to be said where stamps that rise tell other rates than the configuration."""
    rates = found.configuration.rates
    if not rates or n < 2 or not stamps_s[n - 1] > stamps_s[0]:
        return []
    if len(rates) > 1:
        stated = _as_stated(found, n)
        stamps = np.asarray(stamps_s, dtype=np.float64)
        shown = len(stated) < 2 or by_stamps(stated, stamps, 1e-6 * found.configuration.time_multiplier)
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


def by_stamps(stated: tuple[Segment, ...], stamps: FloatArray, resolution_s: float) -> tuple[Segment, ...] | None:
    """Return the stated rates one behind the other, changing where the stamps say; None where stamps do not show them.

    The step from one rate to the next is one of either: the sample at the joint belongs to both segments, and the time goes on
    as the rates say, however coarsely the stamps are rounded. Only a pause that they show begins anew by them.
    """
    zero = stated[0].start_s
    found = [msgspec.structs.replace(stated[0], start_s=0.0, first=0, n_samples=len(stamps))]
    for k, (before, after) in enumerate(pairwise(stated), start=1):
        here = found[-1]
        length = stated[k + 1].first - after.first if k + 1 < len(stated) else len(stamps) - after.first
        change = _change(here, after, stamps - stamps[0], _coarse(stamps, before.rate_hz, resolution_s), max(length, 4))
        if change is None:
            return None
        row, start_s = change
        joined = abs(start_s - (here.start_s + (row - here.first) / here.rate_hz)) < _SAME / here.rate_hz
        found[-1] = msgspec.structs.replace(here, n_samples=row - here.first + joined)
        found.append(Segment(start_s, after.rate_hz, row, len(stamps) - row))
    last, coarse = found[-1], _coarse(stamps, stated[-1].rate_hz, resolution_s)
    left = stamps[last.first :] - stamps[0] - last.start_s - np.arange(last.n_samples) / last.rate_hz
    if float(np.ptp(left)) > 2 * coarse + 2 * _LIKE / last.rate_hz:
        return None
    return tuple(msgspec.structs.replace(segment, start_s=segment.start_s + zero) for segment in found)


def _coarse(stamps: FloatArray, rate_hz: float, resolution_s: float) -> float:
    """Return what stamps are rounded to: the stated resolution, or more where they show it."""
    units = np.round(stamps / resolution_s).astype(np.int64)
    common = float(np.gcd.reduce(np.diff(units[:_LOOKED_AT])) or 1) * resolution_s
    steps = common * rate_hz  # a multiple that each step is, is no rounding
    return common if abs(round(1 / steps) * steps - 1.0) > _SAME else resolution_s


def _change(here: Segment, after: Segment, stamps: FloatArray, coarse_s: float, length: int) -> tuple[int, float] | None:
    """Return (row of the joint, its time) where one rate gives way to another, by stamps that begin at 0; None where they do not.

    Parameters
    ----------
    here : the segment so far, from its first row on; after : as it is stated
    length : samples that the rate behind is stated to hold for
    """
    step, other = 1 / here.rate_hz, 1 / after.rate_hz
    rows = np.arange(here.first, len(stamps))
    left = stamps[here.first :] - here.start_s - (rows - here.first) * step
    if abs(other - step) < _SAME * step:
        return after.first, here.start_s + (after.first - here.first) * step
    slack = coarse_s + _LIKE * min(step, other)
    off = np.flatnonzero(np.abs(left) > slack)
    if not len(off):  # too coarse to see it: as stated
        return (after.first, here.start_s + (after.first - here.first) * step) if after.first < len(stamps) else None
    seen, reach = here.first + int(off[0]), int(np.ceil(2 * slack / abs(other - step))) + 2
    low, high = max(seen - reach, here.first), min(seen + 1, len(stamps) - 1)
    until = min(high + max(min(length // 2, _TOLD_BY), 2), len(stamps))
    own = np.arange(max(here.first, low - _TOLD_BY), until)
    best: list[tuple[float, int]] = []
    for row in range(low, high + 1):
        times = here.start_s + np.where(own < row, (own - here.first) * step, (row - here.first) * step + (own - row) * other)
        away = stamps[own] - times
        best.append((float(np.ptp(away)), row))
    least = min(spread for spread, _ in best)
    if least <= 1.2 * coarse_s + 2 * _LIKE * min(step, other):
        rows_that_fit = [row for spread, row in best if spread <= least + 1e-3 * min(step, other)]
        row = min(rows_that_fit, key=lambda row: abs(row - after.first))
        return row, here.start_s + (row - here.first) * step
    return _pause(here, after, stamps, seen, coarse_s)


def _pause(here: Segment, after: Segment, stamps: FloatArray, seen: int, coarse_s: float) -> tuple[int, float] | None:
    """Return (row, time) at which the next rate begins behind a pause that the stamps show; None where they show none."""
    until = min(seen + _TOLD_BY, len(stamps))
    own = stamps[seen:until] - np.arange(until - seen) / after.rate_hz
    if len(own) < 2 or float(np.ptp(own)) > 1.2 * coarse_s + 2 * _LIKE / after.rate_hz:
        return None
    bias = float(np.mean(stamps[here.first : seen] - here.start_s - np.arange(seen - here.first) / here.rate_hz))
    start_s = float(np.mean(own)) - bias
    return (seen, start_s) if start_s > here.start_s + (seen - 1 - here.first) / here.rate_hz else None
