"""Readings of size: means, rms, extremes, levels, and their ratios."""

import math
from collections.abc import Callable
from itertools import pairwise

import numpy as np

from pantelos.reading.reading import LOW_SIGNAL_SHARE, Measure, Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles import Cycles
from pantelos.signal.distribution import Levels, levels
from pantelos.signal.integrals import integral_at
from pantelos.signal.statistics import Extremes, extremes, window_means
from pantelos.signal.window import Window


def mean_of(power: int, after: Callable[[float], float]) -> Measure:
    """Return a reading of the mean of a power of the waveform."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        (wave,) = waves
        window = stretch.whole_cycles
        mean, coverage = window_means(lambda a, b: wave.read(a, b) ** power, window, wave.n_samples)
        return after(float(mean)), window, float(coverage)

    return measure


def rectified_mean(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the mean of the magnitude."""
    (wave,) = waves
    window = stretch.whole_cycles
    mean, coverage = window_means(lambda a, b: np.abs(wave.read(a, b)), window, wave.n_samples)
    return float(mean), window, float(coverage)


def ac_rms(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the rms of the deviation from the mean, in two passes."""
    (wave,) = waves
    window = stretch.whole_cycles
    mean, _ = window_means(wave.read, window, wave.n_samples)
    square, coverage = window_means(lambda a, b: (wave.read(a, b) - float(mean)) ** 2, window, wave.n_samples)
    return math.sqrt(float(square)), window, float(coverage)


def found_extremes(wave: Waveform, stretch: Stretch) -> tuple[Extremes, Window]:
    """Return the extremes of all samples of a stretch."""
    window = stretch.samples
    return extremes(wave.read, window.first, window.end), window


def extreme_of(pick: Callable[[float, float], float]) -> Measure:
    """Return a reading of the smallest and largest sample."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found, window = found_extremes(waves[0], stretch)
        return pick(found.low, found.high), window, found.coverage

    return measure


_mean, _rms = mean_of(1, float), mean_of(2, math.sqrt)


def low_level(wave: Waveform) -> float:
    """Return the size below which ratios of a channel say nothing, SI; 0 where its range is not stated."""
    return LOW_SIGNAL_SHARE * (getattr(wave, "full_scale", None) or 0.0)


def _ratio(above: float, below: float, wave: Waveform) -> float:
    return above / below if abs(below) > low_level(wave) else math.nan


def crest_factor(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the largest magnitude over rms."""
    (rms, window, coverage), (found, _) = _rms(waves, stretch), found_extremes(waves[0], stretch)
    return _ratio(max(abs(found.low), abs(found.high)), rms, waves[0]), window, coverage


def form_factor(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return rms over rectified mean."""
    (rms, window, coverage), (rectified, _, _) = _rms(waves, stretch), rectified_mean(waves, stretch)
    return _ratio(rms, rectified, waves[0]), window, coverage


def rms_ripple(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the rms of the alternating part over the magnitude of the mean."""
    (ac, window, coverage), (mean, _, _) = ac_rms(waves, stretch), _mean(waves, stretch)
    return _ratio(ac, abs(mean), waves[0]), window, coverage


def peak_ripple(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return peak-to-peak over the magnitude of the mean."""
    (mean, window, coverage), (found, _) = _mean(waves, stretch), found_extremes(waves[0], stretch)
    return _ratio(found.high - found.low, abs(mean), waves[0]), window, coverage


def ripple_noise(value: float, sigma: float, waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to a ratio to the mean: that of the rms of the alternating part over the mean."""
    mean = abs(_mean(waves, stretch)[0])
    return sigma / math.sqrt(max(window.stop - window.start, 1.0)) / mean if mean > 0 else math.nan


def peak_noise(value: float, sigma: float, waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to a peak over rms or mean: the noise of one sample over what the value is related to."""
    found, _ = found_extremes(waves[0], stretch)
    peak = max(abs(found.low), abs(found.high))
    return abs(value) * sigma / peak if peak > 0 else math.nan


def peak_ripple_noise(value: float, sigma: float, waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to peak-to-peak over mean: that of two samples over the mean."""
    mean = abs(_mean(waves, stretch)[0])
    return sigma * math.sqrt(2.0) / mean if mean > 0 else math.nan


def level_of(pick: Callable[[Levels], float]) -> Measure:
    """Return a reading of base and top."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found, window = found_extremes(waves[0], stretch)
        if not math.isfinite(found.low):
            return math.nan, window, found.coverage
        return pick(levels(waves[0].read, window.first, window.end)), window, found.coverage

    return measure


def cycle_means(power: int, root: bool) -> Callable[[list[Waveform], Cycles], FloatArray]:
    """Return the mean of a power of the waveform per cycle, or its root."""

    def per_cycle(waves: list[Waveform], cycles: Cycles) -> FloatArray:
        (wave,) = waves
        totals, _ = integral_at(lambda a, b: wave.read(a, b) ** power, cycles.crossings, wave.n_samples)
        means = np.diff(totals) / np.diff(cycles.crossings)
        return np.sqrt(np.maximum(means, 0)) if root else means

    return per_cycle


def cycle_ac_rms(waves: list[Waveform], cycles: Cycles) -> FloatArray:
    """Return the rms of the alternating part per cycle."""
    squares = cycle_means(2, root=False)(waves, cycles)
    return np.asarray(np.sqrt(np.maximum(squares - cycle_means(1, root=False)(waves, cycles) ** 2, 0)))


def cycle_extremes(pick: Callable[[float, float], float]) -> Callable[[list[Waveform], Cycles], FloatArray]:
    """Return a reading of the extremes per cycle."""

    def per_cycle(waves: list[Waveform], cycles: Cycles) -> FloatArray:
        (wave,) = waves
        edges = np.ceil(cycles.crossings).astype(int)
        found = (extremes(wave.read, int(a), int(b)) for a, b in pairwise(edges))
        return np.array([pick(x.low, x.high) for x in found])

    return per_cycle
