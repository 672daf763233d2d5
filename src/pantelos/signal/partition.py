"""A record taken in pieces: cycles, pulses, blocks of a length. Only the edges are held, however long the record."""

import msgspec

from pantelos.signal.arrays import BoolArray, FloatArray


class Partition(msgspec.Struct, frozen=True, eq=False):
    """Stretches side by side; those that are no pieces lie between pieces that do not touch."""

    edges: FloatArray  # (n + 1,), positions in samples, rising
    whole: BoolArray  # (n,), whether the stretch from edge k to k + 1 is a piece
    piece: str  # what each piece is, such as cycle
    n_samples: int
    rate_hz: float
    placed_within: float = 0.0  # standard uncertainty of where an edge lies, samples
    first_within: float = 0.0  # the same of the first edge, where it is larger
