"""Forty acceptance runs of goods lifts, made up and small: three are odd, one file is broken, one has a column of another name.

Laws, t in s: the brake is released at t0 (0.6 s to 1.0 s, another in every run) and closes 2.6 s later; speed rises to
1450 min⁻¹ in 0.6 s and falls to rest in the last 0.4 s; currents lag their voltages by 0.5 rad and hold a fifth order of 6 %.
"""

import io
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from pantelos.campaigns import SUFFIX, Campaign, Wanted
from pantelos.campaigns.conditions import limit_from
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.rules import find
from pantelos.errors import access_error
from pantelos.folders import cache_directory
from pantelos.progress import Progress
from pantelos.saving import write_whole
from pantelos.signal.arrays import FloatArray
from pantelos.study import operations as op
from pantelos.study.importing import import_recording
from pantelos.study.model import Interval, Study
from pantelos.study.opening import preview
from pantelos.study.storage import save_study

NAME, RECIPE, RUNS = f"goods-lifts{SUFFIX}", "goods-lift-acceptance.pantelos", "runs"
RATE_HZ, DURATION_S, N_RUNS = 2000.0, 5.0, 40
RUN_S, RISE_S, FALL_S = 2.6, 0.6, 0.4
U_V, I_A, PHI_RAD, FIFTH = 230.0, 14.0, 0.5, 0.06
SPEED_RPM, TORQUE_NM = 1450.0, 49.0
WORN, LATE, DISTORTED, BROKEN, RENAMED = 12, 23, 31, 17, 35  # which runs are odd, and how
LIMITS = ("eta >= 84 %", "thd <= 8 %", "t_run <= 2.75 s")
VALUES = (
    "eta = mean(M * n) in steady / mean(u1 * i1 + u2 * i2 + u3 * i3) in steady",
    "P = mean(u1 * i1 + u2 * i2 + u3 * i3) in steady",
    "I2 = rms(i2) in steady",
    "thd = thd(i1) in steady",
    't_run = width(brake) in "whole record"',
)
_EDITION = 1  # raised when the generated content changes
_COLUMNS = ("time [s]", *(f"u{k} [V]" for k in (1, 2, 3)), *(f"i{k} [V]" for k in (1, 2, 3)), "n [min-1]", "M [V]", "brake [V]")
_PLACE = 'from first "n rises through 1300 rpm" + 0.3 s for 1.2 s, whole cycles'


def run(number: int) -> FloatArray:
    """Return the columns of a run (n_samples, 10), as the recorder put them down."""
    rng = np.random.default_rng([35, number])
    t = np.arange(round(RATE_HZ * DURATION_S)) / RATE_HZ
    begins = rng.uniform(0.6, 1.0)
    stops = begins + RUN_S
    closes = stops + (0.5 if number == LATE else rng.uniform(0.0, 0.04))
    speed = np.clip((t - begins) / RISE_S, 0, 1) * np.clip((stops - t) / FALL_S, 0, 1)
    load = rng.normal(1.0, 0.01)
    turn = 2 * np.pi * 50 * t + rng.uniform(0, 2 * np.pi)
    fifth = 0.17 if number == DISTORTED else FIFTH + rng.normal(0, 0.002)
    columns = [t]
    columns += [U_V * np.sqrt(2) * np.sin(turn - k * 2 * np.pi / 3) + rng.normal(0, 0.3, len(t)) for k in range(3)]
    for k in range(3):
        at = turn - k * 2 * np.pi / 3 - PHI_RAD
        current = I_A * load * np.sqrt(2) * (np.sin(at) + fifth * np.sin(5 * at)) * np.clip(speed * 3, 0, 1)
        columns.append(0.1 * current * (0.92 if number == WORN and k == 1 else 1.0) + rng.normal(0, 0.002, len(t)))
    torque = TORQUE_NM * load * np.where(speed > 0, 1.0, 0.0) * rng.normal(1.0, 0.004)
    columns += [SPEED_RPM * speed + rng.normal(0, 0.5, len(t)), torque / 10 + rng.normal(0, 0.003, len(t))]
    columns.append(np.where((t >= begins - 0.05) & (t < closes), 24.0, 0.0) + rng.normal(0, 0.05, len(t)))
    return np.column_stack(columns)


def ensure_campaign_demo(folder: Path | None = None, progress: Progress | None = None) -> Path:
    """Return the path of the demo campaign, its records and recipe written first where they are not there yet."""
    folder, progress = folder or cache_directory() / f"demo-lifts-{_EDITION}", progress or Progress()
    if (folder / NAME).exists():
        return folder / NAME
    runs = folder / RUNS
    try:
        runs.mkdir(parents=True, exist_ok=True)
    except OSError as cause:
        raise access_error(runs, "written", cause) from cause
    for number, path in _paths(runs):
        write_whole(path, _content(number))
        progress.at(number / (N_RUNS + 1))
    study = _recipe(runs / "lift_01.csv")
    save_study(study, folder / RECIPE)
    made = Campaign.new(folder / NAME, study, [Wanted.from_text(text) for text in VALUES])
    made.set_limits([limit_from(text) for text in LIMITS])
    made.add(path for _, path in _paths(runs))
    made.close()
    return folder / NAME


def _paths(runs: Path) -> Iterator[tuple[int, Path]]:
    for number in range(1, N_RUNS + 1):
        yield number, runs / f"lift_{number:02d}.csv"


def _content(number: int) -> bytes:
    if number == BROKEN:
        return b"the recorder was switched off\n"
    columns = [name.replace("u1", "u_L1") if number == RENAMED else name for name in _COLUMNS]
    out = io.BytesIO()
    np.savetxt(out, run(number), fmt="%.6g", delimiter=",", header=",".join(columns), comments="")
    return out.getvalue()


def _recipe(path: Path) -> Study:
    """Return the finished study of the first run, whose places are rules."""
    study, recordings = import_recording(Study(), path, preview(path).dialect)
    for k in (1, 2, 3):
        study = op.scale_channel(study, f"u{k}", "accuracy 0.2 %, phase 0.1 deg")
        study = op.scale_channel(study, f"i{k}", "clamp 100 mV/A, accuracy 0.5 %, phase 0.3 deg")
    study = op.scale_channel(study, "M", "10 N*m/V, accuracy 0.3 %")
    study = op.scale_channel(study, "n", "accuracy 0.1 %")
    study = replace(study, title="goods lift, acceptance")
    study = op.add_connection(study, "mains", "three-phase-4w")
    for k in (1, 2, 3):
        study = op.place_channel(op.place_channel(study, "mains", f"u{k}", f"u{k}"), "mains", f"i{k}", f"i{k}")
    record = recordings.record(study.record)
    return op.add_interval(study, find(Evaluation(study, record), Interval("steady", 1.6, 2.8, rule=_PLACE)), record.grid)
