"""One waveform against another: the ellipse through the points, the phase it tells, the ratio of frequencies."""

import math
from fractions import Fraction

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.sums.integrals import CompensatedSum, blocks

_LARGEST_TERM = 9  # of a frequency ratio that is worth saying


class Ellipse(msgspec.Struct, frozen=True):
    """The ellipse x = cx + ax cos θ, y = cy + ay cos(θ + phase), and how well the points lie on it."""

    centre: tuple[float, float]
    half: tuple[float, float]  # ax, ay, at least 0
    phase_rad: float  # y against x, positive when y leads
    misfit: float  # rms distance of the points from the ellipse, as a share of its size

    def points(self, n: int = 200) -> tuple[FloatArray, FloatArray]:
        """Return n + 1 points around it."""
        turn = np.linspace(0.0, 2 * math.pi, n + 1)
        return (
            np.asarray(self.centre[0] + self.half[0] * np.cos(turn)),
            np.asarray(self.centre[1] + self.half[1] * np.cos(turn + self.phase_rad)),
        )


def fitted_ellipse(read: Reader, start: int, stop: int) -> Ellipse | None:
    """Return the least-squares ellipse through the points (x, y), or None where they lie on none.

    The conic A x² + B xy + C y² + D x + E y = 1 is fitted to points scaled to unit size (Bookstein's problem with
    the constant term fixed). The phase is arccos(-B / (2 sqrt(A C))); its sign is that of the turn of the points.

    Parameters
    ----------
    read : callable (start, stop) -> array (2, stop - start)
    """
    count, middle, spread = _moments(read, start, stop)
    if count < 6 or not (spread > 0).all():
        return None
    normal, right, turn = CompensatedSum((5, 5)), CompensatedSum((5,)), CompensatedSum()
    for low, high in blocks(start, stop):
        x, y = _scaled(read(low, min(high + 1, stop)), middle, spread)
        turn.add(float(np.nansum(x[:-1] * y[1:] - x[1:] * y[:-1])))
        terms = np.stack([x * x, x * y, y * y, x, y])
        terms = terms[:, np.isfinite(terms).all(axis=0)]
        normal.add(terms @ terms.T)
        right.add(terms.sum(axis=1))
    a, b, c, d, e = np.linalg.lstsq(normal.value, right.value, rcond=1e-12)[0]
    if a <= 0 or c <= 0 or b * b >= 4 * a * c * (1 - 1e-9):
        return None
    centre = np.linalg.solve(np.array([[2 * a, b], [b, 2 * c]]), np.array([-d, -e]))
    size = 1 + a * centre[0] ** 2 + b * centre[0] * centre[1] + c * centre[1] ** 2
    inner = 4 * a * c - b * b
    half = np.sqrt(np.array([4 * c, 4 * a]) * size / inner)
    phase = math.acos(min(max(-b / (2 * math.sqrt(a * c)), -1.0), 1.0))
    signed = math.copysign(phase, -float(turn.value)) if abs(float(turn.value)) > 0 else phase
    made = Ellipse(
        (float(centre[0] * spread[0] + middle[0]), float(centre[1] * spread[1] + middle[1])),
        (float(half[0] * spread[0]), float(half[1] * spread[1])),
        signed,
        0.0,
    )
    return Ellipse(made.centre, made.half, made.phase_rad, _misfit(read, start, stop, made))


def _moments(read: Reader, start: int, stop: int) -> tuple[int, FloatArray, FloatArray]:
    """Return how many points there are, their mean and their rms spread, (2,) each."""
    sums, squares, n = CompensatedSum((2,)), CompensatedSum((2,)), 0
    for low, high in blocks(start, stop):
        points = read(low, high)
        points = points[:, np.isfinite(points).all(axis=0)]
        n += points.shape[1]
        sums.add(points.sum(axis=1))
        squares.add((points * points).sum(axis=1))
    if not n:
        return 0, np.zeros(2), np.zeros(2)
    mean = sums.value / n
    return n, np.asarray(mean), np.asarray(np.sqrt(np.maximum(squares.value / n - mean**2, 0)))


def _scaled(points: FloatArray, middle: FloatArray, spread: FloatArray) -> FloatArray:
    return np.asarray((points - middle[:, None]) / spread[:, None])


def _misfit(read: Reader, start: int, stop: int, ellipse: Ellipse) -> float:
    """Return the rms of how far points lie inside or outside, in units where the ellipse is a unit circle."""
    total, n = 0.0, 0
    sine = math.sin(ellipse.phase_rad)
    if abs(sine) < 1e-6:
        return 0.0
    for low, high in blocks(start, stop):
        x, y = read(low, high)
        along = (x - ellipse.centre[0]) / ellipse.half[0]
        across = ((y - ellipse.centre[1]) / ellipse.half[1] - along * math.cos(ellipse.phase_rad)) / -sine
        off = np.sqrt(along**2 + across**2) - 1
        off = off[np.isfinite(off)]
        total, n = total + float(off @ off), n + len(off)
    return math.sqrt(total / n) if n else math.nan


def frequency_ratio(f_x: float, f_y: float) -> tuple[int, int] | None:
    """Return small whole numbers (p, q) with f_y / f_x = p / q within 0.5 %, or None."""
    if not (math.isfinite(f_x) and math.isfinite(f_y)) or f_x <= 0 or f_y <= 0:
        return None
    ratio = Fraction(f_y / f_x).limit_denominator(_LARGEST_TERM)
    near = abs(float(ratio) * f_x / f_y - 1) < 0.005
    return (ratio.numerator, ratio.denominator) if near and 0 < ratio.numerator <= _LARGEST_TERM else None
