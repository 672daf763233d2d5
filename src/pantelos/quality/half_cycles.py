"""The rms of each cycle, refreshed every half-cycle: what dips, swells and interruptions are read from.

Source: IEC 61000-4-30, U rms(1/2). All channels share the half-cycles of one reference, so that conditions on several of them
are held against each other at the same instants; where the reference pauses, the last period goes on.
"""

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.sums.integrals import totals_between

_INSIDE = 1e-6  # samples
_SMOOTHED = 17  # crossings


class HalfCycles(msgspec.Struct, frozen=True, eq=False):
    """The rms of one cycle each, begun at every half-cycle."""

    starts: FloatArray  # (n,), where the cycle begins, samples
    stops: FloatArray  # (n,), where it ends
    rms: FloatArray  # (n_channels, n), unit of the channels; NaN where a sample is missing

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


def half_cycle_rms(read: Reader, edges: FloatArray, progress: Progress | None = None) -> HalfCycles:
    """Return the rms of each cycle from half-cycle edges (n + 2,), trapezoids of the squares with fractional ends.

    Parameters
    ----------
    read : callable (start, stop) -> array (n_channels, stop - start)
    """
    if len(edges) < 3:
        return HalfCycles(np.zeros(0), np.zeros(0), np.zeros((len(read(0, 0)), 0)))
    n = int(edges[-1]) + 2
    found = totals_between(lambda a, b: np.square(read(a, b)), edges[:-2], edges[2:], n, smooth=False, progress=progress)
    whole = found.shares >= 1 - _INSIDE
    return HalfCycles(edges[:-2], edges[2:], np.sqrt(np.where(whole, found.means, np.nan)))


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
