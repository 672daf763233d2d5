"""A shaft: torque and speed, whose product sample by sample is mechanical power."""

from pantelos.power.wirings.scheme import I_X, U_X, Conductor, PlacedSocket, Scheme
from pantelos.power.wirings.wiring import Element, Socket, Wiring

_Y = 165.0

SHAFT = Wiring(
    id="shaft",
    title="Shaft",
    sockets=(
        Socket("M", "torque", "shaft", "torque, positive as it drives what is behind"),
        Socket("n", "speed", "shaft", "speed"),
    ),
    elements=(Element("shaft", "shaft", "M", "n", "shaft"),),
    alternating=False,
    electrical=False,
    scheme=Scheme(
        conductors=(Conductor("shaft", _Y, "shaft"),),
        sockets=(PlacedSocket("M", U_X, _Y), PlacedSocket("n", I_X + 20, _Y)),
        bridges=(),
        supply="machine",
        load="load",
    ),
    stem="shaft",
    by_name=False,
    place=9,
)
