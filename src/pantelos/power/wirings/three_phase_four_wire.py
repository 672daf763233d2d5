"""Three phases and neutral, each voltage against the neutral."""

from pantelos.power.quantities import FOUR_WIRES
from pantelos.power.wirings.scheme import I_X, U_X, Conductor, PlacedSocket, Scheme
from pantelos.power.wirings.wiring import Closing, Element, Socket, Wiring

_HEIGHTS = {"L1": 50.0, "L2": 120.0, "L3": 190.0, "N": 280.0}
_SHIFTS = {1: U_X - 45, 2: U_X + 10, 3: U_X + 65}  # of the voltages, one beside the other


def _scheme() -> Scheme:
    lines = tuple(Conductor(name, y, name) for name, y in _HEIGHTS.items())
    sockets = []
    for k, x in _SHIFTS.items():
        y = _HEIGHTS[f"L{k}"]
        sockets += [PlacedSocket(f"u{k}", x, y + 33), PlacedSocket(f"i{k}", I_X + 35, y)]
    sockets.append(PlacedSocket("iN", I_X + 35, _HEIGHTS["N"]))
    bridges = tuple((x, _HEIGHTS[f"L{k}"], _HEIGHTS["N"]) for k, x in _SHIFTS.items())
    return Scheme(lines, tuple(sockets), bridges, "mains", "load or\nconverter")


FOUR_WIRE = Wiring(
    id="three-phase-4w",
    title="Three-phase, four-wire",
    sockets=(
        *(Socket(f"u{k}", "voltage", f"L{k}", f"voltage to N, L{k}") for k in (1, 2, 3)),
        *(Socket(f"i{k}", "current", f"L{k}", f"current L{k}") for k in (1, 2, 3)),
        Socket("iN", "current", "N", "current N, arrow from the load", required=False),
    ),
    elements=tuple(Element(f"L{k}", f"L{k}", f"u{k}", f"i{k}", f"L{k}") for k in (1, 2, 3)),
    alternating=True,
    scheme=_scheme(),
    stem="mains",
    line_voltages=({"u1": 1, "u2": -1}, {"u2": 1, "u3": -1}, {"u3": 1, "u1": -1}),
    line_currents=({"i1": 1}, {"i2": 1}, {"i3": 1}),
    neutral={"i1": 1, "i2": 1, "i3": 1},
    wires=4,
    effective=FOUR_WIRES,
    closings=(
        Closing(
            "iN against i1 + i2 + i3",
            {"iN": 1, "i1": -1, "i2": -1, "i3": -1},
            "a current flows elsewhere, or one is scaled or turned wrong",
            ("i1", "i2", "i3", "iN"),
        ),
    ),
    place=4,
)
