"""The command that shows and clears what is kept on the disk and can be made again."""

import shutil
from pathlib import Path
from typing import Annotated

from pantelos.cli.command import Option, say
from pantelos.cli.opened import AsJson
from pantelos.cli.reporting import say_json
from pantelos.engine.kept import bytes_kept, forget_kept
from pantelos.errors import StudyError
from pantelos.folders import cache_directory
from pantelos.settings import change_settings, load_settings

_RESULTS, _RECORDS = "results", "records"
_WHAT = {
    _RESULTS: "numbers that took long: cycles, sums, harmonics, accuracies, surveys",
    _RECORDS: "recordings that were converted, and pyramids to draw from",
}


def cache(
    clear: Annotated[str | None, Option(help=f"Delete {_RESULTS}, {_RECORDS} or all; they are made again where wanted.")] = None,
    most: Annotated[int | None, Option("--most", help="Room for results from now on, MB; 0 keeps none.")] = None,
    as_json: AsJson = False,
) -> None:
    """Show what is kept so that nothing is computed twice, how large it is and where; change or clear it."""
    if clear not in (None, "all", *_WHAT):
        raise StudyError(f'--clear "{clear}": choose {_RESULTS}, {_RECORDS} or all.')
    if most is not None and most < 0:
        raise StudyError(f"--most {most}: state a number of MB, 0 for none.")
    if most is not None:
        change_settings(kept_mb=most)
    if clear in (_RESULTS, "all") or most == 0:
        forget_kept()
    records = cache_directory() / _RECORDS
    if clear in (_RECORDS, "all"):
        shutil.rmtree(records, ignore_errors=True)
    sizes = {_RESULTS: bytes_kept(), _RECORDS: _bytes_in(records)}
    if as_json:
        room = load_settings().kept_mb << 20
        say_json({"folder": str(cache_directory()), "results_most_bytes": room, "bytes": sizes})
        return
    say(str(cache_directory()))
    for name, size in sizes.items():
        most_of_it = f" of {load_settings().kept_mb} MB" if name == _RESULTS else ""
        say(f"{name:8} {f'{size / 2**20:.1f} MB{most_of_it}':22} {_WHAT[name]}")


def _bytes_in(folder: Path) -> int:
    """Return the bytes of all files in a folder that are still there."""
    found = 0
    for path in folder.rglob("*"):
        try:
            found += path.stat().st_size if path.is_file() else 0
        except OSError:
            continue
    return found
