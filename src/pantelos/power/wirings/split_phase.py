"""Two phases of opposite sign and neutral, each voltage against the neutral."""

from pantelos.power.wirings.scheme import I_X, U_X, Conductor, PlacedSocket, Scheme
from pantelos.power.wirings.wiring import Closing, Element, Socket, Wiring

_HEIGHTS = {"L1": 60.0, "N": 165.0, "L2": 270.0}

SPLIT_PHASE = Wiring(
    id="split-phase",
    title="Split-phase",
    sockets=(
        Socket("u1", "voltage", "L1", "voltage L1 to N"),
        Socket("i1", "current", "L1", "current L1"),
        Socket("u2", "voltage", "L2", "voltage L2 to N, of opposite phase"),
        Socket("i2", "current", "L2", "current L2"),
        Socket("iN", "current", "N", "current N, arrow from the load", required=False),
    ),
    elements=(Element("L1", "L1", "u1", "i1", "L1"), Element("L2", "L2", "u2", "i2", "L2")),
    alternating=True,
    scheme=Scheme(
        conductors=tuple(Conductor(name, y, name) for name, y in _HEIGHTS.items()),
        sockets=(
            PlacedSocket("u1", U_X, 112.0),
            PlacedSocket("u2", U_X, 218.0),
            PlacedSocket("i1", I_X, _HEIGHTS["L1"]),
            PlacedSocket("i2", I_X, _HEIGHTS["L2"]),
            PlacedSocket("iN", I_X, _HEIGHTS["N"]),
        ),
        bridges=((U_X, _HEIGHTS["L1"], _HEIGHTS["N"]), (U_X, _HEIGHTS["N"], _HEIGHTS["L2"])),
        supply="supply",
        load="load",
    ),
    stem="split-phase",
    neutral={"i1": 1, "i2": 1},
    wires=3,
    closings=(Closing("iN against i1 + i2", {"iN": 1, "i1": -1, "i2": -1}, "a current flows elsewhere, or one is scaled wrong"),),
    by_name=False,  # u1, i1, u2, i2 may as well be an input and an output
    place=3,
)
