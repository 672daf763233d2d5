"""Which conductor a channel is wired to."""

from pantelos.power.wirings import wiring
from pantelos.study.model import Study


def conductor_of(study: Study, channel: str) -> str:
    """Return the conductor a channel is wired to, or an empty text."""
    for connection in study.connections:
        for socket, name in connection.sockets.items():
            if name == channel:
                return wiring(connection.wiring).socket(socket).conductor
    return ""
