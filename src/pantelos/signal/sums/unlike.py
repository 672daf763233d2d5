"""Which of many values are unlike the others."""

import numpy as np

from pantelos.signal.arrays import AnyArray, FloatArray

_UNLIKE = 5.0  # robust standard deviations from the median
_MEDIAN_OF_NORMAL = 0.6745  # median of the distances from the mean, in standard deviations
_FEWEST = 6  # values that say what is usual


def unlike_the_others(values: FloatArray, own: FloatArray | float = 0.0) -> tuple[AnyArray, float]:
    """Return which values (n,) are far from the median as scatter about it goes, as a mask (n,), and the median.

    What lies within its own ± is not told apart; of fewer than six values none is. Scatter is the median of the distances from
    the median, as a standard deviation (F. R. Hampel, J. Am. Stat. Assoc. 69 (1974), 383).
    """
    if len(values) < _FEWEST:
        return np.zeros(len(values), dtype=bool), float(np.median(values)) if len(values) else float("nan")
    middle = float(np.median(values))
    spread = float(np.median(np.abs(values - middle))) / _MEDIAN_OF_NORMAL
    return np.abs(values - middle) > _UNLIKE * np.maximum(np.maximum(spread, own), 1e-9 * abs(middle)), middle
