"""Commands that list what there is: functions, kinds of connection, the schema of a study."""

from pantelos.cli.command import say
from pantelos.cli.opened import AsJson
from pantelos.cli.reporting import say_json
from pantelos.formula.functions import Function, all_functions
from pantelos.power.wirings import WIRINGS
from pantelos.study.storage import schema


def functions(as_json: AsJson = False) -> None:
    """List the functions of the formula language."""
    if as_json:
        say_json([_described(entry) for entry in all_functions()])
        return
    for entry in all_functions():
        say(f"{entry.name}({', '.join(entry.parameter_names)})  [{entry.category}]  {entry.help}  Example: {entry.example}")


def _described(entry: Function) -> dict[str, object]:
    arguments = list(entry.parameter_names)
    return {"name": entry.name, "category": entry.category, "arguments": arguments, "help": entry.help, "example": entry.example}


def kinds() -> None:
    """List the kinds of connection and their sockets."""
    for kind in WIRINGS:
        sockets = ", ".join(s.name + ("" if s.required else " (optional)") for s in kind.sockets)
        say(f"{kind.id}: {kind.title}; sockets {sockets}")


def schema_() -> None:
    """Print the JSON schema of the study file."""
    say_json(schema())
