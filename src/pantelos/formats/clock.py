"""What the times of a file tell: one even grid, segments with gaps between them, or instants of their own.

Tolerance: times count as even when each lies within a tenth of a step, and what their printing leaves open, of
the line through the first and last one of its segment. A step longer than one and a half, or backwards, begins
another segment.
"""

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import numpy as np

from pantelos.errors import FormatError
from pantelos.record.timing import Instants, Segment, Timing
from pantelos.signal.arrays import AnyArray
from pantelos.signal.sums.integrals import blocks

JITTER = 0.1  # steps
_MOST_SEGMENTS = 10_000
_BLOCK = 1 << 20


def timing_of(path: Path, times: AnyArray, resolution_s: float, line_of: Callable[[int], str]) -> Timing:
    """Return the timing that instants give, s, shape (n,); `line_of` names a row for people.

    Raises
    ------
    FormatError
        When a single row gives no rate, or the times are neither even nor rising.
    """
    if len(times) < 2:
        raise FormatError(path, "one row gives no sample rate", "two rows or more", "Give the sample rate.")
    step = _middle_step(times)
    breaks = _breaks(times, step, resolution_s)
    if step > 0 and breaks is not None:
        segments = _segments(times, breaks, step, resolution_s)
        if segments is not None:
            return segments
    stuck = _first_not_rising(times)
    if stuck is not None:
        raise FormatError(
            path,
            f"the time in {line_of(stuck)} does not rise",
            "times that rise from row to row",
            "Cut the file there, or give the sample rate and leave the time column out.",
        )
    return Instants(times, step)


def share_stamps(times: AnyArray) -> bool:
    """Return whether stamps are coarser than rows, so that several rows have the same one."""
    steps = np.diff(times[:_BLOCK])
    return bool(len(steps) and float(np.median(steps)) == 0.0 and (steps > 0).any())


def _middle_step(times: AnyArray) -> float:
    """Return the median step of up to 64 stretches; the mean one where the printing makes most steps zero."""
    n = len(times)
    starts = np.unique(np.linspace(0, max(n - 4096, 0), 64).astype(int))
    steps = np.concatenate([np.diff(times[low : low + 4096]) for low in starts])
    rising = steps[steps > 0]
    middle = float(np.median(steps))
    if middle > 0:
        return middle
    return float(times[-1] - times[0]) / (n - 1) if len(rising) else 0.0


def _breaks(times: AnyArray, step: float, resolution_s: float) -> AnyArray | None:
    """Return the rows that begin a segment behind a gap or a step back; None when that is the rule and not the exception."""
    found: list[int] = []
    longest = max(1.5 * step, step + 2 * resolution_s)
    for low, high in blocks(0, len(times) - 1, _BLOCK):
        steps = np.diff(times[low : high + 1])
        with np.errstate(invalid="ignore"):
            odd = ~((steps <= longest) & (steps >= -resolution_s * 0.5))
        found += (np.flatnonzero(odd) + low + 1).tolist()
        if len(found) > min(_MOST_SEGMENTS, max(len(times) // 8, 1)):
            return None
    return np.array([0, *found, len(times)])


def _segments(times: AnyArray, breaks: AnyArray, step: float, resolution_s: float) -> tuple[Segment, ...] | None:
    """Return the segments between breaks, or None when one of them is not even."""
    spans = [(int(a), int(b)) for a, b in pairwise(breaks)]
    longest = max(spans, key=lambda span: span[1] - span[0])
    common = _even_rate(times, longest, resolution_s)
    if common is None:
        return None
    segments = []
    for first, end in spans:
        n = end - first
        rate = _even_rate(times, (first, end), resolution_s) if n > 1 else common
        if rate is None:
            return None
        drift = abs(rate - common) / common * n  # samples: what the printing of the times leaves open is the common rate
        if drift <= max(JITTER, 2 * resolution_s * common):
            rate = common
        segments.append(Segment(float(times[first]), rate, first, n))
    return tuple(segments)


def _even_rate(times: AnyArray, span: tuple[int, int], resolution_s: float) -> float | None:
    """Return the rate of rows that are even, rounded as far as their printing leaves it open, or None."""
    first, end = span
    n = end - first
    start, stop = float(times[first]), float(times[end - 1])
    if n < 2 or not stop > start:
        return None
    step = (stop - start) / (n - 1)
    tolerance = JITTER * step + resolution_s
    for low, high in blocks(first, end, _BLOCK):
        off = np.abs(times[low:high] - (start + (np.arange(low, high) - first) * step))
        if not float(off.max()) <= tolerance:
            return None
    return rate_of_step(step, max(resolution_s / (stop - start), 1e-12))


def rate_of_step(step_s: float, share: float) -> float:
    """Return the rate of samples a step apart, rounded within a share: as an interval or as a rate, whichever is the shorter.

    A log of every minute is one of 60 s, and not of 0.016667 Hz.
    """
    (interval, in_s), (rate, in_hz) = _rounded(step_s, share), _rounded(1.0 / step_s, share)
    return 1.0 / interval if in_s < in_hz or (in_s == in_hz and step_s > 1.0) else rate


def _rounded(value: float, share: float) -> tuple[float, int]:
    """Return the shortest number within a share of another, and how many digits it has."""
    for digits in range(1, 15):
        rounded = float(f"{value:.{digits}g}")
        if abs(rounded - value) <= value * share:
            return rounded, digits
    return value, 15


def _first_not_rising(times: AnyArray) -> int | None:
    for low, high in blocks(0, len(times) - 1, _BLOCK):
        stuck = np.flatnonzero(~(np.diff(times[low : high + 1]) > 0))
        if len(stuck):
            return low + int(stuck[0]) + 1
    return None
