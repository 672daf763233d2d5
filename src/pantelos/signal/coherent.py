"""Whole-cycle windows: cut, resampled to a power of two where cycles do not fall on samples."""

import math
from collections.abc import Iterator

import numpy as np

from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.cycles import Cycles
from pantelos.signal.interpolation import MARGIN, resample
from pantelos.signal.window import Rule, Window

_SMALLEST_WINDOW = 4096


def cycles_per_window(frequency_hz: float) -> int:
    """Return how many cycles make a window of about 200 ms: 10 at 50 Hz, 12 at 60 Hz (IEC 61000-4-7)."""
    return max(round(0.2 * frequency_hz), 1)


def split_window(window: Window, cycles: Cycles) -> list[Window]:
    """Return consecutive windows of whole cycles, about 200 ms each, that together cover `window`.

    Every cycle is used once. On a window that stands on samples the parts do so too, which may make them
    longer than 200 ms; otherwise the parts begin and end at crossings.
    """
    wanted = max(round(window.n_cycles / cycles_per_window(window.frequency_hz)), 1)
    if window.rule is Rule.RECTANGULAR:
        length = round(window.stop - window.start)
        n_parts = next(n for n in range(wanted, 0, -1) if length % n == 0 and window.n_cycles % n == 0)
        edges = window.start + np.arange(n_parts + 1) * (length // n_parts)
        counts = np.full(n_parts, window.n_cycles // n_parts)
    else:
        crossings, _ = cycles.between(window.start, window.stop)
        cuts = np.unique(np.round(np.linspace(0, len(crossings) - 1, wanted + 1)).astype(int))
        edges, counts = crossings[cuts], np.diff(cuts)
    return [
        Window(float(low), float(high), int(n), window.rule, float(n * cycles.rate_hz / (high - low)))
        for low, high, n in zip(edges[:-1], edges[1:], counts, strict=True)
    ]


def n_points(window: Window, highest_order: int) -> int:
    """Return the number of points a window is resampled to: a power of two, never below the samples it has."""
    least = max(_SMALLEST_WINDOW, 4 * highest_order * window.n_cycles, math.ceil(window.stop - window.start))
    return 1 << (least - 1).bit_length()


def coherent_windows(read: Reader, n_samples: int, windows: list[Window], highest_order: int) -> Iterator[FloatArray]:
    """Yield each window as samples that span it exactly, shape (..., n), unit of the channel.

    Windows on sample instants are served as recorded; others through a quintic spline (relative error of a
    component with 10 samples per period below 5e-6).
    """
    for window in windows:
        if window.on_samples:
            yield read(round(window.start), round(window.stop))
            continue
        low = max(math.floor(window.start) - MARGIN, 0)
        high = min(math.ceil(window.stop) + MARGIN, n_samples)
        n = n_points(window, highest_order)
        instants = window.start - low + np.arange(n, dtype=np.float64) * ((window.stop - window.start) / n)
        yield resample(read(low, high), instants)
