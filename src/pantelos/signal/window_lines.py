"""Spectral lines of windows that hold whole cycles and need not stand on samples.

A window is drawn on as many evenly spaced points as it spans samples, give or take a few, through the quintic B-spline of its
samples as they are. The spline of samples that are not filtered before lowers a component by a factor that only depends on its
frequency; dividing the lines by it costs nothing, filtering every sample would cost most of the time. Neighbouring windows go
through it together: two threads are only quicker than one while each step of NumPy has much to do.

The points are made and transformed in single precision, of what samples differ from their mean: that takes half the time. Its
rounding is within 3e-7 of a component, and within 3e-8 of the largest difference on any other line.
"""

import math
from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import pairwise

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray, ComplexArray, FloatArray, Reader, nearest_quick_length
from pantelos.signal.coherent import STEADY, coherent_windows
from pantelos.signal.cycles import Cycles
from pantelos.signal.interpolation import QUINTIC
from pantelos.signal.validity import with_short_gaps_filled
from pantelos.signal.window import Window

_BEFORE, _AFTER = 2, 3  # samples that a point between two takes from before the one below it, and from behind
_TAPS = _BEFORE + 1 + _AFTER
_DECIMALS = 4  # of the length of a window, samples, that its response depends on
_AT_ONCE = 1 << 17  # points of all channels
_BESIDE = 1.0  # samples between windows that are neighbours
_EVERY = 16
_PART = 4096  # points whose shares are found at a time: a product of matrices this small takes no threads of its own
_SINGLE = np.float32
_SPLINE = np.ascontiguousarray(QUINTIC.T, dtype=_SINGLE)


def window_lines(
    read: Reader, n_samples: int, windows: list[Window], cycles: Cycles, highest_order: int, n_lines: int | None = None
) -> Iterator[ComplexArray]:
    """Yield the rms lines of windows that are neighbours and alike, shape (n_windows, ..., n), until all windows are done.

    Line k lies at k / n_cycles of the fundamental of its window, line 0 is the mean; at most `n_lines` of them, and none beyond
    half the sample rate. Cosine-referenced to the start of the window. Relative error of a component with 10 samples per period
    below 5e-6; a missing sample makes all of its channel missing.
    """
    rows = read(0, 0).shape[:-1]
    spans: dict[int, _Span] = {}
    for kind, some in _together(windows, n_samples, math.prod(rows)):
        kept = min(kind.n_lines, n_lines or kind.n_lines)
        if not kind.points:
            (x,) = coherent_windows(read, n_samples, some, highest_order, cycles)
            lines = np.fft.rfft(x)[None, ..., :kept]
            lines *= _scales(x.shape[-1], lines.shape[-1])
        elif not kind.drawn:
            x = with_short_gaps_filled(read(round(some[0].start), round(some[-1].stop)))
            lines = np.moveaxis(np.fft.rfft(x.reshape(*rows, len(some), kind.points))[..., :kept], -2, 0)
            lines *= _scales(kind.points, kept)
        else:
            n, low = kind.points, _first(some[0])
            x = read(low, _last(some[-1]))
            if n not in spans:
                spans[n] = _Span(n, rows, _count(n, math.prod(rows)))
            starts = np.array([one.start - low for one in some])
            steps = np.array([one.stop - one.start for one in some]) / n
            factors = np.stack([_undone(round(one.stop - one.start, _DECIMALS), kept) for one in some]) * _scales(n, kept)
            lines = spans[n].lines(x, starts, steps, factors)
            if np.isnan(lines[..., 0]).any():
                lines = spans[n].lines(with_short_gaps_filled(x), starts, steps, factors)
        yield lines


def mean_squares(lines: ComplexArray) -> FloatArray:
    """Return the squares of rms lines, in their shape."""
    return np.asarray(lines.real**2 + lines.imag**2)


class _Kind(msgspec.Struct, frozen=True):
    """What windows share whose lines are found together."""

    points: int  # that they are transformed of; 0: each by itself
    drawn: bool  # through the spline; else they are their samples
    n_lines: int  # that their samples tell
    n_cycles: int


def _kind(window: Window, n_samples: int) -> _Kind:
    length, steady = window.stop - window.start, window.change < STEADY
    drawn = steady and not window.on_samples and _first(window) >= 0 and _last(window) <= n_samples
    points = nearest_quick_length(length) if drawn else round(length) if steady and window.on_samples else 0
    return _Kind(points, drawn, math.floor(min(length, points or length) / 2) + 1, window.n_cycles)


def _first(window: Window) -> int:
    return math.floor(window.start) - _BEFORE


def _last(window: Window) -> int:
    return math.ceil(window.stop) + _AFTER


def _count(points: int, n_rows: int) -> int:
    """Return how many windows of so many points go together."""
    return max(_AT_ONCE // (points * max(n_rows, 1)), 1)


def _together(windows: Sequence[Window], n_samples: int, n_rows: int) -> Iterator[tuple[_Kind, list[Window]]]:
    """Yield windows that are alike and follow each other; those that have a way of their own by themselves."""
    some: list[Window] = []
    kind = None
    for window in windows:
        own = _kind(window, n_samples)
        follows = own == kind and own.points and abs(window.start - some[-1].stop) < _BESIDE
        if kind and not (follows and len(some) < _count(own.points, n_rows)):
            yield kind, some
            some = []
        kind = own
        some.append(window)
    if kind:
        yield kind, some


def _scales(n: int, n_lines: int) -> FloatArray:
    """Return what turns the transform of n points into rms lines, line 0 into the mean."""
    scales = np.full(n_lines, math.sqrt(2) / n)
    scales[0] = 1 / n
    return scales


@lru_cache(64)
def _undone(length: float, n_lines: int) -> FloatArray:
    """Return what lines of a window so many samples long are multiplied by to undo the quintic B-spline of unfiltered samples."""
    cosine = np.cos(2 * math.pi / length * np.arange(n_lines))
    return np.asarray(120 / (64 + (52 + 4 * cosine) * cosine))


class _Span:
    """Even points of neighbouring windows; the room they are made in is used again."""

    def __init__(self, n: int, rows: tuple[int, ...], n_windows: int) -> None:
        self._n, self._rows = n, rows
        n_rows, room = math.prod(rows), n * n_windows
        self._made, self._part = np.empty(n_rows * room, _SINGLE), np.empty(n_rows * room, _SINGLE)
        self._even, self._at = np.arange(n, dtype=np.float64), np.empty(room)
        self._powers, self._shares = np.ones((_TAPS, _PART), _SINGLE), np.empty(_TAPS * room, _SINGLE)
        self._beside = np.empty((n_rows, room + _TAPS - 1), _SINGLE)

    def lines(self, x: FloatArray, starts: FloatArray, steps: FloatArray, factors: FloatArray) -> ComplexArray:
        """Return the transforms of n points from each of `starts` on, `steps` samples apart, multiplied by `factors`.

        Shape (n_windows, ..., n_lines); `factors` (n_windows, n_lines), line 0 is to become the mean.
        """
        from scipy.fft import rfft  # here, for the sake of a quick start; several rows at once, and single precision

        n_windows, n_lines = factors.shape
        some = x[..., ::_EVERY]
        mean = some.mean(axis=-1, keepdims=True)
        if np.isnan(mean).any():  # a missing sample takes its own window away, not its neighbours
            known = ~np.isnan(some)
            mean = np.where(known, some, 0.0).sum(axis=-1, keepdims=True) / np.maximum(known.sum(axis=-1, keepdims=True), 1)
        made = self._differences((x - mean).reshape(-1, x.shape[-1]), starts, steps)
        found = np.moveaxis(rfft(made.reshape(*self._rows, n_windows, self._n))[..., :n_lines], -2, 0)
        lines = found * factors.reshape(n_windows, *(1 for _ in self._rows), n_lines)
        lines[..., 0] += mean[..., 0]
        return np.asarray(lines)

    def _differences(self, x: AnyArray, starts: FloatArray, steps: FloatArray) -> AnyArray:
        """Return the spline of `x` (n_rows, n_samples) there, (n_rows, n_windows * n)."""
        n = self._n
        count = len(starts) * n
        made, part = (room[: len(x) * count].reshape(len(x), count) for room in (self._made, self._part))
        shares = self._shares[: _TAPS * count].reshape(_TAPS, count)
        at = self._at[:count]
        # A step of nearly one goes from sample to sample but for a few jumps: between these, rows are shifted as a whole.
        ahead = starts - n * np.arange(len(starts))
        by_window = at.reshape(len(starts), n)
        np.multiply(self._even, (steps - 1)[:, None], out=by_window)
        by_window += ahead[:, None]
        jumps, shifts = _jumps(ahead, steps - 1, n)
        for (a, b), shift in zip(pairwise([*jumps, count]), shifts, strict=True):
            at[a:b] -= shift
            first, reach = a + shift - _BEFORE, b - a + (_TAPS - 1 if b == count else 0)
            self._beside[:, a : a + reach] = x[:, first : first + reach]
        for low in range(0, count, _PART):
            t = at[low : low + _PART]
            powers = self._powers[:, : len(t)]
            powers[1] = t
            for below, power in pairwise(powers[1:]):
                np.multiply(below, powers[1], out=power)
            np.matmul(_SPLINE, powers, out=shares[:, low : low + _PART])
        np.multiply(self._beside[:, :count], shares[0], out=made)
        for tap in range(1, _TAPS):
            np.multiply(self._beside[:, tap : tap + count], shares[tap], out=part)
            made += part
        # Points whose samples lie on both sides of a jump.
        starting = np.array(jumps)
        astride = (starting[1:, None] - np.arange(1, _TAPS)).ravel()
        astride = astride[astride >= 0]
        shift_there = np.array(shifts)[np.searchsorted(starting, astride, "right") - 1]
        samples = astride + shift_there - _BEFORE + np.arange(_TAPS)[:, None]
        made[:, astride] = (x[:, samples] * shares[:, astride]).sum(axis=1)
        return made


def _jumps(ahead: FloatArray, drifts: FloatArray, n: int) -> tuple[list[int], list[int]]:
    """Return where floor(ahead + k drift) changes, k from 0 to n - 1 in every window, and what it is from there on.

    The first stands at 0; points are counted through all windows.
    """
    firsts = np.floor(ahead).astype(np.intp)
    lasts = np.floor(ahead + (n - 1) * drifts).astype(np.intp)
    jumps, shifts = list[int](), list[int]()
    windows = zip(firsts.tolist(), lasts.tolist(), ahead.tolist(), drifts.tolist(), strict=True)
    for begun, (first, last, start, drift) in enumerate(windows):
        if not shifts or shifts[-1] != first:
            jumps.append(begun * n)
            shifts.append(first)
        for shift in range(first + 1, last + 1):
            jumps.append(begun * n + min(math.ceil((shift - start) / drift), n - 1))
            shifts.append(shift)
        for shift in range(first - 1, last - 1, -1):
            jumps.append(begun * n + min(math.floor((shift + 1 - start) / drift) + 1, n - 1))
            shifts.append(shift)
    return jumps, shifts
