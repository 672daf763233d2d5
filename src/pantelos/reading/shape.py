"""Readings of steps, pulses, trends and of the samples themselves."""

import math
from collections.abc import Callable, Sequence

import numpy as np

from pantelos.notation import with_unit
from pantelos.reading.amplitude import found_extremes
from pantelos.reading.reading import Divided, Measure, Measured, NoiseRule, Stretch
from pantelos.record.clipping import clipped_between
from pantelos.record.record import recorded
from pantelos.record.waveform import Stepped, Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.window import Window
from pantelos.signal.levels.level_search import Crossings, level_crossings
from pantelos.signal.levels.levels import levels
from pantelos.signal.levels.piecewise import piece_integrals
from pantelos.signal.shapes.pulses import (
    PeriodsInside,
    Pulses,
    band_around,
    nearest,
    periods_inside,
    pulses,
    reference_crossings,
    settled_between,
    settling,
    single_pulse,
    transition_times,
    without_pauses,
)
from pantelos.signal.sums.integrals import n_missing, totals_between
from pantelos.signal.sums.trend import trend
from pantelos.signal.validity import given

SETTLED_WITHIN = 0.02  # of the step
_NOISE_SPANS = 5.5  # from the 1st to the 99th percentile noise alone spans 4.65 of its rms
_CORNER = 0.11  # samples, standard: what straight lines between samples do at the corners of a transition of four samples


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
        slow = float(times.mean())
        per_edge = (0.4 if slow < 2.0 else _CORNER * min(4.0 / slow, 1.0)) / wave.rate_hz
        return Measured(float(times.mean()) / wave.rate_hz, window, found.coverage, method_u=per_edge)

    return measure


def crossings_at(wave: Waveform, window: Window, numbers: Sequence[float] = ()) -> Crossings:
    """Return the crossings of the level that is told (value, 1 for a share of the swing), or midway from base to top."""
    found = levels(wave.read, window.first, window.end)
    if not abs(found.amplitude) > 0:
        return Crossings(np.zeros(0), np.zeros(0, dtype=bool))
    if not numbers or not math.isfinite(numbers[0]):
        return reference_crossings(wave.read, window.first, window.end, found)
    level = found.at(numbers[0]) if numbers[1] else numbers[0]
    return level_crossings(wave.read, window.first, window.end, level, band_around(found))


def _many_levels(wave: Waveform, window: Window) -> str:
    """Return why there are no pulses where a waveform switches between more than two levels; nothing where it does not."""
    found = levels(wave.read, window.first, window.end)
    if len(found.steps) < 3:
        return ""
    shown = ", ".join(with_unit(value, wave.unit, 3) for value in found.steps)
    return f"it switches between {len(found.steps)} levels ({shown}): give the level of the step that is meant"


def _only_noise(wave: Waveform, window: Window) -> str:
    """Return why there are no pulses where a waveform does nothing beyond its own noise; nothing where it does."""
    found = levels(wave.read, window.first, window.end)
    if found.two_states or not found.amplitude < _NOISE_SPANS * found.noise:
        return ""
    return f"nothing in it stands out of its noise of {with_unit(found.noise, wave.unit, 2)} rms"


def of_pulses(pick: Callable[[Pulses, float], float], spread: Callable[[Pulses, float], float], alone: bool = False) -> Measure:
    """Return a reading of the whole periods inside, from rise to rise; `pick` is given pulses and sample rate.

    `spread` is what one sample of uncertainty of every edge does to the reading, per sample: given pulses, and the number of
    edges that differ in where they lie between samples. With `alone`, one rise and one fall will do.
    """

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        wave, window = waves[0], stretch.samples
        told = bool(stretch.numbers) and math.isfinite(stretch.numbers[0])
        many = _many_levels(wave, window)
        if (why := many or _only_noise(wave, window)) and not told:
            return Measured(math.nan, window, why_not=why)
        crossings = crossings_at(wave, window, stretch.numbers)
        found, said = pulses(crossings), list[str]()
        if many:
            found, n_left = without_pauses(found)
            said += [f"{n_left} pauses between bursts of this step are left out"] if n_left else []
        if not len(found.periods) and alone:
            found = single_pulse(crossings)
        if not len(found.periods):
            return Measured(math.nan, window, why_not="no whole period from rise to rise lies in the interval")
        value = pick(found, wave.rate_hz)
        within = between_samples(wave, window) * abs(spread(found, _apart(found)) * value)
        method = "crossings of the level told, hysteresis 5 % of the amplitude or 3 times the noise" if told else ""
        return Measured(value, window, method_u=within, remarks=tuple(said), method=method)

    return measure


def piece_pulses(pick: Callable[[PeriodsInside, float], FloatArray], held: bool = False) -> Callable[[Divided], FloatArray]:
    """Return a reading of the whole periods inside each piece, (n_pieces,); `pick` is given them and the sample rate.

    With `held`, a piece in which nothing happens has 1 where the waveform is high, 0 where it is low.
    """

    def per_piece(divided: Divided) -> FloatArray:
        edges, over = divided.edges(0), divided.partition
        inside = periods_inside(edges, over.starts, over.stops)
        with np.errstate(invalid="ignore", divide="ignore"):
            found = np.where(inside.counts > 0, pick(inside, over.rate_hz), np.nan)
        return np.where(inside.quiet, inside.high, found) if held else found

    return per_piece


def dead_time(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the mean time from each fall of the first waveform to the rise of the second nearest to it, s."""
    window = stretch.samples
    first, second = (crossings_at(wave, window) for wave in waves)
    falls, rises = first.falls, second.rises
    if not len(falls) or not len(rises):
        return Measured(math.nan, window, why_not="one of the channels has no edge of this direction here")
    gaps = -nearest(falls, rises)
    period = float(np.diff(rises).min()) if len(rises) > 1 else math.inf
    near = np.abs(gaps) < 0.5 * period  # the first or last edge may have no partner
    if not near.any():
        return Measured(math.nan, window, why_not="no edges of the two channels belong together")
    within = math.hypot(*(between_samples(wave, window) for wave in waves)) / waves[0].rate_hz
    shortest = float(gaps[near].min()) / waves[0].rate_hz
    said = (f"shortest {shortest:.4g} s",) if np.count_nonzero(near) > 1 else ()
    return Measured(float(gaps[near].mean()) / waves[0].rate_hz, window, method_u=within, remarks=said)


def beyond_levels(over: bool) -> Measure:
    """Return how far the largest sample exceeds the top, or the smallest undercuts the base, as a share of the amplitude."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        wave = waves[0]
        found, window = found_extremes(wave, stretch)
        states = levels(wave.read, window.first, window.end)
        if not states.two_states or not abs(states.amplitude) > 0:
            return Measured(math.nan, window, found.coverage, "it does not rest on two levels")
        beyond = found.high - states.top if over else states.base - found.low
        return Measured(beyond / states.amplitude, window, found.coverage)

    return measure


def _apart(found: Pulses) -> float:
    """Return how many edges err independently: those that lie at different places between samples."""
    places = np.concatenate([found.starts, found.starts + found.widths]) % 1
    return float(max(len(np.unique(np.round(places, 1))) / 2, 1)) if len(places) < 20 or np.ptp(places) > 0.05 else 1.0


def between_samples(wave: Waveform, window: Window) -> float:
    """Return how far an edge may be from where it is placed between two samples, standard, in samples.

    An edge that takes less than two samples may lie anywhere between them (rectangular); a slower one is seen.
    """
    states = levels(wave.read, window.first, window.end)
    times = transition_times(wave.read, window.first, window.end, states, True)
    slow = float(np.median(times)) if len(times) else 0.0
    return 1 / math.sqrt(12) if slow < 2.0 else 0.05 / math.sqrt(12) * min(4.0 / slow, 1.0)


def pulse_noise(spread: Callable[[Pulses, float], float]) -> NoiseRule:
    """Return what noise does to readings of pulses: σ over the slope at the crossing, for every edge anew."""

    def rule(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
        wave = waves[0]
        crossings = crossings_at(wave, window, stretch.numbers)
        found = pulses(crossings)
        found = found if len(found.periods) else single_pulse(crossings)
        if not len(found.periods):
            return math.nan
        jitter = edge_jitter(wave, window, sigmas[0])
        return jitter * abs(spread(found, float(len(found.periods))) * value)

    return rule


def edge_jitter(wave: Waveform, window: Window, sigma: float) -> float:
    """Return the standard deviation of a crossing of the middle, in samples: σ over the slope there (scatter of 1.4)."""
    states = levels(wave.read, window.first, window.end)
    times = transition_times(wave.read, window.first, window.end, states, True)
    slow = max(float(np.median(times)) if len(times) else 1.0, 0.8)
    return sigma / (0.8 * abs(states.amplitude) / slow) * math.sqrt(2 / 3) if states.amplitude else math.nan


def of_period(found: Pulses, n: float) -> float:
    """Return the relative change of the mean period per sample of every edge: only the first and the last one count."""
    return math.sqrt(2) / float(found.periods.sum())


def of_width(found: Pulses, n: float) -> float:
    """Return the relative change of the mean width per sample of every edge."""
    return math.sqrt(2) / float(found.widths.mean()) / math.sqrt(min(n, len(found.widths)))


def of_duty(found: Pulses, n: float) -> float:
    """Return the relative change of the duty per sample of every edge."""
    return math.hypot(of_width(found, n), of_period(found, n))


def transition_noise(rising: bool) -> NoiseRule:
    """Return what noise does to a transition time: that of two crossings near its ends, the mean of all transitions."""

    def rule(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
        wave = waves[0]
        states = levels(wave.read, window.first, window.end)
        times = transition_times(wave.read, window.first, window.end, states, rising)
        if not len(times) or not states.amplitude:
            return math.nan
        at_one = sigmas[0] / (0.8 * abs(states.amplitude) / max(float(times.mean()), 0.8)) / wave.rate_hz
        # Noise lets the last crossing of one level come later and the first of the other earlier: the time reads short.
        return math.hypot(at_one * math.sqrt(2 / len(times)), 1.2 * at_one)

    return rule


def settling_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to a settling time: σ over the slope where the band is left for good."""
    wave = waves[0]
    found = settling(wave.read, window.first, window.end, *_settling_asked(stretch))
    if not math.isfinite(found.settled_at):
        return math.nan
    at = int(found.settled_at)
    span = max(int(0.02 * (window.end - window.first)), 4)
    around = np.asarray(wave.read(max(at - span, window.first), min(at + span, window.end)))
    fall = abs(float(around[0] - around[-1])) if len(around) > 1 else 0.0
    return sigmas[0] / (fall / len(around)) / wave.rate_hz if fall > 0 else math.nan


def edge_frequency(found: Pulses, rate_hz: float) -> float:
    """Return periods over their time."""
    return len(found.periods) / float(found.periods.sum()) * rate_hz


def _settling_asked(stretch: Stretch) -> tuple[float, float | None]:
    """Return the band and the final value asked for, the mean of the last part for None."""
    band, final = stretch.numbers or (SETTLED_WITHIN, math.nan)
    return band, final if math.isfinite(final) else None


def settling_time(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the time from the start of the stretch until the waveform stays within 2 % of its step around the final value, s."""
    wave, window = waves[0], stretch.samples
    if isinstance(wave, Stepped):  # each value is of the whole of its piece: it stands for its middle
        values, lengths, places = wave.held_between(stretch.start, stretch.stop)
        found = settled_between(values, places + 0.5 * lengths, *_settling_asked(stretch))
    else:
        found = settling(wave.read, window.first, window.end, *_settling_asked(stretch))
    seconds = (found.settled_at - stretch.start) / wave.rate_hz
    if not math.isfinite(seconds):
        return Measured(seconds, window, why_not="it does not settle within the interval")
    return Measured(seconds, window, method_u=_grid(wave, found.settled_at) / wave.rate_hz)


def _grid(wave: Waveform, at: float) -> float:
    """Return how far the grid of a waveform (one value per cycle, or per sample) lets an instant be off, standard, in samples."""
    step = wave.step_at(at) if isinstance(wave, Stepped) else 1.0
    return step / math.sqrt(12.0)


def time_of(highest: bool) -> Measure:
    """Return the instant of the first largest or smallest sample, s of the record."""

    def measure(waves: list[Waveform], stretch: Stretch) -> Measured:
        found, window = found_extremes(waves[0], stretch)
        if not found.n_valid:
            return Measured(math.nan, window, found.coverage, "there is no sample")
        at = found.high_at if highest else found.low_at
        method_u = _grid(waves[0], at) / waves[0].rate_hz
        return Measured(stretch.origin_s + at / waves[0].rate_hz, window, found.coverage, method_u=method_u)

    return measure


def area(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the integral over the stretch by trapezoids with fractional ends."""
    (wave,) = waves
    window = stretch.samples
    if isinstance(wave, Stepped):
        values, lengths, _ = wave.held_between(stretch.start, stretch.stop)
        return Measured(float(values @ lengths) / wave.rate_hz, window, method="every value times as long as it is held")
    found = totals_between(wave.read, np.array([stretch.start]), np.array([stretch.stop]), wave.n_samples, smooth=False)
    return Measured(float(found.integrals[0]) / wave.rate_hz, window, float(found.shares[0]))


def piece_area(divided: Divided) -> FloatArray:
    """Return the integral over each piece; NaN where too much of it is missing."""
    totals, shares = piece_integrals(divided.waves[0].read, divided.partition)
    return given(totals / divided.partition.rate_hz, shares)


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
    """Return how many samples of the stretch have a value; of a series, how many pieces."""
    window = stretch.samples
    if isinstance(waves[0], Stepped):
        values, _, _ = waves[0].held_between(stretch.start, stretch.stop)
        return Measured(float(len(values)), window, method="pieces that have a value")
    missing = n_missing(waves[0].read, window.first, window.end)
    return Measured(float(window.end - window.first - missing), window)


def missing_count(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return how many samples of the stretch have none."""
    window = stretch.samples
    return Measured(float(n_missing(waves[0].read, window.first, window.end)), window)


def clipped_count(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return how many samples of the stretch stand at the end of the range; none for what is not recorded."""
    window = stretch.samples
    channel = recorded(waves[0])
    return Measured(float(clipped_between(channel, window.first, window.end) if channel is not None else 0), window)
