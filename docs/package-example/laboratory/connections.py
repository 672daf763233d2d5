"""A connection: one voltage and one current at a ring main."""

from pantelos.power.wirings.scheme import two_wire
from pantelos.power.wirings.wiring import Element, Socket, Wiring

RING = Wiring(
    "ring", "Ring main", (Socket("u", "voltage", "L1", "voltage"), Socket("i", "current", "L1", "current")),
    (Element("R", "R", "u", "i", "L1"),), True, two_wire(("L", "L1"), ("N", "N")), "ring",
)  # fmt: skip
