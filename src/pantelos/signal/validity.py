"""The one rule for missing samples: sums and means run over what is valid; too little of it, and nothing is given.

An instant is valid where all that enters a number is valid. Means are taken over the valid part. Below a coverage of 0.95
(our choice, no standard) a value is not given. What needs every sample (spectra, phasors) gets short gaps of up to three
samples filled, and says so; longer ones leave it without a value. Energy counts a gap as nothing and tells how long it was.
"""

import math

import numpy as np

from pantelos.signal.arrays import BLOCK, FloatArray, Reader

MIN_COVERAGE = 0.95
LONGEST_FILLED = 3  # samples


def given(values: FloatArray, coverage: FloatArray) -> FloatArray:
    """Return values (...), NaN where their coverage (...), 0 to 1, is too small."""
    return np.asarray(np.where(coverage >= MIN_COVERAGE - 1e-12, values, np.nan))


def too_little(coverage: float) -> str:
    """Return why a value of that coverage is not given."""
    return f"{100 * (1 - coverage):.3g} % of the samples are missing, more than {100 * (1 - MIN_COVERAGE):.0f} %"


def jointly_valid(x: FloatArray) -> FloatArray:
    """Return channels (n_channels, n) with every instant missing in all of them where it is missing in one."""
    missing = np.isnan(x.sum(axis=0))
    return np.where(missing, np.nan, x) if missing.any() else x


def defined_between(read: Reader, start: float, stop: float, n_samples: int) -> tuple[float, float]:
    """Return a stretch, samples, without what is not defined at the ends of a record: curves that need samples beyond them.

    Only where it reaches up to an end of the record, and the first or last sample of a channel there is missing.
    """
    first, end = max(math.ceil(start - 1e-6), 0), min(math.ceil(stop - 1e-6), n_samples)
    if first == 0 and end > 0 and _any_missing(read(0, 1)):
        first = _first_given(read, end)
        start = float(first)
    if end == n_samples and end > first and _any_missing(read(end - 1, end)):
        stop = float(n_samples - _first_given(lambda a, b: read(n_samples - b, n_samples - a)[..., ::-1], n_samples - first))
    return start, max(stop, start)


def _any_missing(x: FloatArray) -> bool:
    return bool(np.isnan(x).any())


def _first_given(read: Reader, n: int) -> int:
    """Return the first of `n` samples that is given in all channels; `n` where none is."""
    for low in range(0, n, BLOCK):
        x = read(low, min(low + BLOCK, n))
        given_here = np.flatnonzero(~np.isnan(x.reshape(-1, x.shape[-1]).sum(axis=0)))
        if len(given_here):
            return low + int(given_here[0])
    return n


def with_short_gaps_filled(x: FloatArray) -> FloatArray:
    """Return channels (..., n) with runs of up to three missing samples filled by a cubic through two samples either side."""
    if not np.isnan(x.sum()):
        return x
    filled = np.array(x)
    for row in filled.reshape(-1, x.shape[-1]):
        gone = np.isnan(row)
        edges = np.flatnonzero(np.diff(np.concatenate(([0], gone.astype(np.int8), [0]))))
        for start, stop in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
            around = np.array([start - 2, start - 1, stop, stop + 1])
            if stop - start > LONGEST_FILLED or around[0] < 0 or around[-1] >= len(row) or np.isnan(row[around]).any():
                continue
            centre = 0.5 * (start + stop - 1)
            row[start:stop] = np.polyval(np.polyfit(around - centre, row[around], 3), np.arange(start, stop) - centre)
    return filled
