"""Commands from annotated functions: what a function takes is what the command line takes. argparse does the parsing.

A parameter is `Annotated[type, Argument(...)]` or `Annotated[type, Option(...)]`; types are str, int, float, bool, Path,
an enumeration, `list[str]` or `list[Path]` for what may come again, each also with `| None`.
"""

import argparse
import enum
import inspect
import sys
import types
from collections.abc import Callable, Sequence
from typing import Annotated, Any, NoReturn, Union, get_args, get_origin, get_type_hints

import msgspec

from pantelos.changes.option_row import OptionRow
from pantelos.errors import clipped


class Argument(msgspec.Struct, frozen=True):
    """An argument told by its place. Help that lists what there is is made when it is asked for."""

    help: str | Callable[[], str] = ""
    metavar: str = ""


class Option:
    """An argument told by its name: `--name-of-parameter` where no other is given."""

    def __init__(self, *flags: str, help: str | Callable[[], str] = "") -> None:  # noqa: A002
        self.flags, self.help = flags, help


class OptionRows:
    """A parameter that takes what is given of the options of a table, by their names: those not given are None."""

    def __init__(self, rows: Callable[[], Sequence[OptionRow]]) -> None:
        self.rows = rows


def say(text: str, err: bool = False, end: str = "\n") -> None:
    """Print a line, on standard error where asked to."""
    print(text, file=sys.stderr if err else sys.stdout, end=end)


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        """Leave with the usage and one sentence that echoes no more than fits."""
        self.print_usage(sys.stderr)
        self.exit(2, f"{self.prog}: {clipped(message)}\n")


def parser_of(name: str, function: Callable[..., Any]) -> argparse.ArgumentParser:
    """Return the parser of a command."""
    parser = _Parser(prog=f"pantelos {name}", description=inspect.getdoc(function), allow_abbrev=False)
    hints = get_type_hints(function, include_extras=True)
    for parameter in inspect.signature(function).parameters.values():
        hint = hints[parameter.name]
        assert get_origin(hint) is Annotated, f"{name}: {parameter.name} says neither Argument nor Option"
        kind, marker = get_args(hint)[:2]
        if isinstance(marker, OptionRows):
            for row in marker.rows():
                _add(parser, row.name, row.kind, Option(help=row.help), default=None)
        else:
            _add(parser, parameter.name, kind, marker, parameter.default)
    return parser


def _add(parser: argparse.ArgumentParser, name: str, kind: Any, marker: Any, default: Any) -> None:
    optional = default is not inspect.Parameter.empty
    plain, several = _plain(kind)
    said = marker.help if isinstance(marker.help, str) else marker.help()
    said += " Repeatable." if several and isinstance(marker, Option) and "Repeatable" not in said else ""
    given: dict[str, Any] = {"help": said.replace("%", "%%") or None}
    if isinstance(marker, Argument):
        given |= {"type": plain, "metavar": marker.metavar or name.upper()}
        many = "*" if optional else "+"
        count = {"nargs": many, "default": default} if several else {"nargs": "?", "default": default} if optional else {}
        parser.add_argument(name, **given, **count)
        return
    flags = marker.flags or (f"--{name.replace('_', '-')}",)
    given |= {"dest": name, "default": default if optional else None, "required": not optional}
    if plain is bool:
        parser.add_argument(*flags, **given, action="store_true")
    elif issubclass(plain, enum.Enum):
        parser.add_argument(
            *flags, **given, type=plain, choices=[m for m in plain if m], metavar="|".join(str(m) for m in plain if m)
        )
    else:
        parser.add_argument(*flags, **given, type=plain, action="append" if several else "store", metavar=plain.__name__.upper())


def _plain(kind: Any) -> tuple[Any, bool]:
    """Return (type of one value, whether there may be several)."""
    if get_origin(kind) in (types.UnionType, Union):
        kind = next(part for part in get_args(kind) if part is not type(None))
    if get_origin(kind) is list:
        return get_args(kind)[0], True
    return kind, False


def call(name: str, function: Callable[..., Any], arguments: Sequence[str]) -> int:
    """Run a command with its arguments; return its exit code."""
    given = vars(parser_of(name, function).parse_intermixed_args(list(arguments)))
    for parameter, hint in get_type_hints(function, include_extras=True).items():
        if get_origin(hint) is Annotated and isinstance(rows := get_args(hint)[1], OptionRows):
            given[parameter] = {row.name: given.pop(row.name) for row in rows.rows()}
    return function(**given) or 0


__all__ = ["Argument", "Option", "OptionRow", "OptionRows", "call", "parser_of", "say"]
