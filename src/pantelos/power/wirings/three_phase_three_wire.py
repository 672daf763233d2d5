"""Three phases without neutral, by two wattmeters (A. Blondel 1893): both voltages against one conductor, L3, L1 or L2."""

from pantelos.power.quantities import THREE_WIRES
from pantelos.power.wirings.scheme import I_X, U_X, Conductor, PlacedSocket, Scheme
from pantelos.power.wirings.wiring import Element, Row, Socket, Wiring

HEIGHTS = {"L1": 60.0, "L2": 160.0, "L3": 270.0}
_LEFT, _RIGHT = U_X - 50, U_X + 40


def _two_wattmeters(id_: str, common: int, place: int) -> Wiring:
    """Return the connection whose voltages are measured against conductor `common`."""
    a, b = ({1: (2, 3), 2: (1, 3), 3: (1, 2)})[common]
    u_a, u_b, i_a, i_b = f"u{a}{common}", f"u{b}{common}", f"i{a}", f"i{b}"
    against: dict[int, Row] = {a: {u_a: 1}, b: {u_b: 1}, common: {}}  # of each conductor, to the common one
    current: dict[int, Row] = {a: {i_a: 1}, b: {i_b: 1}, common: {i_a: -1, i_b: -1}}
    y_common = HEIGHTS[f"L{common}"]
    middle = {k: 0.5 * (HEIGHTS[f"L{k}"] + y_common) for k in (a, b)}
    return Wiring(
        id=id_,
        title="Three-phase, three-wire, two wattmeters" + ("" if common == 3 else f", common L{common}"),
        sockets=(
            Socket(u_a, "voltage", f"L{a}", f"voltage L{a} to L{common}"),
            Socket(i_a, "current", f"L{a}", f"current L{a}"),
            Socket(u_b, "voltage", f"L{b}", f"voltage L{b} to L{common}"),
            Socket(i_b, "current", f"L{b}", f"current L{b}"),
        ),
        elements=(
            Element("W1", f"element 1 ({u_a}, {i_a})", u_a, i_a, f"L{a}"),
            Element("W2", f"element 2 ({u_b}, {i_b})", u_b, i_b, f"L{b}"),
        ),
        alternating=True,
        scheme=Scheme(
            conductors=tuple(Conductor(name, y, name) for name, y in HEIGHTS.items()),
            sockets=(
                PlacedSocket(u_a, _LEFT, middle[a]),
                PlacedSocket(u_b, _RIGHT, middle[b]),
                PlacedSocket(i_a, I_X + 20, HEIGHTS[f"L{a}"]),
                PlacedSocket(i_b, I_X + 20, HEIGHTS[f"L{b}"]),
            ),
            bridges=((_LEFT, HEIGHTS[f"L{a}"], y_common), (_RIGHT, HEIGHTS[f"L{b}"], y_common)),
            supply="mains",
            load="load or\nconverter",
        ),
        stem="mains",
        line_voltages=tuple(_less(against[k], against[k % 3 + 1]) for k in (1, 2, 3)),
        line_currents=tuple(current[k] for k in (1, 2, 3)),
        wires=3,
        effective=THREE_WIRES,
        place=place,
    )


def _less(row: Row, other: Row) -> Row:
    """Return the difference of two linear maps."""
    return {name: row.get(name, 0) - other.get(name, 0) for name in (*row, *(n for n in other if n not in row))}


THREE_WIRE = _two_wattmeters("three-phase-3w", 3, 5)
THREE_WIRE_L1 = _two_wattmeters("three-phase-3w-l1", 1, 6)
THREE_WIRE_L2 = _two_wattmeters("three-phase-3w-l2", 2, 7)
