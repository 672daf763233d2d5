"""Readings of size: means, rms, extremes, levels, and their ratios."""

import math
from collections.abc import Callable, Sequence
from typing import TypeAlias

import msgspec
import numpy as np

from pantelos.notation import with_unit
from pantelos.reading.reading import LOW_SIGNAL_SHARE, Divided, Measure, Measured, NoiseRule, RoundingRule, Stretch, rounded_mean
from pantelos.record.waveform import Stepped, Waveform
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.cycles.window import Window, window_means
from pantelos.signal.levels.levels import Levels, levels
from pantelos.signal.levels.piecewise import piece_extremes as extremes_of_pieces
from pantelos.signal.levels.piecewise import piece_means as means_of_pieces
from pantelos.signal.shapes.noise import lift_of_maximum
from pantelos.signal.sums.statistics import Extremes, extremes
from pantelos.signal.sums.totals import BlockTotals
from pantelos.signal.validity import given

_HELD = "every value counts as long as it is held"
EACH_ONCE = "every value counts once"


def average(
    wave: Waveform, of: Callable[[FloatArray], FloatArray], stretch: Stretch, totals: BlockTotals | None = None
) -> Measured:
    """Return the mean of a function of the samples; of a series that of its values, each as long as it is held."""
    if isinstance(wave, Stepped):
        values, lengths, _ = wave.held_between(stretch.start, stretch.stop)
        mean = float(of(values) @ lengths / lengths.sum()) if len(values) else math.nan
        return Measured(mean, stretch.samples, method=_HELD)
    window = stretch.whole_cycles
    mean_of_all, coverage = window_means(lambda a, b: of(wave.read(a, b)), window, wave.n_samples, totals=totals)
    return Measured(float(mean_of_all), window, float(coverage))


def _with_value(found: Measured, value: float) -> Measured:
    return msgspec.structs.replace(found, value=value)


def mean_of(power: int, after: Callable[[float], float]) -> Measure:
    """Return a reading of the mean of a power of the waveform."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        totals = stretch.totals(power) if stretch.totals is not None else None
        found = average(waves[0], lambda x: x**power, stretch, totals)
        return _with_value(found, after(found.value))

    return measure


def rectified_mean(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the mean of the magnitude of the samples; between them it has corners, of which the method's share is told."""
    plain = average(waves[0], np.abs, stretch)
    if isinstance(waves[0], Stepped):
        return plain
    rounded, _ = window_means(_without_corners(waves[0]), plain.window, waves[0].n_samples)
    off = abs(float(rounded) - plain.value)
    return msgspec.structs.replace(plain, method_u=off if math.isfinite(off) else 0.0)


def _without_corners(wave: Waveform) -> Reader:
    """Serve magnitudes whose sum is that of the waveform between the samples, too, where it passes zero between a and b.

    With slope s and the zero at the share θ of a step h, the sum of trapezoids is off by s h² (θ (1 - θ) - 1/6): the corner less
    what the change of slope leaves on both sides (Euler and Maclaurin). Half of it is taken off each of the two.
    """

    def read(start: int, stop: int) -> FloatArray:
        low, high = max(start - 1, 0), min(stop + 1, wave.n_samples)
        x = np.asarray(wave.read(low, high), dtype=float)
        size, passes = np.abs(x), (x[:-1] >= 0) != (x[1:] >= 0)
        with np.errstate(invalid="ignore", divide="ignore"):
            slope = size[:-1] + size[1:]
            over = np.where(passes, 0.5 * (size[:-1] * size[1:] / slope - slope / 6), 0.0)
        right = size.copy()
        right[:-1] -= over
        right[1:] -= over
        return np.asarray(right[start - low : start - low + stop - start])

    return read


def ac_rms(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the rms of the deviation from the mean, in two passes."""
    mean = average(waves[0], np.positive, stretch).value
    square = average(waves[0], lambda x: (x - mean) ** 2, stretch)
    return _with_value(square, math.sqrt(square.value))


def found_extremes(wave: Waveform, stretch: Stretch) -> tuple[Extremes, Window]:
    """Return the extremes of all samples of a stretch, or of all values of a series that are held in it."""
    window = stretch.samples
    if isinstance(wave, Stepped):
        values, _, places = wave.held_between(stretch.start, stretch.stop)
        if not len(values):
            return Extremes(math.nan, math.nan, window.first, window.first, 0, 0), window
        low, high = int(values.argmin()), int(values.argmax())
        at = math.ceil(places[low]), math.ceil(places[high])
        return Extremes(float(values[low]), float(values[high]), *at, len(values), len(values)), window
    return extremes(wave.read, window.first, window.end), window


def extreme_of(pick: Callable[[float, float], float]) -> Measure:
    """Return a reading of the smallest and largest sample."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found, window = found_extremes(waves[0], stretch)
        method_u, wave = 0.0, waves[0]
        if isinstance(wave, Stepped) and found.n_valid:
            ends = [abs(pick(1.0, 0.0)) * wave.value_u_at(found.low_at), abs(pick(0.0, 1.0)) * wave.value_u_at(found.high_at)]
            method_u = math.hypot(*(end if math.isfinite(end) else 0.0 for end in ends))
        method = EACH_ONCE if isinstance(wave, Stepped) else ""
        return Measured(pick(found.low, found.high), window, found.coverage, method_u=method_u, method=method)

    return measure


_mean, _rms = mean_of(1, float), mean_of(2, math.sqrt)


def low_level(wave: Waveform) -> float:
    """Return the size below which ratios of a channel say nothing, SI; 0 where its range is not stated."""
    return LOW_SIGNAL_SHARE * (wave.full_scale or 0.0)


def _ratio(above: float, below: float, wave: Waveform, taken: Measured) -> Measured:
    """Return a ratio over the window of what it is related to; not given where that is too small."""
    if abs(below) > low_level(wave):
        return Measured(above / below, taken.window, taken.coverage)
    return Measured(math.nan, taken.window, taken.coverage, "what it is related to is below 0.1 % of the range, or zero")


def crest_factor(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the largest magnitude over rms."""
    rms, (found, _) = _rms(waves, stretch), found_extremes(waves[0], stretch)
    return _ratio(max(abs(found.low), abs(found.high)), rms.value, waves[0], rms)


def form_factor(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return rms over rectified mean."""
    rms, rectified = _rms(waves, stretch), rectified_mean(waves, stretch)
    found = _ratio(rms.value, rectified.value, waves[0], rms)
    share = rectified.method_u / rectified.value if rectified.value > 0 else 0.0
    return msgspec.structs.replace(found, method_u=abs(found.value) * share if math.isfinite(found.value) else 0.0)


def rms_ripple(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the rms of the alternating part over the magnitude of the mean."""
    ac, mean = ac_rms(waves, stretch), _mean(waves, stretch)
    return _ratio(ac.value, abs(mean.value), waves[0], ac)


def peak_ripple(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return peak-to-peak over the magnitude of the mean."""
    mean, (found, _) = _mean(waves, stretch), found_extremes(waves[0], stretch)
    return _ratio(found.high - found.low, abs(mean.value), waves[0], mean)


def ripple_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to a ratio to the mean: that of the rms of the alternating part over the mean."""
    mean = abs(_mean(waves, stretch).value)
    return alternating_noise(value * mean, sigmas, waves, stretch, window) / mean if mean > 0 else math.nan


def alternating_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to an rms: its scatter, and what it lifts it by, sqrt(X² + σ²) - X."""
    n = max(window.stop - window.start, 1.0)
    without = math.sqrt(max(value**2 - sigmas[0] ** 2, 0.0))
    return math.hypot(sigmas[0] / math.sqrt(n), value - without)


def rounded_extremes(n: int) -> RoundingRule:
    """Return the rule of the sum of `n` extremes: each is off by no more than half a step, and nothing lifts it."""
    return lambda value, sigma, rested_on, waves, stretch: sigma * math.sqrt(n)


def rounded_over(size: Callable[[list[Waveform], Stretch], float], rule: RoundingRule) -> RoundingRule:
    """Return the rule of a ratio to a size of the waveform, such as its rms."""

    def over(value: float, sigma: float, rested_on: float, waves: list[Waveform], stretch: Stretch) -> float:
        of = abs(size(waves, stretch))
        return rule(value, sigma, rested_on, waves, stretch) / of if of > 0 else math.nan

    return over


rounded_crest = rounded_over(lambda waves, stretch: _rms(waves, stretch).value, rounded_extremes(1))
rounded_ripple = rounded_over(lambda waves, stretch: _mean(waves, stretch).value, rounded_mean)
rounded_peak_ripple = rounded_over(lambda waves, stretch: _mean(waves, stretch).value, rounded_extremes(2))


def rms_lift(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise adds to an rms, X - sqrt(X² - σ²)."""
    return value - math.sqrt(max(value**2 - sigmas[0] ** 2, 0.0))


Extreme: TypeAlias = Callable[[FloatArray], FloatArray]


def extreme_lift(sigma: float, wave: Waveform, window: Window, *ends: Extreme) -> tuple[float, float]:
    """Return (bias, standard uncertainty) that noise gives the sum of some extremes of a waveform."""
    found = [
        lift_of_maximum(lambda a, b, end=end: end(wave.read(a, b)), window.first, window.end, sigma)  # type: ignore[misc]
        for end in ends
    ]
    bias = sum(lift.bias for lift in found)
    return bias, math.hypot(bias, *(lift.scatter for lift in found))


def extreme_noise(*ends: Extreme) -> NoiseRule:
    """Return the rule of a reading of extremes: `ends` make each of them a largest value."""

    def rule(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
        return extreme_lift(sigmas[0], waves[0], stretch.samples, *ends)[1]

    return rule


def extreme_bias(sign: float, *ends: Extreme) -> NoiseRule:
    """Return the rule of what noise adds to a reading of extremes; `sign` is negative for the smallest."""

    def rule(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
        return sign * extreme_lift(sigmas[0], waves[0], stretch.samples, *ends)[0]

    return rule


def crest_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to a peak over rms: that of the peak over the rms."""
    rms = _rms(waves, stretch).value
    return extreme_lift(sigmas[0], waves[0], stretch.samples, np.abs)[1] / rms if rms > 0 else math.nan


def peak_ripple_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to peak-to-peak over mean: that of both extremes over the mean."""
    mean = abs(_mean(waves, stretch).value)
    return extreme_lift(sigmas[0], waves[0], stretch.samples, np.positive, np.negative)[1] / mean if mean > 0 else math.nan


def level_of(pick: Callable[[Levels], float]) -> Measure:
    """Return a reading of base and top."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found, window = found_extremes(waves[0], stretch)
        if not math.isfinite(found.low):
            return Measured(math.nan, window, found.coverage, "there is no sample")
        states = levels(waves[0].read, window.first, window.end)
        said = () if states.two_states else ("it does not rest on two levels: this is the 1st or 99th percentile",)
        if states.steps:
            shown = ", ".join(with_unit(value, waves[0].unit, 4) for value in states.steps)
            said = (f"it rests on {len(states.steps)} levels: {shown}",)
        return Measured(pick(states), window, found.coverage, remarks=said)

    return measure


def level_noise(pick: Callable[[Levels], int]) -> NoiseRule:
    """Return the rule of a level: the noise of the mean of the samples that rest on it; `pick` tells their number."""

    def rule(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
        found = levels(waves[0].read, window.first, window.end)
        n = pick(found) if found.two_states else 0
        return sigmas[0] / math.sqrt(n) if n else extreme_lift(sigmas[0], waves[0], window, np.abs)[1]

    return rule


def piece_means(power: int, root: bool) -> Callable[[Divided], FloatArray]:
    """Return the mean of a power of the waveform per piece, or its root; NaN where too much of a piece is missing."""

    def per_piece(divided: Divided) -> FloatArray:
        (wave,) = divided.waves
        means = means_of_pieces(lambda a, b: wave.read(a, b) ** power if power != 1 else wave.read(a, b), divided.partition)
        return np.sqrt(np.maximum(means, 0)) if root else means

    return per_piece


def piece_rectified(divided: Divided) -> FloatArray:
    """Return the mean of the magnitude per piece."""
    return means_of_pieces(lambda a, b: np.abs(divided.waves[0].read(a, b)), divided.partition)


def piece_ac_rms(divided: Divided) -> FloatArray:
    """Return the rms of the alternating part per piece: the overall mean goes first, for a small part on a large mean."""
    (wave,) = divided.waves
    means = means_of_pieces(wave.read, divided.partition)
    level = float(np.nanmean(means)) if np.isfinite(means).any() else 0.0
    squares = means_of_pieces(lambda a, b: (wave.read(a, b) - level) ** 2, divided.partition)
    return np.asarray(np.sqrt(np.maximum(squares - (means - level) ** 2, 0)))


def piece_extremes(pick: Callable[[FloatArray, FloatArray], FloatArray]) -> Callable[[Divided], FloatArray]:
    """Return a reading of the extremes per piece; NaN where too much of a piece is missing."""

    def per_piece(divided: Divided) -> FloatArray:
        low, high, shares = extremes_of_pieces(divided.waves[0].read, divided.partition)
        return given(pick(low, high), shares)

    return per_piece


def piece_ratio(
    above: Callable[[Divided], FloatArray], below: Callable[[Divided], FloatArray]
) -> Callable[[Divided], FloatArray]:
    """Return a reading per piece that relates one to the magnitude of another; none where that is too small."""

    def per_piece(divided: Divided) -> FloatArray:
        size = np.abs(below(divided))
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.where(size > low_level(divided.waves[0]), above(divided) / size, np.nan)

    return per_piece


_piece_rms, _piece_mean = piece_means(2, root=True), piece_means(1, root=False)
piece_crest = piece_ratio(piece_extremes(lambda low, high: np.maximum(np.abs(low), np.abs(high))), _piece_rms)
piece_form = piece_ratio(_piece_rms, piece_rectified)
piece_ripple = piece_ratio(piece_ac_rms, _piece_mean)
piece_peak_ripple = piece_ratio(piece_extremes(lambda low, high: high - low), _piece_mean)
