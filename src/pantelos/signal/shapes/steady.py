"""Stretches in which a quantity keeps its value within a band, judged over the stretch, with the noise of the record in mind.

A quantity is looked at as means of neighbouring blocks. A stretch is steady where the means of its blocks lie within the band
about their own mean; what noise adds to the means of blocks widens the band, at most to its double, so that noise alone breaks no
stretch and makes none (about zero nothing is steady within a share of it). A drift through the whole stretch that is larger than
the band breaks it. Nothing shorter than a block is seen.
"""

import math
from collections import deque
from collections.abc import Sequence

import numpy as np

from pantelos.signal.arrays import FloatArray

_NOISE_WIDENS = 3.0  # standard deviations of a mean of a block
_MEDIAN_OF_NORMAL = 0.6745  # median of the size of a normal variable, in standard deviations


def noise_of(means: FloatArray) -> float:
    """Return the standard deviation that noise gives means of blocks (n,), by their second differences; missing ones left out."""
    second = np.diff(means, 2)
    second = second[np.isfinite(second)]
    return float(np.median(np.abs(second))) / (_MEDIAN_OF_NORMAL * math.sqrt(6)) if len(second) else 0.0


def noise_widens(means: FloatArray) -> float:
    """Return by how much noise widens the band either side, in the unit of the means of blocks (n,)."""
    return _NOISE_WIDENS * noise_of(means)


def steady_stretches(rows: Sequence[FloatArray], band: float, fewest: int) -> list[tuple[int, int]]:
    """Return stretches [first, end) of blocks in which every row keeps its value, longest ones that do not reach into each other.

    Parameters
    ----------
    rows : means of blocks, (n,) each, NaN where a block has no value
    band : how far a value may lie from that of its stretch, as a share of it
    fewest : blocks that a stretch has at least
    """
    noises = [noise_widens(row) for row in rows]
    ends = np.min([_reach(row, band, noise) for row, noise in zip(rows, noises, strict=True)], axis=0)
    lengths = ends - np.arange(len(ends))
    found: list[tuple[int, int]] = []
    taken = np.zeros(len(ends), dtype=bool)
    for first in np.argsort(-lengths, kind="stable"):
        if lengths[first] < fewest:
            break
        end = int(ends[first])
        if taken[first] or taken[end - 1]:
            continue
        taken[first:end] = True
        found.append((int(first), end))
    return found


def _reach(row: FloatArray, band: float, noise: float) -> np.ndarray:
    """Return how far a stretch that begins at each block goes, its largest and smallest mean within the band: ends (n,)."""
    n = len(row)
    ends = np.zeros(n, dtype=np.int64)
    high, low = deque[int](), deque[int]()
    end = 0
    for first in range(n):
        end = max(end, first)
        while end < n and math.isfinite(row[end]):
            top = row[high[0]] if high and row[high[0]] > row[end] else row[end]
            bottom = row[low[0]] if low and row[low[0]] < row[end] else row[end]
            allowed = band * abs(0.5 * (top + bottom))
            if not allowed > 0 or top - bottom > 2 * (allowed + min(noise, allowed)):
                break
            while high and row[high[-1]] <= row[end]:
                high.pop()
            while low and row[low[-1]] >= row[end]:
                low.pop()
            high.append(end)
            low.append(end)
            end += 1
        ends[first] = end
        for queue in (high, low):
            if queue and queue[0] == first:
                queue.popleft()
    return ends
