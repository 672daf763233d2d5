"""Spectral lines of windows that hold whole cycles and need not stand on samples.

A window is drawn on as many evenly spaced points as it spans samples, give or take a few, through the quintic B-spline of its
samples as they are. The spline of samples that are not filtered before lowers a component by a factor that only depends on its
frequency; dividing the lines by it costs nothing, filtering every sample would cost most of the time.
"""

import math
from collections.abc import Iterator
from functools import lru_cache
from itertools import pairwise

import numpy as np

from pantelos.signal.arrays import ComplexArray, FloatArray, Reader, nearest_quick_length
from pantelos.signal.coherent import STEADY, coherent_windows
from pantelos.signal.cycles import Cycles
from pantelos.signal.interpolation import QUINTIC
from pantelos.signal.validity import with_short_gaps_filled
from pantelos.signal.window import Window

_BEFORE, _AFTER = 2, 3  # samples that a point between two takes from before the one below it, and from behind
_TAPS = _BEFORE + 1 + _AFTER
_DECIMALS = 4  # of the length of a window, samples, that its response depends on


def window_lines(
    read: Reader, n_samples: int, windows: list[Window], cycles: Cycles, highest_order: int, n_lines: int | None = None
) -> Iterator[ComplexArray]:
    """Yield the rms lines of each window, shape (..., n), line k at k / n_cycles of its fundamental, line 0 the mean.

    At most `n_lines` of them, and none beyond half the sample rate. Cosine-referenced to the start of the window.
    Relative error of a component with 10 samples per period below 5e-6; a missing sample makes all of its channel missing.
    """
    spans: dict[int, _Span] = {}
    for window in windows:
        length = window.stop - window.start
        known = math.floor(length / 2) + 1
        low, high = math.floor(window.start) - _BEFORE, math.ceil(window.stop) + _AFTER
        if window.on_samples or window.change >= STEADY or low < 0 or high > n_samples:
            (x,) = coherent_windows(read, n_samples, [window], highest_order, cycles)
            lines, n = np.fft.rfft(x)[..., : min(known, n_lines or known)], x.shape[-1]
            lines *= math.sqrt(2) / n
        else:
            x, n = read(low, high), nearest_quick_length(length)
            if n not in spans:
                spans[n] = _Span(n, x.shape[:-1])
            found = spans[n].lines(x, window.start - low, length / n)
            if np.isnan(found[..., 0]).any():
                found = spans[n].lines(with_short_gaps_filled(x), window.start - low, length / n)
            found = found[..., : min(known, n_lines or known)]
            lines = found * (math.sqrt(2) / n * _undone(round(length, _DECIMALS), found.shape[-1]))
        lines[..., 0] /= math.sqrt(2)
        yield lines


def mean_squares(lines: ComplexArray) -> FloatArray:
    """Return the squares of rms lines, in their shape."""
    return np.asarray(lines.real**2 + lines.imag**2)


@lru_cache(8)
def _undone(length: float, n_lines: int) -> FloatArray:
    """Return what lines of a window so many samples long are multiplied by to undo the quintic B-spline of unfiltered samples."""
    cosine = np.cos(2 * math.pi / length * np.arange(n_lines))
    return np.asarray(120 / (64 + (52 + 4 * cosine) * cosine))


class _Span:
    """Even points of one window at a time; the room they are made in is used again."""

    def __init__(self, n: int, rows: tuple[int, ...]) -> None:
        n_rows = math.prod(rows)
        self._made, self._part = np.empty((*rows, n)), np.empty((n_rows, n))
        self._lines = np.empty((*rows, n // 2 + 1), dtype=np.complex128)
        self._even = np.arange(n, dtype=np.float64)
        self._powers, self._shares = np.ones((_TAPS, n)), np.empty((_TAPS, n))
        self._beside = np.empty((n_rows, n + _TAPS - 1))

    def lines(self, x: FloatArray, start: float, step: float) -> ComplexArray:
        """Return the transform of points `step` samples apart from `start` on, (..., n // 2 + 1); until the next call."""
        return np.asarray(np.fft.rfft(self._points(x, start, step), out=self._lines))

    def _points(self, x: FloatArray, start: float, step: float) -> FloatArray:
        """Return the spline of `x` (..., n_samples) at start, start + step, ..., in samples."""
        n, rows = self._made.shape[-1], x.reshape(-1, x.shape[-1])
        made, shares, at = self._made.reshape(-1, n), self._shares, self._powers[1]
        # A step of nearly one goes from sample to sample but for a few jumps: between these, rows are shifted as a whole.
        np.multiply(self._even, step - 1, out=at)
        at += start
        jumps, shifts = _jumps(start, step, n)
        edges = [0, *jumps, n]
        for (a, b), shift in zip(pairwise(edges), shifts, strict=True):
            at[a:b] -= shift
            reach = b - a + (_TAPS - 1 if b == n else 0)
            self._beside[:, a : a + reach] = rows[:, a + shift - _BEFORE : a + shift - _BEFORE + reach]
        for below, power in pairwise(self._powers[1:]):
            np.multiply(below, at, out=power)
        np.matmul(QUINTIC.T, self._powers, out=shares)
        np.multiply(self._beside[:, :n], shares[0], out=made)
        for tap in range(1, _TAPS):
            np.multiply(self._beside[:, tap : tap + n], shares[tap], out=self._part)
            made += self._part
        if jumps:  # points whose samples lie on both sides of one
            astride = (np.array(jumps)[:, None] - np.arange(1, _TAPS)).ravel()
            there = astride >= 0
            samples = (astride + np.repeat(shifts[:-1], _TAPS - 1))[there] - _BEFORE + np.arange(_TAPS)[:, None]
            astride = astride[there]
            made[:, astride] = (rows[:, samples] * shares[:, astride]).sum(axis=1)
        return self._made


def _jumps(start: float, step: float, n: int) -> tuple[list[int], list[int]]:
    """Return where floor(start + k step) - k changes, k below n, and what it is before, between and behind."""
    first, last = math.floor(start), math.floor(start + (n - 1) * (step - 1))
    if step > 1:
        passed = range(first + 1, last + 1)
        jumps = [min(math.ceil((shift - start) / (step - 1)), n - 1) for shift in passed]
        return jumps, [first, *passed]
    passed = range(first - 1, last - 1, -1)
    jumps = [min(math.floor((shift + 1 - start) / (step - 1)) + 1, n - 1) for shift in passed]
    return jumps, [first, *passed]
