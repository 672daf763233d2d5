"""Even points of a signal, about as far apart as its samples, through the quintic B-spline of the samples as they are."""

import math

import numpy as np

from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.compiled import compiled
from pantelos.signal.sampling.interpolation import QUINTIC

BEFORE, AFTER = 2, 3  # samples that a point between two takes from before the one below it, and from behind
SINGLE = np.float32
_SPLINE = np.ascontiguousarray(QUINTIC.T, dtype=SINGLE)
_ROUNDING = 1e-6  # samples
_STRETCH = 512  # points at most that are made together


def even_points(x: FloatArray, mean: FloatArray, starts: FloatArray, steps: FloatArray, into: AnyArray) -> None:
    """Fill in points from each of `starts` on, `steps` apart, samples, of what samples differ from a mean, in single precision.

    Parameters
    ----------
    x : array (n_rows, n_samples)
    mean : array (n_rows,)
    starts, steps : arrays (n_windows,); steps are nearly one; 2 samples lie before the first point, and 3 behind the last
    into : array (n_rows, n_windows, n_points)

    Raises
    ------
    IndexError
        When points lie beyond the samples that they are drawn through.
    """
    last = starts + steps * (into.shape[2] - 1)
    if len(starts) and (starts.min() < BEFORE or math.floor(last.max() + _ROUNDING) + AFTER >= x.shape[1]):
        raise IndexError("points lie beyond the samples they are drawn through")
    x, mean, starts, steps = (np.ascontiguousarray(one, dtype=np.float64) for one in (x, mean, starts, steps))
    _drawn(x, mean, starts, steps, _SPLINE, into)


@compiled("void(float64[:, ::1], float64[::1], float64[::1], float64[::1], float32[:, ::1], float32[:, :, ::1])")
def _drawn(x: FloatArray, mean: FloatArray, starts: FloatArray, steps: FloatArray, spline: AnyArray, into: AnyArray) -> None:
    n_taps, n_points = spline.shape[0], into.shape[2]
    between, shares = np.empty(_STRETCH, SINGLE), np.empty((n_taps, _STRETCH), SINGLE)
    beside = np.empty(_STRETCH + n_taps - 1, SINGLE)
    for at in range(len(starts)):
        drift, first = steps[at] - 1.0, 0
        while first < n_points:
            # As long as points keep pace with the samples, each one begins one sample further.
            place = starts[at] + first * steps[at]
            below = math.floor(place)
            part, n = place - below, min(n_points - first, _STRETCH)
            if drift > 0:
                n = min(n, int((1.0 - part) / drift) + 1)
            elif drift < 0:
                n = min(n, int(part / -drift) + 1)
            for k in range(n):
                between[k] = part + k * drift
            for tap in range(n_taps):
                c0, c1, c2, c3, c4, c5 = spline[tap]
                for k in range(n):
                    t = between[k]
                    shares[tap, k] = c0 + t * (c1 + t * (c2 + t * (c3 + t * (c4 + t * c5))))
            w0, w1, w2, w3, w4, w5 = shares
            for row in range(x.shape[0]):
                samples, points = x[row, below - 2 : below + n + 3], into[row, at, first : first + n]
                for k in range(n + n_taps - 1):
                    beside[k] = samples[k] - mean[row]
                for k in range(n):
                    points[k] = (
                        w0[k] * beside[k] + w1[k] * beside[k + 1] + w2[k] * beside[k + 2]
                        + w3[k] * beside[k + 3] + w4[k] * beside[k + 4] + w5[k] * beside[k + 5]
                    )  # fmt: skip
            first += n
