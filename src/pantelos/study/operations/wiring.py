"""Connections and the channels in their sockets."""

from collections.abc import Callable

from msgspec.structs import replace

from pantelos.errors import StudyError
from pantelos.power.wiring import wiring
from pantelos.study.model import Connection, Study


def add_connection(study: Study, name: str, kind: str) -> Study:
    """Return the study with another connection, nothing in its sockets yet."""
    wiring(kind)
    if any(connection.name == name for connection in study.connections):
        raise StudyError(f'There is already a connection "{name}". Choose another name.')
    return replace(study, connections=(*study.connections, Connection(name, kind)))


def remove_connection(study: Study, name: str) -> Study:
    """Return the study without a connection."""
    gone = study.connection(name)
    return replace(study, connections=tuple(c for c in study.connections if c is not gone))


def change_wiring(study: Study, name: str, kind: str) -> Study:
    """Return the study with another kind of connection; channels stay where the new kind has the same socket."""
    names = {socket.name for socket in wiring(kind).sockets}
    return _with_connection(study, name, lambda c: Connection(
        c.name, kind, {socket: channel for socket, channel in c.sockets.items() if socket in names}))  # fmt: skip


def place_channel(study: Study, connection: str, socket: str, channel: str) -> Study:
    """Return the study with a channel in a socket; it leaves the socket it had in the same connection."""
    wiring(study.connection(connection).wiring).socket(socket)
    if channel not in study.names:
        raise StudyError(f'There is no channel "{channel}" to put into {connection}.{socket}.')
    return _with_connection(study, connection, lambda c: replace(
        c, sockets={**{s: ch for s, ch in c.sockets.items() if ch != channel}, socket: channel}))  # fmt: skip


def take_channel_out(study: Study, connection: str, socket: str) -> Study:
    """Return the study with an empty socket."""
    return _with_connection(study, connection, lambda c: replace(
        c, sockets={s: ch for s, ch in c.sockets.items() if s != socket}))  # fmt: skip


def _with_connection(study: Study, name: str, change: Callable[[Connection], Connection]) -> Study:
    found = study.connection(name)
    changed = change(found)
    if changed.reference not in changed.sockets.values():
        changed = replace(changed, reference=None)
    return replace(study, connections=tuple(changed if c is found else c for c in study.connections))


def swap_phases(study: Study, name: str) -> Study:
    """Return the study with the second and the third phase of a connection exchanged, voltages and currents."""
    connection = study.connection(name)
    sockets = dict(connection.sockets)
    for one, other in (("u2", "u3"), ("i2", "i3")):
        if one in sockets and other in sockets:
            sockets[one], sockets[other] = sockets[other], sockets[one]
    if sockets == connection.sockets:
        raise StudyError(f'Connection "{name}" has no phases that could be exchanged. Check its wiring.')
    return replace(study, connections=tuple(replace(c, sockets=sockets) if c.name == name else c for c in study.connections))
