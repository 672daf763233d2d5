"""What is not like the rest: values far from the usual, the steepest changes, stretches unlike the others."""

import math

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import AnyArray, FloatArray, Reader, median
from pantelos.signal.sums.integrals import blocks

_SIGMA_PER_MAD = 1.4826  # for a normal distribution
_LOOKED_AT = 1 << 16  # samples from which the usual is told
_BANDS = 8  # of the spectrum, an octave each


def usual(read: Reader, start: int, stop: int) -> tuple[float, float]:
    """Return median and robust standard deviation (from the median absolute deviation) of a stretch.

    Of a long one 2^16 samples in 64 places are looked at.
    """
    n_parts = 64
    size = max(_LOOKED_AT // n_parts, 1)
    if stop - start <= _LOOKED_AT:
        x = np.asarray(read(start, stop))
    else:
        firsts = np.linspace(start, stop - size, n_parts).astype(np.int64)
        x = np.concatenate([read(int(first), int(first) + size) for first in firsts])
    x = x[~np.isnan(x)]
    if not len(x):
        return math.nan, math.nan
    middle = median(x)
    return middle, _SIGMA_PER_MAD * median(np.abs(x - middle))


def steepest(read: Reader, start: int, stop: int, n_wanted: int, apart: float, progress: Progress | None = None) -> FloatArray:
    """Return the positions of the largest changes from one sample to the next, at least `apart` samples from each other.

    A position lies between the two samples; they are in rising order.
    """
    places: list[AnyArray] = []
    sizes: list[AnyArray] = []
    keep = max(64 * n_wanted, 1024)
    for low, high in blocks(start, stop):
        change = np.abs(np.diff(read(low, min(high + 1, stop))))
        change = np.where(np.isnan(change), -1.0, change)
        best = np.argpartition(change, -keep)[-keep:] if len(change) > keep else np.arange(len(change))
        places.append(low + best)
        sizes.append(change[best])
        if progress is not None:
            progress.at((high - start) / (stop - start))
    if not places:
        return np.zeros(0)
    at, size = np.concatenate(places), np.concatenate(sizes)
    chosen: list[float] = []
    for k in np.argsort(-size, kind="stable").tolist():
        if size[k] <= 0 or len(chosen) == n_wanted:
            break
        place = float(at[k]) + 0.5
        if all(abs(place - other) >= max(apart, 1.0) for other in chosen):
            chosen.append(place)
    return np.array(sorted(chosen))


class Stretches(msgspec.Struct, frozen=True, eq=False):
    """Consecutive stretches of one length and how far each is from the usual, in robust standard deviations."""

    starts: FloatArray  # (n_stretches,), samples
    scores: FloatArray  # (n_stretches,), at least 0
    features: FloatArray  # (n_stretches, n_features)

    def unlike(self, threshold: float) -> FloatArray:
        """Return where the stretches begin whose score is above a threshold."""
        return np.asarray(self.starts[self.scores > threshold])


def stretches(read: Reader, start: int, stop: int, length: float, progress: Progress | None = None) -> Stretches:
    """Return how unlike the others each stretch is: by mean, rms, crest factor, peak-to-peak and the shape of its spectrum.

    Every feature is compared with its own median and spread over all stretches; the score is the largest distance.
    The spread is not taken below 0.1 % of the feature's size, so that a steady record is not unlike itself.
    """
    count = int((stop - start) // length)
    starts = np.asarray(start + length * np.arange(count), dtype=np.float64)
    rows = []
    for k in range(count):
        rows.append(features(np.asarray(read(int(starts[k]), int(starts[k] + length)))))
        if progress is not None and k % 64 == 0:
            progress.at(k / count)
    found = np.array(rows) if rows else np.zeros((0, 4 + _BANDS))
    return Stretches(starts, scores(found), found)


def scores(found: FloatArray) -> FloatArray:
    """Return the largest robust distance of each row from the median row, (n_rows,); 0 below four rows."""
    if len(found) < 4:
        return np.zeros(len(found))
    given = np.where(np.isfinite(found), found, np.nan)
    with np.errstate(all="ignore"):
        middle = np.nan_to_num(np.nanmedian(given, axis=0))
        away = np.abs(np.nan_to_num(given - middle))
        size = np.nanmax(np.abs(np.nan_to_num(given)), axis=0)
    spread = np.maximum(_SIGMA_PER_MAD * np.median(away, axis=0), 1e-3 * size)
    with np.errstate(divide="ignore", invalid="ignore"):
        distance = np.where(spread > 0, away / spread, 0.0)
    return np.asarray(distance.max(axis=1))


def features(x: FloatArray) -> FloatArray:
    """Return mean, ac rms, crest factor, peak-to-peak and the share of the spectrum per octave of one stretch."""
    x = x[~np.isnan(x)]
    if len(x) < 8:
        return np.full(4 + _BANDS, np.nan)
    mean = float(x.mean())
    moved = x - mean
    rms = math.sqrt(float(moved @ moved) / len(x))
    peak = float(np.abs(moved).max())
    lines = np.abs(np.fft.rfft(moved * np.hanning(len(x)))) ** 2
    edges = np.unique(np.concatenate(([1], (len(lines) / 2.0 ** np.arange(_BANDS - 1, -1, -1)).astype(np.intp))))
    bands = np.zeros(_BANDS)
    sums = np.add.reduceat(lines, edges[:-1]) if len(edges) > 1 else np.zeros(0)
    bands[: len(sums)] = np.sqrt(sums / max(float(lines.sum()), 1e-300))
    return np.concatenate(([mean, rms, peak / rms if rms > 0 else 0.0, float(np.ptp(x))], bands))
