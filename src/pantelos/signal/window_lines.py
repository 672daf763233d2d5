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
from itertools import pairwise
from typing import NamedTuple

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray, ComplexArray, FloatArray, Reader, nearest_quick_length
from pantelos.signal.coherent import STEADY, coherent_windows
from pantelos.signal.cycles import Cycles
from pantelos.signal.interpolation import QUINTIC
from pantelos.signal.validity import with_short_gaps_filled
from pantelos.signal.window import ON_SAMPLES, Window

_BEFORE, _AFTER = 2, 3  # samples that a point between two takes from before the one below it, and from behind
_TAPS = _BEFORE + 1 + _AFTER
_AT_ONCE = 1 << 18  # points of all channels
_BESIDE = 1.0  # samples between windows that are neighbours
_EVERY = 16
_PART = 4096  # points whose shares are found at a time: a product of matrices this small takes no threads of its own
_SINGLE = np.float32
_SPLINE = np.ascontiguousarray(QUINTIC.T, dtype=_SINGLE)


class RmsLines(msgspec.Struct, frozen=True, eq=False):
    """Lines of windows that are neighbours and alike, rms: line k at k / n_cycles of the fundamental, line 0 the mean.

    Cosine-referenced to the start of their window.
    """

    transforms: AnyArray  # (n_windows, ..., n), complex
    factors: FloatArray  # (n_windows or 1, n), what they are multiplied by
    mean: FloatArray  # (...), taken away before

    def __len__(self) -> int:
        return len(self.transforms)

    def every(self, step: int) -> ComplexArray:
        """Return each `step`-th of them from line 0 on, shape (n_windows, ..., n)."""
        found = self.transforms[..., ::step] * self._by_window(self.factors[:, ::step])
        found[..., 0] += self.mean
        return np.asarray(found)

    def mean_squares(self) -> AnyArray:
        """Return their squares, shape (n_windows, ..., n), in the precision they are known to."""
        parts = np.square(self.transforms.view(self.transforms.real.dtype))
        squares = parts[..., ::2] + parts[..., 1::2]
        squares *= self._by_window(np.square(self.factors).astype(squares.dtype))
        squares[..., 0] = np.square(self.every(self.transforms.shape[-1])[..., 0].real)
        return np.asarray(squares)

    def _by_window(self, values: AnyArray) -> AnyArray:
        return values.reshape(len(values), *(1 for _ in self.mean.shape), -1)


def window_lines(
    read: Reader, n_samples: int, windows: list[Window], cycles: Cycles, highest_order: int, n_lines: int | None = None
) -> Iterator[RmsLines]:
    """Yield the lines of windows, of each one at most `n_lines` and none beyond half the sample rate, until all are done.

    Relative error of a component with 10 samples per period below 5e-6; a missing sample makes all of its channel missing.
    """
    rows = read(0, 0).shape[:-1]
    nothing = np.zeros(rows)
    spans: dict[int, _Span] = {}
    for kind, some in _together(windows, _kinds(windows, n_samples, n_lines), math.prod(rows)):
        if not kind.points:
            (x,) = coherent_windows(read, n_samples, some, highest_order, cycles)
            yield RmsLines(np.fft.rfft(x)[None, ..., : kind.n_lines], _scales(x.shape[-1], kind.n_lines), nothing)
        elif not kind.drawn:
            x = with_short_gaps_filled(read(round(some[0].start), round(some[-1].stop)))
            found = np.fft.rfft(x.reshape(*rows, len(some), kind.points))[..., : kind.n_lines]
            yield RmsLines(np.moveaxis(found, -2, 0), _scales(kind.points, kind.n_lines), nothing)
        else:
            n, low = kind.points, math.floor(some[0].start) - _BEFORE
            x = read(low, math.ceil(some[-1].stop) + _AFTER)
            if n not in spans:
                spans[n] = _Span(n, rows, _count(n, math.prod(rows)))
            starts = np.array([one.start - low for one in some])
            lengths = np.array([one.stop - one.start for one in some])
            found, mean = spans[n].lines(x, starts, lengths / n, kind.n_lines)
            if np.isnan(found[..., 0].real).any():
                found, mean = spans[n].lines(with_short_gaps_filled(x), starts, lengths / n, kind.n_lines)
            yield RmsLines(found, _scales(n, kind.n_lines) * _undone(lengths, kind.n_lines), mean)


class _Kind(NamedTuple):
    """What windows share whose lines are found together."""

    points: int  # that they are transformed of; 0: each by itself
    drawn: bool  # through the spline; else they are their samples
    n_lines: int  # that are given of them
    n_cycles: int


def _kinds(windows: Sequence[Window], n_samples: int, n_lines: int | None) -> list[_Kind]:
    starts, stops, changes = (np.array([getattr(one, name) for one in windows]) for name in ("start", "stop", "change"))
    lengths, steady = stops - starts, changes < STEADY
    on_samples = (np.abs(starts - np.rint(starts)) < ON_SAMPLES) & (np.abs(stops - np.rint(stops)) < ON_SAMPLES)
    drawn = steady & ~on_samples & (np.floor(starts) >= _BEFORE) & (np.ceil(stops) + _AFTER <= n_samples)
    whole = np.rint(lengths).astype(np.intp)
    quick = {n: nearest_quick_length(n) for n in np.unique(whole[drawn]).tolist()}
    found = []
    told = zip(lengths.tolist(), whole.tolist(), drawn.tolist(), (steady & on_samples).tolist(), windows, strict=True)
    for length, n, through, served, window in told:
        points = quick[n] if through else n if served else 0
        held = math.floor(min(length, points or length) / 2) + 1
        found.append(_Kind(points, through, min(held, n_lines or held), window.n_cycles))
    return found


def _count(points: int, n_rows: int) -> int:
    """Return how many windows of so many points go together."""
    return max(_AT_ONCE // (points * max(n_rows, 1)), 1)


def _together(windows: Sequence[Window], kinds: Sequence[_Kind], n_rows: int) -> Iterator[tuple[_Kind, Sequence[Window]]]:
    """Yield windows that are alike and follow each other; those that have a way of their own by themselves."""
    first = 0
    for at in range(1, len(kinds)):
        kind = kinds[first]
        follows = kinds[at] == kind and kind.points and abs(windows[at].start - windows[at - 1].stop) < _BESIDE
        if not follows or at - first == _count(kind.points, n_rows):
            yield kind, windows[first:at]
            first = at
    if windows:
        yield kinds[first], windows[first:]


def _scales(n: int, n_lines: int) -> FloatArray:
    """Return what turns the transform of n points into rms lines, line 0 into the mean, (1, n_lines)."""
    scales = np.full((1, n_lines), math.sqrt(2) / n)
    scales[0, 0] = 1 / n
    return scales


def _undone(lengths: FloatArray, n_lines: int) -> AnyArray:
    """Return what lines of windows so many samples long are multiplied by to undo the quintic B-spline of unfiltered samples."""
    cosine = np.cos((2 * math.pi / lengths[:, None] * np.arange(n_lines)).astype(_SINGLE))
    return np.asarray(120 / (64 + (52 + 4 * cosine) * cosine))


class _Span:
    """Even points of neighbouring windows; the room they are made in is used again."""

    def __init__(self, n: int, rows: tuple[int, ...], n_windows: int) -> None:
        self._n, self._rows = n, rows
        n_rows, room = math.prod(rows), n * n_windows
        self._even, self._places, self._below = np.arange(n, dtype=np.float64), np.empty(room), np.empty(room, np.int64)
        self._beside, self._made, self._part = (np.empty((n_rows, room), _SINGLE) for _ in range(3))
        self._powers, self._shares = np.ones((_TAPS, room), _SINGLE), np.empty((_TAPS, room), _SINGLE)

    def lines(self, x: FloatArray, starts: FloatArray, steps: FloatArray, n_lines: int) -> tuple[AnyArray, FloatArray]:
        """Return the transforms of what differs from a mean, of n points from each of `starts` on, and the mean.

        Points are `steps` samples apart.

        Shapes (n_windows, ..., n_lines) and (...).
        """
        from scipy.fft import rfft  # here, for the sake of a quick start; several rows at once, and single precision

        some = x[..., ::_EVERY]
        mean = some.mean(axis=-1, keepdims=True)
        if np.isnan(mean).any():  # a missing sample takes its own window away, not its neighbours
            known = ~np.isnan(some)
            mean = np.where(known, some, 0.0).sum(axis=-1, keepdims=True) / np.maximum(known.sum(axis=-1, keepdims=True), 1)
        made = self._differences((x - mean).astype(_SINGLE).reshape(-1, x.shape[-1]), starts, steps)
        found = rfft(made.reshape(*self._rows, len(starts), self._n))[..., :n_lines]
        return np.moveaxis(found, -2, 0), mean[..., 0]

    def _differences(self, x: AnyArray, starts: FloatArray, steps: FloatArray) -> AnyArray:
        """Return the spline of `x` (n_rows, n_samples) there, (n_rows, n_windows * n)."""
        n = self._n
        count = len(starts) * n
        made, part, beside = (room[:, :count] for room in (self._made, self._part, self._beside))
        shares, places, below = self._shares[:, :count], self._places[:count], self._below[:count]
        by_window = places.reshape(len(starts), n)
        np.multiply(self._even, steps[:, None], out=by_window)
        by_window += starts[:, None]
        below[:] = places
        powers = self._powers[:, :count]
        np.subtract(places, below, out=powers[1], casting="same_kind")
        for lower, power in pairwise(powers[1:]):
            np.multiply(lower, powers[1], out=power)
        for low in range(0, count, _PART):
            np.matmul(_SPLINE, powers[:, low : low + _PART], out=shares[:, low : low + _PART])
        below -= _BEFORE
        np.take(x, below, axis=1, out=beside, mode="clip")
        # A step of nearly one goes from sample to sample but for a few jumps: the next point begins one sample further.
        np.multiply(beside, shares[0], out=made)
        for tap in range(1, _TAPS):
            np.multiply(beside[:, tap:], shares[tap, : count - tap], out=part[:, : count - tap])
            made[:, : count - tap] += part[:, : count - tap]
        ahead = np.flatnonzero(below[1:] - below[:-1] != 1) + 1
        astride = np.append((ahead[:, None] - np.arange(1, _TAPS)).ravel(), np.arange(count - _TAPS + 1, count))
        astride = astride[astride >= 0]
        made[:, astride] = (x[:, below[astride] + np.arange(_TAPS)[:, None]] * shares[:, astride]).sum(axis=1)
        return made
