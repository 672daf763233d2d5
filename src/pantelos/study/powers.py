"""The power of a connection over time, as a formula of its channels: what is wanted first once it is connected."""

from collections.abc import Mapping

import msgspec

from pantelos.power.wirings import Wiring, wiring
from pantelos.study.model import Connection, Study
from pantelos.study.operations.naming import formula_name


class OfferedPower(msgspec.Struct, frozen=True):
    """A formula that the study does not have yet."""

    connection: str
    name: str
    expression: str


def power_expression(connection: Connection) -> str | None:
    """Return p(t) of a connection as the sum of u i over its elements; None while a channel of one is not placed.

    Source: IEC 60050-131, 131-11-30, instantaneous power.
    """
    kind, placed = wiring(connection.wiring), connection.sockets
    products = [f"{_row(kind, each.voltage, placed)} * {_row(kind, each.current, placed)}" for each in kind.elements]
    return " + ".join(products) if "?" not in "".join(products) else None


def _row(kind: Wiring, name: str, placed: Mapping[str, str]) -> str:
    """Return a voltage or current as a formula; with a question mark where a channel is missing."""
    if name not in kind.virtual:
        return placed.get(name, "?")
    weights = kind.virtual[name]
    share = 1 / abs(next(iter(weights.values())))
    signs = [("- " if weight < 0 else "+ ") + placed.get(socket, "?") for socket, weight in weights.items()]
    summed = " ".join(signs).removeprefix("+ ").replace("- ", "-", 1 if signs[0].startswith("-") else 0)
    return f"({summed}) / {share:g}" if share != 1 else f"({summed})"


def offered_powers(study: Study) -> list[OfferedPower]:
    """Return the power of each connection that no formula of the study gives yet."""
    known = {"".join(formula.expression.split()) for formula in study.formulas}
    taken, found = set(study.names), []
    for connection in study.connections:
        expression = power_expression(connection)
        if expression is None or "".join(expression.split()) in known:
            continue
        stem = "p" if len(study.connections) == 1 else f"p_{formula_name(connection.name)}"
        name = next(free for k in range(1, 1000) if (free := stem if k == 1 else f"{stem}{k}") not in taken)
        taken.add(name)
        found.append(OfferedPower(connection.name, name, expression))
    return found
