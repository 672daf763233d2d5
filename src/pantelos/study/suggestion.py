"""Connections that the names of channels suggest: U_L1 U_L2 U_L3 I_L1 I_L2 I_L3 look like three phases."""

import re
from collections.abc import Sequence

import msgspec

from pantelos.power.wirings import WIRINGS, Socket, Wiring
from pantelos.study import operations as op
from pantelos.study.model import Connection, Study
from pantelos.units import unit

_QUANTITIES = {
    "voltage": ("u", "v", "volt", "volts", "voltage", "spannung", "tension", "tensión"),
    "current": ("i", "amp", "amps", "current", "strom", "courant", "corriente", "intensidad"),
}
_QUANTITY_OF = {word: quantity for quantity, words in _QUANTITIES.items() for word in words}
_WORDS = {"1": "l1 a r u 1", "2": "l2 b s v 2", "3": "l3 c t w 3", "N": "n", "DC": "dc zk zwk link bus"}
_PLACES = {word: place for place, words in _WORDS.items() for word in words.split()}
_FILLING = ("phase", "ph", "leg", "line", "_", " ", "-", ".")
_ONE_PLACE = "|".join(sorted(_PLACES, key=len, reverse=True))
_SPOT = re.compile(rf"({'|'.join(sorted(_QUANTITY_OF, key=len, reverse=True))})({_ONE_PLACE})?({_ONE_PLACE})?")


class Spot(msgspec.Struct, frozen=True):
    """What a name says a channel is: voltage or current, and where: "1", "2", "3", "N", "12", "DC", or nowhere said."""

    quantity: str
    place: str


def spot_of(name: str) -> Spot | None:
    """Return what a name says; None where it says neither voltage nor current."""
    text = name.lower()
    for filling in _FILLING:
        text = text.replace(filling, "")
    match = _SPOT.fullmatch(text)
    if match is None:
        return None
    first, second = (_PLACES.get(part or "", "") for part in (match[2], match[3]))
    phase_to_neutral = second == "N" and first in ("1", "2", "3")
    return Spot(_QUANTITY_OF[match[1]], first if phase_to_neutral else first + second)


def spot_of_socket(socket: Socket) -> Spot:
    """Return what the name of a channel says that belongs into a socket."""
    return Spot(socket.quantity, "DC" if socket.conductor == "DC" else socket.name[1:])


class Suggestion(msgspec.Struct, frozen=True):
    """A connection, the channels that would sit in its sockets, and what suggests it."""

    wiring: Wiring
    sockets: dict[str, str]
    why: str = "by their names"
    turned: tuple[str, ...] = ()  # channels whose clamps lie the other way round
    why_of: dict[str, str] = {}  # by channel, what says so
    called: str = ""  # what the connection is called; empty: as its kind is at first

    @property
    def text(self) -> str:
        """What is suggested, in words."""
        return f"{self.wiring.title}: {' '.join(self.sockets.values())}"


def free_channels(study: Study) -> list[str]:
    """Return the recorded channels that sit in no socket of any connection."""
    used = {channel for connection in study.connections for channel in connection.sockets.values()}
    return [channel.name for channel in study.channels if channel.name not in used]


def suggestions(study: Study) -> list[Suggestion]:
    """Return the connections whose required sockets all find a channel without a place by its name, the largest first."""
    named = ((name, spot_of(name)) for name in free_channels(study))
    spots = {name: spot for name, spot in named if spot is not None and _agrees(study, name, spot)}
    found = []
    for kind in sorted((w for w in WIRINGS if w.by_name), key=lambda w: -len(w.sockets)):
        sockets = {}
        for socket in kind.sockets:
            wanted = spot_of_socket(socket)
            name = next((name for name, spot in spots.items() if spot == wanted), None)
            if name is not None:
                sockets[socket.name] = name
        if all(socket.name in sockets for socket in kind.sockets if socket.required):
            found.append(Suggestion(kind, sockets))
    return found


def _agrees(study: Study, name: str, spot: Spot) -> bool:
    """Return whether the unit of a channel allows what its name says: v in m/s is no voltage; a clamp may still read in V."""
    setup = study.channel(name)
    _, _, shown = setup.scaling.resolve(unit(setup.recorder_unit))
    may_be = ("1", "V") if spot.quantity == "voltage" else ("1", "A", "V")
    return any(shown.like(unit(symbol)) for symbol in may_be)


def socket_for(study: Study, connection: Connection, wiring: Wiring, channel: str) -> str | None:
    """Return the empty socket a channel belongs into: that of its name, else the first of its unit, else the first."""
    empty = [socket for socket in wiring.sockets if socket.name not in connection.sockets]
    spot = spot_of(channel)
    ranked = sorted(empty, key=lambda socket: (spot_of_socket(socket) != spot, not _may_sit(study, channel, socket)))
    return ranked[0].name if ranked else None


def _may_sit(study: Study, channel: str, socket: Socket) -> bool:
    return misplaced(study, channel, socket) is None


def misplaced(study: Study, channel: str, socket: Socket) -> str | None:
    """Return what is wrong with a recorded channel in a socket as far as its unit tells, in a sentence; None where it fits."""
    if study.formula(channel) is not None or channel not in study.names:
        return None
    setup = study.channel(channel)
    _, _, shown = setup.scaling.resolve(unit(setup.recorder_unit))
    wanted = socket.unit.symbol
    if shown.like(socket.unit):
        return None
    if shown.like(unit("V")) and (spot := spot_of(channel)) is not None and spot.quantity == "current":
        return f"{channel} still reads in {shown.symbol}: state its clamp, shunt or transformer in the table"
    if shown.symbol in ("", "1"):
        return f"{channel} has no unit: state in the table what the recorder read, such as {wanted} or mV"
    return f"{channel} reads in {shown.symbol}, but {socket.name} takes a {socket.quantity} in {wanted}"


def follow(study: Study, name: str, suggestion: Suggestion) -> Study:
    """Return the study with the suggested connection, its channels placed, and those turned over whose clamps lie wrong."""
    study = op.add_connection(study, name, suggestion.wiring.id)
    for socket, channel in suggestion.sockets.items():
        study = op.place_channel(study, name, socket, channel)
    for channel in suggestion.turned:
        study = op.reverse_channel(study, channel)
    return study


def follow_all(study: Study, found: Sequence[Suggestion]) -> Study:
    """Return the study with every suggested connection, as far as their channels are still without a place."""
    for suggestion in found:
        if set(suggestion.sockets.values()) <= set(free_channels(study)):
            study = follow(study, free_name(study, suggestion.wiring, suggestion.called), suggestion)
    return study


def free_name(study: Study, kind: Wiring, called: str = "") -> str:
    """Return what a connection of a kind is called at first, with a number where that name is taken."""
    taken = {connection.name for connection in study.connections}
    base = called or kind.stem
    return base if base not in taken else next(n for k in range(2, len(taken) + 3) if (n := f"{base} {k}") not in taken)
