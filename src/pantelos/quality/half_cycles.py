"""The rms of each cycle, refreshed every half-cycle: what dips, swells and interruptions are read from.

Source: IEC 61000-4-30, U rms(1/2). Each channel is taken from the zero crossings of its own fundamental. These are the
half-cycles of one reference, shifted by the usual phase of the channel: so values of several channels stand beside each other
within a quarter of a cycle, a dip that jumps in phase moves nothing, and where the reference pauses, the last period goes on.
"""

import math

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.sums.integrals import totals_between

_INSIDE = 1e-6  # samples
_LOOKED_AT = 200  # cycles that tell the phase of a channel
_THERE = 0.1  # of the largest fundamental: less tells no phase
_USUAL = math.pi / 6  # how far the phase of a cycle may lie from the usual one and still count
_SMOOTHED = 17  # crossings


class HalfCycles(msgspec.Struct, frozen=True, eq=False):
    """The rms of one cycle each, begun at every half-cycle."""

    starts: FloatArray  # (n,), where the cycle of the reference begins, samples
    stops: FloatArray  # (n,), where it ends
    rms: FloatArray  # (n_channels, n), unit of the channels, each of its own cycle; NaN where a sample is missing
    shifts: FloatArray  # (n_channels, n), how much later the cycle of each channel begins and ends, samples

    def __len__(self) -> int:
        return len(self.starts)


def half_cycle_edges(cycles: Cycles) -> FloatArray:
    """Return the half-cycles of a reference over the whole record, (n,), samples: as found, and continued where it pauses.

    A pause is filled with as many cycles of the last period as suit it best; beyond the first and last crossing the period there
    goes on as far as the record reaches.
    """
    at = cycles.crossings
    if len(at) < 2:
        return np.zeros(0)
    pieces = []
    periods = np.diff(at)
    bounds = np.flatnonzero(~cycles.whole)
    start = 0
    for k in [*bounds.tolist(), len(periods)]:
        run = _smoothed(at[start : k + 1])
        pieces.append(np.repeat(run, 2)[: 2 * len(run) - 1])
        pieces[-1][1::2] = 0.5 * (run[:-1] + run[1:])
        if k < len(periods):
            period = periods[k - 1] if k > 0 and cycles.whole[k - 1] else _nearest_period(periods, cycles, k)
            n = max(round(2 * periods[k] / period), 1)
            pieces.append(np.linspace(at[k], at[k + 1], n + 1)[1:-1])
        start = k + 1
    inner = np.concatenate(pieces)
    end = cycles.n_samples - 1
    first, last = _nearest_period(periods, cycles, 0) / 2, _nearest_period(periods, cycles, len(periods) - 1) / 2
    before = inner[0] - first * np.arange(int((inner[0] + 1e-6) / first), 0, -1)
    behind = inner[-1] + last * np.arange(1, int((end - inner[-1] + 1e-6) / last) + 1)
    edges = np.concatenate([np.clip(before, 0, None), inner, behind])
    return np.asarray(edges[(edges >= 0) & (edges < end)])


def _smoothed(crossings: FloatArray) -> FloatArray:
    """Return crossings of a run of cycles along a parabola through those around each: a step of the voltage moves one or two."""
    from scipy.signal import savgol_filter

    return np.asarray(savgol_filter(crossings, _SMOOTHED, 2)) if len(crossings) > _SMOOTHED else crossings


def _nearest_period(periods: FloatArray, cycles: Cycles, k: int) -> float:
    """Return the length of the whole cycle nearest to the k-th stretch between crossings."""
    whole = np.flatnonzero(cycles.whole)
    return float(periods[whole[np.argmin(np.abs(whole - k))]]) if len(whole) else float(np.median(periods))


def half_cycle_rms(
    read: Reader, edges: FloatArray, n_samples: int, own: FloatArray | None = None, progress: Progress | None = None
) -> HalfCycles:
    """Return the rms of each cycle from half-cycle edges (n + 2,), trapezoids of the squares with fractional ends.

    Parameters
    ----------
    read : callable (start, stop) -> array (n_channels, stop - start)
    own : (n_channels,), how many half-cycles later each channel has its own zero crossings; None: none
    """
    progress = progress or Progress()
    n_channels = len(read(0, 0)) if own is None else len(own)
    if len(edges) < 3:
        return no_half_cycles(n_channels)
    own = np.zeros(n_channels) if own is None else own
    lengths = np.diff(edges)
    rms, shifts = np.empty((n_channels, len(edges) - 2)), np.empty((n_channels, len(edges) - 2))
    for part, late in enumerate(together := np.unique(own)):
        some = np.flatnonzero(own == late)
        before, behind = np.concatenate([lengths[:1], lengths]), np.concatenate([lengths, lengths[-1:]])
        at = edges + late * (behind if late > 0 else before)
        beyond = np.maximum(at[2:] - (n_samples - 1 - _INSIDE), 0.0) + np.minimum(at[:-2], 0.0)  # taken inside at the ends
        starts, stops = at[:-2] - beyond, at[2:] - beyond
        said = progress.part(part / len(together), (part + 1) / len(together))
        squares: Reader = lambda a, b, some=some: np.square(read(a, b)[some])  # type: ignore[misc] # noqa: E731
        found = totals_between(squares, np.maximum(starts, 0.0), stops, n_samples, smooth=False, progress=said)
        rms[some] = np.sqrt(np.where(found.shares >= 1 - _INSIDE, found.means, np.nan))
        shifts[some] = starts - edges[:-2]
    return HalfCycles(edges[:-2], edges[2:], rms, shifts)


def no_half_cycles(n_channels: int) -> HalfCycles:
    """Return the values of a record that has none."""
    return HalfCycles(np.zeros(0), np.zeros(0), np.zeros((n_channels, 0)), np.zeros((n_channels, 0)))


def own_crossings(read: Reader, cycles: Cycles) -> FloatArray:
    """Return how many half-cycles behind those of a reference the zero crossings of channels usually lie, -0.5 to 0.5 each.

    It is the phase of the fundamental against the reference, modulo half a turn, of cycles all over the record; those that lie
    elsewhere, as in a dip that jumps in phase, are left out.
    """
    seen = np.flatnonzero(cycles.measured)
    seen = seen[np.linspace(0, len(seen) - 1, min(len(seen), _LOOKED_AT)).astype(np.intp)]
    phasors = []
    for k in seen.tolist():
        start, stop = cycles.crossings[k : k + 2].tolist()
        first, end = math.ceil(start), math.ceil(stop)
        turns = (np.arange(first, end) - start) / (stop - start)
        x = np.nan_to_num(read(first, end))
        phasors.append((x - x.mean(axis=1, keepdims=True)) @ np.exp(-2j * np.pi * turns))
    if not phasors:
        return np.zeros(len(read(0, 0)))
    found = np.array(phasors).T
    sizes = np.abs(found)
    twice = np.where(sizes > _THERE * sizes.max(axis=1, keepdims=True), np.exp(2j * np.angle(found)), 0.0)
    usual = np.exp(1j * np.angle(twice.sum(axis=1)))[:, None]
    near = np.abs(np.angle(twice / usual)) < 2 * _USUAL
    angle = 0.5 * np.angle(np.where(near & (twice != 0), twice, 0.0).sum(axis=1)) + 0.5 * np.pi
    late = (-angle / np.pi + 0.5) % 1 - 0.5
    return np.asarray(np.where(sizes.max(axis=1) > 0, late, 0.0))


def rms_between(
    read: Reader, n_samples: int, starts: FloatArray, stops: FloatArray, progress: Progress | None = None
) -> FloatArray:
    """Return the rms of channels over pieces of whole cycles (n,), samples, which may overlap: shape (n_channels, n).

    A piece that ends behind the last sample is taken as much earlier.
    """
    if not len(starts):
        return np.zeros((len(read(0, 0)), 0))
    beyond = np.maximum(stops - (n_samples - 1 - _INSIDE), 0.0)
    starts, stops = np.maximum(starts - beyond, 0.0), stops - beyond
    found = totals_between(lambda a, b: np.square(read(a, b)), starts, stops, n_samples, smooth=False, progress=progress)
    return np.asarray(np.sqrt(np.where(found.shares >= 1 - _INSIDE, found.means, np.nan)))
