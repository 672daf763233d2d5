"""A recording: what a file, or one time base of it, holds: raw numbers in their own type, as its reader understood it."""

from pathlib import Path
from typing import TypeAlias

import msgspec
import numpy as np

from pantelos.notice import Notice
from pantelos.record.file_numbers import FileNumbers
from pantelos.record.timing import Began, Timing, rate_of, start_of
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.sampling.pyramid import Pyramid
from pantelos.units import Unit

Samples: TypeAlias = AnyArray | FileNumbers


class RawChannel(msgspec.Struct, frozen=True, eq=False, weakref=True):
    """One column as recorded: read-only numbers, the recorder's unit, and the pyramid of the numbers."""

    name: str
    samples: Samples  # (n_samples,), any real type, usually mapped or in a file
    unit: Unit
    pyramid: Pyramid  # of the numbers as stored
    scale: float = 1.0  # the recorder's value is number * scale + zero, in `unit`
    zero: float = 0.0
    missing: int | None = None  # the number that stands for a missing sample
    skew_s: float = 0.0  # its samples were taken so much later than the recording says
    n_beyond: int = 0  # samples without a value because they were beyond the range of the recorder

    @property
    def is_state(self) -> bool:
        """Whether it holds states, which last until the next sample, rather than a waveform: nothing but 0 and 1."""
        found = self.pyramid
        ends = ((found.lows[-1], found.highs[-1]), (found.lows[0], found.highs[0]))  # the coarsest rules most others out
        return all(bool(((level == 0) | (level == 1) | np.isnan(level)).all()) for pair in ends for level in pair)

    def values(self, start: int, stop: int, gain: float, zero: float) -> FloatArray:
        """Return number * gain + zero of rows start to stop, float64, missing ones NaN; not to be written to."""
        numbers = self.samples[start:stop]
        if gain == 1.0 and not zero and numbers.dtype == np.float64 and numbers.dtype.isnative:
            return np.asarray(numbers)  # no copy where there is nothing to scale
        scaled = np.multiply(numbers, gain, dtype=np.float64)
        if zero:
            scaled += zero
        if self.missing is not None:
            scaled[np.asarray(numbers) == self.missing] = np.nan
        return scaled


class Recording(msgspec.Struct, frozen=True, eq=False):
    """What one time base of a file holds: columns of the same length, and when their samples were taken."""

    channels: tuple[RawChannel, ...]
    timing: Timing
    source: Path
    fingerprint: str  # BLAKE2b of the source file, as `b2sum -l 256` prints it
    metadata: tuple[tuple[str, str], ...] = ()  # what the header said, in its own words
    began: Began | None = None  # date and time of time zero
    told: tuple[Notice, ...] = ()  # what its reader left out, guessed or found odd

    @property
    def n_samples(self) -> int:
        """Rows of numbers."""
        return len(self.channels[0].samples)

    @property
    def start_s(self) -> float:
        """The instant of the first sample."""
        return start_of(self.timing)

    @property
    def rate_hz(self) -> float:
        """Samples per second; the highest where there are several rates."""
        return rate_of(self.timing)
