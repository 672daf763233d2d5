"""What a compiled formula is: its kind, its unit, and how it is computed."""

from collections.abc import Callable, Collection, Mapping
from enum import StrEnum
from typing import Any

import msgspec

from pantelos.formula.scope import Scope
from pantelos.units import Unit


class Kind(StrEnum):
    """What a formula results in."""

    SIGNAL = "one value per sample"
    SERIES = "one value per cycle"
    SCALAR = "one value"
    CONDITION = "a condition"


# The kind and unit of every name a formula may use.
Types = Mapping[str, tuple[Kind, Unit]]


class Compiled(msgspec.Struct, frozen=True, eq=False):
    """A checked formula: what it results in, and how to make it within a scope."""

    kind: Kind
    unit: Unit
    make: Callable[[Scope], Any]
    name: str | None = None  # set where the whole node is one channel


class Known(msgspec.Struct, frozen=True):
    """What a formula may name: channels and formulas, intervals, event searches; None leaves those unchecked."""

    types: Types
    intervals: Collection[str] | None = None
    searches: Collection[str] | None = None
