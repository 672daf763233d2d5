"""The 48 V rail of a control cabinet: tens of millivolts of ripple, seen from the instant a load is switched on.

u = U_DC - DROP (loaded) + RIPPLE sin(2 pi F_RIPPLE t) (three times as large when loaded) + short spikes. All parameters are here.
"""

import math

import numpy as np

from pantelos.signal.arrays import FloatArray
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.model import EventSearch, Interval, Study
from pantelos.study.recordings import Recordings
from pantelos.study.shown import Panel

RATE_HZ = 50_000.0
DURATION_S = 2.0
EDGE_S = 0.8
U_DC, DROP = 48.2, 0.15
RIPPLE_V = 0.012  # amplitude without load; three times that with it
F_RIPPLE = 300.0
SPIKE_V, SPIKE_EVERY_S, SPIKE_S = 0.025, 0.02, 0.00006
SPIKE_AT_S = 0.0008  # behind every multiple of the above: near a crest of the ripple
LOAD_V, NOISE_V = 24.0, 0.0008
SEED = 11
KEPT_S = (-0.02, 0.4)  # what is exported, around the load step


def recorded_volts() -> dict[str, FloatArray]:
    """Return what the recorder put down: the rail, and the control signal of the load."""
    t = np.arange(round(RATE_HZ * DURATION_S)) / RATE_HZ
    noise, loaded = np.random.default_rng(SEED), t >= EDGE_S
    ripple = RIPPLE_V * np.where(loaded, 3.0, 1.0) * np.sin(2 * math.pi * F_RIPPLE * t)
    spikes = np.where((t - SPIKE_AT_S) % SPIKE_EVERY_S < SPIKE_S, SPIKE_V, 0.0)
    rail = U_DC - DROP * loaded + ripple + spikes + noise.normal(0, NOISE_V, len(t))
    return {"u_rail": rail, "load": np.where(loaded, LOAD_V, 0.0) + noise.normal(0, NOISE_V, len(t))}


def build(study: Study, recordings: Recordings) -> Study:
    """Return the study: time zero at the load step, the stretch around it kept, ripple with and without load."""
    study = op.scale_channel(study, "u_rail", "direct, accuracy 0.02 % + 1 mV, resolution 0.5 mV, noise 0.8 mV")
    study = op.set_search(study, EventSearch("load_on", "load", level=Level(0.5, relative=True)))
    study = op.set_search(
        study, EventSearch("spikes", "u_rail", level=Level(U_DC - DROP + 3 * RIPPLE_V + 0.01), hysteresis=Level(0.004))
    )
    study = op.set_time_base(study, 25.0)
    study = op.move_zero(study, EDGE_S)
    study = op.trim(study, -0.4, 0.6, recordings.record)
    grid = recordings.record(study.record).grid
    study = op.add_interval(study, Interval("without load", -0.35, -0.05), grid)
    study = op.add_interval(study, Interval("loaded", 0.05, 0.35), grid)
    study = op.set_formula(study, 'sag = mean(u_rail) in "without load" - mean(u_rail) in "loaded"')
    study = op.arrange_lanes(study, (("u_rail",), ("load",)))
    study = op.resize_lane(study, 0, 3.0)
    study = op.change_columns(study, readings=("mean", "peak_to_peak", "frequency"))
    study = op.add_panel(study, Panel("spectrum", ("u_rail",)))
    study = op.add_panel(study, Panel("histogram", ("u_rail",)))
    return op.add_panel(study, Panel("readout", ("u_rail",), reading="ripple"))
