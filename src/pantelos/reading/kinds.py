"""The registry of readings: adding one here adds it to formulas, tables, ledger, command line and help."""

import math

import numpy as np

from pantelos.reading import alternating as alt
from pantelos.reading import amplitude as amp
from pantelos.reading import shape
from pantelos.reading.reading import Group, ReadingKind, Suits, averaged
from pantelos.registry import Registry
from pantelos.units import Unit, unit


def _same(of: Unit) -> Unit:
    return of


def _plain(of: Unit) -> Unit:
    return unit("1")


def _percent(of: Unit) -> Unit:
    return unit("%")


def _seconds(of: Unit) -> Unit:
    return unit("s")


def _hertz(of: Unit) -> Unit:
    return unit("Hz")


_CYCLES = "mean over {cycles}{rule}"
_ALL = "all samples of the interval"
_HALF = "crossings of the middle between base and top, hysteresis 5 % of the amplitude or 3 times the noise, whole periods"
_IEC103 = "IEC 60050-103"
_IEEE181 = "IEEE 181, IEC 60469"

_AMPLITUDE = (
    ReadingKind("mean", "mean", ("x",), "Mean value, the DC part.", _CYCLES, _same, amp.mean_of(1, float), "mean(p1)",
                Group.AMPLITUDE, _IEC103, per_piece=amp.piece_means(1, root=False), degree=1, shift=1.0, noise=averaged, usual=True),
    ReadingKind("rms", "rms", ("x",), "Root of the mean square, DC and all orders included.", "root of the mean square over {cycles}{rule}",
                _same, amp.mean_of(2, math.sqrt), "rms(u1)", Group.AMPLITUDE, "IEC 60050-103, ISO 80000-6",
                per_piece=amp.piece_means(2, root=True), degree=1,
                noise=amp.alternating_noise, lift=amp.rms_lift, usual=True),
    ReadingKind("ac_rms", "ac rms", ("x",), "Rms of the part that alternates, the mean removed.",
                "two passes over {cycles}: mean, then rms of the deviation{rule}", _same, amp.ac_rms, "ac_rms(u1)", Group.AMPLITUDE, _IEC103,
                per_piece=amp.piece_ac_rms, degree=1, shift=0.0,
                noise=amp.alternating_noise, lift=amp.rms_lift, usual=True),
    ReadingKind("rectified", "rectified mean", ("x",), "Mean of the magnitude.", "mean magnitude over {cycles}{rule}", _same,
                amp.rectified_mean, "rectified(i1)", Group.AMPLITUDE, _IEC103, degree=1, noise=averaged),
    ReadingKind("min", "min", ("x",), "Smallest sample.", _ALL, _same, amp.extreme_of(lambda low, high: low), "min(u1)",
                Group.AMPLITUDE, _IEC103, per_piece=amp.piece_extremes(lambda low, high: low), degree=1, shift=1.0,
                noise=amp.extreme_noise(np.negative), lift=amp.extreme_bias(-1.0, np.negative), usual=True),
    ReadingKind("max", "max", ("x",), "Largest sample.", _ALL, _same, amp.extreme_of(lambda low, high: high), "max(i1)",
                Group.AMPLITUDE, _IEC103, per_piece=amp.piece_extremes(lambda low, high: high), degree=1, shift=1.0,
                noise=amp.extreme_noise(np.positive), lift=amp.extreme_bias(1.0, np.positive), usual=True),
    ReadingKind("peak_to_peak", "peak-to-peak", ("x",), "Largest minus smallest sample.", _ALL, _same,
                amp.extreme_of(lambda low, high: high - low), "peak_to_peak(u1)", Group.AMPLITUDE, _IEC103,
                per_piece=amp.piece_extremes(lambda low, high: high - low), degree=1, shift=0.0,
                noise=amp.extreme_noise(np.positive, np.negative),
                lift=amp.extreme_bias(1.0, np.positive, np.negative), usual=True),
    ReadingKind("crest", "crest factor", ("x",), "Largest magnitude over rms.", "largest magnitude of all samples of the interval, over the rms of {cycles}{rule}", _plain,
                amp.crest_factor, "crest(i1)", Group.AMPLITUDE, _IEC103, degree=0, noise=amp.crest_noise),
    ReadingKind("form", "form factor", ("x",), "Rms over rectified mean.", _CYCLES, _plain, amp.form_factor, "form(u1)",
                Group.AMPLITUDE, _IEC103, degree=0),
    ReadingKind("ripple", "rms ripple", ("x",), "Rms of the alternating part over the mean.", _CYCLES, _percent, amp.rms_ripple,
                "ripple(u_dc)", Group.AMPLITUDE, "IEC 60050-551-17", degree=0, noise=amp.ripple_noise),
    ReadingKind("peak_ripple", "peak ripple", ("x",), "Peak-to-peak over the mean.", _ALL, _percent, amp.peak_ripple,
                "peak_ripple(u_dc)", Group.AMPLITUDE, "IEC 60050-551-17", degree=0, noise=amp.peak_ripple_noise),
)  # fmt: skip

_ALTERNATING = (
    ReadingKind("frequency", "frequency", ("x",), "Frequency of the fundamental.",
                "whole cycles over their time, between filtered zero crossings", _hertz, alt.frequency, "frequency(u1)",
                Group.ALTERNATING, "IEC 61000-4-30 clause 5.1", own_cycles=True, degree=0, shift=0.0,
                timed=True, noise=alt.frequency_noise, usual=True, suits=Suits.ELECTRICAL),
    ReadingKind("phase", "phase", ("x", "reference"),
                "Angle of the fundamental of x against that of the reference; positive when x leads.",
                "fundamental phasors over whole cycles", lambda of: unit("°"), alt.phase, "phase(i1, u1)", Group.ALTERNATING,
                "IEC 60050-131", per_piece=alt.piece_phase, degree=0, noise=alt.phase_noise),
    ReadingKind("thd", "THD", ("x",), "Total harmonic distortion against the fundamental, orders 2 to 50.",
                "harmonic components over windows of about 200 ms, root of mean squares", _percent, alt.thd, "thd(i1)",
                Group.ALTERNATING, "IEC 61000-4-7", per_piece=alt.piece_thd, degree=0, shift=0.0, noise=alt.distortion_noise,
                lift=alt.distortion_lift, usual=True, suits=Suits.HARMONIC),
)  # fmt: skip

_PULSE = (
    ReadingKind("top", "top", ("x",), "Upper level of a pulse waveform.", "upper mode of a histogram of 1000 classes, or upper of two clusters; else 99th percentile",
                _same, amp.level_of(lambda found: found.top), "top(g)", Group.PULSE, _IEEE181, degree=1, shift=1.0,
                noise=amp.level_noise(lambda found: found.n_top)),
    ReadingKind("base", "base", ("x",), "Lower level of a pulse waveform.", "lower mode of a histogram of 1000 classes, or lower of two clusters; else 1st percentile",
                _same, amp.level_of(lambda found: found.base), "base(g)", Group.PULSE, _IEEE181, degree=1, shift=1.0,
                noise=amp.level_noise(lambda found: found.n_base)),
    ReadingKind("edge_frequency", "edge frequency", ("x",), "Periods from rise to rise over their time.", _HALF, _hertz,
                shape.of_pulses(shape.edge_frequency, shape.of_period), "edge_frequency(g)", Group.PULSE, _IEEE181, degree=0, shift=0.0,
                timed=True, noise=shape.pulse_noise(shape.of_period)),
    ReadingKind("period", "period", ("x",), "Mean time from rise to rise.", _HALF, _seconds,
                shape.of_pulses(lambda p, rate: float(p.periods.mean()) / rate, shape.of_period), "period(g)", Group.PULSE, _IEEE181,
                degree=0, shift=0.0, timed=True, noise=shape.pulse_noise(shape.of_period)),
    ReadingKind("width", "pulse width", ("x",), "Mean time from rise to fall.", _HALF, _seconds,
                shape.of_pulses(lambda p, rate: float(p.widths.mean()) / rate, shape.of_width), "width(g)", Group.PULSE, _IEEE181,
                degree=0, shift=0.0, timed=True, noise=shape.pulse_noise(shape.of_width)),
    ReadingKind("duty", "duty", ("x",), "Time high over time.", _HALF, _percent, shape.of_pulses(lambda p, rate: p.duty, shape.of_duty), "duty(g)",
                Group.PULSE, _IEEE181, degree=0, shift=0.0, noise=shape.pulse_noise(shape.of_duty)),
    ReadingKind("rise_time", "rise time", ("x",), "Mean duration from 10 % to 90 % of the amplitude.",
                "last crossing of 10 % before and first of 90 % after each crossing of 50 %", _seconds, shape.transition(True),
                "rise_time(u1)", Group.PULSE, _IEEE181, degree=0, shift=0.0, timed=True, noise=shape.transition_noise(True)),
    ReadingKind("fall_time", "fall time", ("x",), "Mean duration from 90 % to 10 % of the amplitude.",
                "last crossing of 90 % before and first of 10 % after each crossing of 50 %", _seconds, shape.transition(False),
                "fall_time(u1)", Group.PULSE, _IEEE181, degree=0, shift=0.0, timed=True, noise=shape.transition_noise(False)),
    ReadingKind("settling_time", "settling time", ("x",), "Time from the start of the interval until x stays within 2 % of its step.",
                "from edge a to the last crossing of final ± 2 % of |final − first|; final: mean of the last 5 % of the interval", _seconds,
                shape.settling_time, "settling_time(f)", Group.PULSE, _IEEE181, degree=0, shift=0.0, timed=True,
                noise=shape.settling_noise),
    ReadingKind("time_of_max", "time of max", ("x",), "Instant of the first largest sample.", _ALL, _seconds, shape.time_of(True),
                "time_of_max(i1)", Group.PULSE, _IEC103, degree=0, shift=0.0, timed=True, delayed=True),
    ReadingKind("time_of_min", "time of min", ("x",), "Instant of the first smallest sample.", _ALL, _seconds, shape.time_of(False),
                "time_of_min(i1)", Group.PULSE, _IEC103, degree=0, shift=0.0, timed=True, delayed=True),
)  # fmt: skip

_TREND = (
    ReadingKind("area", "area", ("x",), "Integral over the interval; W becomes J.", "trapezoids with fractional ends",
                lambda of: of * unit("s"), shape.area, "area(p1)", Group.TREND, degree=1, timed=True),
    ReadingKind("slope", "slope", ("x",), "Change per second.", "least squares over " + _ALL, lambda of: of / unit("s"), shape.slope,
                "slope(u_dc)", Group.TREND, degree=1, shift=0.0, timed=True, noise=shape.slope_noise),
)  # fmt: skip

_SAMPLES = (
    ReadingKind("duration", "duration", ("x",), "Length of the interval.", "stop minus start", _seconds, shape.duration, "duration(u1)",
                Group.SAMPLES, degree=0, shift=0.0, timed=True),
    ReadingKind("count", "samples", ("x",), "How many samples have a value.", _ALL, _plain, shape.sample_count, "count(u1)",
                Group.SAMPLES, degree=0, shift=0.0),
    ReadingKind("missing", "missing", ("x",), "How many samples have no value.", _ALL, _plain, shape.missing_count, "missing(u1)",
                Group.SAMPLES, degree=0, shift=0.0, tabled=False),
    ReadingKind("clipped", "clipped", ("x",), "How many samples stand at the end of the range, three or more in a row.", _ALL, _plain,
                shape.clipped_count, "clipped(u1)", Group.SAMPLES, degree=0, shift=0.0),
)  # fmt: skip

READINGS = Registry("reading", lambda kind: kind.name, (*_AMPLITUDE, *_ALTERNATING, *_PULSE, *_TREND, *_SAMPLES))


def reading_kind(name: str) -> ReadingKind | None:
    """Return the kind of reading of that name, or None."""
    return READINGS.get(name)


def single_readings() -> tuple[ReadingKind, ...]:
    """Return the readings that take one channel: what a column beside the lanes can show."""
    return tuple(kind for kind in READINGS if len(kind.arguments) == 1)
