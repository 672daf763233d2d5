"""Small runs of a drive as files, and a recipe for them."""

import numpy as np
import pytest

from pantelos.cli.main import run

RATE = 2000
NAMES = ("U1", "I1", "n")


def write_run(path, seed=0, names=NAMES, begins=1.0, current=10.0, fifth=0.05, seconds=4.0, delimiter=","):
    """Write a run-up to 1,450 1/min that begins somewhere, a voltage and a current of 50 Hz."""
    rng = np.random.default_rng(seed)
    t = np.arange(int(RATE * seconds)) / RATE
    turn = 2 * np.pi * 50 * t
    u = 325 * np.sin(turn)
    i = 0.1 * current * np.sqrt(2) * (np.sin(turn - 0.5) + fifth * np.sin(5 * turn)) * np.clip((t - begins) / 0.3, 0.01, 1)
    n = 1450 * np.clip((t - begins) / 0.5, 0, 1) + rng.normal(0, 1, len(t))
    head = delimiter.join(["time [s]", f"{names[0]} [V]", f"{names[1]} [V]", f"{names[2]} [min-1]"])
    rows = "\n".join(delimiter.join(f"{x:.9g}" for x in row) for row in zip(t, u, i, n, strict=True))
    path.write_text(f"{head}\n{rows}\n")
    return path


def pantelos(*arguments):
    return run([str(argument) for argument in arguments])


@pytest.fixture
def recipe(tmp_path):
    """A study whose places are rules."""
    study = tmp_path / "recipe.pantelos"
    assert not pantelos(
        "new", study, write_run(tmp_path / "first.csv"),
        "--channel", "i1=I1 [V]: 100 mV/A, accuracy 0.5 %, phase 0.5 deg", "--channel", "u1=U1 [V]: accuracy 0.2 %, phase 0.1 deg",
        "--connection", "mains=single-phase: u=u1, i=i1",
        "--interval", 'steady = from first "n rises through 1000 rpm" + 0.4 s for 1 s, whole cycles',
        "--interval", "run = longest stretch where n is steady within 1 % for 1 s",
    )  # fmt: skip
    return study


@pytest.fixture
def runs(tmp_path):
    """Eight runs: one with another current, one that never runs up, one with another name of a column, one broken file."""
    folder = tmp_path / "runs"
    folder.mkdir()
    for k in range(8):
        write_run(folder / f"run_{k}.csv", k, begins=0.7 + 0.1 * k, current=14.0 if k == 3 else 10.0 + 0.02 * k)
    write_run(folder / "run_8.csv", 8, begins=99.0)
    write_run(folder / "run_9.csv", 9, names=("UL1", "I1", "n"))
    (folder / "run_10.csv").write_text("no recording\n1;2;3\n")
    return folder
