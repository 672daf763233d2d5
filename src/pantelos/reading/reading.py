"""What a reading is, and what kinds there are to be registered."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from itertools import pairwise
from typing import TypeAlias

import numpy as np

from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles import Cycles
from pantelos.signal.window import Window, evaluation_window, samples_between
from pantelos.units import Unit

MIN_COVERAGE = 0.95  # below this share of valid samples a reading is not given (our choice, no standard)
LOW_SIGNAL_SHARE = 1e-3  # of the stated range: ratios and angles of anything smaller are not given


@dataclass(frozen=True, eq=False, slots=True)
class Stretch:
    """Where a reading is taken: an interval in samples, the cycles it is bound to, the orders wanted."""

    start: float
    stop: float
    cycles: Cycles | None
    highest_order: int = 50
    origin_s: float = 0.0  # instant of sample 0

    @property
    def whole_cycles(self) -> Window:
        """The whole cycles of the reference inside, or all samples where there is no reference."""
        return evaluation_window(self.cycles, self.start, self.stop)

    @property
    def samples(self) -> Window:
        """All samples inside."""
        return samples_between(self.start, self.stop)


@dataclass(frozen=True, slots=True)
class Reading:
    """A scalar with everything a review asks for. `value` is in SI; NaN when it is not defined."""

    value: float
    unit: Unit
    window: Window
    method: str
    coverage: float = 1.0
    origin_s: float = 0.0  # instant of sample 0

    def place(self, rate_hz: float) -> str:
        """Return the stretch really used, in words."""
        start, stop = (self.origin_s + edge / rate_hz for edge in (self.window.start, self.window.stop))
        span = f"{start:.6f} s to {stop:.6f} s"
        cycles = f", {self.window.n_cycles} whole cycles" if self.window.n_cycles else ", all samples"
        return span + cycles


class Group(StrEnum):
    """Where lists of readings put a kind."""

    AMPLITUDE = "amplitude"
    ALTERNATING = "alternating"
    PULSE = "pulse and step"
    TREND = "trend and sum"
    SAMPLES = "samples and time"


Measured: TypeAlias = tuple[float, Window, float]  # value, window used, share of it that is valid
Measure: TypeAlias = Callable[[list[Waveform], Stretch], Measured]
# From value, noise per sample (rms, SI), waveforms, stretch and window used to the standard uncertainty that noise causes.
NoiseRule: TypeAlias = Callable[[float, float, list[Waveform], Stretch, Window], float]


def no_noise(value: float, sigma: float, waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return 0: noise does not reach this reading to first order."""
    return 0.0


def averaged(value: float, sigma: float, waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return the noise of a mean over independent samples, σ / sqrt(N)."""
    return sigma / math.sqrt(max(window.stop - window.start, 1.0))


def of_one_sample(value: float, sigma: float, waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return the noise of a single sample."""
    return sigma


def of_two_samples(value: float, sigma: float, waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return the noise of a difference of two samples."""
    return sigma * math.sqrt(2.0)


@dataclass(frozen=True, slots=True)
class ReadingKind:
    """One entry of the registry: the function name in formulas, how it is titled, computed and explained."""

    name: str
    title: str
    arguments: tuple[str, ...]
    help: str
    method: str
    unit: Callable[[Unit], Unit]  # from the unit of the first argument
    measure: Measure
    example: str
    group: Group
    source: str = "textbook definition"  # the standard that defines it
    own_cycles: bool = False  # bound to the cycles of the channel itself, not of the reference
    per_cycle: Callable[[list[Waveform], Cycles], FloatArray] | None = None  # (n_cycles,), SI; None: cycle by cycle
    degree: int | None = None  # grows with the waveform to this power; None where only trying tells
    shift: float | None = None  # moves by this much of a shift of the waveform; None where only trying tells
    timed: bool = False  # depends on the time base
    noise: NoiseRule = no_noise

    def series(self, waves: list[Waveform], cycles: Cycles) -> FloatArray:
        """Return one value per cycle, (n_cycles,), SI; NaN where it is not defined."""
        if self.per_cycle is not None:
            return self.per_cycle(waves, cycles)
        edges = np.ceil(cycles.crossings).tolist()
        return np.array([self.measure(waves, Stretch(a, b, None))[0] for a, b in pairwise(edges)])


def take(kind: ReadingKind, waves: list[Waveform], stretch: Stretch) -> Reading:
    """Return one reading; not given (NaN) where too much of the stretch is missing.

    Samples that a formula masks with `where` were left out on purpose and do not count as missing.
    """
    value, window, coverage = kind.measure(waves, stretch)
    masked = any(getattr(wave, "masked", False) for wave in waves)
    if coverage < MIN_COVERAGE and not masked and kind.group is not Group.SAMPLES:
        value = float("nan")
    rule = f", {window.rule} rule"
    return Reading(value, kind.unit(waves[0].unit), window, kind.method.replace("{rule}", rule), coverage, stretch.origin_s)
