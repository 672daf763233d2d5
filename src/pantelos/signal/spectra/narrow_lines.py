"""Lines around one frequency of a very long stretch: turned back by the line in the middle, and summed in blocks.

Within a block the lines looked at hardly turn: the sum of a block stands at its middle, and is too small by less than 3e-7.
"""

import math

import numpy as np

from pantelos.signal.arrays import ComplexArray, FloatArray, Reader
from pantelos.signal.validity import with_short_gaps_filled

_BLOCKS = 1 << 16
_CHUNK = 1 << 20  # samples read at a time
_LOOKED_AT = 1 << 20  # samples in the middle that tell of tones far away
_MAIN_LOBE = 5  # lines of them


def lines_around(
    read: Reader, start: int, n: int, weights: tuple[float, ...], middle: int, low: int, high: int
) -> tuple[ComplexArray, FloatArray] | None:
    """Return rms phasors of lines low to high at the middle of a stretch, (n_channels, high - low), and the largest tone beyond.

    None where samples are missing. Line k is k / n of the sample rate; the window is a cosine sum.
    """
    block = -(-n // _BLOCKS)
    step = max(_CHUNK // block, 1) * block
    at = np.arange(step)
    turns = np.exp(-2j * math.pi * middle / n * at)
    cosines = [np.exp(2j * math.pi * m / n * at) for m in range(len(weights))]
    sums = []
    for first in range(0, n, step):
        x = with_short_gaps_filled(read(start + first, start + min(first + step, n)))
        if np.isnan(x).any():
            return None
        length = x.shape[-1]
        window = np.zeros(length)
        for m, a in enumerate(weights):
            window += (-1) ** m * a * (cosines[m][:length] * np.exp(2j * math.pi * m * first / n)).real
        turned = x * (window * turns[:length] * np.exp(-2j * math.pi * middle * first / n))
        turned = np.pad(turned, ((0, 0), (0, -length % block)))
        sums.append(turned.reshape(len(x), -1, block).sum(axis=-1))
    found = np.concatenate(sums, axis=-1)
    middles = (np.arange(found.shape[-1]) + 0.5) * block - 0.5
    lines = np.arange(low, high)
    scale = math.sqrt(2) / (n * weights[0])
    data = scale * (found @ np.exp(-2j * math.pi / n * np.outer(middles, lines - middle))) * np.exp(1j * math.pi * lines)
    near = np.abs(np.fft.fft(found)) * scale
    reach, half = max(high - middle, middle - low + 1), near.shape[-1] // 2
    below = min(middle - len(weights), half)  # further down come the images of all tones
    beyond = near[:, reach:half].max(axis=1, initial=0.0)
    if below > reach:
        beyond = np.maximum(beyond, near[:, -below:-reach].max(axis=1, initial=0.0))
    return np.asarray(data), np.maximum(beyond, _far_away(read, start, n, weights, middle, reach))


def _far_away(read: Reader, start: int, n: int, weights: tuple[float, ...], middle: int, reach: int) -> FloatArray:
    """Return the largest tone further than `reach` lines from line `middle`, rms of each channel, seen half way through."""
    length = min(n, _LOOKED_AT)
    begin = start + (n - length) // 2
    x = with_short_gaps_filled(read(begin, begin + length))
    turn = 2 * math.pi / length * np.arange(length)
    window = sum((-1) ** m * a * np.cos(m * turn) for m, a in enumerate(weights))
    sizes = np.abs(np.fft.rfft((x - x.mean(axis=-1, keepdims=True)) * window)) * (math.sqrt(2) / (length * weights[0]))
    here = round(middle * length / n)
    beside = max(_MAIN_LOBE, math.ceil(reach * length / n))
    sizes[:, max(here - beside, 0) : here + beside + 1] = 0.0
    return np.asarray(sizes.max(axis=1, initial=0.0))
