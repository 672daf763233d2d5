"""Pulses and steps."""

import math

from pantelos.reading import amplitude as amp
from pantelos.reading import likeness, shape
from pantelos.reading.kinds.common import ALL, HALF, IEC103, IEEE181, hertz, percent, same, seconds
from pantelos.reading.reading import Group, ReadingKind, Setting

PLACE = 6


_LEVEL = Setting("level", math.nan, "", level=True)
ROWS = (
    ReadingKind("top", "top", ("x",), "Upper level of a pulse waveform.", "upper mode of a histogram of 1000 classes, or upper of two clusters; else 99th percentile",
                same, amp.level_of(lambda found: found.top), "top(g)", Group.PULSE, IEEE181, degree=1, shift=1.0,
                noise=amp.level_noise(lambda found: found.n_top), rounding=amp.rounded_extremes(1)),
    ReadingKind("base", "base", ("x",), "Lower level of a pulse waveform.", "lower mode of a histogram of 1000 classes, or lower of two clusters; else 1st percentile",
                same, amp.level_of(lambda found: found.base), "base(g)", Group.PULSE, IEEE181, degree=1, shift=1.0,
                noise=amp.level_noise(lambda found: found.n_base), rounding=amp.rounded_extremes(1)),
    ReadingKind("edge_frequency", "edge frequency", ("x",), "Periods from rise to rise over their time.", HALF, hertz,
                shape.of_pulses(shape.edge_frequency, shape.of_period), "edge_frequency(g)", Group.PULSE, IEEE181, degree=0, shift=0.0,
                timed=True, per_piece=shape.piece_pulses(lambda p, rate: p.counts / p.time * rate),
                noise=shape.pulse_noise(shape.of_period), settings=(_LEVEL,)),
    ReadingKind("period", "period", ("x",), "Mean time from rise to rise.", HALF, seconds,
                shape.of_pulses(lambda p, rate: float(p.periods.mean()) / rate, shape.of_period), "period(g)", Group.PULSE, IEEE181,
                degree=0, shift=0.0, timed=True, per_piece=shape.piece_pulses(lambda p, rate: p.time / p.counts / rate),
                noise=shape.pulse_noise(shape.of_period), settings=(_LEVEL,)),
    ReadingKind("width", "pulse width", ("x",), "Mean time from rise to fall.", HALF, seconds,
                shape.of_pulses(lambda p, rate: float(p.widths.mean()) / rate, shape.of_width, alone=True), "width(g)", Group.PULSE, IEEE181,
                degree=0, shift=0.0, timed=True, per_piece=shape.piece_pulses(lambda p, rate: p.width / p.counts / rate),
                noise=shape.pulse_noise(shape.of_width), settings=(_LEVEL,)),
    ReadingKind("duty", "duty", ("x",), "Time high over time.", HALF, percent, shape.of_pulses(lambda p, rate: p.duty, shape.of_duty), "duty(g)",
                Group.PULSE, IEEE181, degree=0, shift=0.0, per_piece=shape.piece_pulses(lambda p, rate: p.width / p.time, held=True),
                noise=shape.pulse_noise(shape.of_duty), settings=(_LEVEL,)),
    ReadingKind("rise_time", "rise time", ("x",), "Mean duration from 10 % to 90 % of the amplitude.",
                "last crossing of 10 % before and first of 90 % after each crossing of 50 %", seconds, shape.transition(True),
                "rise_time(u1)", Group.PULSE, IEEE181, degree=0, shift=0.0, timed=True, noise=shape.transition_noise(True)),
    ReadingKind("fall_time", "fall time", ("x",), "Mean duration from 90 % to 10 % of the amplitude.",
                "last crossing of 90 % before and first of 10 % after each crossing of 50 %", seconds, shape.transition(False),
                "fall_time(u1)", Group.PULSE, IEEE181, degree=0, shift=0.0, timed=True, noise=shape.transition_noise(False)),
    ReadingKind("settling_time", "settling time", ("x",), "Time from the start of the interval until x stays within a band around its final value, in % of the step; final is the mean of the last 5 % unless given.",
                "from edge a to the last crossing of final ± band of |final − first|; final: mean of the last 5 % of the interval, or as given", seconds,
                shape.settling_time, "settling_time(f)", Group.PULSE, IEEE181, degree=0, shift=0.0, timed=True,
                noise=shape.settling_noise, settings=(Setting("band", 2.0, "%"), Setting("final", math.nan, ""))),
    ReadingKind("time_of_max", "time of max", ("x",), "Instant of the first largest sample.", ALL, seconds, shape.time_of(True),
                "time_of_max(i1)", Group.PULSE, IEC103, degree=0, shift=0.0, timed=True, delayed=True),
    ReadingKind("time_of_min", "time of min", ("x",), "Instant of the first smallest sample.", ALL, seconds, shape.time_of(False),
                "time_of_min(i1)", Group.PULSE, IEC103, degree=0, shift=0.0, timed=True, delayed=True),
    ReadingKind("overshoot", "overshoot", ("x",), "How far the largest sample lies above the top, in % of the amplitude.",
                "(largest sample − top) over (top − base), " + ALL, percent, shape.beyond_levels(True), "overshoot(g)", Group.PULSE,
                IEEE181, degree=0, shift=0.0, noise=None),
    ReadingKind("undershoot", "undershoot", ("x",), "How far the smallest sample lies below the base, in % of the amplitude.",
                "(base − smallest sample) over (top − base), " + ALL, percent, shape.beyond_levels(False), "undershoot(g)", Group.PULSE,
                IEEE181, degree=0, shift=0.0, noise=None),
    ReadingKind("carrier", "carrier frequency", ("x",), "Frequency at which a switched voltage or a gate rises: its edges less one, over their time.",
                HALF, hertz, shape.of_pulses(shape.edge_frequency, shape.of_period), "carrier(g)", Group.PULSE, IEEE181, degree=0,
                shift=0.0, timed=True, per_piece=shape.piece_pulses(lambda p, rate: p.counts / p.time * rate),
                noise=shape.pulse_noise(shape.of_period), settings=(_LEVEL,)),
    ReadingKind("dead_time", "dead time", ("x", "y"), "Mean time from each fall of x to the rise of y that belongs to it; negative where both are high.",
                "from 50 % to 50 %, edges that are nearest", seconds, shape.dead_time, "dead_time(g1, g2)", Group.PULSE, IEEE181,
                degree=0, shift=0.0, timed=True, noise=None),
    ReadingKind("delay_between", "delay", ("x", "y"), "How much later x comes than y: by their edges where both are pulses, else by correlation.",
                "median distance of edges, or the largest cross-correlation", seconds, likeness.delay_between, "delay_between(u2, u1)",
                Group.PULSE, "textbook definition", degree=0, shift=0.0, timed=True, noise=None),
)  # fmt: skip
