"""Cycles of a waveform that was recorded in runs set one behind the other: its phase says nothing across their joints."""

import math
from collections.abc import Sequence
from itertools import pairwise

from pantelos.progress import Progress
from pantelos.signal.arrays import Reader
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.signal.cycles.cycles import Cycles, no_cycles
from pantelos.signal.cycles.joining import CyclesOfPart, joined


def cycles_of_runs(
    read: Reader, n_samples: int, rate_hz: float, joints: Sequence[int], progress: Progress | None = None
) -> Cycles:
    """Return the cycles of each run, found by itself; between two runs the reference pauses.

    Parameters
    ----------
    read : callable (start, stop) -> array (stop - start,)
    joints : samples at which another run begins, rising; none: all is one run
    """
    edges = [0, *(at for at in joints if 0 < at < n_samples), n_samples]
    if len(edges) == 2:
        return find_cycles(read, n_samples, rate_hz, progress)
    progress = progress or Progress()
    found, why = list[CyclesOfPart](), ""
    for at, (low, high) in enumerate(pairwise(edges)):
        part = progress.part(at / (len(edges) - 1), (at + 1) / (len(edges) - 1))
        one = find_cycles(lambda a, b, low=low: read(low + a, low + b), high - low, rate_hz, part)  # type: ignore[misc]
        why = why or one.why_not
        if len(one.crossings):
            found.append(CyclesOfPart(low, one, -math.inf, math.inf))
    return joined(found, rate_hz, n_samples, across=False) if found else no_cycles(rate_hz, n_samples, why)
