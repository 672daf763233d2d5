"""Starts: where a channel passes a level with hysteresis, and where a gate is open; stretch after stretch of rows."""

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray


class Edge(msgspec.Struct, frozen=True):
    """What counts as an edge, in numbers of the converter."""

    column: int
    level: float
    hysteresis: float
    slope: str = "POSitive"  # NEGative, EITHer


class EdgeSeeker:
    """Finds edges in rows that come piece by piece: the other side of the hysteresis must be seen before each."""

    def __init__(self, edge: Edge) -> None:
        self._edge = edge
        self._ready = {"POSitive": False, "NEGative": False}

    def found(self, rows: AnyArray) -> list[int]:
        """Return the rows at which the channel has passed the level."""
        x = rows[:, self._edge.column]
        found = []
        for slope in ("POSitive", "NEGative"):
            if self._edge.slope in (slope, "EITHer"):
                found += self._passed(x, slope)
        return sorted(found)

    def _passed(self, x: AnyArray, slope: str) -> list[int]:
        level, room = self._edge.level, self._edge.hysteresis
        if slope == "POSitive":
            beyond, before = x >= level, x < level - room if room else x < level
        else:
            beyond, before = x <= level, x > level + room if room else x > level
        # Each sample is before (1), beyond (2) or between (0); an edge is a 2 whose last sample that is not 0 was a 1.
        state = np.where(beyond, 2, np.where(before, 1, 0))
        known = np.flatnonzero(state)
        if not len(known):
            return []
        kinds = state[known]
        last = np.concatenate([[1 if self._ready[slope] else 2], kinds[:-1]])
        self._ready[slope] = bool(kinds[-1] == 1)
        return [int(k) for k in known[(kinds == 2) & (last == 1)]]


def open_stretches(rows: AnyArray, column: int, level: float) -> list[tuple[int, int]]:
    """Return the stretches of rows in which a channel is at or above a level."""
    above = np.concatenate([[False], rows[:, column] >= level, [False]])
    edges = np.flatnonzero(above[1:] != above[:-1])
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]
