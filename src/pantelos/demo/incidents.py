"""Ninety made-up seconds at the same supply: two dips, a swell, an interruption and a lasting step, with known answers."""

import math

import numpy as np

from pantelos.signal.arrays import FloatArray
from pantelos.study import operations as op
from pantelos.study.model import Expected, Interval, Study
from pantelos.study.recordings import Recordings
from pantelos.study.shown import Panel

RATE_HZ = 10_000.0
DURATION_S = 90.0
U_RMS, F_HZ = 230.0, 50.0
DIVIDER = 100.0
NOISE_V = 0.0005
SEED = 23
# What happens: kind, begin and end in s, rms as a share of U_RMS, and on which phases. Begins and ends are crossings of u1.
INCIDENTS = (
    ("dip", 20.0, 20.12, 0.62, (0, 1)),
    ("dip", 32.0, 32.5, 0.30, (0, 1, 2)),
    ("swell", 45.0, 45.4, 1.16, (2,)),
    ("interruption", 58.0, 59.2, 0.0, (0, 1, 2)),
)
STEP_AT_S, STEP = 75.0, 0.93  # a lasting change of all phases, more than the threshold of rapid changes


def recorded_volts() -> dict[str, FloatArray]:
    """Return what the recorder put down behind dividers of 100:1."""
    t = np.arange(round(RATE_HZ * DURATION_S)) / RATE_HZ
    noise, found = np.random.default_rng(SEED), {}
    for k in range(3):
        size = np.where(t >= STEP_AT_S, STEP, 1.0)
        for _, start, stop, share, phases in INCIDENTS:
            if k in phases:
                size[(t >= start - 1e-9) & (t < stop - 1e-9)] = share
        turn = 2 * math.pi * F_HZ * t - k * 2 * math.pi / 3
        u = size * U_RMS * math.sqrt(2) * (np.sin(turn) + 0.02 * np.sin(5 * turn))
        found[f"u{k + 1}"] = u / DIVIDER + noise.normal(0, NOISE_V, len(t))
    return found


def build(study: Study, recordings: Recordings) -> Study:
    """Return the study: three voltages of a four-wire supply, judged against limits of its own."""
    for k in (1, 2, 3):
        study = op.scale_channel(study, f"u{k}", f"divider {DIVIDER:g}:1, accuracy 0.1 % + 0.05 V")
    study = op.add_connection(study, "supply", "three-phase-4w")
    for k in (1, 2, 3):
        study = op.place_channel(study, "supply", f"u{k}", f"u{k}")
    study = op.expect(study, "supply", Expected(voltage=U_RMS))
    study = op.set_quality(study, U_din=U_RMS, sets=("own",), immunity=((0.02, 0.0), (0.2, 0.4), (0.5, 0.7), (10.0, 0.8)))
    grid = recordings.record(study.record).grid
    for number, (kind, start, stop, _, _) in enumerate(INCIDENTS, start=1):
        study = op.add_interval(study, Interval(f"{kind} {number}", start - 0.1, stop + 0.1), grid)
    study = op.arrange_lanes(op.activate(study, "dip 1"), (("u1", "u2", "u3"),))
    return op.add_panel(study, Panel("spectrum", ("u1",)))
