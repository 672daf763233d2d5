"""The command that opens the window. Qt is only loaded here, so that all other commands run without it."""

from pathlib import Path
from typing import Annotated

import typer


def open_window(path: Path | None) -> None:
    """Open the window, on a study or a recording when one is given; return when it is closed."""
    from pantelos.desktop.application import run

    raise typer.Exit(run(path))


def open_(path: Annotated[Path | None, typer.Argument(help="Study or recording to open.", metavar="[FILE]")] = None) -> None:
    """Open the window."""
    open_window(path)


def screenshots(to: Annotated[Path, typer.Argument(help="Folder for the pictures.", metavar="FOLDER")]) -> None:
    """Take a picture of every main view with the demo data."""
    from pantelos.demo.files import ensure_demo
    from pantelos.desktop.screenshots import take_screenshots

    for picture in take_screenshots(ensure_demo(), to):
        typer.echo(str(picture))


def add_to(app: typer.Typer) -> None:
    """Register the commands of this module."""
    app.command("open")(open_)
    app.command()(screenshots)
