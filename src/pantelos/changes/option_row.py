"""An option as a row of a table; what reads it is loaded at every start."""

from collections.abc import Callable
from typing import Any

import msgspec


class OptionRow(msgspec.Struct, frozen=True):
    """An option: its name as a parameter, the type of its value, its help."""

    name: str
    kind: Any
    help: str | Callable[[], str]
