"""Where conductors and sockets of a connection stand in its drawing, in a plane of 620 by 330."""

import msgspec

from pantelos.power.wiring import Socket, Wiring

WIDTH, HEIGHT = 620.0, 330.0
_U_X, _I_X, _LOAD_X = 200.0, 330.0, 470.0


class PlacedSocket(msgspec.Struct, frozen=True):
    """A socket and its centre."""

    socket: Socket
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


def scheme(wiring: Wiring) -> Scheme:
    """Return the drawing of a kind of connection."""
    return {"dc": _two_wire, "single-phase": _two_wire, "three-phase-4w": _four_wire, "three-phase-3w": _three_wire}[wiring.id](
        wiring
    )


def _two_wire(wiring: Wiring) -> Scheme:
    names = ("L", "N", "L1", "N") if wiring.alternating else ("+", "−", "DC", "DC")
    lines = (Conductor(names[0], 100.0, names[2]), Conductor(names[1], 230.0, names[3]))
    sockets = (PlacedSocket(wiring.socket("u"), _U_X, 165.0), PlacedSocket(wiring.socket("i"), _I_X, 100.0))
    return Scheme(lines, sockets, ((_U_X, 100.0, 230.0),), "supply", "load")


def _four_wire(wiring: Wiring) -> Scheme:
    heights = {"L1": 50.0, "L2": 120.0, "L3": 190.0, "N": 280.0}
    lines = tuple(Conductor(name, y, name) for name, y in heights.items())
    sockets = []
    for k in (1, 2, 3):
        y = heights[f"L{k}"]
        sockets.append(PlacedSocket(wiring.socket(f"u{k}"), _U_X - 100 + 55 * k, y + 33))
        sockets.append(PlacedSocket(wiring.socket(f"i{k}"), _I_X + 35, y))
    sockets.append(PlacedSocket(wiring.socket("iN"), _I_X + 35, heights["N"]))
    bridges = tuple((_U_X - 100 + 55 * k, heights[f"L{k}"], heights["N"]) for k in (1, 2, 3))
    return Scheme(lines, tuple(sockets), bridges, "mains", "load or\nconverter")


def _three_wire(wiring: Wiring) -> Scheme:
    heights = {"L1": 60.0, "L2": 160.0, "L3": 270.0}
    lines = tuple(Conductor(name, y, name) for name, y in heights.items())
    sockets = (
        PlacedSocket(wiring.socket("u13"), _U_X - 50, 110.0),
        PlacedSocket(wiring.socket("u23"), _U_X + 40, 215.0),
        PlacedSocket(wiring.socket("i1"), _I_X + 20, 60.0),
        PlacedSocket(wiring.socket("i2"), _I_X + 20, 160.0),
    )
    bridges = ((_U_X - 50, 60.0, 270.0), (_U_X + 40, 160.0, 270.0))
    return Scheme(lines, sockets, bridges, "mains", "load or\nconverter")
