"""How soon a command answers: its start, a reading taken before, a very wide recording."""

import os
import subprocess
import sys
import time
from pathlib import Path

import numpy as np

from benchmarks.measuring import Result, in_turn

_COMMAND = (str(Path(sys.executable).with_name("pantelos")),)  # as it is installed


def _environment(folder: Path) -> dict[str, str]:
    """Return an environment in which compiled modules are kept, as they are where a program is installed."""
    kept = {key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"}
    return kept | {"PYTHONPYCACHEPREFIX": str(folder / "compiled"), "PANTELOS_CACHE": str(folder / "starting")}


def _run(folder: Path, *arguments: str) -> str:
    done = subprocess.run(arguments, env=_environment(folder), capture_output=True, text=True, check=False)
    if done.returncode:
        raise RuntimeError(done.stderr)
    return done.stdout


def _small_study(folder: Path) -> Path:
    study, recording = folder / "small.pantelos", folder / "small.csv"
    t = np.arange(10_000) / 10_000
    rows = "\n".join(f"{325 * np.sin(314.159 * x):.4f},{14 * np.sin(314.159 * x - 1):.4f}" for x in t)
    recording.write_text(f"sample rate: 10 kHz\nu1 [V],i1 [A]\n{rows}\n")
    _run(folder, *_COMMAND, "new", str(study), str(recording), "--force")
    return study


def command_version(folder: Path, small: bool) -> Result:
    """Start of the shortest command."""
    return _start(folder, small, "--version")


def command_show(folder: Path, small: bool) -> Result:
    """Start of a command that opens a study and says what is in it."""
    return _start(folder, small, "show", str(_small_study(folder)))


def command_value(folder: Path, small: bool) -> Result:
    """Start of a command that reads a formula and computes a reading."""
    return _start(folder, small, "value", str(_small_study(folder)), "rms(u1)")


def _start(folder: Path, small: bool, *arguments: str) -> Result:
    numpy = (sys.executable, "-c", "import numpy")
    for command in (numpy, (*_COMMAND, *arguments)):
        _run(folder, *command)  # compiled from now on
    ours, bare = in_turn(lambda: _run(folder, *_COMMAND, *arguments), lambda: _run(folder, *numpy), 3 if small else 15)
    return Result(f"pantelos {arguments[0]}, whole process", "python -c 'import numpy'", ours, bare, 2.0)


def second_reading(folder: Path, small: bool) -> Result:
    """A reading over a long record that was taken before, in a new process, beside the same of a few samples."""
    n, texts = 200_000 if small else 50_000_000, []
    for name, length in (("long", n), ("short", 1_000)):
        rows = np.lib.format.open_memmap(folder / f"{name}.npy", "w+", np.int16, (2, length))
        for low in range(0, length, 1 << 20):
            t = np.arange(low, min(low + (1 << 20), length)) / 1e6
            rows[0, low : low + len(t)] = 20_000 * np.sin(314.159 * t)
            rows[1, low : low + len(t)] = 9_000 * np.sin(314.159 * t - 1)
        rows.flush()
        study = folder / f"{name}.pantelos"
        _run(
            folder,
            *_COMMAND,
            "new",
            str(study),
            str(folder / f"{name}.npy"),
            "--rate",
            "1 MHz",
            "--formula",
            "p = ch1 * ch2",
            "--force",
        )
        texts.append((*_COMMAND, "value", str(study), "mean(p)"))
        _run(folder, *texts[-1])
    long, short = texts
    many, few = in_turn(lambda: _run(folder, *long), lambda: _run(folder, *short), 3 if small else 15)
    what = f"mean(p) over {n:,} samples a second time, in a new process, beside the same over 1,000"
    return Result(what, "a millisecond", max(many - few, 0.0) * 1000, 1.0, 20.0, unit="ms")


def wide(folder: Path, small: bool) -> Result:
    """A recording of very many columns into a study, and one reading of it."""
    n = 500 if small else 20_000
    path, study = folder / "wide.csv", folder / "wide.pantelos"
    head = "t [s]," + ",".join(f"u{k} [V]" for k in range(n))
    path.write_text(head + "\n" + "".join(f"{r * 1e-3}," + ",".join(str(k + r) for k in range(n)) + "\n" for r in range(5)))
    before = time.perf_counter()
    _run(folder, *_COMMAND, "new", str(study), str(path), "--force")
    taken = time.perf_counter() - before
    return Result(f"a recording of {n:,} columns × 5 rows into a study", "a second", taken, 1.0, 10.0)


CASES = (command_version, command_show, command_value, second_reading, wide)
