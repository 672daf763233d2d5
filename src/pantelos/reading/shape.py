"""Readings of steps, pulses, trends and of the samples themselves."""

import math
from collections.abc import Callable, Sequence

import numpy as np

from pantelos.reading.amplitude import found_extremes
from pantelos.reading.reading import Measure, Measured, Stretch
from pantelos.record.clipping import clipped_between
from pantelos.record.record import Channel
from pantelos.record.waveform import Waveform
from pantelos.signal.distribution import levels
from pantelos.signal.integrals import integral_at, n_missing
from pantelos.signal.level_search import Crossings
from pantelos.signal.pulses import Pulses, pulses, reference_crossings, settling, transition_times
from pantelos.signal.trend import trend
from pantelos.signal.window import Window

SETTLED_WITHIN = 0.02  # of the step


def transition(rising: bool) -> Measure:
    """Return the mean duration of the transitions between 10 % and 90 % of the amplitude, s."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        wave, window = waves[0], stretch.samples
        found, _ = found_extremes(wave, stretch)
        if not found.high > found.low:
            return Measured(math.nan, window, found.coverage, "it does not change")
        times = transition_times(wave.read, window.first, window.end, levels(wave.read, window.first, window.end), rising)
        if not len(times):
            return Measured(math.nan, window, found.coverage, "no whole transition lies in the interval")
        return Measured(float(times.mean()) / wave.rate_hz, window, found.coverage)

    return measure


def crossings_at_half(wave: Waveform, window: Window) -> Crossings:
    """Return the crossings of the middle between base and top."""
    found = levels(wave.read, window.first, window.end)
    if not abs(found.amplitude) > 0:
        return Crossings(np.zeros(0), np.zeros(0, dtype=bool))
    return reference_crossings(wave.read, window.first, window.end, found)


def of_pulses(pick: Callable[[Pulses, float], float]) -> Measure:
    """Return a reading of the whole periods inside, from rise to rise; `pick` is given pulses and sample rate."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        window = stretch.samples
        found = pulses(crossings_at_half(waves[0], window))
        if not len(found.periods):
            return Measured(math.nan, window, why_not="no whole period from rise to rise lies in the interval")
        return Measured(pick(found, waves[0].rate_hz), window)

    return measure


def edge_frequency(found: Pulses, rate_hz: float) -> float:
    """Return periods over their time."""
    return len(found.periods) / float(found.periods.sum()) * rate_hz


def settling_time(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the time from the start of the stretch until the waveform stays within 2 % of its step around the final value, s."""
    wave, window = waves[0], stretch.samples
    found = settling(wave.read, window.first, window.end, SETTLED_WITHIN)
    seconds = (found.settled_at - stretch.start) / wave.rate_hz
    return Measured(seconds, window, why_not="" if math.isfinite(seconds) else "it does not settle within the interval")


def time_of(highest: bool) -> Measure:
    """Return the instant of the first largest or smallest sample, s of the record."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found, window = found_extremes(waves[0], stretch)
        if not found.n_valid:
            return Measured(math.nan, window, found.coverage, "there is no sample")
        at = found.high_at if highest else found.low_at
        return Measured(stretch.origin_s + at / waves[0].rate_hz, window, found.coverage)

    return measure


def area(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the integral over the stretch by trapezoids with fractional ends."""
    (wave,) = waves
    window = stretch.samples
    totals, coverage = integral_at(wave.read, np.array([stretch.start, stretch.stop]), wave.n_samples)
    return Measured(float(totals[1]) / wave.rate_hz, window, float(coverage))


def slope(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the slope of the least-squares line, per second."""
    (wave,) = waves
    window = stretch.samples
    return Measured(trend(wave.read, window.first, window.end).slope * wave.rate_hz, window)


def slope_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to a slope: σ sqrt(12 / N³), per second."""
    n = max(window.stop - window.start, 2.0)
    return sigmas[0] * math.sqrt(12.0 / n**3) * waves[0].rate_hz


def duration(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the length of the interval, s."""
    return Measured((stretch.stop - stretch.start) / waves[0].rate_hz, stretch.samples)


def sample_count(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return how many samples of the stretch have a value."""
    window = stretch.samples
    missing = n_missing(waves[0].read, window.first, window.end)
    return Measured(float(window.end - window.first - missing), window)


def missing_count(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return how many samples of the stretch have none."""
    window = stretch.samples
    return Measured(float(n_missing(waves[0].read, window.first, window.end)), window)


def clipped_count(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return how many samples of the stretch stand at the end of the range; none for what is not recorded."""
    window = stretch.samples
    wave = waves[0]
    return Measured(float(clipped_between(wave, window.first, window.end) if isinstance(wave, Channel) else 0), window)
