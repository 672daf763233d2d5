"""Windows of so many cycles, one after the other, resolved into orders, groups of lines, and bands from 2 to 9 kHz.

Source: IEC 61000-4-7 clause 5 and Annex B; smoothing after its clause 5.5.
"""

import math
from collections.abc import Iterable, Iterator
from itertools import groupby, pairwise

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import ComplexArray, FloatArray, Reader
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import Window
from pantelos.signal.harmonics.groups import Groups, grouped
from pantelos.signal.harmonics.window_lines import window_lines
from pantelos.signal.sharing import both
from pantelos.signal.sums.integrals import summed_between

BAND_CENTRES_HZ = np.arange(2100.0, 9000.0, 200.0)
_BAND_BELOW, _BAND_ABOVE = 100.0, 100.0  # of a centre: lines above the lower and up to the upper edge
_HIGHEST_HZ = float(BAND_CENTRES_HZ[-1]) + _BAND_ABOVE
_BAND_REACH = 0.4  # of the sample rate
_REACHED = 0.45
_AT_ONCE = 16  # windows at least
FEWEST_CYCLES = 4  # of a window that leave lines between its orders
_SMOOTHED = 8.012  # windows of 200 ms in a first order of 1.5 s


class HarmonicWindows(msgspec.Struct, frozen=True, eq=False):
    """What each window of each channel holds, rms in the unit of the channel; orders the rate does not reach are NaN."""

    phasors: ComplexArray  # (n_windows, n_channels, highest + 1), cosine-referenced to the start of the window; column 0 the mean
    groups: Groups  # (n_windows, n_channels, highest + 1) each
    bands: FloatArray  # (n_windows, n_channels, 35), 2 to 9 kHz
    starts: FloatArray  # (n_windows,), samples
    stops: FloatArray
    n_cycles: int

    @property
    def highest(self) -> int:
        """The highest order held."""
        return int(self.phasors.shape[-1]) - 1

    def sizes(self, of: str) -> FloatArray:
        """Return the rms of "component"s, or of "harmonic", "subgroup", "interharmonic" or "centred" groups, as `phasors`."""
        return np.abs(self.phasors) if of == "component" else np.asarray(getattr(self.groups, of))

    def turned(self, reference: int) -> ComplexArray:
        """Return the phasors against the fundamental of a channel: X_h exp(-j h arg U_1), sine-referenced, shape as `phasors`."""
        order = np.arange(self.highest + 1)
        start = np.angle(self.phasors[:, reference, 1])[:, None, None]
        return np.asarray(self.phasors * np.exp(-1j * order * start) * np.exp(0.5j * math.pi * (1 - order)))


def harmonic_windows(
    read: Reader,
    n_samples: int,
    windows: list[Window],
    cycles: Cycles,
    highest_order: int,
    progress: Progress | None = None,
    with_bands: bool = True,
) -> HarmonicWindows:
    """Return orders, groups and bands of several channels in windows that hold as many cycles each, at least four.

    Bands that are not wanted are NaN.

    Parameters
    ----------
    read : callable (start, stop) -> array (n_channels, stop - start)
    """
    progress = progress or Progress()
    n_channels, n_cycles = len(read(0, 0)), windows[0].n_cycles
    phasors = np.full((len(windows), n_channels, highest_order + 1), np.nan + 0j)
    groups = Groups(*(np.full(phasors.shape, np.nan) for _ in range(4)))
    bands = np.full((len(windows), n_channels, len(BAND_CENTRES_HZ)), np.nan)

    starts, stops = (np.array([getattr(w, name) for w in windows]) for name in ("start", "stop"))
    layouts = _layouts(stops - starts, n_cycles, cycles.rate_hz, highest_order)

    def put(at: slice, squares: FloatArray, layout: _Layout) -> None:
        made = grouped(squares, n_cycles, layout.reached)
        for name in Groups.__struct_fields__:
            getattr(groups, name)[at, :, : layout.reached + 1] = getattr(made, name)
        if with_bands:
            bands[at] = layout.bands_of(squares)

    def fill(first: int, last: int, said: Progress) -> None:
        some = windows[first:last]
        longest = max((w.stop - w.start for w in some), default=0.0)
        banded = min(_HIGHEST_HZ, _BAND_REACH * cycles.rate_hz) if with_bands else 0.0
        wanted = max(n_cycles * (highest_order + 1), math.ceil(banded * longest / cycles.rate_hz)) + 2

        def found() -> Iterator[tuple[_Layout, FloatArray]]:
            at = first
            for lines in window_lines(read, n_samples, some, cycles, highest_order + 1, wanted):
                held = lines.every(n_cycles)[..., : highest_order + 1]
                phasors[at : at + len(lines), :, : held.shape[-1]] = held
                squares = lines.mean_squares()
                while len(squares):
                    until, layout = next(run for run in layouts if run[0] > at)
                    alike = squares[: until - at]
                    yield layout, alike
                    at, squares = at + len(alike), squares[until - at :]

        done = first
        for (layout, _), alike in groupby(found(), key=lambda one: (one[0], one[1].shape[-1])):
            for squares in _joined(squares for _, squares in alike):
                put(slice(done, done + len(squares)), squares, layout)
                done += len(squares)
                said.at((done - first) / (last - first))

    middle = (len(windows) + 1) // 2
    both(lambda: fill(0, middle, progress), lambda: fill(middle, len(windows), progress.quiet()))
    return HarmonicWindows(phasors, groups, bands, starts, stops, n_cycles)


class _Layout(msgspec.Struct, frozen=True):
    """Where orders and bands stand among the lines of a window."""

    reached: int  # the highest order
    low: tuple[int, ...]  # first line of each band
    high: tuple[int, ...]  # last line of each band; below the first where the rate does not reach

    def bands_of(self, squares: FloatArray) -> FloatArray:
        """Return the rms of bands of 200 Hz, (..., 35), of mean squares of lines (..., n_lines); NaN above 0.4 of the rate."""
        low, high = np.array(self.low), np.array(self.high)
        found, reached = np.full((*squares.shape[:-1], len(low)), np.nan), high >= low
        found[..., reached] = np.sqrt(summed_between(squares, low[reached], high[reached]))
        return found


def _layouts(lengths: FloatArray, n_cycles: int, rate_hz: float, highest_order: int) -> list[tuple[int, _Layout]]:
    """Return the layouts of windows so many samples long, each with the window that another one begins with."""
    seconds = (lengths / rate_hz)[:, None]
    low = np.floor((BAND_CENTRES_HZ - _BAND_BELOW) * seconds + 1e-6).astype(np.intp) + 1
    high = np.floor((BAND_CENTRES_HZ + _BAND_ABOVE) * seconds + 1e-6).astype(np.intp)
    high[:, BAND_CENTRES_HZ + _BAND_ABOVE > _BAND_REACH * rate_hz] = -1
    reached = np.minimum(highest_order, _REACHED * lengths / n_cycles).astype(np.intp)
    told = np.column_stack([reached, low, high])
    changes = np.flatnonzero((told[1:] != told[:-1]).any(axis=1)) + 1
    return [
        (b, _Layout(int(reached[a]), tuple(low[a].tolist()), tuple(high[a].tolist())))
        for a, b in pairwise([0, *changes.tolist(), len(lengths)])
    ]


def _joined(parts: Iterable[FloatArray]) -> Iterator[FloatArray]:
    """Yield arrays (n_windows, ...), small ones joined."""
    held, n = list[FloatArray](), 0
    for part in parts:
        held.append(part)
        n += len(part)
        if n >= _AT_ONCE:
            yield held[0] if len(held) == 1 else np.concatenate(held)
            held, n = [], 0
    if held:
        yield np.concatenate(held)


def smoothed(values: FloatArray, first: FloatArray | None = None) -> FloatArray:
    """Return values per window (n_windows, ...) through a first order of 1.5 s, begun at `first`, the first value for None.

    y[n] = x[n] / 8.012 + (7.012 / 8.012) y[n-1]; of rms values of groups, before they are held against limits of emission.
    """
    found = np.empty_like(values)
    before = values[0] if first is None else first
    for k, value in enumerate(values):
        before = value / _SMOOTHED + (_SMOOTHED - 1) / _SMOOTHED * before
        found[k] = before
    return found


def over_windows(values: FloatArray) -> FloatArray:
    """Return rms, largest and 95 % over windows of values (n_windows, ...), shape (3, ...); NaN where a window has none."""
    return np.stack([np.sqrt((values**2).mean(axis=0)), values.max(axis=0), np.percentile(values, 95, axis=0)])


def prevailing(phasors: ComplexArray) -> tuple[FloatArray, FloatArray]:
    """Return the angle of the mean of phasors (n_windows, ...), rad, and the prevailing ratio |Σz| / Σ|z|, shape (...) each."""
    total, sizes = phasors.sum(axis=0), np.abs(phasors).sum(axis=0)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.angle(total), np.asarray(np.where(sizes > 0, np.abs(total) / sizes, np.nan))
