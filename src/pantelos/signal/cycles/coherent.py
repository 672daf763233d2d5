"""Whole-cycle windows: cut, resampled where cycles do not fall on samples."""

import math
from collections.abc import Iterator, Sequence
from itertools import pairwise

import numpy as np

from pantelos.signal.arrays import FloatArray, Reader, smooth_length
from pantelos.signal.cycles.cycles import Cycles, unbroken
from pantelos.signal.cycles.window import Window
from pantelos.signal.sampling.interpolation import MARGIN, resample
from pantelos.signal.sums.integrals import Rule
from pantelos.signal.validity import with_short_gaps_filled

_SMALLEST_WINDOW = 4096
_LONGEST_WINDOWS, _LONGEST = 10, 1 << 20  # of a part that stands on samples: windows of usual length, and samples held at once
STEADY = 1e-3  # change of frequency inside a window
USUAL_WINDOWS = "windows of 10 cycles (12 at 60 Hz, those of 200 ms above)"


def cycles_per_window(frequency_hz: float) -> int:
    """Return how many cycles make a window: 10 up to 50 Hz, 12 at 60 Hz (IEC 61000-4-7), those of about 200 ms above.

    Fewer would put what lies between the orders into them.
    """
    return max(round(0.2 * frequency_hz), 10)


def split_window(window: Window, cycles: Cycles) -> list[Window]:
    """Return consecutive windows of whole cycles, as long as usual each, that together cover `window`.

    Every cycle is used once. On a window that stands on samples the parts do so too where that makes them no longer than ten
    usual windows and 2^20 samples; otherwise they begin and end at crossings: over minutes even a steady frequency strays by
    a share of a cycle.
    """
    cycles = cycles.smooth.beside(window.start, window.stop)
    wanted = max(round(window.n_cycles / cycles_per_window(window.frequency_hz)), 1)
    n_parts = _parts_on_samples(window, wanted)
    if n_parts:
        edges = window.start + np.arange(n_parts + 1) * (round(window.stop - window.start) // n_parts)
        pieces = list(zip(edges[:-1], edges[1:], [window.n_cycles // n_parts] * n_parts, strict=True))
    elif window.n_gaps:
        pieces = _between_gaps(window, cycles)
    else:
        cuts = np.unique(np.round(np.linspace(0, window.n_cycles, wanted + 1)).astype(int))
        places = [window.start, *(cycles.position_after(window.start, n) for n in cuts[1:-1].tolist()), window.stop]
        pieces = list(zip(places[:-1], places[1:], np.diff(cuts).tolist(), strict=True))
    return _windows(window, cycles, pieces)


def _parts_on_samples(window: Window, wanted: int) -> int:
    """Return in how many parts on samples a window is cut that stands on them; 0 where it does not, or they would be long."""
    length = round(window.stop - window.start)
    if window.rule is not Rule.RECTANGULAR:
        return 0
    n_parts = next(n for n in range(wanted, 0, -1) if length % n == 0 and window.n_cycles % n == 0)
    return n_parts if wanted <= n_parts * _LONGEST_WINDOWS and length <= n_parts * _LONGEST else 0


def windows_of(n_cycles: int, window: Window, cycles: Cycles) -> list[Window]:
    """Return consecutive windows of just so many whole cycles inside `window`; cycles left over are in none.

    A window with fewer cycles is returned as it stands.
    """
    cycles = cycles.smooth.beside(window.start, window.stop)
    if window.n_cycles < n_cycles:
        return [window]
    if not window.n_gaps:
        n_parts, left_over = divmod(window.n_cycles, n_cycles)
        steady = window.rule is Rule.RECTANGULAR and n_parts <= _LONGEST_WINDOWS  # then a cycle is a share of the window
        length = (window.stop - window.start) / window.n_cycles * n_cycles
        inner = [
            window.start + k * length if steady else cycles.position_after(window.start, k * n_cycles) for k in range(1, n_parts)
        ]
        last = window.start + n_parts * length if steady else cycles.position_after(window.start, n_parts * n_cycles)
        edges = [window.start, *inner, last if left_over else window.stop]
        return _windows(window, cycles, [(a, b, n_cycles) for a, b in pairwise(edges)])
    crossings, whole = cycles.between(window.start, window.stop)
    pieces = []
    for start, stop in unbroken(whole):
        cuts = range(start, stop + 1, n_cycles)
        pieces += [(float(crossings[a]), float(crossings[b]), n_cycles) for a, b in pairwise(cuts)]
    return _windows(window, cycles, pieces)


def _windows(window: Window, cycles: Cycles, pieces: list[tuple[float, float, int]]) -> list[Window]:
    """Return pieces (start, stop, cycles) of a window as windows."""
    return [
        Window(
            float(low),
            float(high),
            int(n),
            window.rule,
            float(n * cycles.rate_hz / (high - low)),
            cycles.change_between(float(low), float(high)),
            within=window.within,
        )
        for low, high, n in pieces
    ]


def _between_gaps(window: Window, cycles: Cycles) -> list[tuple[float, float, int]]:
    """Return the same where the reference pauses inside: start, stop and cycles of windows that hold cycles only."""
    crossings, whole = cycles.between(window.start, window.stop)
    pieces = []
    for start, stop in unbroken(whole):
        wanted = max(round((stop - start) / cycles_per_window(window.frequency_hz)), 1)
        cuts = np.unique(np.round(np.linspace(start, stop, wanted + 1)).astype(int)).tolist()
        pieces += [(crossings[a], crossings[b], b - a) for a, b in pairwise(cuts)]
    return pieces


def n_points(window: Window, highest_order: int) -> int:
    """Return the number of points a window is resampled to: one that transforms fast, never below the samples it has."""
    return smooth_length(max(_SMALLEST_WINDOW, 4 * highest_order * window.n_cycles, math.ceil(window.stop - window.start)))


def coherent_windows(
    read: Reader, n_samples: int, windows: Sequence[Window], highest_order: int, cycles: Cycles | None = None
) -> Iterator[FloatArray]:
    """Yield each window as samples that span it exactly, shape (..., n), unit of the channel.

    Windows on sample instants are served as recorded; others through a quintic spline (relative error of a
    component with 10 samples per period below 5e-6). Where the frequency changes inside a window, `cycles` give instants of
    equal phase rather than of equal time, so that orders stay apart. Gaps of up to three samples are filled.
    """
    for window in windows:
        if window.on_samples and window.change < STEADY:
            yield with_short_gaps_filled(read(round(window.start), round(window.stop)))
            continue
        lowest, highest = window.within or (0, n_samples)
        low = max(math.floor(window.start) - MARGIN, lowest)
        high = min(math.ceil(window.stop) + MARGIN, highest)
        n = n_points(window, highest_order)
        instants = np.arange(n, dtype=np.float64) * ((window.stop - window.start) / n) + window.start
        if cycles is not None and window.change >= STEADY:
            instants = cycles.smooth.positions_between(window.start, window.stop, n)
        yield resample(with_short_gaps_filled(read(low, high)), instants - low)
