"""The kinds of connection: a file each, found here."""

from pantelos.power.wirings.wiring import Element, Socket, Wiring
from pantelos.registry import Registry, defined_in

WIRINGS = Registry("kind of connection", lambda wiring: wiring.id, defined_in(__name__, Wiring, lambda wiring: wiring.place))


def wiring(id_: str) -> Wiring:
    """Return the kind of connection with that id; raises `StudyError` when there is none."""
    return WIRINGS[id_]


__all__ = ["WIRINGS", "Element", "Socket", "Wiring", "wiring"]
