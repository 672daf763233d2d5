"""The array types that the kernels speak of."""

from collections.abc import Callable
from typing import Any, Protocol, TypeAlias

import numpy as np

FloatArray: TypeAlias = np.ndarray[Any, np.dtype[np.float64]]
ComplexArray: TypeAlias = np.ndarray[Any, np.dtype[np.complex128]]
BoolArray: TypeAlias = np.ndarray[Any, np.dtype[np.bool_]]
AnyArray: TypeAlias = np.ndarray[Any, np.dtype[Any]]
# Samples start to stop of something that may be far larger than memory; shape (..., stop - start).
Reader: TypeAlias = Callable[[int, int], FloatArray]


class Numbers(Protocol):
    """A row of numbers in their own type, in memory or in a file: all that is asked of it is a stretch."""

    @property
    def dtype(self) -> "np.dtype[Any]":
        """The type of the numbers."""

    def __len__(self) -> int: ...

    def __getitem__(self, rows: slice, /) -> AnyArray: ...


# Samples handled at a time: small enough for the processor's cache, large enough to hide Python's cost.
BLOCK = 1 << 16


def quick_length(n: int) -> int:
    """Return a length of at least `n`, by less than two percent, that transforms fast: 64 to 127 times a power of two."""
    step = 1 << max(n.bit_length() - 7, 0)
    return -(-n // step) * step
