"""A record taken in pieces: cycles, pulses, blocks of a length. Only the edges are held, however long the record."""

from collections.abc import Sequence
from functools import cached_property

import msgspec
import numpy as np

from pantelos.signal.arrays import BoolArray, FloatArray
from pantelos.signal.levels.level_search import Crossings


class Partition(msgspec.Struct, frozen=True, eq=False, dict=True):
    """Pieces in the order in which they begin; they may touch, leave something out between them, or overlap.

    `weights` tell how much of what is between two edges a piece has of its own: with overlap less than its length.
    """

    starts: FloatArray  # (n,), positions in samples, rising
    stops: FloatArray  # (n,), rising
    piece: str  # what each piece is, such as cycle
    n_samples: int
    rate_hz: float
    whole: BoolArray  # (n,), False for a stretch between two pieces that is none itself
    placed_within: float = 0.0  # standard uncertainty of where an edge lies, samples
    first_within: float = 0.0  # the same of the first edge, where it is larger
    n_cycles: int = 0  # whole cycles of the reference that every piece holds; 0 where that is not told
    cut_by: Crossings | None = None  # the crossings that they run between, where they are those of pulses
    cut_of: str = ""  # the channel of these

    def __len__(self) -> int:
        return len(self.starts)

    @cached_property
    def lengths(self) -> FloatArray:
        """How long each piece is, (n,), samples."""
        return self.stops - self.starts

    @cached_property
    def until(self) -> FloatArray:
        """How far the value of each piece is held, (n,): to its end, or to where the next one begins."""
        return np.minimum(self.stops, np.append(self.starts[1:], np.inf)) if len(self.starts) else self.stops

    @cached_property
    def on_samples(self) -> bool:
        """Whether all pieces begin and end on samples: then a sample stands for a sample period."""
        return all(bool(np.all(np.abs(at - np.round(at)) < 1e-6)) for at in (self.starts, self.stops))

    def same_as(self, other: "Partition") -> bool:
        """Return whether the pieces of another partition lie where these do."""
        return np.array_equal(self.starts, other.starts) and np.array_equal(self.stops, other.stops)

    def said(self) -> tuple[str, ...]:
        """Return what is left out at either end of the record, in words; nothing where that is less than a sample."""
        if not len(self.starts):
            return ()
        before, after = float(self.starts[0]), self.n_samples - 1 - float(self.stops[-1])
        parts = [f"{1e3 * n / self.rate_hz:.6g} ms at its {end}" for n, end in ((before, "start"), (after, "end")) if n >= 1.5]
        return (f"of the record, {' and '.join(parts)} lie in no whole {self.piece} and are left out",) if parts else ()


def from_edges(
    edges: FloatArray | Sequence[float],
    piece: str,
    n_samples: int,
    rate_hz: float,
    whole: BoolArray | None = None,
    placed_within: float = 0.0,
    first_within: float = 0.0,
    n_cycles: int = 0,
) -> Partition:
    """Return pieces side by side, from edge to edge (n + 1,), samples; `whole` tells which of them are pieces, all for None."""
    at = np.asarray(edges, dtype=np.float64)
    n = max(len(at) - 1, 0)
    kept = np.ones(n, dtype=bool) if whole is None else whole
    within = placed_within, max(first_within, placed_within)
    return Partition(at[:-1], at[1:], piece, n_samples, rate_hz, kept, *within, n_cycles)
