"""Connections that the names of the channels suggest: u1 u2 u3 i1 i2 i3 look like three phases."""

import msgspec

from pantelos.power.wirings import WIRINGS, Wiring
from pantelos.study import operations as op
from pantelos.study.model import Study


class Suggestion(msgspec.Struct, frozen=True):
    """A connection and the channels that would sit in its sockets."""

    wiring: Wiring
    sockets: dict[str, str]

    @property
    def text(self) -> str:
        """What is suggested, in words."""
        return f"{self.wiring.title}: {' '.join(self.sockets.values())}"


def suggestions(study: Study) -> list[Suggestion]:
    """Return the connections whose required sockets all find a channel of their name, the largest first."""
    names = {name.lower(): name for name in study.names}
    found = []
    for wiring in sorted(WIRINGS, key=lambda w: -len(w.sockets)):
        sockets = {}
        for socket in wiring.sockets:
            known = socket.also or (socket.name.lower(),)
            name = next((names[each] for each in known if each in names), None)
            if name is not None:
                sockets[socket.name] = name
        if all(socket.name in sockets for socket in wiring.sockets if socket.required):
            found.append(Suggestion(wiring, sockets))
    return found


def follow(study: Study, name: str, suggestion: Suggestion) -> Study:
    """Return the study with the suggested connection and its channels placed."""
    study = op.add_connection(study, name, suggestion.wiring.id)
    for socket, channel in suggestion.sockets.items():
        study = op.place_channel(study, name, socket, channel)
    return study
