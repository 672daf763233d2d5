"""The reference cases of the quantities, typed as text: known answers, derived on paper."""

import math

import numpy as np
import pytest

RATE = 10_000.0


def wave(rate, seconds, *parts):
    """Return the sum of sqrt2 A sin(2πft + φ) for parts (A rms, f in Hz, φ in degrees)."""
    t = np.arange(round(rate * seconds)) / rate
    return sum(math.sqrt(2) * a * np.sin(2 * np.pi * f * t + math.radians(phi)) for a, f, phi in parts)


def trapezoid():
    """Return ten periods: 2 V to 12 V, 1 ms edges, 5 ms high at half height, 100 kHz."""
    at = np.arange(10_000) % 1000
    return 2 + 10 * np.interp(at, [0, 100, 500, 600, 1000], [0, 1, 1, 0, 0])


def exponential_step():
    t = np.arange(20_001) / 1e5
    return np.where(t < 0.02, 0.0, 5 * (1 - np.exp(-(t - 0.02) / 0.01)))


def _switched(rate, seconds):
    """Return the sine-triangle waveform of two levels, 50 Hz on 5 kHz, 300 V."""
    t = np.arange(round(rate * seconds)) / rate
    carrier = 4 * np.abs((5000 * t + 1e-12) % 1 - 0.5) - 1
    return np.where(0.8 * np.sin(2 * np.pi * 50 * t) >= carrier, 300.0, -300.0)


def cases():
    sine = {"u": wave(RATE, 0.2, (230, 50, 0))}
    ripple = {"u": 48 + wave(20e3, 0.1, (0.5, 100, 0), (0.2, 300, 60))}
    load = {"u": wave(RATE, 0.2, (230, 50, 0)), "i": wave(RATE, 0.2, (230 / math.sqrt(200), 50, -45))}
    distorted = {
        "u": 1 + wave(12e3, 0.2, (120, 60, 0), (3, 180, 70), (6, 300, -20)),
        "i": wave(12e3, 0.2, (10, 60, -30), (3, 180, -10), (2, 300, 160), (1, 420, 30)),
    }
    pwm = {"u": np.where(np.arange(100_000) % 100 < 37, 400.0, 0.0)}
    ramp = {"u": 2 + 3 * np.arange(1001) / 1000}
    shunt = {"i": wave(20e3, 1, (20, 50, 0)), "u": 0.05 * wave(20e3, 1, (20, 50, 0)) + 2e-3}
    shunt_dc = {"i": 4 + wave(20e3, 1, (20, 50, 0))}
    shunt_dc["u"] = 0.05 * shunt_dc["i"] + 2e-3
    p = 1000 * np.sin(2 * np.pi * 0.1 * np.arange(10_001) / 1000)
    p[[0, 5000, 10_000]] = 0
    orders = {"u": wave(25.6e3, 0.2, (230, 50, 0), (11.5, 150, 0), (9.2, 250, 30), (6.9, 350, -100))}
    late = {"ua": wave(50e3, 1, (1, 1000, 170)), "ub": 2 * wave(50e3, 1, (1, 1000, 170 - 360 * 1000 * 137e-6))}
    cycle = {"u": wave(20e3, 1, (230, 50, 0)), "i": wave(20e3, 1, (5, 50, -60))}
    unequal = {f"u{k}": wave(RATE, 0.2, (a, 50, f)) for k, (a, f) in enumerate([(230, 0), (225, -121), (236, 118)], 1)}
    motor = {"M": np.full(2000, 25.0), "n": np.full(2000, 1500.0)}
    off = {"u": math.sqrt(2) * 230 * np.sin(2 * np.pi * 49.7 * np.arange(40_000) / 20e3 + 0.3)}
    thrice = {"u": wave(20e3, 1, (100, 50, 0), (40, 250, 180))}
    switched = {
        rate: {"u": _switched(rate, seconds), "m": wave(rate, seconds, (0.8, 50, -90))}
        for rate, seconds in ((5e6, 0.04), (500e3, 0.4))
    }
    four_wire = {f"u{k}": wave(RATE, 0.2, (230, 50, a)) for k, a in ((1, 0), (2, -120), (3, 120))}
    four_wire |= {
        f"i{k}": wave(RATE, 0.2, (10, 50, a - 25), (4, 150, 3 * a), (2, 250, 5 * a + 10))
        for k, a in ((1, 0), (2, -120), (3, 120))
    }
    n = np.arange(36_001)
    battery = {"i": -2.5 + 0.5 * np.sin(2 * np.pi * n / 10), "u": np.full(36_001, 3.7)}
    one_cycle = {"u": wave(2e6, 0.02, (230, 50, 0)), "i": wave(2e6, 0.02, (5, 50, -60))}
    yield from (
        ("03.2", 20e3, off, "count(rms(u) over cycles(u, 0 V, 10 V))", 98, 0), ("03.3", 20e3, off, "mean(frequency(u) over cycles(u, 0 V, 10 V))", 49.7, 1e-5),
        ("03.3b", 20e3, off, "frequency(u)", 49.7, 1e-6), ("03.4", 20e3, off, "1 / frequency(u)", 0.02012072434608, 1e-9),
        ("03.5", 20e3, off, "rms(rms(u) over cycles(u, 0 V, 10 V))", 230, 1e-3), ("03.6", 20e3, off, "mean(mean(u) over cycles(u, 0 V, 10 V))", 0, 1e-3),
        ("04.2", 20e3, thrice, "frequency(u)", 50, 1e-5), ("04.4", 20e3, thrice, "rms(u)", 107.7032961427, 1e-9),
        ("06.1", 5e6, switched[5e6], "rms(u)", 300, 1e-9), ("06.2", 5e6, switched[5e6], "mean(fundamental(u) over cycles(m, 0 V))", 169.7056274848, 0.1),
        ("06.3", 5e6, switched[5e6], "mean(phase(u, m) over cycles(m, 0 V)) to deg", math.pi / 2, math.radians(0.05)),
        ("42.1", 500e3, switched[500e3], "frequency(u)", 50, 2e-3), ("42.1b", 500e3, switched[500e3], "max(frequency(u) over cycles(u))", 50, 2e-3),
        ("12.2", RATE, four_wire, "rms(i1 + i2 + i3)", 12, 1e-10), ("12.1", RATE, four_wire, "mean(u1 * i1 + u2 * i2 + u3 * i3)", 6253.523730553, 1e-7),
        ("12.4", RATE, four_wire, "apparent(u1, i1) + apparent(u2, i2) + apparent(u3, i3)", 7558.571293571, 1e-7),
        ("19.1", 10.0, battery, "max(integral(i)) - max(integral(i)) + area(i) to Ah", -9000, 1e-8), ("19.5", 10.0, battery, "area(u * i) to Wh", -33300, 1e-7),
        ("21.3", 2e6, one_cycle, 'received(u * i) in "whole record"', 14.00694896402, 2e-5), ("21.4", 2e6, one_cycle, 'returned(u * i) in "whole record"', 2.506948964017, 2e-5),
        ("01.2", RATE, sine, "rms(u)", 230, 1e-9), ("01.3", RATE, sine, "rectified(u)", 207.0557213847, 1e-8),
        ("02.2", 20e3, ripple, "ac_rms(u)", 0.5385164807135, 1e-10), ("02.4", 20e3, ripple, "ripple(u) to %", 0.0112190933482, 1e-11),
        ("05.3", 1e6, pwm, "carrier(u)", 10_000, 1e-6), ("05.4", 1e6, pwm, "width(u)", 3.7e-5, 1e-12), ("05.5", 1e6, pwm, "duty(u)", 0.37, 1e-12),
        ("07.2", 1e5, {"u": exponential_step()}, 'settling_time(u, 2 %, 5 V) - 0.02 s', 0.03912023005428, 1e-7),
        ("07.5", 1e5, {"u": trapezoid()}, "rise_time(u)", 0.0008, 2e-6), ("07.7", 1e5, {"u": trapezoid()}, "duty(u)", 0.5, 2e-4),
        ("08.1", 1e3, ramp, "slope(u)", 3, 1e-12), ("08.3", 1e3, ramp, "percentile(u, 5)", 2.15, 1e-12),
        ("08.4", 1e3, ramp, "percentile(u, 95 %)", 4.85, 1e-12), ("08.2", 1e3, ramp, "median(u)", 3.5, 1e-12),
        ("09.1", RATE, load, "active(u, i)", 2645, 1e-8), ("09.2", RATE, load, "apparent(u, i)", 3740.594872477, 1e-8),
        ("09.3", RATE, load, "reactive(u, i)", 2645, 1e-8), ("09.4", RATE, load, "power_factor(u, i)", 0.7071067811865, 1e-12),
        ("09.5", RATE, load, "phase(u, i) to deg", math.radians(45), 1e-10), ("09.6", RATE, load, "resistance(u, i)", 10, 1e-11),
        ("09.7", RATE, load, "fundamental(u) / fundamental(i)", 14.14213562373, 1e-11),
        ("09.8", RATE, load, "inductance(u, i)", 0.03183098861838, 1e-13), ("09.9", RATE, load, "mean(u * (-i))", -2645, 1e-8),
        ("10.3", 12e3, distorted, "active(u, i)", 1028.79331814, 1e-8), ("10.4", 12e3, distorted, "apparent(u, i)", 1283.294198537, 1e-8),
        ("10.5", 12e3, distorted, "sqrt(apparent(u, i)^2 - active(u, i)^2)", 767.0908085421, 1e-7),
        ("10.7", 12e3, distorted, "reactive(u, i)", 600, 1e-8), ("10.16", 12e3, distorted, "power_factor(u, i)", 0.8016815780144, 1e-8),
        ("10.17", 12e3, distorted, "displacement_factor(u, i)", 0.8660254037844, 1e-8),
        ("10.18", 12e3, distorted, "thd(u)", 0.05590169943749, 1e-10), ("10.13", 12e3, distorted, "harmonic(u, 5)", 6, 1e-9),
        ("13.1", RATE, unequal, "positive_sequence(u1, u2, u3)", 230.3096779593, 1e-7),
        ("13.3", RATE, unequal, "negative_sequence(u1, u2, u3)", 1.775991403457, 1e-7),
        ("13.4", RATE, unequal, "zero_sequence(u1, u2, u3)", 5.288171657633, 1e-7),
        ("13.5", RATE, unequal, "unbalance(u1, u2, u3)", 0.007711319034414, 1e-9), ("13.7", RATE, unequal, "rms(u1 - u2)", 396.0194954206, 1e-7),
        ("16.2", RATE, motor, "mean(shaft_power(M, n))", 3926.990816987, 1e-8), ("16.2b", RATE, motor, "mean(M * n)", 3926.990816987, 1e-8),
        ("17.1", 20e3, shunt, "resistance(u, i)", 0.05, 1e-13), ("17.2", 20e3, shunt, "resistance_with_offset(u, i)", 0.05, 1e-13),
        ("17.3", 20e3, shunt, "mean(u) - resistance_with_offset(u, i) * mean(i)", 0.002, 1e-13),
        ("17.5", 20e3, shunt, "median(u / i where abs(i) >= 2.83 A)", 0.05, 2e-4),
        ("17.7", 20e3, shunt_dc, "resistance(u, i)", 0.05001923076923, 1e-12),
        ("17.7b", 20e3, shunt_dc, "resistance_with_offset(u, i)", 0.05, 1e-12),
        ("18.1", 1e3, {"p": p}, 'received(p) in "whole record"', 3183.098757118, 1e-8),
        ("18.2", 1e3, {"p": p}, 'returned(p) in "whole record"', 3183.098757118, 1e-8), ("18.3", 1e3, {"p": p}, "max(received(p)) - max(returned(p))", 0, 1e-8),
        ("18.5", 1e3, {"p": p}, "max(received(p)) to Wh", 0.8841940991995 * 3600, 1e-8),
        ("21.1", 20e3, cycle, "mean(mean(u * i) over blocks(20 ms)) * 0.02 s", 11.5, 1e-10),
        ("26.1", 50e3, late, "phase(ub, ua)", math.radians(-49.32), 1e-9), ("26.1b", 50e3, late, "delay_between(ub, ua)", 137e-6, 1e-7),
        ("27.1", 25.6e3, orders, "thd(u)", 0.07071067811865, 1e-11), ("27.3", 25.6e3, orders, "harmonic(u, 5) / fundamental(u)", 0.04, 1e-12),
        ("27.4", 25.6e3, orders, "harmonic_angle(u, 5)", math.radians(30), 1e-10),
    )  # fmt: skip


@pytest.mark.parametrize(("rate", "channels", "text", "exact", "within"), [pytest.param(*row[1:], id=row[0]) for row in cases()])
def test_typed_as_text(evaluation_of, rate, channels, text, exact, within):
    evaluation = evaluation_of(rate, units={"p": "W", "m": "V", "M": "N*m", "n": "rpm"}, **channels)
    assert evaluation.value(text).value == pytest.approx(exact, abs=within)
