"""One phase and neutral."""

from pantelos.power.wirings.scheme import two_wire
from pantelos.power.wirings.wiring import Element, Socket, Wiring

SINGLE_PHASE = Wiring(
    id="single-phase",
    title="Single-phase",
    sockets=(Socket("u", "voltage", "L1", "voltage L to N"), Socket("i", "current", "L1", "current L")),
    elements=(Element("L", "L", "u", "i", "L1"),),
    alternating=True,
    scheme=two_wire(("L", "L1"), ("N", "N")),
    stem="single-phase",
    place=2,
)
