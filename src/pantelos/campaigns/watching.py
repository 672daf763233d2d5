"""A folder whose files are taken into a campaign as they become whole."""

import time
from collections.abc import Callable
from pathlib import Path

from pantelos.campaigns.rows import Row
from pantelos.campaigns.running import run
from pantelos.campaigns.store import Campaign, mark_of
from pantelos.errors import PantelosError, StudyError
from pantelos.study.opening import preview
from pantelos.study.parts import files_meant

_LOOK_S = 1.0  # between two looks
_AT_REST_S = 2.0  # a file that has not grown for so long is whole, where it can be read


def watch(
    campaign: Campaign,
    folder: Path,
    workers: int | None,
    scheduler: str | None,
    told: Callable[[Path, Row], None],
    once: bool = False,
    sleep: Callable[[float], None] = time.sleep,
) -> None:
    """Take what is in a folder and what lands in it, until interrupted; `once` ends when all that is there is done.

    What failed is tried again when its file changes. Started again, it goes on where it was: the campaign knows what is done.

    Raises
    ------
    StudyError
        When the folder is not there.
    """
    if not folder.is_dir():
        raise StudyError(f"{folder} is no folder. Make it, or name another one.")
    resting: dict[Path, tuple[str, float]] = {}
    while True:
        now = time.monotonic()
        whole = []
        for path in _there(folder):
            mark = mark_of(path)
            if resting.get(path, ("", 0.0))[0] != mark:
                resting[path] = (mark, now)
            elif now - resting[path][1] >= _AT_REST_S and _opens(path):
                whole.append(path)
        campaign.add(whole)
        if campaign.to_do():
            run(campaign, workers, scheduler, told=told)
        if once and all(now - since >= _AT_REST_S for _, since in resting.values()):
            return
        sleep(_LOOK_S)


def _there(folder: Path) -> list[Path]:
    try:
        return files_meant([folder])
    except StudyError:  # nothing yet
        return []


def _opens(path: Path) -> bool:
    """Return whether a file can be looked into; one that cannot after all is taken too, and says why in its row."""
    try:
        preview(path)
    except PantelosError:
        return path.stat().st_size > 0
    return True
