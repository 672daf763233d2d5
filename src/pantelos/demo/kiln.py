"""A pottery kiln is switched on: its heating element is cold, so its resistance is low, and rises as it warms.

R(t) = R_HOT - (R_HOT - R_COLD) exp(-t / TAU), i = u / R. All parameters are here.
"""

import math

import numpy as np

from pantelos.signal.arrays import FloatArray
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.model import EventSearch, Interval, Study
from pantelos.study.recordings import Recordings
from pantelos.study.shown import Panel

RATE_HZ = 20_000.0
DURATION_S = 5.0
ON_S = 0.505  # the crest of a half-wave
U_RMS, F_HZ = 230.0, 50.0
R_COLD, R_HOT, TAU_S = 14.0, 22.0, 0.9
SHUNT_OHM, DIVIDER = 0.01, 100.0
NOISE_V = 0.00005
SEED = 5
LEAST_A = 2.0  # below, the quotient says nothing


def resistance(t: FloatArray) -> FloatArray:
    """Return the resistance at `t` seconds after switching on, ohm."""
    return np.asarray(R_HOT - (R_HOT - R_COLD) * np.exp(-t / TAU_S))


def recorded_volts() -> dict[str, FloatArray]:
    """Return what the recorder put down: the voltage behind a divider, and that of the shunt."""
    t = np.arange(round(RATE_HZ * DURATION_S)) / RATE_HZ
    on, noise = t >= ON_S, np.random.default_rng(SEED)
    u = np.where(on, math.sqrt(2) * U_RMS * np.sin(2 * math.pi * F_HZ * t), 0.0)
    i = u / resistance(np.maximum(t - ON_S, 0.0))
    return {"u": u / DIVIDER + noise.normal(0, NOISE_V, len(t)), "u_shunt": i * SHUNT_OHM + noise.normal(0, NOISE_V, len(t))}


def build(study: Study, recordings: Recordings) -> Study:
    """Return the study: u, i and R on one time axis, R left out near zero current, resistance per cycle cold and hot."""
    study = op.rename_channel(study, "u_shunt", "i")
    study = op.scale_channel(study, "u", "divider 100:1, accuracy 0.1 % + 0.2 V, phase 0.05 deg")
    study = op.scale_channel(study, "i", "shunt 10 mohm, accuracy 0.2 % + 20 mA, phase 0.1 deg")
    study = op.set_reference(study, "u")
    study = op.set_search(study, EventSearch("switched_on", "i", level=Level(5.0), hysteresis=Level(1.0), hold_off_s=10.0))
    study = op.set_time_base(study, 25.0)
    study = op.move_zero(study, ON_S)
    grid = recordings.record(study.record).grid
    for text in (
        "p = u * i",
        f"r = u / i where abs(i) > {LEAST_A:g} A",
        "R = (mean(p) over cycles(u)) / (mean(i2) over cycles(u))",
    ):
        study = op.set_formula(op.set_formula(study, "i2 = i * i"), text)
    study = op.add_interval(study, Interval("inrush", 0.0, 0.1), grid)
    study = op.add_interval(study, Interval("warm", grid.stop_s - 0.5, grid.stop_s - 0.1), grid)
    for text in ('i_peak = max(i) in "inrush"', 'ratio = (mean(r) in "warm") / (mean(r) in "inrush")'):
        study = op.set_formula(study, text)
    study = op.activate(study, "inrush")
    study = op.arrange_lanes(study, (("u",), ("i",), ("r", "R"), ("p",)))
    study = op.fix_scale(study, 2, (10.0, 25.0))
    study = op.change_columns(study, readings=("rms", "max", "mean"))
    study = op.change_interval(study, "inrush", rides=("i", "i"))
    study = op.add_panel(study, Panel("edges"))
    return op.add_panel(study, Panel("readout", ("i_peak",)))
