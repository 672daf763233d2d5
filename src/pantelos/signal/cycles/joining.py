"""Cycles that were found in parts of a record, put behind each other: runs that pause between, or stretches that go on."""

from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.signal.arrays import BoolArray, FloatArray
from pantelos.signal.cycles.cycles import Cycles

_MEETS = 0.1  # of a period: how far two stretches may differ on the cycle between them


class CyclesOfPart(msgspec.Struct, frozen=True, eq=False):
    """Cycles of samples from `low` on, of which those that begin between two positions of the record are taken."""

    low: int
    cycles: Cycles
    start: float
    stop: float

    @property
    def at(self) -> FloatArray:
        """All its crossings, positions in the record."""
        return np.asarray(self.cycles.crossings + self.low)

    @property
    def taken(self) -> slice:
        """Which of its crossings are taken."""
        return slice(*np.searchsorted(self.at, (self.start, self.stop)).tolist())

    @property
    def seams(self) -> FloatArray:
        """Where its waveform does not go on as before, of what is taken."""
        found = np.zeros(0) if self.cycles.seams is None else self.cycles.seams + self.low
        return np.asarray(found[(found >= self.start) & (found < self.stop)])

    @property
    def continued(self) -> BoolArray:
        """Which of its cycles were not seen."""
        unseen = self.cycles.continued
        return np.zeros(len(self.cycles.whole), dtype=bool) if unseen is None else unseen


def joined(parts: Sequence[CyclesOfPart], rate_hz: float, n_samples: int, across: bool) -> Cycles:
    """Return the cycles of all parts, one at least, each with some; `across`: a cycle may go on from one part into the next."""
    crossings, whole, unseen = list[FloatArray](), list[BoolArray](), list[BoolArray]()
    before: CyclesOfPart | None = None
    for part in parts:
        own = part.taken
        if before is not None:
            goes_on = across and _goes_on(before, part)
            whole.append(np.array([goes_on]))
            unseen.append(np.array([goes_on and bool(before.continued[before.taken.stop - 1])]))
        crossings.append(part.at[own])
        whole.append(part.cycles.whole[own.start : own.stop - 1])
        unseen.append(part.continued[own.start : own.stop - 1])
        before = part
    continued = np.concatenate(unseen)
    seams = [part.seams for part in parts if len(part.seams)]
    first = parts[0].cycles
    return Cycles(
        np.concatenate(crossings),
        np.concatenate(whole),
        rate_hz,
        n_samples,
        continued if continued.any() else None,
        by_edges=any(part.cycles.by_edges for part in parts),
        placed_within=max(part.cycles.placed_within for part in parts),
        onset_within=first.onset_within,
        seams=np.concatenate(seams) if seams else None,
    )


def _goes_on(one: CyclesOfPart, other: CyclesOfPart) -> bool:
    """Return whether a cycle runs from the last crossing of one part to the first of the other, by what both saw of it."""
    last, first = one.taken.stop - 1, other.taken.start
    if last >= len(one.cycles.whole) or first < 1 or not (one.cycles.whole[last] and other.cycles.whole[first - 1]):
        return False
    period = one.at[last + 1] - one.at[last]
    return bool(abs(other.at[first] - one.at[last + 1]) < _MEETS * period)
