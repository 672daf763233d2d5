"""A periodic waveform of unknown frequency, fitted to a stretch of samples: its phase up to the very ends of the stretch.

A filter needs what lies beside a stretch; a fit does not. Mean, slope, fundamental and as many orders as the samples tell are
found by least squares together with the frequency and, where it is asked for, its change.

Source: Gauss and Newton's method on amplitudes, frequency and its change together; the number of orders by G. Schwarz 1978.
Four-parameter sine fit of IEEE 1057 where there are no orders.
"""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray, FloatArray

_ORDERS = (1, 3, 7, 13, 25)  # tried one after the other
_ROUNDS = 8
_STILL = 1e-12  # turns at the ends of the stretch by which a round moves the phase
_OF_NOISE = 1e-3  # of what noise does to the phase: a round that moves it by less is the last
_EXACT = 1e-20  # of the mean square: what is left is rounding
_FEW_POINTS = 2.1  # per period of the highest order
_DRIFT_FROM = 3.0  # cycles: in fewer no change of the frequency is seen
_LINE_FROM = 1.9  # cycles: of fewer a slope cannot be told from the fundamental
_ENOUGH = 64  # points per cycle
_ENOUGH_ORDERS = 7  # from here on one that tells no more is the last
_WORSE = 3  # numbers of orders in a row that tell no more: then no more are tried
_HOPELESS = {1: 0.8, 7: 0.3}  # after so many orders, of the rms: what leaves more is no waveform of orders
_SHORT, _SHORT_ORDERS = 5.0, 13  # cycles, and orders that so few of them tell


class PeriodicFit(msgspec.Struct, frozen=True, eq=False):
    """Phase, frequency and its change of the fundamental, and how sure they are; positions are in samples of the stretch."""

    centre: float  # position that phase and frequency are of
    turns: float  # phase there, in turns, as a sine: whole where the fundamental rises through zero
    rate: float  # turns per sample there
    drift: float  # of the rate, per sample
    amplitude: float  # of the fundamental, unit of the samples
    residual: float  # rms of what the fit leaves, over that of the fundamental
    turns_u: float  # standard uncertainty of the phase at the ends of the stretch, turns
    coefficients: FloatArray  # mean, slope over half the length, then cosine and sine of each order
    half: float  # half the length of the stretch, samples

    def turns_at(self, positions: FloatArray) -> FloatArray:
        """Return the phase at positions (n,), in turns."""
        t = positions - self.centre
        return np.asarray(self.turns + self.rate * t + 0.5 * self.drift * t * t)

    def crossings(self, first: float, last: float) -> FloatArray:
        """Return where the fundamental rises through zero between two positions, both included."""
        turns = self.turns_at(np.array([first, last]))
        wanted = np.arange(math.ceil(turns[0]), math.floor(turns[1]) + 1, dtype=np.float64)
        at = self.centre + (wanted - self.turns) / self.rate
        for _ in range(20 if self.drift else 0):
            step = (wanted - self.turns_at(at)) / (self.rate + self.drift * (at - self.centre))
            at = at + step
            if not len(step) or float(np.abs(step).max()) < 1e-10:
                break
        return np.asarray(at)

    def values(self, positions: FloatArray) -> FloatArray:
        """Return the waveform at positions (n,)."""
        t = positions - self.centre
        turns = self.rate * t + 0.5 * self.drift * t * t
        return np.asarray(_basis(turns, t / self.half, (len(self.coefficients) - 2) // 2) @ self.coefficients)


def fit_periodic(x: FloatArray, rate: float, drifts: bool = False, orders: tuple[int, ...] = _ORDERS) -> PeriodicFit | None:
    """Return the periodic waveform that `x` (n,), none missing, is closest to; None where it is none near a frequency.

    Parameters
    ----------
    rate : about how many turns a sample makes, within a few hundredths
    drifts : whether the frequency may change
    orders : how many of them are tried
    """
    step = max(int(1 / (rate * _ENOUGH)), 1)
    n = len(x) // step
    x = np.asarray(x[: n * step].reshape(n, step).mean(axis=1), dtype=np.float64)  # which changes no phase, and no frequency
    centre, half = 0.5 * (n * step - 1), 0.5 * max((n - 1) * step, 1)
    t = np.asarray((np.arange(n) - 0.5 * (n - 1)) * step, dtype=np.float64)
    n_cycles, per_point = rate * n * step, rate * step
    most = _SHORT_ORDERS if n_cycles < _SHORT else math.inf
    orders = tuple(h for h in orders if h == 1 or (h <= most and h * per_point * _FEW_POINTS <= 1 and 2 * (2 * h + 4) <= n))
    best: tuple[float, FloatArray, tuple[float, float], float] | None = None
    theta, kappa, worse, swing = rate, 0.0, 0, float(np.mean(np.square(x - x.mean())))
    for highest in orders:
        found = _refined(x, t, half, theta, kappa, highest, drifts and n_cycles > _DRIFT_FROM, n_cycles > _LINE_FROM)
        if found is None:
            break
        coefficients, (theta, kappa), squares = found
        score = n * math.log(max(squares, 1e-300)) + (2 * highest + 3) * math.log(n)
        if best is None or score < best[0]:
            best, worse = (score, coefficients, (theta, kappa), squares), 0
        else:
            worse += 1
        if squares > _HOPELESS.get(highest, math.inf) ** 2 * swing:
            return None
        if worse >= (_WORSE if highest < _ENOUGH_ORDERS else 1) or squares <= _EXACT * swing:
            break
    if best is None:
        return None
    _, coefficients, (theta, kappa), squares = best
    a, b = coefficients[2:4].tolist()
    amplitude = math.hypot(a, b)
    if not amplitude > 0 or not theta > 0:
        return None
    turns = math.atan2(a, b) / (2 * math.pi)
    left = math.sqrt(2.0) * math.sqrt(squares) / amplitude  # squares of amplitudes may be too large
    turns_u = _phase_u(x, t, half, coefficients, (theta, kappa), drifts and n_cycles > _DRIFT_FROM, n_cycles > _LINE_FROM)
    if step > 1:  # what the means of so many samples have less of each order
        half_turns = math.pi * theta * np.repeat(np.arange(1, (len(coefficients) - 2) // 2 + 1), 2)
        coefficients[2:] /= np.sin(step * half_turns) / (step * np.sin(half_turns))
        amplitude = math.hypot(*coefficients[2:4].tolist())
    return PeriodicFit(centre, turns, theta, kappa, amplitude, left, turns_u, coefficients, half)


def _basis(turns: FloatArray, along: FloatArray, highest: int) -> FloatArray:
    """Return 1, the way along the stretch, cosine and sine of each order at phases (n,), shape (n, 2 + 2 highest)."""
    found = np.empty((len(turns), 2 + 2 * highest))
    found[:, 0], found[:, 1] = 1.0, along
    once = np.exp(2j * math.pi * turns)
    power = np.ones(len(turns), dtype=np.complex128)
    for order in range(highest):
        power = power * once
        found[:, 2 + 2 * order], found[:, 3 + 2 * order] = power.real, power.imag
    return found


def _refined(
    x: FloatArray, t: FloatArray, half: float, theta: float, kappa: float, highest: int, drifts: bool, line: bool
) -> tuple[FloatArray, tuple[float, float], float] | None:
    """Return coefficients, frequency and change, and mean square of what is left."""
    along, begun = t / half, theta
    order = np.repeat(np.arange(1, highest + 1), 2)
    kept = np.arange(2 + 2 * highest) if line else np.delete(np.arange(2 + 2 * highest), 1)
    basis = _basis(theta * t + 0.5 * kappa * t * t, along, highest)
    coefficients, most = np.zeros(basis.shape[1]), _STILL
    coefficients[kept] = _solved(basis[:, kept], x)
    for _ in range(_ROUNDS):
        matrix = _with_slopes(basis, kept, coefficients, order, t, drifts)
        solved = _solved(matrix, x)  # amplitudes, and the steps of frequency and change, together
        coefficients[kept], moved = solved[: len(kept)], solved[len(kept) :]
        theta += float(moved[0])
        kappa += float(moved[1]) if drifts else 0.0
        if not abs(theta / begun - 1) < 0.5 or not math.isfinite(kappa):
            return None
        if most == _STILL:
            left = x - matrix @ solved
            power = max(float(coefficients[2:4] @ coefficients[2:4]), 1e-300)
            most = max(_STILL, _OF_NOISE * math.sqrt(float(left @ left) / power) / len(x))
        basis = _basis(theta * t + 0.5 * kappa * t * t, along, highest)
        if abs(moved[0]) * half + (abs(moved[1]) * half**2 if drifts else 0.0) < most:
            break
    coefficients[kept] = _solved(basis[:, kept], x)
    left = x - basis @ coefficients
    return coefficients, (theta, kappa), float(left @ left) / len(x)


def _with_slopes(
    basis: FloatArray, kept: AnyArray, coefficients: FloatArray, order: AnyArray, t: FloatArray, drifts: bool
) -> FloatArray:
    """Return the basis, and what a step of the frequency and of its change does to the waveform."""
    turned = np.empty(len(order))
    turned[::2], turned[1::2] = coefficients[3::2], -coefficients[2::2]  # derivative by the phase, over 2π order
    slope = 2 * math.pi * (basis[:, 2:] @ (order * turned))
    columns = [basis[:, kept], (slope * t)[:, None]] + ([(0.5 * slope * t * t)[:, None]] if drifts else [])
    return np.concatenate(columns, axis=1)


def _solved(matrix: FloatArray, x: FloatArray) -> FloatArray:
    """Return the least squares solution; columns are scaled first."""
    sizes = np.sqrt(np.einsum("ij,ij->j", matrix, matrix))
    sizes[sizes == 0] = 1.0
    scaled = matrix / sizes
    if len(x) > 6 * matrix.shape[1]:  # plenty of samples: the normal equations keep enough digits, and rounds mend the rest
        try:
            return np.asarray(np.linalg.solve(scaled.T @ scaled, scaled.T @ x) / sizes)
        except np.linalg.LinAlgError:
            pass
    return np.asarray(np.linalg.lstsq(scaled, x, rcond=1e-13)[0] / sizes)


def _phase_u(
    x: FloatArray, t: FloatArray, half: float, coefficients: FloatArray, law: tuple[float, float], drifts: bool, line: bool
) -> float:
    """Return the standard uncertainty of the phase of the fundamental at the ends of the stretch, turns.

    Neighbouring samples of what is left are not independent: their correlation tells how many count.
    """
    highest = (len(coefficients) - 2) // 2
    basis = _basis(law[0] * t + 0.5 * law[1] * t * t, t / half, highest)
    kept = np.arange(len(coefficients)) if line else np.delete(np.arange(len(coefficients)), 1)
    left = x - basis @ coefficients
    matrix = _with_slopes(basis, kept, coefficients, np.repeat(np.arange(1, highest + 1), 2), t, drifts)
    n, p = matrix.shape
    if n <= p:
        return math.inf
    power = float(left @ left)
    together = min(max(float(left[1:] @ left[:-1]) / power, 0.0), 0.99) if power > 0 else 0.0
    variance = power / (n - p) * (1 + together) / (1 - together)
    sizes = np.sqrt(np.einsum("ij,ij->j", matrix, matrix))
    sizes[sizes == 0] = 1.0
    scaled = matrix / sizes
    first = len(kept) - 2 * highest  # where the cosine of the fundamental stands
    a, b = coefficients[2:4].tolist()
    gradient = np.zeros(p)
    size = 2 * math.pi * (a * a + b * b)
    gradient[first], gradient[first + 1] = (b / size, -a / size) if size else (0.0, 0.0)
    gradient[len(kept)] = half
    if drifts:
        gradient[len(kept) + 1] = 0.5 * half**2
    gradient /= sizes
    solved = np.linalg.lstsq(scaled.T @ scaled, gradient, rcond=1e-13)[0]
    return math.sqrt(max(float(gradient @ solved) * variance, 0.0))
