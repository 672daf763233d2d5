"""Readings of single orders, and of three phases by their fundamentals."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from pantelos.reading.alternating import mean_phasors, orders_or_why
from pantelos.reading.amplitude import low_level
from pantelos.reading.reading import Measure, Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import ComplexArray
from pantelos.signal.harmonics.sequences import Sequences, sequences

_NO_ORDER = "the sample rate does not reach this order"


def order_size(phasors: ComplexArray) -> Any:
    """Return the rms of the highest order of phasors (n, 1, orders)."""
    return np.abs(phasors[:, 0, -1])


def order_angle(phasors: ComplexArray) -> Any:
    """Return arg(X_h) - h arg(X_1), both against a sine, of the highest order of phasors (n, 1, orders), rad."""
    order = phasors.shape[-1] - 1
    turned = phasors[:, 0, -1] * np.exp(-1j * order * np.angle(phasors[:, 0, 1])) * np.exp(0.5j * math.pi * (1 - order))
    return np.angle(turned)


def of_order(pick: Callable[[ComplexArray], Any], order: int | None = None) -> Measure:
    """Return a reading of one order, the first setting where none is given."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        asked = float(order) if order is not None else stretch.numbers[0]
        wanted = round(asked) if math.isfinite(asked) else 0
        if wanted < 1 or wanted > _HIGHEST or wanted != asked:
            return Measured(math.nan, stretch.whole_cycles, why_not=f"orders are whole numbers from 1 to {_HIGHEST}")
        found, window, why_not = orders_or_why(waves, stretch, wanted)
        if found is None:
            return Measured(math.nan, window, why_not=why_not)
        value = float(pick(mean_phasors(found)[None])[0])
        return Measured(value, window, why_not="" if math.isfinite(value) else _NO_ORDER)

    return measure


_HIGHEST = 2000


def components(phasors: ComplexArray) -> Sequences:
    """Return the symmetrical components of the fundamentals of phasors (n, 3, orders), (n,) each."""
    return sequences(*(phasors[:, k, 1] for k in range(3)))


def sequence(name: str) -> Callable[[ComplexArray], Any]:
    """Return the size of the "positive", "negative" or "zero" sequence."""
    return lambda phasors: np.abs(getattr(components(phasors), name))


def unbalance_of(phasors: ComplexArray) -> Any:
    """Return negative over positive sequence, a ratio."""
    return np.asarray(components(phasors).unbalance)


def of_three(pick: Callable[[ComplexArray], Any], ratio: bool = False) -> Measure:
    """Return a reading of three fundamentals together."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found, window, why_not = orders_or_why(waves, stretch, 1)
        if found is None:
            return Measured(math.nan, window, why_not=why_not)
        phasors = mean_phasors(found)[None]
        if ratio and not abs(components(phasors).positive[0]) > low_level(waves[0]):
            return Measured(math.nan, window, why_not="there is no positive sequence to speak of")
        return Measured(float(pick(phasors)[0]), window)

    return measure
