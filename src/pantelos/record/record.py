"""Record and channel: raw numbers in their own type, scaled block by block when read."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from pantelos.errors import StudyError
from pantelos.record.scaling import Scaling
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.pyramid import Pyramid
from pantelos.units import Unit


@dataclass(frozen=True, eq=False, slots=True)
class RawChannel:
    """One column as recorded: read-only numbers, the recorder's unit, and the pyramid of the numbers."""

    name: str
    samples: AnyArray  # (n_samples,), any real type, usually memory-mapped
    unit: Unit
    pyramid: Pyramid  # of the numbers as stored
    scale: float = 1.0  # the recorder's value is number * scale + zero, in `unit`
    zero: float = 0.0


@dataclass(frozen=True, eq=False, slots=True)
class Record:
    """What was imported: channels on one uniform time base, and where they came from."""

    channels: tuple[RawChannel, ...]
    n_samples: int  # the same for every channel
    rate_hz: float
    source: Path
    fingerprint: str  # BLAKE2b of the source file, as `b2sum -l 256` prints it
    metadata: tuple[tuple[str, str], ...] = ()  # what the header said, in its own words

    @property
    def duration_s(self) -> float:
        """Length: every sample stands for one sample period."""
        return self.n_samples / self.rate_hz

    def raw(self, name: str) -> RawChannel:
        """Return the column of that name."""
        for channel in self.channels:
            if channel.name == name:
                return channel
        names = ", ".join(channel.name for channel in self.channels)
        raise StudyError(f'{self.source.name} has no column "{name}"; it has {names}.')


@dataclass(frozen=True, eq=False, slots=True)
class Channel:
    """A recorded channel behind its scaling chain; a `Waveform`."""

    name: str
    raw: RawChannel
    rate_hz: float
    unit: Unit
    gain: float
    zero: float
    full_scale: float | None

    @property
    def n_samples(self) -> int:
        """Number of samples."""
        return len(self.raw.samples)

    def read(self, start: int, stop: int) -> FloatArray:
        """Return samples start to stop in SI units, shape (stop - start,); not to be written to."""
        if self.gain == 1.0 and not self.zero and self.raw.samples.dtype == np.float64:
            return np.asarray(self.raw.samples[start:stop])  # no copy where there is nothing to scale
        scaled = np.multiply(self.raw.samples[start:stop], self.gain, dtype=np.float64)
        if self.zero:
            scaled += self.zero
        return scaled

    @property
    def pyramid(self) -> Pyramid:
        """The pyramid in SI units; a reversed channel swaps lows and highs."""
        lows, highs = (
            tuple(level * self.gain + self.zero for level in levels) for levels in (self.raw.pyramid.lows, self.raw.pyramid.highs)
        )
        return Pyramid(*((highs, lows) if self.gain < 0 else (lows, highs)), self.raw.pyramid.n_samples)


def scaled_channel(name: str, raw: RawChannel, rate_hz: float, recorder_unit: Unit, scaling: Scaling) -> Channel:
    """Return the channel `name` made of a raw column and a scaling chain."""
    gain, zero, unit = scaling.resolve(recorder_unit)
    return Channel(name, raw, rate_hz, unit, gain * raw.scale, gain * raw.zero + zero, scaling.full_scale(recorder_unit))
