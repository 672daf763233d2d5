"""Commands that list what there is: functions, kinds of connection, the schema of a study."""

from typing import Annotated

from pantelos.cli.command import Argument, say
from pantelos.cli.opened import AsJson
from pantelos.cli.reporting import say_json
from pantelos.errors import StudyError, clipped
from pantelos.formula.functions import Function, all_functions, function_named
from pantelos.formula.spelling import meant
from pantelos.power.wirings import WIRINGS
from pantelos.study.storage import schema


def functions(name: Annotated[str | None, Argument(help="Explain this function.")] = None, as_json: AsJson = False) -> None:
    """List the functions of the formula language, or explain one."""
    if name is not None:
        _explain(_named(name), as_json)
        return
    if as_json:
        say_json([_described(entry) for entry in all_functions()])
        return
    for entry in all_functions():
        say(f"{entry.name}({', '.join(entry.parameter_names)})  [{entry.category}]  {entry.help}  Example: {entry.example}")


def _named(name: str) -> Function:
    found = function_named(name)
    if found is None:
        raise StudyError(f'There is no function "{name}"{meant(name, [entry.name for entry in all_functions()])}')
    return found


def _explain(entry: Function, as_json: bool) -> None:
    if as_json:
        say_json(_described(entry))
        return
    say(f"{entry.call}  [{entry.category}]\n{entry.help}")
    for parameter in entry.parameters:
        say(f"  {parameter.shown}: {parameter.wanted}")
    for title, text in (("how", entry.formula), ("source", entry.source), ("example", entry.example)):
        if text:
            say(f"{title}: {text}")


def _described(entry: Function) -> dict[str, object]:
    return {
        "name": entry.name,
        "category": entry.category,
        "arguments": list(entry.parameter_names),
        "help": entry.help,
        "example": entry.example,
        "call": entry.call,
        "wanted": [parameter.wanted for parameter in entry.parameters],
        "formula": entry.formula,
        "source": entry.source,
    }


def kinds() -> None:
    """List the kinds of connection and their sockets."""
    for kind in WIRINGS:
        sockets = ", ".join(s.name + ("" if s.required else " (optional)") for s in kind.sockets)
        say(f"{kind.id}: {kind.title}; sockets {sockets}")


def schema_(which: Annotated[str, Argument(help="study or limits.", metavar="WHICH")] = "study") -> None:
    """Print the JSON schema of the study file, or of limit sets."""
    if which not in ("study", "limits"):
        raise StudyError(f'There is no schema of "{clipped(which)}"; there are study and limits.')
    if which == "limits":
        from pantelos.quality.limits import limits_schema  # here, for the sake of a quick start

        say_json(limits_schema())
    else:
        say_json(schema())
