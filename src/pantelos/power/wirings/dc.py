"""DC: one voltage, one current, no cycles."""

from pantelos.power.wirings.scheme import two_wire
from pantelos.power.wirings.wiring import Element, Socket, Wiring

DC = Wiring(
    id="dc",
    title="DC",
    sockets=(Socket("u", "voltage", "DC", "voltage"), Socket("i", "current", "DC", "current")),
    elements=(Element("DC", "DC", "u", "i", "DC"),),
    alternating=False,
    scheme=two_wire(("+", "DC"), ("−", "DC")),
    stem="DC",
    place=1,
)
