"""Readings of a voltage and a current together: powers, resistance, inductance; and energies of a power.

Sources: IEEE 1459 clause 3.1, IEC 60050-131-11. Signs: positive power flows in the direction of the current's arrow.
"""

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from pantelos.reading.alternating import mean_phasors, orders_of, orders_or_why
from pantelos.reading.amplitude import low_level
from pantelos.reading.reading import Divided, Measure, Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.signal.cycles.window import window_means
from pantelos.signal.levels.piecewise import piece_integrals, piece_means
from pantelos.signal.sums.integrals import blocks, n_missing, parts_between
from pantelos.signal.validity import given

_TOO_SMALL = "one of the channels is below 0.1 % of its range, or zero"
_LEAST_CHANGE = 0.1  # of its rms, that a current has to vary by for a slope


def _products(waves: list[Waveform]) -> Callable[[int, int], FloatArray]:
    """Return a reader of ui, uu and ii, shape (3, n)."""
    u, i = waves

    def read(start: int, stop: int) -> FloatArray:
        x, y = u.read(start, stop), i.read(start, stop)
        return np.stack([x * y, x * x, y * y])

    return read


def _of_products(pick: Callable[[float, float, float], float], why_not: str = "") -> Measure:
    """Return a reading of the means of ui, uu and ii; not given, for the reason told, where a ratio has nothing to stand on."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        window = stretch.whole_cycles
        means, coverage = window_means(_products(waves), window, waves[0].n_samples)
        power, square_u, square_i = (float(mean) for mean in means)
        low = [math.sqrt(square) <= low_level(wave) for square, wave in zip((square_u, square_i), waves, strict=True)]
        if why_not and any(low):
            return Measured(math.nan, window, float(coverage.min()), why_not)
        return Measured(pick(power, square_u, square_i), window, float(coverage.min()))

    return measure


def _pieces_of_products(pick: Callable[[Any, Any, Any], Any]) -> Callable[[Divided], FloatArray]:
    def per_piece(divided: Divided) -> FloatArray:
        u, i = divided.waves
        read = (lambda a, b: u.read(a, b) * i.read(a, b), lambda a, b: u.read(a, b) ** 2, lambda a, b: i.read(a, b) ** 2)
        with np.errstate(invalid="ignore", divide="ignore"):
            found = pick(*(piece_means(one, divided.partition) for one in read))
        return np.where(np.isfinite(found), found, np.nan)

    return per_piece


def _apparent(power: Any, square_u: Any, square_i: Any) -> Any:
    return np.sqrt(np.maximum(square_u * square_i, 0.0))


def _power_factor(power: Any, square_u: Any, square_i: Any) -> Any:
    return power / np.sqrt(square_u * square_i)


active = _of_products(lambda power, square_u, square_i: power)
apparent = _of_products(lambda *means: float(_apparent(*means)))
power_factor = _of_products(lambda *means: float(_power_factor(*means)), _TOO_SMALL)
resistance = _of_products(lambda power, square_u, square_i: power / square_i, _TOO_SMALL)
piece_active = _pieces_of_products(lambda power, square_u, square_i: power)
piece_apparent = _pieces_of_products(_apparent)
piece_power_factor = _pieces_of_products(_power_factor)
piece_resistance = _pieces_of_products(lambda power, square_u, square_i: power / square_i)


def reactive_of(phasors: ComplexArray) -> Any:
    """Return Q1 = Im(U1 conj(I1)) of phasors (n, 2, orders)."""
    return (phasors[:, 0, 1] * np.conj(phasors[:, 1, 1])).imag


def displacement_of(phasors: ComplexArray) -> Any:
    """Return P1 / S1 of phasors (n, 2, orders)."""
    product = phasors[:, 0, 1] * np.conj(phasors[:, 1, 1])
    return product.real / np.abs(product)


def of_fundamentals(pick: Callable[[ComplexArray], Any], ratio: bool) -> Measure:
    """Return a reading of both fundamentals; a ratio is not given where one of them is too small."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found, window, why_not = orders_or_why(waves, stretch, 1)
        if found is None:
            return Measured(math.nan, window, why_not=why_not)
        sizes = found.rms[:, 1]
        if ratio and any(not size > low_level(wave) for size, wave in zip(sizes.tolist(), waves, strict=True)):
            return Measured(math.nan, window, why_not=_TOO_SMALL)
        product = found.mean_product(found.phasors[:, 0, 1], found.phasors[:, 1, 1])
        return Measured(float(pick(np.array([[[0, product], [0, 1.0]]]))[0]), window)

    return measure


def resistance_with_offset(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the slope of u over i, least squares with an intercept: offset and thermal voltage drop out."""
    u, i = waves
    window = stretch.whole_cycles
    both = lambda a, b: np.stack([u.read(a, b), i.read(a, b)])  # noqa: E731
    (mean_u, mean_i), coverage = window_means(both, window, u.n_samples)

    def centred(start: int, stop: int) -> FloatArray:
        x, y = u.read(start, stop) - mean_u, i.read(start, stop) - mean_i
        return np.stack([x * y, y * y])

    (cross, square), _ = window_means(centred, window, u.n_samples)
    least = (_LEAST_CHANGE**2) * (float(square) + float(mean_i) ** 2)
    if not square > least or math.sqrt(float(square)) <= low_level(i):
        why = "the current varies by less than a tenth of itself: a slope needs a current that changes"
        return Measured(math.nan, window, float(coverage.min()), why)
    return Measured(float(cross / square), window, float(coverage.min()))


def inductance(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return X1 / 2πf1 of the fundamentals; without whole cycles the L of the least squares fit u = R i + L di/dt + u0."""
    found, window = orders_of(waves, stretch, 1)
    if found is None:
        return _fitted_inductance(waves, stretch)
    voltage, current = mean_phasors(found)[:, 1]
    if not abs(current) > low_level(waves[1]) or not abs(voltage) > 0:
        return Measured(math.nan, window, why_not=_TOO_SMALL)
    reactance = (voltage / current).imag
    if not reactance > 0:
        return Measured(math.nan, window, why_not="the current leads: it is no inductance")
    seconds = (window.stop - window.start) / waves[0].rate_hz
    frequency = found.frequency_hz if window.n_gaps else window.n_cycles / seconds
    return Measured(float(reactance / (2 * math.pi * frequency)), window, method="X1 / 2πf1 of the fundamentals over the cycles")


def _fitted_inductance(waves: list[Waveform], stretch: Stretch) -> Measured:
    u, i = waves
    window = stretch.samples
    rate = u.rate_hz
    sums = np.zeros((4, 4))
    for start, stop in blocks(window.first + 2, window.end - 2):
        x = i.read(start - 2, stop + 2)
        slope = (8 * (x[3:-1] - x[1:-3]) - (x[4:] - x[:-4])) / 12 * rate
        rows = np.stack([x[2:-2], slope, np.ones(stop - start), u.read(start, stop)])
        rows = rows[:, np.isfinite(rows).all(axis=0)]
        sums += rows @ rows.T
    sizes = np.sqrt(np.diag(sums)[:3])
    method = "least squares u = R i + L di/dt + u0 over all samples, di/dt from five"
    if not (sizes > 0).all():
        return Measured(math.nan, window, why_not="the current does not change", method=method)
    normal = sums[:3, :3] / np.outer(sizes, sizes)
    if np.linalg.cond(normal) > 1e9:
        return Measured(math.nan, window, why_not="current and its slope do not differ enough to tell R from L", method=method)
    solved = np.linalg.solve(normal, sums[:3, 3] / sizes) / sizes
    return Measured(float(solved[1]), window, method=method)


def energy(returned: bool) -> Measure:
    """Return the energy of one direction over the stretch, J, at least 0."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        (p,) = waves
        end = min(stretch.stop, p.n_samples - 1.0)
        if not end > stretch.start:
            return Measured(math.nan, stretch.samples, why_not="the interval is shorter than a sample")
        edges = np.array([stretch.start]), np.array([end])
        found, window = parts_between(p.read, *edges, p.n_samples)[int(returned)][0], stretch.samples
        missing = n_missing(p.read, window.first, window.end)
        return Measured(float(found) / p.rate_hz, window, 1 - missing / max(window.end - window.first, 1))

    return measure


def piece_energy(returned: bool) -> Callable[[Divided], FloatArray]:
    """Return the energy of one direction per piece, J."""

    def per_piece(divided: Divided) -> FloatArray:
        (p,) = divided.waves
        _, shares = piece_integrals(p.read, divided.partition)
        over = divided.partition
        return given(parts_between(p.read, over.starts, over.stops, over.n_samples)[int(returned)] / p.rate_hz, shares)

    return per_piece
