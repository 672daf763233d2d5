"""Three phases without neutral, by two wattmeters (A. Blondel 1893): both voltages against L3."""

from pantelos.power.quantities import effective_three_wire
from pantelos.power.wirings.scheme import I_X, U_X, Conductor, PlacedSocket, Scheme
from pantelos.power.wirings.wiring import Element, Socket, Wiring

_HEIGHTS = {"L1": 60.0, "L2": 160.0, "L3": 270.0}
_LEFT, _RIGHT = U_X - 50, U_X + 40

THREE_WIRE = Wiring(
    id="three-phase-3w",
    title="Three-phase, three-wire, two wattmeters",
    sockets=(
        Socket("u13", "voltage", "L1", "voltage L1 to L3"),
        Socket("i1", "current", "L1", "current L1"),
        Socket("u23", "voltage", "L2", "voltage L2 to L3"),
        Socket("i2", "current", "L2", "current L2"),
    ),
    elements=(Element("W1", "element 1 (u13, i1)", "u13", "i1", "L1"), Element("W2", "element 2 (u23, i2)", "u23", "i2", "L2")),
    alternating=True,
    scheme=Scheme(
        conductors=tuple(Conductor(name, y, name) for name, y in _HEIGHTS.items()),
        sockets=(
            PlacedSocket("u13", _LEFT, 110.0),
            PlacedSocket("u23", _RIGHT, 215.0),
            PlacedSocket("i1", I_X + 20, _HEIGHTS["L1"]),
            PlacedSocket("i2", I_X + 20, _HEIGHTS["L2"]),
        ),
        bridges=((_LEFT, _HEIGHTS["L1"], _HEIGHTS["L3"]), (_RIGHT, _HEIGHTS["L2"], _HEIGHTS["L3"])),
        supply="mains",
        load="load or\nconverter",
    ),
    stem="mains",
    line_voltages=({"u13": 1, "u23": -1}, {"u23": 1}, {"u13": -1}),
    line_currents=({"i1": 1}, {"i2": 1}, {"i1": -1, "i2": -1}),
    wires=3,
    effective=lambda u, u_line, i, i_n: effective_three_wire(u_line, i),
    place=4,
)
