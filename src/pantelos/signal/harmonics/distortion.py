"""Figures made of the rms of orders: distortion, and what harmonics do to a transformer.

Sources: IEC 61000-4-7 (THD), IEC 61000-3-12 (PWHD, THC, POHC), IEEE 519 (TDD), IEEE C57.110 (K, F_HL). Order 0 stands first and
is never part of a sum; orders that are NaN are left out.
"""

import math
from collections.abc import Sequence
from enum import Enum, auto

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray


class Against(Enum):
    """What a sum of orders is held against."""

    NOTHING = auto()
    FUNDAMENTAL = auto()
    ALL_ORDERS = auto()  # their rms
    RATED = auto()  # a value that is told; the rms of all orders where none is


class DistortionFigure(msgspec.Struct, frozen=True):
    """sqrt(Σ h^exponent Y_h²) over some orders, held against something, and squared where so defined."""

    first: int
    last: int | None  # None: the highest order there is
    against: Against
    step: int = 1
    exponent: float = 0.0
    squared: bool = False

    def orders(self, highest: int) -> range:
        """Return the orders it sums where the highest there is is given."""
        return range(self.first, (self.last if self.last is not None else highest) + 1, self.step)

    def of(self, rms: FloatArray, rated: float = math.nan) -> FloatArray:
        """Return the figure, shape (...,), of rms (..., highest + 1); NaN where no order or nothing below is known."""
        highest = rms.shape[-1] - 1
        part, whole = root_sum(rms, self.orders(highest), self.exponent), root_sum(rms, range(1, highest + 1))
        if self.against is Against.FUNDAMENTAL:
            whole = np.asarray(rms[..., 1])
        elif self.against is Against.RATED and not math.isnan(rated):
            whole = np.asarray(rated)
        result = part if self.against is Against.NOTHING else part / np.where(whole > 0, whole, np.nan)
        return np.asarray(result**2 if self.squared else result)


THD = DistortionFigure(2, None, Against.FUNDAMENTAL)
THD_R = DistortionFigure(2, None, Against.ALL_ORDERS)
TDD = DistortionFigure(2, 50, Against.RATED)
PWHD = DistortionFigure(14, 40, Against.FUNDAMENTAL, exponent=1.0)
K_FACTOR = DistortionFigure(1, None, Against.RATED, exponent=2.0, squared=True)
STRAY_LOSS_FACTOR = DistortionFigure(1, None, Against.ALL_ORDERS, exponent=0.8, squared=True)
THC = DistortionFigure(2, 40, Against.NOTHING)
POHC = DistortionFigure(21, 39, Against.NOTHING, step=2)


def root_sum(rms: FloatArray, orders: Sequence[int], exponent: float = 0.0) -> FloatArray:
    """Return sqrt(Σ h^exponent Y_h²) over some orders, shape (...,), of rms (..., highest + 1); NaN where none is known."""
    wanted = np.array([h for h in orders if 0 < h < rms.shape[-1]], dtype=np.intp)
    squares = wanted.astype(np.float64) ** exponent * rms[..., wanted] ** 2
    return np.asarray(np.where(np.isfinite(squares).any(axis=-1), np.sqrt(np.nansum(squares, axis=-1)), np.nan))


def total_harmonic_distortion(rms: FloatArray) -> FloatArray:
    """Return THD_F, orders 2 and up against the fundamental, a ratio, shape (...,), of rms (..., highest + 1).

    Source: IEC 61000-4-7, THD of harmonic components.
    """
    return THD.of(rms)
