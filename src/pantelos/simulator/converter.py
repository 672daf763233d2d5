"""From volts at the inputs to the numbers of a converter of 16 bits: coupling, noise, offset, range, clipping."""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray, FloatArray

RANGES_V = (0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0)
LARGEST_CLOCK_PPM = 10_000.0
END = 32_767  # of the converter, on either side
_HUM_V, _HUM_HZ = 0.0002, 50.0  # that an input catches which is not differential


class InputSettings(msgspec.Struct, frozen=True):
    """How one input is set."""

    on: bool = False
    range_v: float = 10.0
    coupling: str = "DC"
    type: str = "BALanced"  # UNBalanced: not differential

    @property
    def step_v(self) -> float:
        """Volts from one number to the next."""
        return self.range_v / (END + 1)


class Flaws(msgspec.Struct, frozen=True):
    """What is not ideal: of all inputs."""

    noise_v: float = 0.0002  # rms
    offset_v: float = 0.0
    clock_ppm: float = 0.0
    memory: int = 64 << 20  # bytes of rows that are kept until they are fetched


def converted(volts: FloatArray, first: int, rate_hz: float, settings: list[InputSettings], flaws: Flaws, seed: int) -> AnyArray:
    """Return the numbers of the inputs that are on, (n_rows, n_on), of volts (n_rows, n_inputs) from sample `first` on."""
    at = [k for k, one in enumerate(settings) if one.on]
    found = np.empty((len(volts), len(at)), dtype="<i2")
    chance = np.random.default_rng((seed, first))
    for column, k in enumerate(at):
        one = settings[k]
        x = volts[:, k] + flaws.offset_v
        if flaws.noise_v:
            x = x + flaws.noise_v * chance.standard_normal(len(x), dtype=np.float32)
        if one.type == "UNBalanced":
            x = x + _HUM_V * np.sin(2 * math.pi * _HUM_HZ / rate_hz * (first + np.arange(len(x))))
        found[:, column] = np.clip(np.rint(x / one.step_v), -END, END)
    return found
