"""The drive of a vibrating sieve: from a control edge on, its output frequency swings into 50 Hz.

f(t) = F_END - F_STEP * exp(-t / TAU) * cos(2 pi F_SWING t), t from the control edge. All parameters are here.
"""

import math

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.signal.arrays import FloatArray
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.model import EventSearch, Interval, Study
from pantelos.study.recordings import Recordings
from pantelos.study.shown import Panel

RATE_HZ = 20_000.0
DURATION_S = 4.0
EDGE_S = 0.5
F_END, F_STEP, TAU_S, F_SWING = 50.0, 8.0, 0.30, 1.1
U_RMS, CONTROL_V, NOISE_V = 120.0, 5.0, 0.0005
SEED = 7


def frequency(t: FloatArray) -> FloatArray:
    """Return the frequency at `t` seconds after the control edge, Hz."""
    return np.asarray(F_END - F_STEP * np.exp(-t / TAU_S) * np.cos(2 * math.pi * F_SWING * t))


def settled_after(tolerance: float) -> float:
    """Return when the frequency stays within a share of its step around the end, s after the edge, from the formula."""
    t = np.linspace(0.0, DURATION_S - EDGE_S, 2_000_001)
    outside = np.flatnonzero(np.abs(frequency(t) - F_END) > tolerance * F_STEP)
    return float(t[outside[-1]])


def recorded_volts() -> dict[str, FloatArray]:
    """Return what the recorder put down: the control signal, and the drive's voltage behind a divider of 100:1."""
    t = np.arange(round(RATE_HZ * DURATION_S)) / RATE_HZ - EDGE_S
    phase = 2 * math.pi * np.cumsum(np.where(t >= 0, frequency(np.maximum(t, 0.0)), 0.0)) / RATE_HZ
    noise = np.random.default_rng(SEED)
    u = np.where(t >= 0, math.sqrt(2) * U_RMS * np.sin(phase), 0.0) / 100
    return {
        "start": np.where(t >= 0, CONTROL_V, 0.0) + noise.normal(0, NOISE_V, len(t)),
        "u": u + noise.normal(0, NOISE_V, len(t)),
    }


def build(study: Study, recordings: Recordings) -> Study:
    """Return the study: frequency per cycle from the control edge on, time until it is stable, swing overall and when stable."""
    record = recordings.record(study.record)
    study = op.scale_channel(study, "u", "divider 100:1, accuracy 0.2 % + 0.1 V, noise 0.5 mV")
    study = op.set_reference(study, "u")
    study = op.set_search(study, EventSearch("go", "start", level=Level(0.5, relative=True)))
    study = op.set_time_base(study, 25.0)
    study = op.move_zero(study, EDGE_S)
    grid = recordings.record(study.record).grid
    study = op.add_interval(study, Interval("run-up", 0.0, record.stop_s - EDGE_S, note="from the control edge to the end"), grid)
    for text in (
        "f = frequency(u) over cycles(u)",
        "U = ac_rms(u) over cycles(u)",
        't_stable = settling_time(f) in "run-up"',
        'swing = max(f) in "run-up" - min(f) in "run-up"',
    ):
        study = op.set_formula(study, text)
    stable = Evaluation(study, recordings.record(study.record)).samples.scalar("t_stable").value
    study = op.add_interval(study, Interval("stable", round(stable, 3), grid.stop_s), grid)
    for text in ('swing_stable = max(f) in "stable" - min(f) in "stable"', 'U_stable = ac_rms(u) in "stable"'):
        study = op.set_formula(study, text)
    study = op.arrange_lanes(op.activate(study, "run-up"), (("start",), ("u",), ("f",), ("U",)))
    study = op.change_columns(study, readings=("mean", "peak_to_peak", "settling_time"))
    study = op.add_panel(study, Panel("readout", ("t_stable",)))
    study = op.add_panel(study, Panel("readout", ("swing_stable",)))
    return op.add_panel(study, Panel("events", search="go"))
