"""What is required of parameters: requirements, sets of them, and single limits.

A set may derive from another one: requirements of the same id replace those of the base, others are added. Tables of limits may
depend on an input (a short-circuit ratio): between its rows linearly, or by steps. Docs: limit-sets.md.
"""

from collections.abc import Mapping
from typing import Literal, TypeAlias

import msgspec

from pantelos.errors import StudyError

SIGNAL = "signal_hz"  # an input of every set: the frequency of mains signalling, where one is declared

Statistic: TypeAlias = Literal["share", "percentile", "maximum", "average", "value"]
Relative: TypeAlias = Literal["", "deviation", "U_din", "I_ref", "I_L", "fundamental"]


class LimitTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Where the rows of limits stand that depend on an input."""

    input: str
    at: tuple[float, ...]
    between: Literal["linear", "step", "log"] = "step"  # log: straight where both are drawn to logarithms


class Requirement(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One requirement, or one for each of its orders."""

    id: str
    title: str  # {order} stands for the order
    parameter: str = ""  # of the parameters of quality: f, U, u2, Plt, THD, Uh, Ih, Ig, ...
    base: str = "10 min"
    period: Literal["", "week", "day", "observation"] = ""  # over which it is to be observed; "": that of the set
    formula: str = ""  # in place of a parameter: any reading
    statistic: Statistic = "share"
    share: float = 95.0  # of the values that must lie inside; of a percentile, which
    low: float | None = None
    high: float | None = None
    unit: str = "%"
    relative: Relative = ""  # what values are held against before they are compared, in %
    orders: dict[int, float | tuple[float, ...]] = {}  # the upper limit of each order; several: along the table
    table: LimitTable | None = None
    highs: tuple[float, ...] = ()  # upper limits along the table, of a requirement without orders
    scaled_by: str = ""  # an input that limits of orders are multiplied by
    caps: dict[int, float] = {}  # which they do not exceed even so
    factor: float = 1.0  # that all limits are multiplied by
    partial_from: int | None = None  # odd orders from there on may reach 150 % while together below what the limits allow
    clause: str = ""
    remark: str = ""
    to_confirm: bool = False

    def formula_with(self, channels: Mapping[str, str], inputs: Mapping[str, float]) -> str:
        """Return its formula with the channels {u} and {i} of the DC connection and with the inputs of its set worked in.

        Raises
        ------
        StudyError
            When there is no such connection.
        """
        try:
            return self.formula.format(**{name: f"{value:.12g}" for name, value in inputs.items()} | dict(channels))
        except KeyError as missing:
            said = f"it speaks of {missing.args[0]} of a DC connection, and no channel is there"
            raise StudyError(f"{said}. Wire one on the Wiring page.") from missing


class LimitSet(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A set of requirements."""

    id: str
    title: str
    source: str
    edition: str
    remark: str = ""
    derives: str = ""
    period: Literal["week", "day", "observation"] = "week"  # over which it is to be observed
    of: Literal["voltage", "current", "any"] = "voltage"
    inputs: dict[str, str] = {}  # what has to be stated, and what it is
    disregarded: tuple[float, float] | None = None  # currents below so many % of the rms current, or below so many A
    requirement: tuple[Requirement, ...] = ()


class Limit(msgspec.Struct, frozen=True):
    """One limit, every table and input worked in; in the unit that values are compared in."""

    requirement: Requirement
    title: str
    order: int | None
    low: float | None
    high: float | None

    @property
    def id(self) -> str:
        """Unlike that of any other limit of the set."""
        return self.requirement.id if self.order is None else f"{self.requirement.id} {self.order}"
