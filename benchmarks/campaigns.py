"""Campaigns: what a record costs beside its values, what two processes gain, how heavy a hundred thousand rows are."""

from pathlib import Path
from time import perf_counter

import msgspec
import numpy as np

from benchmarks.measuring import Result, in_turn
from pantelos.campaigns.rows import Cell, Row, Wanted
from pantelos.campaigns.running import run
from pantelos.campaigns.store import Campaign
from pantelos.campaigns.summary import summary_of, unlike_the_others
from pantelos.campaigns.work import values_of
from pantelos.study import operations as op
from pantelos.study.importing import import_recording
from pantelos.study.model import Study
from pantelos.study.opening import preview

_VALUES = (Wanted("U", "rms(a)"), Wanted("mean", "mean(b)"))


def _record(path: Path, n: int, seed: int) -> Path:
    rng = np.random.default_rng(seed)
    t = np.arange(n) / 10_000
    np.savez(path, t=t, a=325 * np.sin(100 * np.pi * t) + rng.normal(size=n), b=rng.normal(5, 0.1, n))
    return path


def _campaign(folder: Path, n_records: int, n: int) -> Campaign:
    folder.mkdir(parents=True, exist_ok=True)
    paths = [_record(folder / f"r{k:05d}.npz", n, k) for k in range(n_records)]
    study, _ = import_recording(Study(), paths[0], preview(paths[0]).dialect)
    path = folder / "c.campaign"
    path.unlink(missing_ok=True)
    made = Campaign.new(path, op.scale_channel(study, "a", "accuracy 0.5 %"), _VALUES)
    made.add(paths)
    return made


def overhead(folder: Path, small: bool) -> Result:
    """A campaign of small records beside their values taken one by one in the same process; 20 ms a record at most."""
    n = 20 if small else 200
    made = _campaign(folder / "overhead", n, 2000)
    recipe = made.recipe
    paths = [Path(known.path) for known in made.records()]

    def campaign() -> None:
        run(made, workers=1, again=True)

    def alone() -> None:
        for path in paths:
            values_of(recipe, path, [(one.name, one.expression) for one in _VALUES], {})

    campaign()  # what is kept of records is kept now for both
    ours, base = in_turn(campaign, alone, 3)
    made.close()
    return Result(f"campaign of {n} small records, per record beyond its values", "20 ms", (ours - base) / n, 0.02, 1.0)


def two_processes(folder: Path, small: bool) -> Result:
    """Records of a million samples in one process beside two."""
    n_records, n = (6, 20_000) if small else (60, 1_000_000)
    made = _campaign(folder / "processes", n_records, n)

    def by(workers: int) -> float:
        for known in made.records():  # nothing is left of the values from the turn before
            made.keep(known.id, "", Row({}, "", "", "", 0.0))
        made.set_recipe(msgspec.structs.replace(made.recipe, title=f"{perf_counter()}"))
        began = perf_counter()
        run(made, workers=workers)
        return perf_counter() - began

    by(1)  # files are read once
    one, two = by(1), by(2)
    made.close()
    return Result(f"{n_records} records of {n:g} samples by two processes", "by one", two, one, 1 / 1.8)


def many_rows(folder: Path, small: bool) -> Result:
    """A hundred thousand rows read, summed up and looked through for odd ones; a second at most."""
    n = 2000 if small else 100_000
    made = Campaign.new(folder / "many.campaign", Study(), _VALUES)
    with made._written():
        made._db.executemany("INSERT INTO records (path, state) VALUES (?, 'done')", ((f"/r/{k}.csv",) for k in range(n)))
        made._db.executemany(
            "INSERT INTO cells VALUES (?, ?, ?, 'V', 0.1, '')", ((k + 1, one.name, k % 17) for k in range(n) for one in _VALUES)
        )
    began = perf_counter()
    records = made.records()
    for one in _VALUES:
        summary_of(one.name, records, ())
    unlike_the_others([one.name for one in _VALUES], records)
    ours = perf_counter() - began
    began = perf_counter()
    plain = made._db.execute("SELECT * FROM cells").fetchall()
    base = perf_counter() - began
    assert len(plain) == len(_VALUES) * n and isinstance(records[0].cells["U"], Cell)
    made.close()
    return Result(f"{n} rows of a campaign read and summed up", "fetchall of SQLite", ours, base, 6.0)


CASES = (overhead, two_processes, many_rows)
