"""Butterworth filters over records of any length: forward and backward without delay, or forward only as a circuit would.

Made in blocks: what lies before and behind a block is filtered with it until the filter has forgotten where it began.
"""

import math
from collections.abc import Sequence
from typing import Literal, TypeAlias

import msgspec
import numpy as np

from pantelos.errors import StudyError
from pantelos.notation import with_unit
from pantelos.signal.arrays import AnyArray, FloatArray, Reader
from pantelos.signal.filters.filters import before_the_first
from pantelos.units import unit

HIGHEST_ORDER = 10
_FORGOTTEN = 1e-9  # of what was there before
_SPOILED = 1e-2  # of what was there before: until then the beginning of the record is not shown as data
_LONGEST = 1 << 22  # samples that a filter may take to forget


class Filter(msgspec.Struct, frozen=True, eq=False):
    """A filter as second-order sections, and how long it remembers, in samples."""

    sections: AnyArray
    causal: bool
    forgets: int  # after so many samples nothing is left of what was there before
    spoiled: int  # so many samples at an end of the record, or beside missing ones, are not shown


Kind: TypeAlias = Literal["lowpass", "highpass", "bandpass", "bandstop"]


def butterworth(kind: Kind, corners_hz: Sequence[float], order: float, rate_hz: float, causal: bool) -> Filter:
    """Return a Butterworth filter (S. Butterworth 1930), by its poles and the bilinear transform.

    Parameters
    ----------
    kind : lowpass, highpass, bandpass or bandstop
    corners_hz : one frequency, or two for bands
    order : 1 to 10; a band has as many poles at either corner

    Raises
    ------
    StudyError
        For corners that are not between 0 and half the rate, or not rising, and for a filter too slow for the rate.
    """
    from scipy.signal import butter, sos2zpk  # half a second to load

    shown = ", ".join(with_unit(corner, unit("Hz")) for corner in corners_hz)
    if order != int(order) or not 1 <= order <= HIGHEST_ORDER:
        raise StudyError(f"The order of a filter is a whole number from 1 to {HIGHEST_ORDER}.")
    if any(not 0 < corner < 0.5 * rate_hz for corner in corners_hz):
        half = with_unit(0.5 * rate_hz, unit("Hz"))
        raise StudyError(f"A filter at {shown} does not fit: corners lie above zero and below half the sample rate, {half}.")
    if len(corners_hz) == 2 and not corners_hz[0] < corners_hz[1]:
        raise StudyError(f"The corners of a band rise, these are {shown}.")
    slowest = corners_hz[0] if len(corners_hz) == 1 else corners_hz[1] - corners_hz[0]
    too_slow = StudyError(
        f"A filter at {shown} is too slow for {with_unit(rate_hz, unit('Hz'))}: it would rest on more than {_LONGEST} samples "
        "either side. Read the record at a lower rate."
    )
    if -math.log(_FORGOTTEN) * rate_hz > 2 * math.pi * slowest * _LONGEST:
        raise too_slow
    wanted = corners_hz[0] if len(corners_hz) == 1 else list(corners_hz)
    sections = butter(int(order), wanted, kind, fs=rate_hz, output="sos")
    radius = float(np.abs(sos2zpk(sections)[1]).max())
    forgets = math.ceil(math.log(_FORGOTTEN) / math.log(radius)) if 0 < radius < 1 else 1
    if radius >= 1 or forgets > _LONGEST:
        raise too_slow
    return Filter(sections, causal, max(forgets, 8), math.ceil(math.log(_SPOILED) / math.log(radius)) if radius > 0 else 1)


def continued(x: FloatArray, period: float, n: int) -> FloatArray:
    """Return what may have stood `n` samples before `x`: whole periods earlier, or reflected where no period is known."""
    if n <= 0:
        return np.zeros(0)
    if 2 <= period < len(x):
        return before_the_first(x, period, n)
    return np.asarray(np.pad(x, (n, 0), mode="reflect", reflect_type="odd")[:n]) if len(x) > 1 else np.full(n, x[0])


def filtered(
    read: Reader, n_samples: int, one: Filter, first: int, last: int, periods: tuple[float, float] = (0.0, 0.0)
) -> FloatArray:
    """Return samples first to last of a waveform behind a filter, (last - first,); NaN where the filter is not settled.

    One without delay sees the waveform go on beyond the ends of the record: with its first and last period, in samples, or by odd
    reflection where they are 0.
    """
    from scipy.signal import sosfilt, sosfilt_zi, sosfiltfilt

    low, high = max(first - one.forgets, 0), min(last + (0 if one.causal else one.forgets), n_samples)
    x = read(low, high)
    missing = np.isnan(x)
    gaps = np.flatnonzero(missing) if np.isnan(np.add.reduce(x)) else np.zeros(0, dtype=np.intp)
    if len(gaps):
        good = np.flatnonzero(~missing)
        if not len(good):
            return np.full(last - first, np.nan)
        x = np.interp(np.arange(len(x)), good, x[good])
    if one.causal:
        y, _ = sosfilt(one.sections, x, zi=sosfilt_zi(one.sections) * x[0])
    else:
        before = one.forgets if low == 0 else 0
        behind = one.forgets if high == n_samples else 0
        longer = np.concatenate([continued(x, periods[0], before), x, continued(x[::-1], periods[1], behind)[::-1]])
        y = sosfiltfilt(one.sections, longer, padlen=min(3 * (2 * len(one.sections) + 1), len(longer) - 1))
        y = y[before : before + len(x)]
    found = np.array(y[first - low : last - low], dtype=np.float64)
    at = np.arange(first, last)
    unsettled = at < one.spoiled
    if not one.causal:
        unsettled |= at >= n_samples - one.spoiled
    if len(gaps):
        reach = np.zeros(len(x) + 1)
        begins, ends = np.maximum(gaps - (0 if one.causal else one.spoiled), 0), np.minimum(gaps + one.spoiled + 1, len(x))
        np.add.at(reach, begins, 1)
        np.add.at(reach, ends, -1)
        unsettled |= (np.cumsum(reach[:-1]) > 0)[first - low : last - low]
    found[unsettled] = np.nan
    return found
