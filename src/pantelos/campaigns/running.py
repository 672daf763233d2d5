"""Records handed to an engine with the interface of `concurrent.futures`: processes of this machine, or a cluster's executor."""

import concurrent.futures
import contextlib
import os
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, BrokenExecutor, Executor, Future, ProcessPoolExecutor
from pathlib import Path
from typing import Any

import msgspec

from pantelos.campaigns.processes import Afresh
from pantelos.campaigns.rows import Row, Task
from pantelos.campaigns.store import Campaign, mark_of
from pantelos.campaigns.work import done
from pantelos.errors import StudyError
from pantelos.progress import Progress

_AHEAD = 4  # records that wait at the engine, for each worker
_RETRIES = 3  # of a cluster, before a worker's death is the record's
_CLUSTER_AHEAD = 16
_CLUSTER_DEATH = "KilledWorker"  # of a cluster whose workers died of one task again and again
_DEATHS = (BrokenExecutor, concurrent.futures.CancelledError)


def run(
    campaign: Campaign,
    workers: int | None = None,
    scheduler: str | None = None,
    again: bool = False,
    progress: Progress | None = None,
    told: Callable[[Path, Row], None] = lambda path, row: None,
) -> tuple[int, int]:
    """Take the values of all records that need it; return how many are done and how many failed in this run.

    Every row is kept the moment it comes. A worker that dies costs its record one more try, alone, and no other record.

    Parameters
    ----------
    workers : processes; all processors for None, this process alone for 1
    scheduler : address of a cluster instead, such as tcp://host:8786
    again : take all records anew
    """
    key, waiting = campaign.key, campaign.to_do(again)
    recipe, values = msgspec.json.encode(campaign.recipe), tuple((one.name, one.expression) for one in campaign.wanted)
    if not values:
        raise StudyError("The campaign takes no value yet. Say one: pantelos campaign set C --value 'eta = mean(p2) / mean(p1)'.")
    tasks = [(id_, Task(recipe, path, values, campaign.aliases, mark_of(Path(path)))) for id_, path in waiting]
    counts, progress = [0, 0], progress or Progress()

    def keep(id_: int, task: Task, row: Row) -> None:
        campaign.keep(id_, key, row)
        counts[bool(row.sentence)] += 1
        told(Path(task.path), row)
        progress.at(sum(counts) / max(len(tasks), 1))

    n = workers or os.cpu_count() or 1
    if scheduler is None and (n == 1 or len(tasks) < 2):
        for id_, task in tasks:
            keep(id_, task, done(task))
        return counts[0], counts[1]
    waiting_tasks = tasks[::-1]
    while waiting_tasks:
        with _engine(min(n, len(waiting_tasks)), scheduler) as engine:
            suspects = _through(engine, waiting_tasks, keep)
        for id_, task in suspects:  # one of them killed its worker: each alone, and only that one pays for it
            keep(id_, task, _alone(task))
    return counts[0], counts[1]


def _through(engine: Executor, waiting: list[tuple[int, Task]], keep: Callable[[int, Task, Row], None]) -> list[tuple[int, Task]]:
    """Hand tasks to an engine, some ahead of it, and take them off `waiting`; return those under way when a worker died."""
    running: dict[Future[Row], tuple[int, Task]] = {}
    suspects: list[tuple[int, Task]] = []
    ahead = _AHEAD * (getattr(engine, "_max_workers", None) or _CLUSTER_AHEAD)
    while (waiting and not suspects) or running:
        while waiting and not suspects and len(running) < ahead:
            try:
                running[engine.submit(done, waiting[-1][1])] = waiting[-1]
            except BrokenExecutor:
                suspects.append(waiting[-1])
            waiting.pop()
        finished, _ = concurrent.futures.wait(running, return_when=FIRST_COMPLETED)
        for future in finished:
            one = running.pop(future)
            try:
                keep(*one, future.result())
            except _DEATHS:
                suspects.append(one)
            except Exception as error:
                if type(error).__name__ != _CLUSTER_DEATH:
                    raise
                suspects.append(one)
    return suspects


def _alone(task: Task) -> Row:
    """Return the row of a record that had a process to itself."""
    try:
        with _engine(1, None) as engine:
            return engine.submit(done, task).result()
    except _DEATHS:
        why = "The process that worked on this record died twice. It may need more memory than there is."
        return Row({}, why, task.mark, "", 0.0)


@contextlib.contextmanager
def _engine(workers: int, scheduler: str | None) -> Iterator[Executor]:
    """Return the engine: processes started afresh, or the executor of a cluster."""
    if scheduler is None:
        with ProcessPoolExecutor(workers, mp_context=Afresh()) as pool:
            yield pool
        return
    try:
        from distributed import Client
    except ImportError as cause:
        raise StudyError("A cluster needs the package distributed. Install it with: pip install 'pantelos[cluster]'.") from cause
    try:
        client: Any = Client(scheduler, timeout=10)  # type: ignore[no-untyped-call]
    except (OSError, TimeoutError, ValueError) as cause:
        raise StudyError(f"No scheduler answers at {scheduler}. Start one with: dask scheduler.") from cause
    with client, client.get_executor(retries=_RETRIES, pure=False) as executor:
        yield executor
