"""The command that opens the window. Qt is only loaded here, so that all other commands run without it."""

import os
from pathlib import Path
from typing import Annotated

from pantelos.cli.command import Argument, say
from pantelos.errors import StudyError


def has_display() -> bool:
    """Return whether there is something to open a window on."""
    return any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"))


def open_window(path: Path | None) -> int:
    """Open the window, on a study or a recording when one is given; return the exit code when it is closed.

    Raises
    ------
    StudyError
        When there is no display.
    """
    if not has_display():
        raise StudyError("There is no display to open the window on. Use the commands (pantelos --help), or set DISPLAY.")
    from pantelos.desktop.application import run

    return run(path)


def open_(path: Annotated[Path | None, Argument(help="Study, bundle or recording to open.", metavar="[FILE]")] = None) -> int:
    """Open the window."""
    if path is not None and path.suffix.lower() == ".pantelos-bundle":
        from pantelos.tables.bundle import opened_bundle  # here, for the sake of a quick start

        path = opened_bundle(path)
        say(f"study: {path}")
    return open_window(path)


def screenshots(to: Annotated[Path, Argument(help="Folder for the pictures.", metavar="FOLDER")]) -> None:
    """Take a picture of every main view with the demo data."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from pantelos.demo.writing import ensure_demo
    from pantelos.desktop.pictures.screenshots import take_screenshots

    for picture in take_screenshots(ensure_demo(), to):
        say(str(picture))
