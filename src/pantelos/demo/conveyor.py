"""A belt conveyor whose half bridge is driven up in a second: gates with dead time, a switched voltage, an encoder that runs up.

Laws, t in s: share on d = 0.1 + 0.6 r with r = (t - 0.1) / 1 s held between 0 and 1; encoder 4 Hz + 116 Hz r; speed 1450 min⁻¹ r,
down to rest from 1.2 s to 1.6 s, when the torque has turned from 40 N·m to -25 N·m. All parameters are here.
"""

import math

import numpy as np

from pantelos.signal.arrays import FloatArray
from pantelos.study import operations as op
from pantelos.study.model import Interval, Study
from pantelos.study.recordings import Recordings
from pantelos.study.shown import Panel

RATE_HZ = 200_000.0
DURATION_S = 1.6
RUN_S, BRAKE_S = (0.1, 1.1), (1.2, 1.6)
CARRIER_HZ, DEAD_S, EDGE_S = 2000.0, 20e-6, 10e-6
SHARE = (0.1, 0.7)  # of a carrier period that the upper switch is asked to be on
U_DC, GATE_V, R_OHM, L_HENRY = 325.0, 15.0, 10.0, 0.05
F_ENCODER = (4.0, 120.0)
F_VIBRATION, F_OTHER, LAG_DEG = 25.0, 130.0, 40.0
SPEED_RPM, TORQUE_NM = 1450.0, (40.0, -25.0)
NM_PER_V, RPM_PER_V = 10.0, 300.0
NOISE_V, SEED = 0.0005, 7


def run_up(t: FloatArray) -> FloatArray:
    """Return how far the drive has run up, 0 to 1."""
    return np.clip((t - RUN_S[0]) / (RUN_S[1] - RUN_S[0]), 0.0, 1.0)


def encoder_turns(t: FloatArray) -> FloatArray:
    """Return the phase of the encoder, in turns: the integral of its frequency."""
    low, high = F_ENCODER
    r, length = run_up(t), RUN_S[1] - RUN_S[0]
    after = np.maximum(t - RUN_S[1], 0.0)
    return low * np.minimum(t, RUN_S[1]) + (high - low) * length * r**2 / 2 + high * after


def speed_rpm(t: FloatArray) -> FloatArray:
    """Return the speed of the belt pulley."""
    return SPEED_RPM * run_up(t) * np.clip((BRAKE_S[1] - t) / (BRAKE_S[1] - BRAKE_S[0]), 0.0, 1.0)


def _gates(t: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return both gates, 0 to 1: edges are straight and cross the middle at their instants."""
    period = 1 / CARRIER_HZ
    within = t % period
    on = (SHARE[0] + (SHARE[1] - SHARE[0]) * run_up(t - within)) * period  # a period keeps the share it begins with

    def between(start: float, stop: FloatArray | float) -> FloatArray:
        return np.clip((within - start) / EDGE_S + 0.5, 0, 1) * np.clip((stop - within) / EDGE_S + 0.5, 0, 1)

    before = within - period  # the lower gate falls where the period ends
    falling = np.clip((0.0 - within) / EDGE_S + 0.5, 0, 1)
    lower = np.clip((within - on - DEAD_S) / EDGE_S + 0.5, 0, 1) * np.clip((0.0 - before) / EDGE_S + 0.5, 0, 1)
    return between(DEAD_S, on), np.maximum(lower, falling)


def recorded_volts() -> dict[str, FloatArray]:
    """Return what the recorder put down, V."""
    from scipy.signal import lfilter  # here, for the sake of a quick start

    t = np.arange(round(RATE_HZ * DURATION_S)) / RATE_HZ
    upper, lower = _gates(t)
    u = U_DC * upper
    decay = math.exp(-R_OHM / L_HENRY / RATE_HZ)
    i = lfilter([0.0, (1 - decay) / R_OHM], [1.0, -decay], u)
    noise = np.random.default_rng(SEED)
    vibration = [
        0.5 * np.sin(2 * math.pi * F_VIBRATION * t - math.radians(lag))
        + 0.2 * np.sin(2 * math.pi * F_OTHER * t + math.radians(lag / 4))
        for lag in (0.0, LAG_DEG)
    ]
    torque = np.where(t < BRAKE_S[0], *TORQUE_NM)
    return {
        "g_top": GATE_V * upper,
        "g_bottom": GATE_V * lower,
        "u_sw": u,
        "i_belt": 0.1 * i + noise.normal(0, NOISE_V, len(t)),
        "enc": 2.0 * np.sin(2 * math.pi * encoder_turns(t)) + noise.normal(0, NOISE_V, len(t)),
        "s1": vibration[0],
        "s2": vibration[1],
        "M": torque / NM_PER_V,
        "n": speed_rpm(t) / RPM_PER_V,
    }


FORMULAS = (
    "D = duty(g_top) over pulses(g_top)",
    "f_carrier = carrier(u_sw) over pulses(u_sw, 50 %)",
    "f_enc = frequency(enc) over cycles(enc)",
    "U_mean = mean(u_sw) over pulses(g_top)",
    "p_mech = shaft_power(M, n)",
    "e_in = received(p_mech) to Wh",
    "e_out = returned(p_mech) to Wh",
    "t_dead = dead_time(g_top, g_bottom) in full",
    "R_belt = mean(u_sw) in full / mean(i_belt) in full",
    "lag = phase(s1, s2)",
)


def build(study: Study, recordings: Recordings) -> Study:
    """Return the study: scalings, intervals of running up, full speed and braking, and what is derived."""
    for name, scaling in (
        ("u_sw", "direct, accuracy 0.2 %"),
        ("i_belt", "clamp 100 mV/A, accuracy 0.5 %, noise 0.5 mV"),
        ("M", f"sensor {NM_PER_V:g} N*m/V"),
        ("n", f"sensor {RPM_PER_V:g} rpm/V"),
    ):
        study = op.scale_channel(study, name, scaling)
    grid = recordings.record(study.record).grid
    for name, start, stop in (("run-up", *RUN_S), ("full", 1.11, 1.19), ("braking", *BRAKE_S)):
        study = op.add_interval(study, Interval(name, start, stop), grid)
    for text in FORMULAS:
        study = op.set_formula(study, text)
    study = op.activate(study, "run-up")
    study = op.arrange_lanes(study, (("u_sw",), ("f_carrier",), ("D",), ("i_belt",), ("f_enc",), ("p_mech",)))
    for lane in (1, 2, 4):
        study = op.change_lane(study, lane, drawing="steps")
    study = op.change_columns(study, readings=("mean", "min", "max"))
    study = op.add_panel(study, Panel("spectrum", ("u_sw",), interval="full"))
    return op.add_panel(study, Panel("readout", ("D",), reading="mean"))
