"""The array types that the kernels speak of."""

from collections.abc import Callable
from functools import cache
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


def smooth_length(n: int) -> int:
    """Return the smallest length of at least `n` without prime factors above five: it transforms fastest."""
    best = 1 << max(n - 1, 1).bit_length()
    fives = 1
    while fives < best:
        threes = fives
        while threes < best:
            best = min(best, threes << max((-(-n // threes) - 1).bit_length(), 0))
            threes *= 3
        fives *= 5
    return best


def nearest_quick_length(length: float) -> int:
    """Return the even length nearest to `length` without prime factors above five that transforms fastest.

    High powers of two are left out: their steps fall on the same lines of the processor's cache.
    """
    lower = upper = max(round(length / 2), 1) * 2
    while not _quick(lower) and not _quick(upper):
        lower, upper = max(lower - 2, 2), upper + 2
    return min((n for n in (lower, upper) if _quick(n)), key=lambda n: abs(n - length))


@cache
def _quick(n: int) -> bool:
    if n % 512 == 0:
        return False
    for prime in (2, 3, 5):
        while n % prime == 0:
            n //= prime
    return n == 1


# NumPy's own medians and percentiles load its masked arrays, a tenth of the start of a command; these give the same.


def median(x: FloatArray) -> float:
    """Return the middle value of `x` (n,), one at least and none missing; of an even number the mean of the two in the middle."""
    return float(medians(x.reshape(1, -1))[0])


def medians(x: FloatArray) -> FloatArray:
    """Return the median of each row of `x` (n_rows, n), none missing, shape (n_rows,)."""
    middle = x.shape[1] // 2
    places = [middle] if x.shape[1] % 2 else [middle - 1, middle]
    return np.asarray(np.partition(x, places, axis=1)[:, places].mean(axis=1))


def percentiles(x: FloatArray, *shares: float) -> list[float]:
    """Return percentiles of `x` (any shape, one value at least, none missing): linear between the values beside."""
    places = [(x.size - 1) * (share / 100) for share in shares]
    ordered = np.partition(x, sorted({int(place) + k for place in places for k in (0, 1) if int(place) + k < x.size}), axis=None)
    found = []
    for place in places:
        low, high = float(ordered[int(place)]), float(ordered[min(int(place) + 1, x.size - 1)])
        t = place - int(place)
        found.append(low + (high - low) * t if t < 0.5 else high - (high - low) * (1 - t))
    return found
