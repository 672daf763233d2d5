"""Figures made of the rms of orders: distortion, and what harmonics do to a transformer.

Sources: IEC 61000-4-7 (THD), IEC 61000-3-12 (PWHD, THC, POHC), IEEE 519 (TDD), IEEE C57.110 (K, F_HL). Order 0 stands first and
is never part of a sum; orders that are NaN are left out.
"""

from collections.abc import Iterable

import numpy as np

from pantelos.signal.arrays import FloatArray

_STRAY = 0.8  # exponent of other stray losses


def root_sum(rms: FloatArray, orders: Iterable[int], exponent: float = 0.0) -> FloatArray:
    """Return sqrt(Σ h^exponent Y_h²) over some orders, shape (...,), of rms (..., highest + 1)."""
    wanted = np.array([h for h in orders if 0 < h < rms.shape[-1]], dtype=np.intp)
    return np.asarray(np.sqrt(np.nansum(wanted.astype(np.float64) ** exponent * rms[..., wanted] ** 2, axis=-1)))


def _ratio(part: FloatArray, whole: FloatArray | float) -> FloatArray:
    """Return part / whole; NaN where there is no whole."""
    whole = np.where(np.asarray(whole) > 0, whole, np.nan)
    return np.asarray(part / whole)


def _all(rms: FloatArray) -> range:
    return range(1, rms.shape[-1])


def against_all(rms: FloatArray) -> FloatArray:
    """Return THD_R, orders 2 and up against all orders, a ratio."""
    return _ratio(root_sum(rms, range(2, rms.shape[-1])), root_sum(rms, _all(rms)))


def against_rated(rms: FloatArray, rated: float) -> FloatArray:
    """Return orders 2 to 50 against a rated or demand value, a ratio: TDD of a current."""
    return _ratio(root_sum(rms, range(2, min(rms.shape[-1], 51))), rated)


def k_factor(rms: FloatArray, rated: float | None = None) -> FloatArray:
    """Return Σ h² (I_h / I_R)²; I_R is the rms of the orders where no rated current is told."""
    below = root_sum(rms, _all(rms)) if rated is None else rated
    return _ratio(root_sum(rms, _all(rms), 2.0), below) ** 2


def stray_loss_factor(rms: FloatArray) -> FloatArray:
    """Return F_HL-STR = Σ h^0.8 I_h² / Σ I_h²."""
    return _ratio(root_sum(rms, _all(rms), _STRAY), root_sum(rms, _all(rms))) ** 2


def total_current(rms: FloatArray) -> FloatArray:
    """Return THC, the rms of orders 2 to 40."""
    return root_sum(rms, range(2, 41))


def odd_high(rms: FloatArray) -> FloatArray:
    """Return POHC, the rms of orders 21, 23, … 39."""
    return root_sum(rms, range(21, 40, 2))
