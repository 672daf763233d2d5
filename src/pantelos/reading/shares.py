"""Readings of how values are distributed: percentiles."""

import math

import numpy as np

from pantelos.reading.amplitude import EACH_ONCE, found_extremes
from pantelos.reading.reading import Measure, Measured, Stretch
from pantelos.record.waveform import Stepped, Waveform
from pantelos.signal.arrays import FloatArray, percentiles
from pantelos.signal.cycles.window import Window
from pantelos.signal.levels.distribution import EXACT, FINE_CLASSES, percentile


def share_below(share: float | None = None) -> Measure:
    """Return a reading of the value that a share of the samples lies below, the first setting for None.

    Source: linear between the samples beside the place (N - 1) q.
    """

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        wave, window = waves[0], stretch.samples
        wanted = share if share is not None else stretch.numbers[0]
        if not 0 <= wanted <= 1:
            return Measured(math.nan, window, why_not="a percentile lies between 0 % and 100 %")
        if isinstance(wave, Stepped):
            values, _, _ = wave.held_between(stretch.start, stretch.stop)
            found = percentiles(np.asarray(values), 100 * wanted)[0] if len(values) else math.nan
            return Measured(found, window, method=EACH_ONCE)
        if window.end - window.first <= EXACT:
            return _of_samples(np.asarray(wave.read(window.first, window.end)), 100 * wanted, window)
        value = percentile(wave.read, window.first, window.end, 100 * wanted)
        seen, _ = found_extremes(wave, stretch)
        class_width = (seen.high - seen.low) / FINE_CLASSES
        said = f"read from a histogram of {FINE_CLASSES} classes"
        return Measured(value, window, seen.coverage, remarks=(said,), method_u=class_width / math.sqrt(12))

    return measure


def _of_samples(x: FloatArray, q: float, window: Window) -> Measured:
    """Return a percentile of samples, and what another grid of samples could have given.

    At each of m passages through it half a sample more or less may lie below: √m / 3 of them all together. Where sampling
    comes back to the same places of each cycle, values lie in heaps: it could have been anywhere between two of them.
    """
    x = x[~np.isnan(x)]
    if not len(x):
        return Measured(math.nan, window, 0.0, "there is no sample")
    value = percentiles(x, q)[0]
    passages = max(int(np.count_nonzero(np.diff(x > value))), 1)
    one = 100 * max(math.sqrt(passages) / 3, 1.0) / len(x)
    below, above = percentiles(x, max(q - one, 0.0), min(q + one, 100.0))
    at = round((len(x) - 1) * q / 100)
    low, high = max(at - passages, 0), min(at + passages, len(x) - 1)
    near = np.sort(np.partition(x, (low, high))[low : high + 1])
    heaps = float(np.diff(near).max(initial=0.0))
    method_u = math.hypot(0.75 * (above - below) / math.sqrt(3), 0.4 * heaps)
    return Measured(value, window, len(x) / max(window.end - window.first, 1), method_u=method_u)
