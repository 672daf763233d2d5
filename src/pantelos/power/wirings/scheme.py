"""How a kind of connection is drawn: where conductors and sockets stand, in a plane of 620 by 330."""

import msgspec

WIDTH, HEIGHT = 620.0, 330.0
U_X, I_X = 200.0, 330.0  # where voltages and currents usually stand


class PlacedSocket(msgspec.Struct, frozen=True):
    """A socket by its name, and its centre."""

    socket: str
    x: float
    y: float


class Conductor(msgspec.Struct, frozen=True):
    """A line from the supply to the load."""

    name: str
    y: float
    carries: str  # whose hue


class Scheme(msgspec.Struct, frozen=True):
    """The drawing of a kind of connection."""

    conductors: tuple[Conductor, ...]
    sockets: tuple[PlacedSocket, ...]
    bridges: tuple[tuple[float, float, float], ...]  # x, from y, to y: what a voltage is measured between
    supply: str
    load: str


def two_wire(upper: tuple[str, str], lower: tuple[str, str]) -> Scheme:
    """Return the drawing of one voltage and one current on two conductors, each (name, whose hue it carries)."""
    lines = (Conductor(upper[0], 100.0, upper[1]), Conductor(lower[0], 230.0, lower[1]))
    sockets = (PlacedSocket("u", U_X, 165.0), PlacedSocket("i", I_X, 100.0))
    return Scheme(lines, sockets, ((U_X, 100.0, 230.0),), "supply", "load")
