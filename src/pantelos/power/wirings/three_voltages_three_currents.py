"""Three phases without neutral, all line voltages and all currents: powers by the virtual star."""

from pantelos.power.quantities import THREE_WIRES
from pantelos.power.wirings.scheme import I_X, U_X, Conductor, PlacedSocket, Scheme
from pantelos.power.wirings.three_phase_three_wire import HEIGHTS
from pantelos.power.wirings.wiring import Closing, Element, Socket, Wiring

_LINES = ((1, 2), (2, 3), (3, 1))
_PLACES = {"u12": (U_X - 50, "L1", "L2"), "u23": (U_X, "L2", "L3"), "u31": (U_X + 55, "L1", "L3")}


def _middle(a: str, b: str) -> float:
    return 0.5 * (HEIGHTS[a] + HEIGHTS[b])


THREE_VOLTAGES = Wiring(
    id="three-phase-3v3i",
    title="Three-phase, three-wire, three voltages and three currents",
    sockets=(
        *(Socket(f"u{a}{b}", "voltage", f"L{a}", f"voltage L{a} to L{b}") for a, b in _LINES),
        *(Socket(f"i{k}", "current", f"L{k}", f"current L{k}") for k in (1, 2, 3)),
    ),
    elements=tuple(Element(f"L{k}", f"L{k}, virtual star", f"u{k}", f"i{k}", f"L{k}") for k in (1, 2, 3)),
    alternating=True,
    scheme=Scheme(
        conductors=tuple(Conductor(name, y, name) for name, y in HEIGHTS.items()),
        sockets=(
            *(
                PlacedSocket(n, x, 0.5 * (HEIGHTS[a] + HEIGHTS[b]) + (55 if n == "u31" else 0))
                for n, (x, a, b) in _PLACES.items()
            ),
            *(PlacedSocket(f"i{k}", I_X + 35, HEIGHTS[f"L{k}"]) for k in (1, 2, 3)),
        ),
        bridges=tuple((x, HEIGHTS[a], HEIGHTS[b]) for x, a, b in _PLACES.values()),
        supply="mains",
        load="load or\nconverter",
    ),
    stem="mains",
    line_voltages=({"u12": 1}, {"u23": 1}, {"u31": 1}),
    line_currents=({"i1": 1}, {"i2": 1}, {"i3": 1}),
    wires=3,
    effective=THREE_WIRES,
    virtual={"u1": {"u12": 1 / 3, "u31": -1 / 3}, "u2": {"u23": 1 / 3, "u12": -1 / 3}, "u3": {"u31": 1 / 3, "u23": -1 / 3}},
    closings=(
        Closing("i1 + i2 + i3", {"i1": 1, "i2": 1, "i3": 1}, "a current flows elsewhere, or one is scaled or turned wrong"),
        Closing("u12 + u23 + u31", {"u12": 1, "u23": 1, "u31": 1}, "one of the voltages is scaled or turned wrong"),
    ),
    place=8,
)
