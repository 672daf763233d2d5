"""Readings of one component, chosen by its frequency: it needs no cycles, and stands beside other tones and in noise."""

import math
from collections.abc import Callable
from typing import TypeAlias

import numpy as np

from pantelos.reading.reading import Measure, Measured, Stretch, where_defined
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import Reader
from pantelos.signal.cycles.window import samples_between
from pantelos.signal.spectra.components import LONGEST, Component, component_near

_SAID_TONES = 3
# From a component, the start of the stretch and the rate to a value and its standard uncertainty.
Pick: TypeAlias = Callable[[Component, float, float], tuple[float, float]]


def of_component(pick: Pick) -> Measure:
    """Return a reading of the component nearest a frequency, the first setting: (value, uncertainty) of it."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        return at_frequency(waves, stretch, stretch.numbers[0], pick)

    return measure


def at_frequency(waves: list[Waveform], stretch: Stretch, f: float, pick: Pick) -> Measured:
    """Return what is picked of the component nearest a frequency, Hz; the pick is given the start of the stretch and the rate."""
    stretch, rate = where_defined(waves, stretch), waves[0].rate_hz
    used = samples_between(stretch.start, stretch.stop)
    if not f > 0:
        return Measured(math.nan, used, why_not="a frequency above zero is asked for")
    found = component_near(stacked(waves), used.first, used.end, rate, f)
    if isinstance(found, str):
        return Measured(math.nan, used, why_not=found)
    value, method_u = pick(found, stretch.start, rate)
    return Measured(value, used, method_u=method_u, remarks=said_of(found, used.end - used.first))


def said_of(found: Component, n_samples: int) -> tuple[str, ...]:
    """Return what a review should know of a component: where it stands, and beside what."""
    said = [f"the component at {found.frequency_hz:.7g} Hz ± {2 * found.frequency_u_hz:.2g} Hz"]
    if found.others_hz:
        tones = ", ".join(f"{f:.5g} Hz" for f in found.others_hz[:_SAID_TONES])
        more = f" and {len(found.others_hz) - _SAID_TONES} more" if len(found.others_hz) > _SAID_TONES else ""
        said.append(f"fitted together with {tones}{more}")
    if n_samples > LONGEST:
        said.append(f"from the {LONGEST} samples in the middle")
    return tuple(said)


def stacked(waves: list[Waveform]) -> Reader:
    """Return a reader of several waveforms, shape (n_waves, n)."""
    return lambda a, b: np.stack([wave.read(a, b) for wave in waves])


def rms(found: Component, at: float, rate_hz: float) -> tuple[float, float]:
    """Return its rms and standard uncertainty."""
    return float(np.abs(found.phasors[0])), float(found.rms_u[0])


def frequency(found: Component, at: float, rate_hz: float) -> tuple[float, float]:
    """Return its frequency, Hz, and standard uncertainty."""
    return found.frequency_hz, found.frequency_u_hz


def phase(found: Component, at: float, rate_hz: float) -> tuple[float, float]:
    """Return its phase as a sine at the start of the stretch, rad, and standard uncertainty."""
    return found.phase_of(0, at, rate_hz)


def phase_between(found: Component, at: float, rate_hz: float) -> tuple[float, float]:
    """Return the angle of the first waveform against the second, rad, and standard uncertainty."""
    return found.phase_between()


def gain(found: Component, at: float, rate_hz: float) -> tuple[float, float]:
    """Return the rms of the first waveform over that of the second, and standard uncertainty."""
    sizes = np.abs(found.phasors)
    value = float(sizes[0] / sizes[1])
    return value, value * math.hypot(*(found.rms_u / sizes).tolist())
