"""The command `pantelos`: gathers the groups of commands, and turns errors into one sentence and an exit code.

Exit codes: 0 done; 1 the work could not be done (the sentence on standard error says why); 2 the command
line was not understood; 130 interrupted.
"""

import sys

import typer
from rich.console import Console

from pantelos import __version__
from pantelos.cli import asking, authoring, demo, placing, recording, window
from pantelos.errors import PantelosError

app = typer.Typer(
    name="pantelos",
    help="Power, energy and harmonics from recorded voltages and currents.",
    no_args_is_help=False,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)


@app.callback(invoke_without_command=True)
def start(context: typer.Context, version: bool = typer.Option(False, "--version", help="Print the version and leave.")) -> None:
    """Open the window when no command is given."""
    if version:
        typer.echo(f"pantelos {__version__}")
        raise typer.Exit
    if context.invoked_subcommand is None:
        window.open_window(None)


for group in (recording, authoring, asking, placing, demo, window):
    group.add_to(app)


def main() -> None:
    """Run the command line."""
    try:
        app(standalone_mode=True)
    except PantelosError as error:
        Console(stderr=True, soft_wrap=True).print(str(error), markup=False, highlight=False)
        sys.exit(1)


if __name__ == "__main__":
    main()
