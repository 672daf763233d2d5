"""The kinds of connection: a file each."""

from pantelos.power.wirings.dc import DC
from pantelos.power.wirings.single_phase import SINGLE_PHASE
from pantelos.power.wirings.three_phase_four_wire import FOUR_WIRE
from pantelos.power.wirings.three_phase_three_wire import THREE_WIRE
from pantelos.power.wirings.wiring import Element, Socket, Wiring
from pantelos.registry import Registry

WIRINGS = Registry("kind of connection", lambda wiring: wiring.id, (DC, SINGLE_PHASE, FOUR_WIRE, THREE_WIRE))


def wiring(id_: str) -> Wiring:
    """Return the kind of connection with that id; raises `StudyError` when there is none."""
    return WIRINGS[id_]


__all__ = ["WIRINGS", "Element", "Socket", "Wiring", "wiring"]
