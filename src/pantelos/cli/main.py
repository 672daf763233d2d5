"""The command `pantelos`: finds the command that is asked for, loads what it needs, turns errors into one sentence.

Exit codes: 0 done; 1 the work could not be done (the sentence on standard error says why); 2 the command
line was not understood; 130 interrupted.
"""

import gc
import os
import sys
from collections.abc import Callable, Sequence
from importlib import import_module
from typing import Any

from pantelos.errors import PantelosError, clipped
from pantelos.version import __version__

# The command and the module that holds it: only that one is loaded. A name that Python has taken has a bar behind it.
COMMANDS = {
    "inspect": "recordings",
    "join": "recordings",
    "relink": "recordings",
    "new": "authoring",
    "edit": "authoring",
    "show": "showing",
    "wiring": "recognising",
    "checks": "checking",
    "value": "values",
    "spectrum": "spectra",
    "quality": "quality",
    "limits": "quality",
    "report": "handing_over",
    "bundle": "handing_over",
    "seal": "sealing",
    "tables": "exporting",
    "convert": "exporting",
    "functions": "listing",
    "kinds": "listing",
    "schema": "listing",
    "events": "placing",
    "explain": "placing",
    "campaign": "campaign",
    "recorder": "recording",
    "record": "recording",
    "signal": "recording",
    "self-check": "recording",
    "cache": "caching",
    "demo": "demo",
    "open": "display",
    "screenshots": "display",
    "desktop-entry": "citizenship",
}
_INTERRUPTED = 130
_OBJECTS_BETWEEN_COLLECTIONS = 100_000
_USAGE = """usage: pantelos [--version] [--help] [COMMAND ...]

Power, energy and harmonics from recorded voltages and currents. Without a command the window opens."""


def command(name: str) -> Callable[..., Any]:
    """Return the function behind a command."""
    module = import_module(f"pantelos.cli.{COMMANDS[name]}")
    own = name.replace("-", "_")
    found: Callable[..., Any] = getattr(module, f"{own}_" if hasattr(module, f"{own}_") else own)
    return found


def run(arguments: Sequence[str]) -> int:
    """Run a command line; return the exit code. Errors meant for people are raised."""
    if not arguments:
        from pantelos.cli.display import open_window

        return open_window(None)
    name, *rest = arguments
    if name == "--version":
        print(f"pantelos {__version__}")
        return 0
    if name in ("--help", "-h"):
        print(_help())
        return 0
    if name not in COMMANDS:
        known = ", ".join(COMMANDS)
        print(f'pantelos: there is no command "{clipped(name)}"; there are {known}. See pantelos --help.', file=sys.stderr)
        return 2
    from pantelos.cli.command import call

    return call(name, command(name), rest)


def _help() -> str:
    """Return what all commands do, a line each."""
    lines = [f"  {name:13} {(command(name).__doc__ or '').partition(chr(10))[0]}" for name in COMMANDS]
    return f"{_USAGE}\n\n{chr(10).join(lines)}\n\npantelos COMMAND --help says what a command takes."


def main() -> None:
    """Run the command line of this process."""
    gc.set_threshold(_OBJECTS_BETWEEN_COLLECTIONS)  # what is loaded stays: looking through it again and again takes time
    try:
        code = run(sys.argv[1:])
        sys.stdout.flush()
    except PantelosError as error:
        print(error, file=sys.stderr)
        code = 1
    except KeyboardInterrupt:
        code = _INTERRUPTED
    except BrokenPipeError:  # whoever read the output has left
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        code = 0
    sys.exit(code)


if __name__ == "__main__":
    main()
