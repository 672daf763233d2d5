"""The kinds of connection: a file each, found here."""

from pantelos.power.wirings.wiring import Element, Socket, Wiring
from pantelos.registry import Registry

WIRINGS = Registry.of_modules("kind of connection", Wiring, __name__, "connections")


def wiring(id_: str) -> Wiring:
    """Return the kind of connection with that id; raises `StudyError` when there is none."""
    return WIRINGS[id_]


__all__ = ["WIRINGS", "Element", "Socket", "Wiring", "wiring"]
