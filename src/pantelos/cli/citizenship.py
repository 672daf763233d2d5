"""The command that makes the program known to the desktop: menu entry, icon, file type of studies."""

import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Annotated

from pantelos.cli.command import Option, say
from pantelos.errors import StudyError, access_error
from pantelos.saving import write_whole

MIME_TYPE = "application/x-pantelos-study"
# Source: freedesktop.org, Desktop Entry Specification 1.5, Shared MIME-info Database 0.21, Icon Theme Specification 0.13.
_ENTRY = """[Desktop Entry]
Type=Application
Version=1.5
Name=Pantelos
GenericName=Power and drive analysis
Comment=Power, energy and harmonics from recorded voltages and currents
Exec={command} open %f
Icon=pantelos
Terminal=false
Categories=Science;Engineering;Electronics;
Keywords=power;energy;harmonics;voltage;current;
MimeType={mime};
StartupWMClass=pantelos
"""
_MIME = """<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{mime}">
    <comment>Pantelos study</comment>
    <icon name="pantelos"/>
    <glob pattern="*.pantelos"/>
    <glob pattern="*.pantelos-bundle"/>
  </mime-type>
</mime-info>
"""


def desktop_entry(
    install: Annotated[bool, Option("--install", help="Write entry, icon and file type into the user's data folder.")] = False,
    remove: Annotated[bool, Option("--remove", help="Take them away again.")] = False,
) -> None:
    """Make the program known to the desktop (menu, icon, double click on a study); print the entry else."""
    if install and remove:
        raise StudyError("Write --install or --remove, not both.")
    data = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    icon = Path(__file__).parents[1] / "desktop" / "icon.svg"
    entry = _ENTRY.format(command=_command(), mime=MIME_TYPE)
    if not install and not remove:
        say(entry, end="")
        return
    content = {
        data / "applications" / "pantelos.desktop": entry.encode(),
        data / "mime" / "packages" / "pantelos.xml": _MIME.format(mime=MIME_TYPE).encode(),
        data / "icons" / "hicolor" / "scalable" / "apps" / "pantelos.svg": icon.read_bytes(),
    }
    for path, text in content.items():
        try:
            if remove:
                path.unlink(missing_ok=True)
            else:
                path.parent.mkdir(parents=True, exist_ok=True)
                write_whole(path, text)
        except OSError as cause:
            raise access_error(path, "written", cause) from cause
        say(f"{path}{' removed' if remove else ''}")
    _tell_the_desktop(data)


def _command() -> str:
    """Return how the program is started: by its own file where there is one, quoted as the specification asks."""
    beside = Path(sys.executable).with_name("pantelos")
    found = shutil.which("pantelos") or (str(beside) if beside.exists() else "")
    return f'"{found}"' if found else f'"{sys.executable}" -m pantelos'


def _tell_the_desktop(data: Path) -> None:
    """Have the caches of the desktop made anew, where it has such tools; without them it reads the files itself."""
    for tool, folder in (("update-mime-database", "mime"), ("update-desktop-database", "applications")):
        path = shutil.which(tool)
        if path is not None:
            subprocess.run([path, str(data / folder)], check=False, capture_output=True)
