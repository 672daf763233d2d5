"""Commands that list what there is: functions, kinds of connection, the schema of a study."""

from pantelos.cli.command import say
from pantelos.cli.opened import AsJson
from pantelos.cli.reporting import say_json
from pantelos.formula.functions import function_help
from pantelos.power.wiring import WIRINGS
from pantelos.study.storage import schema


def functions(as_json: AsJson = False) -> None:
    """List the functions of the formula language."""
    if as_json:
        say_json(
            [
                {"name": f.name, "category": f.category, "arguments": list(f.arguments), "help": f.help, "example": f.example}
                for f in function_help()
            ]
        )
        return
    for entry in function_help():
        say(f"{entry.name}({', '.join(entry.arguments)})  [{entry.category}]  {entry.help}  Example: {entry.example}")


def kinds() -> None:
    """List the kinds of connection and their sockets."""
    for kind in WIRINGS:
        sockets = ", ".join(s.name + ("" if s.required else " (optional)") for s in kind.sockets)
        say(f"{kind.id}: {kind.title}; sockets {sockets}")


def schema_() -> None:
    """Print the JSON schema of the study file."""
    say_json(schema())
