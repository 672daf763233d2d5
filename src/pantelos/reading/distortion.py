"""Readings of distortion beside THD: against other values, and weighted by order."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from pantelos.reading.alternating import NO_CYCLE, of_orders, orders_of
from pantelos.reading.amplitude import low_level
from pantelos.reading.reading import Divided, Measure, Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray

Figure = Callable[[FloatArray, float], Any]  # of rms (..., orders) and the first setting, NaN without


def of_figure(figure: Figure, ratio: bool = True) -> Measure:
    """Return a reading of the rms of all orders; a ratio is not given where the fundamental is too small."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found, window = orders_of(waves, stretch, stretch.highest_order)
        if found is None:
            return Measured(math.nan, window, why_not=stretch.why_all or NO_CYCLE)
        rms = found.rms[0]
        if not math.isfinite(rms[1]):
            return Measured(math.nan, window, why_not="samples are missing, and a spectrum needs every one")
        if ratio and not rms[1] > low_level(waves[0]):
            return Measured(math.nan, window, why_not="the fundamental is below 0.1 % of the range, or zero")
        told = _told(stretch.numbers)
        if told <= 0:
            return Measured(math.nan, window, why_not="the rated value it is held against has to be above zero")
        return Measured(float(figure(rms, told)), window)

    return measure


def _told(numbers: tuple[float, ...]) -> float:
    return numbers[0] if numbers else math.nan


def piece_figure(figure: Figure) -> Callable[[Divided], FloatArray]:
    """Return the same per piece."""

    def per_piece(divided: Divided) -> FloatArray:
        told = _told(divided.numbers)
        found = of_orders(lambda phasors: figure(np.abs(phasors[:, 0]), told), divided.highest_order)
        return found(divided)

    return per_piece
