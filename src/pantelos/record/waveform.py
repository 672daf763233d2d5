"""What the rest of the program asks of anything that has one value per sample."""

from enum import IntEnum
from typing import Protocol, runtime_checkable

from pantelos.signal.arrays import FloatArray
from pantelos.units import Unit


class LeftOut(IntEnum):
    """What may have no value on purpose: it does not count as missing. Of several waveforms together the most."""

    NOTHING = 0
    ENDS = 1  # of the record, as nothing is known of what lies beyond
    SAMPLES = 2  # any, as a condition says


@runtime_checkable
class Waveform(Protocol):
    """A recorded channel or one derived by formula; samples come in coherent SI units, block by block."""

    @property
    def n_samples(self) -> int:
        """Number of samples."""

    @property
    def rate_hz(self) -> float:
        """Samples per second."""

    @property
    def unit(self) -> Unit:
        """The unit the values are shown in; values served are in SI whatever it is."""

    @property
    def masked(self) -> LeftOut:
        """What may be left out on purpose."""

    @property
    def full_scale(self) -> float | None:
        """The stated range, SI, either way; None where none is stated."""

    def read(self, start: int, stop: int) -> FloatArray:
        """Return samples start to stop, SI, shape (stop - start,); NaN where missing."""


@runtime_checkable
class Stepped(Protocol):
    """A waveform that holds a value for many samples, such as one value per cycle."""

    def step_at(self, position: float) -> float:
        """Return how many samples the value at a position is held for."""

    def held_between(self, start: float, stop: float) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Return the values held between two positions, for how many samples each, and from where on; missing ones left out."""

    def value_u_at(self, position: float) -> float:
        """Return the standard uncertainty of the method in the value at a position, SI."""
