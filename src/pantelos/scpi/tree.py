"""The tree of commands: headers with long and short forms, parts that may be left out, and numbers; SCPI-1999 volume 1, 6.2."""

import re
from collections.abc import Callable, Sequence
from typing import TypeAlias

from pantelos.scpi.message import MessageError, ScpiCommand, short_form

# What a command or query does: numbers in the header (one each, 1 where none is written), parameters; a query returns its answer.
Handler: TypeAlias = Callable[[tuple[int, ...], Sequence[str]], "str | bytes | None"]

_NODE = re.compile(r"(\[?):?([A-Za-z]+)(#?)(\]?)")


class Tree:
    """Finds who answers a command."""

    def __init__(self) -> None:
        self._entries: list[tuple[re.Pattern[str], bool, int, Handler]] = []

    def add(self, header: str, handler: Handler, query: bool = False, takes: int = 0) -> None:
        """Add a header as the standard writes it: `[SENSe#:]VOLTage[:DC]:RANGe[:UPPer]`, `#` where a number may stand.

        It takes so many parameters at most.
        """
        if header.startswith("*"):
            self._entries.append((re.compile(re.escape(header) + "$"), query, takes, handler))
            return
        pattern, begun = "", False
        for optional, word, numbered in _nodes(header):
            one = f"(?:{word.upper()}|{short_form(word)})" + (r"(\d*)" if numbered else "")
            if begun:
                pattern += f"(?::{one})?" if optional else f":{one}"
            else:
                pattern += f"(?:{one}:)?" if optional else one
            begun = begun or not optional
        self._entries.append((re.compile(pattern + "$"), query, takes, handler))

    def answer(self, command: ScpiCommand) -> str | bytes | None:
        """Return the answer to a query, None to a command.

        Raises
        ------
        MessageError
            When nobody knows it, or as the handler says.
        """
        known = False
        for pattern, query, takes, handler in self._entries:
            found = pattern.match(command.header)
            if found is not None:
                known = True
                if query == command.query:
                    if len(command.parameters) > takes:
                        raise MessageError(-108, "Parameter not allowed")
                    numbers = tuple(int(text) if text else 1 for text in found.groups())
                    return handler(numbers, command.parameters)
        raise MessageError(*((-118, "Query not allowed") if known and command.query else (-113, "Undefined header")))


def _nodes(header: str) -> list[tuple[bool, str, bool]]:
    """Return the nodes of a header: whether it may be left out, its mnemonic, whether a number may follow."""
    return [(bool(left), word, bool(numbered)) for left, word, numbered, _ in _NODE.findall(header)]
