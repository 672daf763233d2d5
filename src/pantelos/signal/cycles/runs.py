"""Cycles of a waveform that was recorded in runs set one behind the other: its phase says nothing across their joints."""

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import Reader
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.signal.cycles.cycles import Cycles, no_cycles


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
    found: list[tuple[int, Cycles]] = []
    why = ""
    for at, (low, high) in enumerate(pairwise(edges)):
        part = progress.part(at / (len(edges) - 1), (at + 1) / (len(edges) - 1))
        one = find_cycles(lambda a, b, low=low: read(low + a, low + b), high - low, rate_hz, part)  # type: ignore[misc]
        why = why or one.why_not
        if len(one.crossings):
            found.append((low, one))
    if not found:
        return no_cycles(rate_hz, n_samples, why)
    crossings, whole, continued = [], [], []
    for at, (low, one) in enumerate(found):
        none = np.zeros(len(one.whole), dtype=bool)
        crossings.append(one.crossings + low)
        whole += [np.zeros(1 if at else 0, dtype=bool), one.whole]
        continued += [np.zeros(1 if at else 0, dtype=bool), none if one.continued is None else one.continued]
    first = found[0][1]
    seams = [one.seams + low for low, one in found if one.seams is not None]
    unseen = np.concatenate(continued)
    return Cycles(
        np.concatenate(crossings),
        np.concatenate(whole),
        rate_hz,
        n_samples,
        unseen if unseen.any() else None,
        by_edges=any(one.by_edges for _, one in found),
        placed_within=max(one.placed_within for _, one in found),
        onset_within=first.onset_within,
        seams=np.concatenate(seams) if seams else None,
    )
