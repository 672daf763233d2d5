"""The registry of readings: adding one here adds it to formulas, tables, ledger, command line and help."""

import math
from collections.abc import Callable, Sequence

import numpy as np

from pantelos.reading import alternating as alt
from pantelos.reading import amplitude as amp
from pantelos.reading import components as com
from pantelos.reading import distortion as dis
from pantelos.reading import electrical as ele
from pantelos.reading import flicker, groups, likeness, shape, shares
from pantelos.reading import fundamental as fun
from pantelos.reading import phase as pha
from pantelos.reading import purity as pure
from pantelos.reading.reading import Group, ReadingKind, Setting, Suits, averaged, rounded_mean
from pantelos.registry import Registry
from pantelos.signal.harmonics import distortion as figures
from pantelos.units import Unit, unit


def _same(of: Sequence[Unit]) -> Unit:
    return of[0]


def _plain(of: Sequence[Unit]) -> Unit:
    return unit("1")


def _percent(of: Sequence[Unit]) -> Unit:
    return unit("%")


def _seconds(of: Sequence[Unit]) -> Unit:
    return unit("s")


def _watts(of: Sequence[Unit]) -> Unit:
    return of[0] * of[1]


def _ohms(of: Sequence[Unit]) -> Unit:
    return of[0] / of[1]


def _energy(of: Sequence[Unit]) -> Unit:
    return of[0] * unit("s")


def _decibel(of: Sequence[Unit]) -> Unit:
    return unit("dB")


def _hertz(of: Sequence[Unit]) -> Unit:
    return unit("Hz")


_CYCLES = "mean over {cycles}{rule}"
_ALL = "all samples of the interval"
_HALF = "crossings of the middle between base and top, hysteresis 5 % of the amplitude or 3 times the noise, whole periods"
_PHASORS = "fundamental phasors over whole cycles"
_ORDERS = "harmonic components over windows of about 200 ms, root of mean squares"
_GROUPS = "groups of lines of windows of 10 cycles (12 at 60 Hz, those of 200 ms above), root of mean squares"
_SPECTRUM = "lines of the spectrum over whole cycles on samples, else over all samples with a Blackman-Harris window"
_IEEE1241 = "IEEE 1241, IEEE 1057"
_SIGNED = "trapezoids, split where they cross zero; the sign is that of every instant"
_IEC430, _IEEE1459, _IEC62053, _ISO3534 = (
    "IEC 61000-4-30 clause 5.7",
    "IEEE 1459 clause 3.1",
    "IEC 62053 (signs)",
    "ISO 3534-1 (terms)",
)
_IEC103 = "IEC 60050-103"
_IEC407 = "IEC 61000-4-7 clause 5.5"
_IEEE181 = "IEEE 181, IEC 60469"


def _distortion(
    name: str, title: str, help_: str, figure: figures.DistortionFigure, source: str, call: str = "i1", *settings: Setting
) -> ReadingKind:
    """Return a figure of the rms of orders as a reading."""
    unit_of = _same if figure.against is figures.Against.NOTHING else _plain if figure.squared else _percent
    return ReadingKind(
        name, title, ("x",), help_, _ORDERS, unit_of, dis.of_figure(figure), f"{name}({call})", Group.ALTERNATING, source,
        per_piece=dis.piece_figure(figure), degree=1 if unit_of is _same else 0, shift=0.0, noise=None, settings=settings,
    )  # fmt: skip


def _group(name: str, help_: str, pick: groups.Pick, lowest: int, call: str) -> ReadingKind:
    """Return a group of spectral lines of an order as a reading."""
    return ReadingKind(
        name, name.replace("_", " "), ("x",), help_, _GROUPS, _same, groups.one_group(pick, lowest), f"{name}({call})",
        Group.ALTERNATING, _IEC407, degree=1, shift=0.0, noise=None, settings=(Setting("order"),), of_a_line=True,
    )  # fmt: skip


_AMPLITUDE = (
    ReadingKind("mean", "mean", ("x",), "Mean value, the DC part.", _CYCLES, _same, amp.mean_of(1, float), "mean(p1)",
                Group.AMPLITUDE, _IEC103, per_piece=amp.piece_means(1, root=False), degree=1, shift=1.0, noise=averaged, rounding=rounded_mean, usual=True),
    ReadingKind("rms", "rms", ("x",), "Root of the mean square, DC and all orders included.", "root of the mean square over {cycles}{rule}",
                _same, amp.mean_of(2, math.sqrt), "rms(u1)", Group.AMPLITUDE, "IEC 60050-103, ISO 80000-6",
                per_piece=amp.piece_means(2, root=True), degree=1,
                noise=amp.alternating_noise, rounding=rounded_mean, lift=amp.rms_lift, usual=True),
    ReadingKind("ac_rms", "ac rms", ("x",), "Rms of the part that alternates, the mean removed.",
                "two passes over {cycles}: mean, then rms of the deviation{rule}", _same, amp.ac_rms, "ac_rms(u1)", Group.AMPLITUDE, _IEC103,
                per_piece=amp.piece_ac_rms, degree=1, shift=0.0,
                noise=amp.alternating_noise, rounding=rounded_mean, lift=amp.rms_lift, usual=True),
    ReadingKind("rectified", "rectified mean", ("x",), "Mean of the magnitude.", "mean magnitude over {cycles}{rule}", _same,
                amp.rectified_mean, "rectified(i1)", Group.AMPLITUDE, _IEC103, per_piece=amp.piece_rectified, degree=1, noise=None, rounding=rounded_mean),
    ReadingKind("min", "min", ("x",), "Smallest sample.", _ALL, _same, amp.extreme_of(lambda low, high: low), "min(u1)",
                Group.AMPLITUDE, _IEC103, per_piece=amp.piece_extremes(lambda low, high: low), degree=1, shift=1.0,
                noise=amp.extreme_noise(np.negative), rounding=amp.rounded_extremes(1), lift=amp.extreme_bias(-1.0, np.negative), usual=True),
    ReadingKind("max", "max", ("x",), "Largest sample.", _ALL, _same, amp.extreme_of(lambda low, high: high), "max(i1)",
                Group.AMPLITUDE, _IEC103, per_piece=amp.piece_extremes(lambda low, high: high), degree=1, shift=1.0,
                noise=amp.extreme_noise(np.positive), rounding=amp.rounded_extremes(1), lift=amp.extreme_bias(1.0, np.positive), usual=True),
    ReadingKind("peak_to_peak", "peak-to-peak", ("x",), "Largest minus smallest sample.", _ALL, _same,
                amp.extreme_of(lambda low, high: high - low), "peak_to_peak(u1)", Group.AMPLITUDE, _IEC103,
                per_piece=amp.piece_extremes(lambda low, high: high - low), degree=1, shift=0.0,
                noise=amp.extreme_noise(np.positive, np.negative), rounding=amp.rounded_extremes(2),
                lift=amp.extreme_bias(1.0, np.positive, np.negative), usual=True),
    ReadingKind("crest", "crest factor", ("x",), "Largest magnitude over rms.", "largest magnitude of all samples of the interval, over the rms of {cycles}{rule}", _plain,
                amp.crest_factor, "crest(i1)", Group.AMPLITUDE, _IEC103, per_piece=amp.piece_crest, degree=0, noise=amp.crest_noise, rounding=amp.rounded_crest),
    ReadingKind("form", "form factor", ("x",), "Rms over rectified mean.", _CYCLES, _plain, amp.form_factor, "form(u1)",
                Group.AMPLITUDE, _IEC103, per_piece=amp.piece_form, degree=0, noise=None),
    ReadingKind("ripple", "rms ripple", ("x",), "Rms of the alternating part over the mean.", _CYCLES, _percent, amp.rms_ripple,
                "ripple(u_dc)", Group.AMPLITUDE, "IEC 60050-551-17", per_piece=amp.piece_ripple, degree=0, noise=amp.ripple_noise, rounding=amp.rounded_ripple),
    ReadingKind("peak_ripple", "peak ripple", ("x",), "Peak-to-peak over the mean.", _ALL, _percent, amp.peak_ripple,
                "peak_ripple(u_dc)", Group.AMPLITUDE, "IEC 60050-551-17", per_piece=amp.piece_peak_ripple, degree=0, noise=amp.peak_ripple_noise, rounding=amp.rounded_peak_ripple),
    ReadingKind("median", "median", ("x",), "Half of the samples lie below it.", _ALL, _same, shares.share_below(0.5), "median(u1)",
                Group.AMPLITUDE, _ISO3534, degree=1, shift=1.0, noise=None),
    ReadingKind("percentile", "percentile", ("x",), "The value that a share of the samples lies below.", _ALL + ", linear between neighbours",
                _same, shares.share_below(), "percentile(p1, 95)", Group.AMPLITUDE, _ISO3534, degree=1, shift=1.0, noise=None,
                settings=(Setting("share", None, "%"),)),
)  # fmt: skip

_ALTERNATING = (
    ReadingKind("frequency", "frequency", ("x",), "Frequency of the fundamental.",
                "whole cycles over their time, between filtered zero crossings", _hertz, alt.frequency, "frequency(u1)",
                Group.ALTERNATING, "IEC 61000-4-30 clause 5.1", own_cycles=True, degree=0, shift=0.0,
                timed=True, per_piece=alt.piece_frequency, piece_u=alt.frequency_errors, noise=alt.frequency_noise, usual=True, suits=Suits.ELECTRICAL),
    ReadingKind("phase", "phase", ("x", "reference"),
                "Angle of the fundamental of x against that of the reference, or of the component at a frequency; positive when x leads.",
                "fundamental phasors over whole cycles", lambda of: unit("°"), pha.phase, "phase(i1, u1)", Group.ALTERNATING,
                "IEC 60050-131", per_piece=pha.piece_phase, degree=0, noise=pha.phase_noise, settings=(Setting("f", math.nan, "Hz"),)),
    ReadingKind("order_phase", "phase of an order", ("x", "reference"),
                "Angle of a harmonic order of x against the same order of the reference; positive when x leads.",
                _PHASORS, lambda of: unit("°"), fun.of_order(pha.angle_between), "order_phase(i1, u1, 5)", Group.ALTERNATING,
                "IEC 61000-4-7 clause 5.5", per_piece=alt.of_orders(pha.angle_between), degree=0, noise=None, settings=(Setting("order"),)),
    ReadingKind("thd", "THD", ("x",), "Total harmonic distortion against the fundamental, orders 2 to 50.",
                "harmonic components over windows of about 200 ms, root of mean squares", _percent, dis.of_figure(figures.THD), "thd(i1)",
                Group.ALTERNATING, "IEC 61000-4-7", per_piece=dis.piece_figure(figures.THD), degree=0, shift=0.0, noise=alt.distortion_noise, rounding=alt.rounded_distortion,
                lift=alt.distortion_lift, usual=True, suits=Suits.HARMONIC),
    ReadingKind("total_distortion", "total distortion", ("x",),
                "All that alternates beside the fundamental, against it: every order, what lies between, carrier and noise.",
                "rms without mean and fundamental over {cycles}, against the fundamental", _percent, dis.total_distortion,
                "total_distortion(u1)", Group.ALTERNATING, "IEEE 1459 clause 3.1 (U_H, without DC)", degree=0, shift=0.0, noise=None),
    _distortion("thd_r", "THD_R", "Orders 2 and up against the rms of all orders.", figures.THD_R, "IEC 61000-4-7"),
    ReadingKind("thd_g", "THDG", ("x",), "Distortion of harmonic groups: what lies half way to the next order belongs to it.", _GROUPS, _percent,
                groups.distortion_of_groups(lambda found: found.harmonic), "thd_g(i1)", Group.ALTERNATING, "IEC 61000-4-7", degree=0, shift=0.0, noise=None),
    ReadingKind("thd_s", "THDS", ("x",), "Distortion of harmonic subgroups: an order with the lines beside it.", _GROUPS, _percent,
                groups.distortion_of_groups(lambda found: found.subgroup), "thd_s(u1)", Group.ALTERNATING, "IEC 61000-4-7", degree=0, shift=0.0, noise=None),
    _group("harmonic_group", "Rms of an order with the lines half way to its neighbours: emission.", lambda found: found.harmonic, 1, "i1, 5"),
    _group("harmonic_subgroup", "Rms of an order with the lines beside it: power quality.", lambda found: found.subgroup, 1, "u1, 5"),
    _group("interharmonic_group", "Rms of all lines between an order and the next; 0 is below the fundamental.", lambda found: found.interharmonic, 0, "i1, 3"),
    _group("interharmonic_subgroup", "Rms of the lines between an order and the next, but for those beside the two.", lambda found: found.centred, 0, "u1, 3"),
    _distortion("tdd", "TDD", "Orders 2 to 50 against the maximum demand current.", figures.TDD, "IEEE 519", "i1, 16 A", Setting("I_L", None, "")),
    _distortion("pwhd", "PWHD", "Orders 14 to 40, each weighted by its order, against the fundamental.", figures.PWHD, "IEC 61000-3-12"),
    _distortion("k_factor", "K factor", "Sum of h² (I_h / I_R)²; without a rated current that of the rms of the orders, which is the loss factor F_HL.",
                figures.K_FACTOR, "IEEE C57.110", "i1", Setting("I_R", math.nan, "")),
    _distortion("stray_loss_factor", "stray loss factor", "Sum of h^0.8 I_h² over that of I_h².", figures.STRAY_LOSS_FACTOR, "IEEE C57.110"),
    _distortion("thc", "THC", "Rms of orders 2 to 40.", figures.THC, "IEC 61000-3-12"),
    _distortion("pohc", "POHC", "Rms of orders 21, 23, … 39.", figures.POHC, "IEC 61000-3-12"),
    ReadingKind("snr", "signal to noise", ("x",), "Largest tone to noise; DC and orders 2 to 5 belong to neither.", _SPECTRUM, _decibel, pure.of_purity(pure.snr),
                "snr(u1)", Group.PURITY, _IEEE1241, degree=0, shift=0.0, noise=None),
    ReadingKind("sinad", "SINAD", ("x",), "Largest tone to everything else but DC.", _SPECTRUM, _decibel, pure.of_purity(pure.sinad),
                "sinad(u1)", Group.PURITY, _IEEE1241, degree=0, shift=0.0, noise=None),
    ReadingKind("thd_n", "THD+N", ("x",), "Everything but DC beside the largest tone, against it.", _SPECTRUM, _percent, pure.of_purity(pure.thd_n),
                "thd_n(u1)", Group.PURITY, _IEEE1241, degree=0, shift=0.0, noise=None),
    ReadingKind("sfdr", "SFDR", ("x",), "Largest tone to the largest other line.", _SPECTRUM, _decibel, pure.of_purity(pure.sfdr),
                "sfdr(u1)", Group.PURITY, _IEEE1241, degree=0, shift=0.0, noise=None),
    ReadingKind("enob", "effective bits", ("x",), "Bits of an ideal converter as good as this, over the stated range, else over that of the tone.", _SPECTRUM, _plain,
                pure.of_purity(pure.enob), "enob(u1)", Group.PURITY, _IEEE1241, degree=0, shift=0.0, noise=None),
    ReadingKind("fundamental", "fundamental", ("x",), "Rms of the fundamental.", _PHASORS, _same, fun.of_order(fun.order_size, 1),
                "fundamental(u1)", Group.ALTERNATING, "IEC 61000-4-7", per_piece=alt.of_orders(fun.order_size, 1), degree=1, shift=0.0,
                noise=None),
    ReadingKind("harmonic", "harmonic", ("x",), "Rms of a harmonic order.", _PHASORS, _same, fun.of_order(fun.order_size),
                "harmonic(i1, 5)", Group.ALTERNATING, "IEC 61000-4-7", per_piece=alt.of_orders(fun.order_size), degree=1, shift=0.0,
                noise=None, settings=(Setting("order"),), of_a_line=True),
    ReadingKind("harmonic_angle", "harmonic angle", ("x",), "Angle of a harmonic order against so many times the angle of the fundamental.",
                _PHASORS + "; both against a sine", lambda of: unit("°"), fun.of_order(fun.order_angle), "harmonic_angle(i1, 5)",
                Group.ALTERNATING, "IEC 61000-4-7", per_piece=alt.of_orders(fun.order_angle), degree=0, shift=0.0, noise=None,
                settings=(Setting("order"),)),
    ReadingKind("positive_sequence", "positive sequence", ("a", "b", "c"), "Positive sequence of three fundamentals, rms.", _PHASORS, _same,
                fun.of_three(fun.sequence("positive")), "positive_sequence(u1, u2, u3)", Group.ALTERNATING, _IEC430,
                per_piece=alt.of_orders(fun.sequence("positive"), 1), noise=None, alike=True),
    ReadingKind("negative_sequence", "negative sequence", ("a", "b", "c"), "Negative sequence of three fundamentals, rms.", _PHASORS, _same,
                fun.of_three(fun.sequence("negative")), "negative_sequence(u1, u2, u3)", Group.ALTERNATING, _IEC430,
                per_piece=alt.of_orders(fun.sequence("negative"), 1), noise=None, alike=True),
    ReadingKind("zero_sequence", "zero sequence", ("a", "b", "c"), "Zero sequence of three fundamentals, rms.", _PHASORS, _same,
                fun.of_three(fun.sequence("zero")), "zero_sequence(u1, u2, u3)", Group.ALTERNATING, _IEC430,
                per_piece=alt.of_orders(fun.sequence("zero"), 1), noise=None, alike=True),
    ReadingKind("unbalance", "unbalance", ("a", "b", "c"), "Negative over positive sequence of three fundamentals.", _PHASORS, _percent,
                fun.of_three(fun.unbalance_of, ratio=True), "unbalance(u1, u2, u3)", Group.ALTERNATING, _IEC430,
                per_piece=alt.of_orders(fun.unbalance_of, 1), degree=0, noise=None, alike=True),
)  # fmt: skip

_POWER = (
    ReadingKind("active", "active power", ("u", "i"), "Active power: the mean of u i.", _CYCLES, _watts, ele.active, "active(u1, i1)",
                Group.POWER, _IEEE1459, per_piece=ele.piece_active, noise=None),
    ReadingKind("apparent", "apparent power", ("u", "i"), "Apparent power: rms of u times rms of i, DC and all orders included.", _CYCLES,
                lambda of: unit("VA"), ele.apparent, "apparent(u1, i1)", Group.POWER, _IEEE1459, per_piece=ele.piece_apparent, noise=None),
    ReadingKind("reactive", "reactive power", ("u", "i"), "Reactive power Q1 of the fundamentals; positive where the current lags.", _PHASORS,
                lambda of: unit("var"), ele.of_fundamentals(ele.reactive_of, ratio=False), "reactive(u1, i1)", Group.ALTERNATING, _IEEE1459,
                per_piece=alt.of_orders(ele.reactive_of, 1), noise=None),
    ReadingKind("power_factor", "power factor", ("u", "i"), "Active over apparent power, with the sign of the active power.", _CYCLES, _plain,
                ele.power_factor, "power_factor(u1, i1)", Group.POWER, _IEEE1459, per_piece=ele.piece_power_factor, degree=0, noise=None),
    ReadingKind("displacement_factor", "displacement factor", ("u", "i"), "cos φ1: active over apparent power of the fundamentals.", _PHASORS,
                _plain, ele.of_fundamentals(ele.displacement_of, ratio=True), "displacement_factor(u1, i1)", Group.ALTERNATING, _IEEE1459,
                per_piece=alt.of_orders(ele.displacement_of, 1), degree=0, noise=None),
    ReadingKind("resistance", "resistance", ("u", "i"), "Resistance: the sum of u i over the sum of i²; an offset of u is part of it.", _CYCLES,
                _ohms, ele.resistance, "resistance(u1, i1)", Group.POWER, "least squares through the origin",
                per_piece=ele.piece_resistance, noise=None),
    ReadingKind("resistance_with_offset", "resistance, offset removed", ("u", "i"),
                "Slope of u over i by least squares with an intercept: offsets and thermal voltages drop out.", _CYCLES, _ohms,
                ele.resistance_with_offset, "resistance_with_offset(u1, i1)", Group.POWER, "least squares with intercept", noise=None),
    ReadingKind("inductance", "inductance", ("u", "i"), "Inductance: X1 / 2πf1 over cycles; without any, from u = R i + L di/dt + u0.",
                "X1 / 2πf1 of the fundamentals", lambda of: unit("H"), ele.inductance, "inductance(u1, i1)", Group.ALTERNATING,
                "least squares, textbook definition", noise=None),
    ReadingKind("received", "energy received", ("p",), "Energy received: the integral of what is above zero.", _SIGNED, _energy,
                ele.energy(False), "received(p1) in \"whole record\"", Group.TREND, _IEC62053, per_piece=ele.piece_energy(False), timed=True,
                noise=None),
    ReadingKind("returned", "energy returned", ("p",), "Energy returned: the integral of what is below zero, counted positive.", _SIGNED,
                _energy, ele.energy(True), "returned(p1) in \"whole record\"", Group.TREND, _IEC62053, per_piece=ele.piece_energy(True),
                timed=True, noise=None),
    ReadingKind("correlation", "correlation", ("x", "y"), "Correlation coefficient of two channels, -1 to 1.", _CYCLES, _plain,
                likeness.correlation, "correlation(u1, i1)", Group.POWER, "K. Pearson", degree=0, noise=None),
)  # fmt: skip

_LEVEL = Setting("level", math.nan, "", level=True)
_PULSE = (
    ReadingKind("top", "top", ("x",), "Upper level of a pulse waveform.", "upper mode of a histogram of 1000 classes, or upper of two clusters; else 99th percentile",
                _same, amp.level_of(lambda found: found.top), "top(g)", Group.PULSE, _IEEE181, degree=1, shift=1.0,
                noise=amp.level_noise(lambda found: found.n_top), rounding=amp.rounded_extremes(1)),
    ReadingKind("base", "base", ("x",), "Lower level of a pulse waveform.", "lower mode of a histogram of 1000 classes, or lower of two clusters; else 1st percentile",
                _same, amp.level_of(lambda found: found.base), "base(g)", Group.PULSE, _IEEE181, degree=1, shift=1.0,
                noise=amp.level_noise(lambda found: found.n_base), rounding=amp.rounded_extremes(1)),
    ReadingKind("edge_frequency", "edge frequency", ("x",), "Periods from rise to rise over their time.", _HALF, _hertz,
                shape.of_pulses(shape.edge_frequency, shape.of_period), "edge_frequency(g)", Group.PULSE, _IEEE181, degree=0, shift=0.0,
                timed=True, per_piece=shape.piece_pulses(lambda p, rate: p.counts / p.time * rate),
                noise=shape.pulse_noise(shape.of_period), settings=(_LEVEL,)),
    ReadingKind("period", "period", ("x",), "Mean time from rise to rise.", _HALF, _seconds,
                shape.of_pulses(lambda p, rate: float(p.periods.mean()) / rate, shape.of_period), "period(g)", Group.PULSE, _IEEE181,
                degree=0, shift=0.0, timed=True, per_piece=shape.piece_pulses(lambda p, rate: p.time / p.counts / rate),
                noise=shape.pulse_noise(shape.of_period), settings=(_LEVEL,)),
    ReadingKind("width", "pulse width", ("x",), "Mean time from rise to fall.", _HALF, _seconds,
                shape.of_pulses(lambda p, rate: float(p.widths.mean()) / rate, shape.of_width, alone=True), "width(g)", Group.PULSE, _IEEE181,
                degree=0, shift=0.0, timed=True, per_piece=shape.piece_pulses(lambda p, rate: p.width / p.counts / rate),
                noise=shape.pulse_noise(shape.of_width), settings=(_LEVEL,)),
    ReadingKind("duty", "duty", ("x",), "Time high over time.", _HALF, _percent, shape.of_pulses(lambda p, rate: p.duty, shape.of_duty), "duty(g)",
                Group.PULSE, _IEEE181, degree=0, shift=0.0, per_piece=shape.piece_pulses(lambda p, rate: p.width / p.time, held=True),
                noise=shape.pulse_noise(shape.of_duty), settings=(_LEVEL,)),
    ReadingKind("rise_time", "rise time", ("x",), "Mean duration from 10 % to 90 % of the amplitude.",
                "last crossing of 10 % before and first of 90 % after each crossing of 50 %", _seconds, shape.transition(True),
                "rise_time(u1)", Group.PULSE, _IEEE181, degree=0, shift=0.0, timed=True, noise=shape.transition_noise(True)),
    ReadingKind("fall_time", "fall time", ("x",), "Mean duration from 90 % to 10 % of the amplitude.",
                "last crossing of 90 % before and first of 10 % after each crossing of 50 %", _seconds, shape.transition(False),
                "fall_time(u1)", Group.PULSE, _IEEE181, degree=0, shift=0.0, timed=True, noise=shape.transition_noise(False)),
    ReadingKind("settling_time", "settling time", ("x",), "Time from the start of the interval until x stays within a band around its final value, in % of the step; final is the mean of the last 5 % unless given.",
                "from edge a to the last crossing of final ± band of |final − first|; final: mean of the last 5 % of the interval, or as given", _seconds,
                shape.settling_time, "settling_time(f)", Group.PULSE, _IEEE181, degree=0, shift=0.0, timed=True,
                noise=shape.settling_noise, settings=(Setting("band", 2.0, "%"), Setting("final", math.nan, ""))),
    ReadingKind("time_of_max", "time of max", ("x",), "Instant of the first largest sample.", _ALL, _seconds, shape.time_of(True),
                "time_of_max(i1)", Group.PULSE, _IEC103, degree=0, shift=0.0, timed=True, delayed=True),
    ReadingKind("time_of_min", "time of min", ("x",), "Instant of the first smallest sample.", _ALL, _seconds, shape.time_of(False),
                "time_of_min(i1)", Group.PULSE, _IEC103, degree=0, shift=0.0, timed=True, delayed=True),
    ReadingKind("overshoot", "overshoot", ("x",), "How far the largest sample lies above the top, in % of the amplitude.",
                "(largest sample − top) over (top − base), " + _ALL, _percent, shape.beyond_levels(True), "overshoot(g)", Group.PULSE,
                _IEEE181, degree=0, shift=0.0, noise=None),
    ReadingKind("undershoot", "undershoot", ("x",), "How far the smallest sample lies below the base, in % of the amplitude.",
                "(base − smallest sample) over (top − base), " + _ALL, _percent, shape.beyond_levels(False), "undershoot(g)", Group.PULSE,
                _IEEE181, degree=0, shift=0.0, noise=None),
    ReadingKind("carrier", "carrier frequency", ("x",), "Frequency at which a switched voltage or a gate rises: its edges less one, over their time.",
                _HALF, _hertz, shape.of_pulses(shape.edge_frequency, shape.of_period), "carrier(g)", Group.PULSE, _IEEE181, degree=0,
                shift=0.0, timed=True, per_piece=shape.piece_pulses(lambda p, rate: p.counts / p.time * rate),
                noise=shape.pulse_noise(shape.of_period), settings=(_LEVEL,)),
    ReadingKind("dead_time", "dead time", ("x", "y"), "Mean time from each fall of x to the rise of y that belongs to it; negative where both are high.",
                "from 50 % to 50 %, edges that are nearest", _seconds, shape.dead_time, "dead_time(g1, g2)", Group.PULSE, _IEEE181,
                degree=0, shift=0.0, timed=True, noise=None),
    ReadingKind("delay_between", "delay", ("x", "y"), "How much later x comes than y: by their edges where both are pulses, else by correlation.",
                "median distance of edges, or the largest cross-correlation", _seconds, likeness.delay_between, "delay_between(u2, u1)",
                Group.PULSE, "textbook definition", degree=0, shift=0.0, timed=True, noise=None),
)  # fmt: skip

_TREND = (
    ReadingKind("area", "area", ("x",), "Integral over the interval; W becomes J.", "trapezoids with fractional ends",
                lambda of: of[0] * unit("s"), shape.area, "area(p1)", Group.TREND, per_piece=shape.piece_area, degree=1, timed=True),
    ReadingKind("slope", "slope", ("x",), "Change per second.", "least squares over " + _ALL, lambda of: of[0] / unit("s"), shape.slope,
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

_FITTED = "least squares in the lines around it, together with the tones beside it, through a smooth window"


def _component(
    name: str,
    title: str,
    help_: str,
    pick: com.Pick,
    unit_of: Callable[[Sequence[Unit]], Unit],
    call: str,
    degree: int | None,
    *more: str,
) -> ReadingKind:
    """Return a reading of the component nearest a frequency."""
    return ReadingKind(
        name, title, ("x", *more), help_, _FITTED, unit_of, com.of_component(pick), f"{name}({call}, 178 Hz)", Group.COMPONENT,
        "G. Golub and V. Pereyra 1973", degree=degree, noise=None, shift=0.0, settings=(Setting("f", None, "Hz"),), tabled=False,
    )  # fmt: skip


_COMPONENTS = (
    _component("tone", "tone", "Rms of the component nearest a frequency, beside other tones and in noise.", com.rms, _same, "i1", 1),
    _component("tone_frequency", "frequency of a tone", "Frequency of the component nearest one.", com.frequency, _hertz, "i1", 0),
    _component("tone_phase", "phase of a tone", "Phase of the component nearest a frequency, as a sine at the start of the interval.",
               com.phase, lambda of: unit("°"), "i1", 0),
    _component("gain", "gain", "Rms of the component nearest a frequency over that of the same in another channel.", com.gain,
               _ohms, "i1, u1", 0, "reference"),
)  # fmt: skip

_FLICKER = (
    ReadingKind("flicker", "Pst", ("u",), "Short-term flicker: how much changes of the voltage make a lamp flicker, 1 is the limit of annoyance.",
                "weighting of lamp, eye and brain, levels exceeded for shares of the time", _plain, flicker.short_term_flicker,
                "flicker(u1)", Group.ALTERNATING, "IEC 61000-4-15", degree=0, noise=None, shift=0.0,
                settings=(Setting("lamp", 230.0, "V"),), tabled=False),
)  # fmt: skip

READINGS = Registry(
    "reading",
    lambda kind: kind.name,
    (*_AMPLITUDE, *_ALTERNATING, *_FLICKER, *_COMPONENTS, *_POWER, *_PULSE, *_TREND, *_SAMPLES),
    "readings",
    ReadingKind,
)


def reading_kind(name: str) -> ReadingKind | None:
    """Return the kind of reading of that name, or None."""
    return READINGS.get(name)


def single_readings() -> tuple[ReadingKind, ...]:
    """Return the readings that take one channel and need to be told nothing else: what a column beside the lanes can show."""
    return tuple(kind for kind in READINGS if len(kind.arguments) == 1 and all(one.default is not None for one in kind.settings))
