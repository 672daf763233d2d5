"""The band a wave is drawn as: lowest and highest per picture column, without beats between columns and cycles.

A column that holds a part of a cycle shows that part: at half a cycle a column a steady wave comes and goes over the
picture. So where the drawn line swings within a few columns, valleys of its upper edge and hills of its lower edge that
are shorter than a swing are closed (grey-scale closing and opening, as in mathematical morphology: J. Serra, Image
Analysis and Mathematical Morphology, 1982). That widens nothing: a spike stays as high and as narrow as it is, a step
stays where it is.
"""

import numpy as np

from pantelos.signal.arrays import FloatArray
from pantelos.signal.sampling.pyramid import BUCKET

_FINE = 4  # parts a column is looked at in, where its samples are read
_SWINGS_SEEN = 5  # columns: what swings slower is seen swinging
_LOCAL = 8  # columns over which a level and a swing are told
_WIDTHS = (3, 6, 11, 21)  # parts that are closed over: a swing and one more
_LONGEST = (2, 5, 10, 20)  # parts of the longest swing for each


def parts_of_column(samples_per_column: float) -> int:
    """Return how many parts a picture column is looked at in, so that it costs no more samples than the column itself."""
    return _FINE if samples_per_column < BUCKET else int(np.clip(samples_per_column // BUCKET, 1, _FINE))


def drawn_bands(lows: FloatArray, highs: FloatArray, n_parts: int) -> tuple[FloatArray, FloatArray]:
    """Return lowest and highest per picture column, shape (n,) each, of a wave that swings within columns or a few of them.

    Parameters
    ----------
    lows, highs : lowest and highest per part of a column, shape (n * n_parts,); NaN where there is nothing
    """
    swing = _swings(0.5 * (lows + highs), n_parts)
    upper, lower = highs, lows
    for width, longest, shorter in zip(_WIDTHS, _LONGEST, (0, *_LONGEST), strict=False):
        here = (swing > shorter) & (swing <= min(longest, _SWINGS_SEEN * n_parts))
        if here.any():
            upper = np.where(here, _closed(highs, width), upper)
            lower = np.where(here, -_closed(-lows, width), lower)
    gone = np.isnan(highs)
    upper, lower = np.where(gone, np.nan, np.fmax(upper, highs)), np.where(gone, np.nan, np.fmin(lower, lows))
    return np.fmin.reduce(lower.reshape(-1, n_parts), axis=1), np.fmax.reduce(upper.reshape(-1, n_parts), axis=1)


def bands_of_samples(x: FloatArray, n_columns: int) -> tuple[FloatArray, FloatArray]:
    """Return lowest and highest per picture column of samples at hand, shape (n,), two of them a column at least."""
    parts = parts_of_column(len(x) / n_columns)
    starts = np.linspace(0, len(x), n_columns * parts + 1).astype(np.intp)[:-1]
    return drawn_bands(np.fmin.reduceat(x, starts), np.fmax.reduceat(x, starts), parts)


def _swings(middles: FloatArray, n_parts: int) -> FloatArray:
    """Return the period, in parts, with which middles go up and down around their own local level; infinite where they do not."""
    known = np.isfinite(middles)
    level = _moving_sum(np.where(known, middles, 0.0), _LOCAL * n_parts) / np.maximum(_moving_sum(known, _LOCAL * n_parts), 1)
    above = np.where(known, middles, level) > level
    crossings = np.zeros(len(middles))
    crossings[1:] = above[1:] != above[:-1]
    span = 2 * _LOCAL * n_parts
    seen = _moving_sum(np.ones(len(middles)), span)
    counted = _moving_sum(crossings, span)
    return np.asarray(np.divide(2.0 * seen, counted, out=np.full(len(middles), np.inf), where=counted > 3))


def _moving_sum(values: FloatArray, width: int) -> FloatArray:
    """Return the sums over `width` values around each, fewer at the ends."""
    total = np.concatenate([[0.0], np.cumsum(values)])
    at = np.arange(len(values))
    return np.asarray(total[np.minimum(at + width - width // 2, len(values))] - total[np.maximum(at - width // 2, 0)])


def _closed(values: FloatArray, width: int) -> FloatArray:
    """Return values with every valley shorter than `width` filled to the lower of its two rims."""
    nothing = np.full(width - 1, np.nan)
    dilated = -_least(-np.concatenate([nothing, values, nothing]), width)
    inner = dilated.copy()
    inner[: width - 1], inner[len(values) :] = dilated[width - 1], dilated[len(values) - 1]
    return _least(inner, width) if len(values) >= width else values


def _least(values: FloatArray, width: int) -> FloatArray:
    """Return the least of every `width` neighbours, shape (len(values) - width + 1,), in steps that double."""
    reached = 1
    while reached < width:
        step = min(reached, width - reached)
        values = np.fmin(values[:-step], values[step:])
        reached += step
    return values
