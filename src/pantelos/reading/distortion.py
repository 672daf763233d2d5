"""Readings of figures made of the rms of orders: THD and what else standards make of harmonics."""

import math
from collections.abc import Callable

import numpy as np

from pantelos.reading.alternating import of_orders, orders_or_why
from pantelos.reading.amplitude import ac_rms, low_level
from pantelos.reading.reading import Divided, Measure, Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.harmonics.distortion import Against, DistortionFigure


def of_figure(figure: DistortionFigure) -> Measure:
    """Return a reading of the rms of orders; a ratio is not given where the fundamental is too small."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found, window, why_not = orders_or_why(waves, stretch, _highest(figure, stretch.highest_order))
        if found is None:
            return Measured(math.nan, window, why_not=why_not)
        rms, told = found.rms[0], _told(stretch.numbers)
        if figure.against is not Against.NOTHING and not rms[1] > low_level(waves[0]):
            return Measured(math.nan, window, why_not="the fundamental is below 0.1 % of the range, or zero")
        if told <= 0:
            return Measured(math.nan, window, why_not="the rated value it is held against has to be above zero")
        known = [h for h in figure.orders(found.highest) if math.isfinite(rms[h])]
        if not known:
            return Measured(math.nan, window, why_not=f"its orders lie {_BEYOND}")
        left_out = len(known) < len(figure.orders(found.highest))
        remarks = (f"orders above {known[-1]} lie {_BEYOND} and are left out",) if left_out else ()
        return Measured(float(figure.of(rms, told)), window, remarks=remarks)

    return measure


_BEYOND = "beyond 0.45 of the sample rate"


def _highest(figure: DistortionFigure, usual: int) -> int:
    return figure.last if figure.last is not None else usual


def _told(numbers: tuple[float, ...]) -> float:
    return numbers[0] if numbers else math.nan


def piece_figure(figure: DistortionFigure) -> Callable[[Divided], FloatArray]:
    """Return the same per piece."""

    def per_piece(divided: Divided) -> FloatArray:
        told = _told(divided.numbers)
        if told <= 0:
            return np.full(len(divided.partition), np.nan)
        highest = _highest(figure, divided.highest_order)
        return of_orders(lambda phasors: figure.of(np.abs(phasors[:, 0]), told), highest)(divided)

    return per_piece


def total_distortion(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return sqrt(X² - X_0² - X_1²) / X_1: harmonics of every order, what lies between them, carrier and noise; no DC."""
    found, window, why_not = orders_or_why(waves, stretch, 1)
    if found is None:
        return Measured(math.nan, window, why_not=why_not)
    first = float(found.rms[0, 1])
    if not first > low_level(waves[0]):
        return Measured(math.nan, window, why_not="the fundamental is below 0.1 % of the range, or zero")
    alternating = ac_rms(waves, stretch)
    left = max(alternating.value**2 - first**2, 0.0)
    return Measured(math.sqrt(left) / first, window, alternating.coverage)
