"""The shots of a recording beside each other: outline and peaks of each, and which are unlike the others."""

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray
from pantelos.signal.sampling.bands import bands_of_samples
from pantelos.signal.sums.unlike import unlike_the_others

COLUMNS = 480  # of an outline
_MOST = 1000  # outlines that are kept
_ALIKE = 0.002  # of a peak: a fifth of a percent, by five standard deviations, is no odd shot


class ShotSeen(msgspec.Struct, frozen=True, eq=False):
    """One shot that is whole."""

    number: int  # from 1 on
    at_s: float  # of its start, from the beginning of the recording on
    alone: bool  # it started without an edge
    lows: FloatArray  # (n_channels, COLUMNS), SI
    highs: FloatArray
    peaks: FloatArray  # (n_channels,): the value farthest from 0, with its sign


class ShotsSeen:
    """All of them, in order; filled by the recording's thread, looked at by any."""

    def __init__(self) -> None:
        self._all: tuple[ShotSeen, ...] = ()
        self._band: tuple[FloatArray, FloatArray] | None = None

    @property
    def all(self) -> tuple[ShotSeen, ...]:
        """The shots that are whole; of very many the last ones."""
        return self._all

    @property
    def band(self) -> tuple[FloatArray, FloatArray] | None:
        """Lowest and highest value of all shots at each place of a shot, (n_channels, COLUMNS), SI; None before the second."""
        return self._band if len(self._all) > 1 else None

    def add(self, number: int, at_s: float, alone: bool, values: FloatArray) -> None:
        """Take a shot, values (n_channels, n_samples), SI."""
        outlines = [bands_of_samples(one, COLUMNS) for one in values]
        lows, highs = (np.array([ends[k] for ends in outlines]) for k in (0, 1))
        peaks = np.array([one[np.argmax(np.abs(one))] for one in values])
        known = self._band
        self._band = (np.fmin(known[0], lows), np.fmax(known[1], highs)) if known is not None else (lows, highs)
        self._all = (*self._all[-_MOST + 1 :], ShotSeen(number, at_s, alone, lows, highs, peaks))

    def odd(self, channel: int) -> frozenset[int]:
        """Return the numbers of the shots whose peak of a channel is unlike that of the others."""
        seen = self._all
        peaks = np.array([abs(float(one.peaks[channel])) for one in seen])
        mask, _ = unlike_the_others(peaks, _ALIKE * float(np.median(peaks)) if len(peaks) else 0.0)
        return frozenset(one.number for one, odd in zip(seen, mask.tolist(), strict=True) if odd)
