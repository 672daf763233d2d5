"""Rapid changes of the voltage: from one steady state to another without a dip or swell between.

Source: IEC 61000-4-30. Steady is a voltage whose last 100 (120 at 60 Hz) values of U rms(1/2) stay within the threshold of their
mean; a change begins with the first value beyond the threshold from the mean of those before it, and ends where the voltage is
steady again within the threshold less its hysteresis.
"""

from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.quality.disturbances import Happened
from pantelos.quality.half_cycles import HalfCycles
from pantelos.signal.arrays import BoolArray, FloatArray


class RapidChange(msgspec.Struct, frozen=True):
    """One change of the voltage, of the channel where it was largest."""

    start: float  # samples
    stop: float
    steady: float  # |mean after - mean before|, V
    largest: float  # |value - mean before|, V
    channel: int
    channels: tuple[int, ...]
    settled: float  # where it is known to be steady again, samples: a second behind `stop`


def rapid_changes(
    values: HalfCycles,
    declared: float,
    per_second: int,
    found: Sequence[Happened] = (),
    share: float = 0.05,
    hysteresis: float = 0.5,
) -> list[RapidChange]:
    """Return the rapid changes of several channels, those that meet at some time taken as one; disturbances found are left out.

    Parameters
    ----------
    declared : the declared voltage, V
    per_second : half-cycles in a second, 100 or 120
    share : threshold, of the declared voltage
    hysteresis : share of the threshold
    """
    within = share * declared
    single = [
        change
        for channel, rms in enumerate(values.rms)
        for change in _of_channel(rms, values, channel, per_second, within, within * (1 - hysteresis))
    ]
    merged: list[RapidChange] = []
    for change in sorted(single, key=lambda one: one.start):
        if merged and change.start < merged[-1].settled:
            merged[-1] = _together(merged[-1], change)
        else:
            merged.append(change)
    return [one for one in merged if not any(d.start < one.stop and one.start < d.stop for d in found)]


def _together(a: RapidChange, b: RapidChange) -> RapidChange:
    larger = a if a.largest >= b.largest else b
    channels = tuple(sorted({*a.channels, *b.channels}))
    later = a if a.settled >= b.settled else b
    stop = max(a.stop, b.stop)
    return msgspec.structs.replace(larger, start=a.start, stop=stop, settled=later.settled, channels=channels)


def _of_channel(rms: FloatArray, values: HalfCycles, channel: int, n: int, within: float, regained: float) -> list[RapidChange]:
    means = _running_means(rms, n)
    begins = np.zeros(len(rms), dtype=bool)
    with np.errstate(invalid="ignore"):
        begins[n:] = _steady(rms, means, n, within)[n - 1 : -1] & (np.abs(rms[n:] - means[n - 1 : -1]) > within)
    again = np.flatnonzero(_steady(rms, means, n, regained))
    starts = np.flatnonzero(begins)
    found: list[RapidChange] = []
    at = 0
    while (k := int(np.searchsorted(starts, at))) < len(starts):
        first = int(starts[k])
        e = int(np.searchsorted(again, first + n - 1))
        if e == len(again):
            break
        last = int(again[e])  # the last of the values that are steady again
        before, after = float(means[first - 1]), float(means[last])
        largest = float(np.max(np.abs(rms[first : last + 1] - before)))
        own = values.shifts[channel]
        end = float(values.starts[last - n + 1] + own[last - n + 1])
        start, settled = float(values.starts[first] + own[first]), float(values.stops[last] + own[last])
        found.append(RapidChange(start, end, abs(after - before), largest, channel, (channel,), settled))
        at = last + 1
    return found


def _running_means(rms: FloatArray, n: int) -> FloatArray:
    """Return the mean of each value and the n - 1 before it, NaN where there are fewer or one is missing; shape of `rms`."""
    means = np.full(len(rms), np.nan)
    if len(rms) >= n:
        missing = np.isnan(rms)
        centre = np.nanmean(rms) if not missing.all() else 0.0
        totals = np.concatenate([[0.0], np.cumsum(np.where(missing, 0.0, rms - centre))])
        gone = np.concatenate([[0], np.cumsum(missing)])
        means[n - 1 :] = np.where(gone[n:] == gone[:-n], centre + (totals[n:] - totals[:-n]) / n, np.nan)
    return means


def _steady(rms: FloatArray, means: FloatArray, n: int, within: float) -> BoolArray:
    """Return where each value and the n - 1 before it all stay within some voltage of their mean, (n,)."""
    from scipy.ndimage import maximum_filter1d, minimum_filter1d  # a quarter of a second to load

    if len(rms) < n:
        return np.zeros(len(rms), dtype=bool)
    known = np.nan_to_num(rms)
    origin = (n - 1) // 2  # the window ends at the value
    high = maximum_filter1d(known, n, origin=origin, mode="nearest")
    low = minimum_filter1d(known, n, origin=origin, mode="nearest")
    with np.errstate(invalid="ignore"):
        return np.asarray((high - means <= within) & (means - low <= within))
