"""Connections and the channels in their sockets."""

import math
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from msgspec.structs import replace

from pantelos.amounts import amount_of
from pantelos.errors import StudyError, UnitError, clipped
from pantelos.power.wirings import wiring
from pantelos.study.model import ChainPoint, Connection, Expected, Study
from pantelos.study.operations.channels import reverse_channel
from pantelos.units import ONE, unit


def add_connection(study: Study, name: str, kind: str) -> Study:
    """Return the study with another connection, nothing in its sockets yet."""
    wiring(kind)
    if any(connection.name == name for connection in study.connections):
        raise StudyError(f'There is already a connection "{name}". Choose another name.')
    return replace(study, connections=(*study.connections, Connection(name, kind)))


def remove_connection(study: Study, name: str) -> Study:
    """Return the study without a connection."""
    gone = study.connection(name)
    kept = tuple(c for c in study.connections if c is not gone)
    return replace(study, connections=kept, chain=tuple(point for point in study.chain if point.connection != name))


def set_chain(study: Study, points: Sequence[ChainPoint]) -> Study:
    """Return the study with another power chain: connections as power goes through them, each once.

    Raises
    ------
    StudyError
        When a connection is not there, stands twice, or there is only one.
    """
    for point in points:
        study.connection(point.connection)
    names = [point.connection for point in points]
    if len(set(names)) < len(names):
        twice = next(name for name in names if names.count(name) > 1)
        raise StudyError(f'"{twice}" stands twice in the chain. Each connection is one point of it.')
    if len(names) == 1:
        raise StudyError(f'A chain needs two points; "{names[0]}" is one. Name what comes behind it.')
    return replace(study, chain=tuple(points))


def chain_from(study: Study, text: str) -> tuple[ChainPoint, ...]:
    """Return a chain typed as `mains > rectifier > dc link > inverter > machine`: names of connections, and of what is between.

    Raises
    ------
    StudyError
        When two names between connections follow each other, or it does not begin and end with a connection.
    """
    known = {connection.name for connection in study.connections}
    points: list[ChainPoint] = []
    for part in (part.strip() for part in text.split(">")):
        if part in known:
            points.append(ChainPoint(part))
        elif points and not points[-1].stage and part:
            points[-1] = replace(points[-1], stage=part)
        else:
            there = f"; there are {', '.join(sorted(known))}" if known else ""
            raise StudyError(
                f'"{part}" is no connection{there}. Write them in order with > between: mains > rectifier > dc link.'
            )
    if points and points[-1].stage:
        raise StudyError(f'Nothing follows "{points[-1].stage}" in the chain. End it with a connection.')
    return tuple(points)


def change_wiring(study: Study, name: str, kind: str) -> Study:
    """Return the study with another kind of connection; channels stay where the new kind has the same socket, or its like.

    The only voltage and current of a single phase are those of L1 (u and u1, i and i1); what is expected of it stays.
    """
    names = [socket.name for socket in wiring(kind).sockets]

    def changed(c: Connection) -> Connection:
        kept = {socket: channel for socket, channel in c.sockets.items() if socket in names}
        for socket, channel in c.sockets.items():
            like = f"{socket}1" if len(socket) == 1 else socket.removesuffix("1")
            if socket not in names and like in names and like not in kept:
                kept[like] = channel
        return replace(c, wiring=kind, sockets={socket: kept[socket] for socket in names if socket in kept})

    return _with_connection(study, name, changed)


def place_channel(study: Study, connection: str, socket: str, channel: str) -> Study:
    """Return the study with a channel in a socket; it leaves the socket it had in the same connection."""
    wiring(study.connection(connection).wiring).socket(socket)
    if channel not in study.names:
        raise StudyError(f'There is no channel "{channel}" to put into {connection}.{socket}.')
    return _with_connection(
        study,
        connection,
        lambda c: replace(c, sockets={**{s: ch for s, ch in c.sockets.items() if ch != channel}, socket: channel}),
    )


def take_channel_out(study: Study, connection: str, socket: str) -> Study:
    """Return the study with an empty socket."""
    return _with_connection(
        study, connection, lambda c: replace(c, sockets={s: ch for s, ch in c.sockets.items() if s != socket})
    )


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
    for one, other in (("u2", "u3"), ("i2", "i3"), ("u13", "u23"), ("i1", "i2") if "u13" in sockets else ("", "")):
        if one in sockets and other in sockets:
            sockets[one], sockets[other] = sockets[other], sockets[one]
    if sockets == connection.sockets:
        raise StudyError(f'Connection "{name}" has no phases that could be exchanged. Check its wiring.')
    return _with_connection(study, name, lambda c: replace(c, sockets=sockets))


def rewire(study: Study, name: str, sockets: Mapping[str, str], turned: Collection[str] = ()) -> Study:
    """Return the study with channels of a connection in other sockets, and some of them turned over; the rest stays.

    Raises
    ------
    StudyError
        When a channel is not in the connection, or is derived and so cannot be turned over.
    """
    connection = study.connection(name)
    strange = [channel for channel in (*sockets.values(), *turned) if channel not in connection.sockets.values()]
    if strange:
        raise StudyError(f'{", ".join(strange)} is not in connection "{name}" any more. Look at its checks again.')
    study = _with_connection(study, name, lambda c: replace(c, sockets={**c.sockets, **sockets}))
    for channel in turned:
        if study.formula(channel) is not None:
            raise StudyError(f'"{channel}" is derived by a formula. Turn its formula over instead.')
        study = reverse_channel(study, channel)
    return study


def expect(study: Study, name: str, expected: Expected) -> Study:
    """Return the study with what is stated of a connection: nominal voltage and current, whether it is a load."""
    for value, what in ((expected.voltage, "voltage"), (expected.current, "current")):
        if value is not None and not (math.isfinite(value) and value > 0):
            raise StudyError(f"The nominal {what} must be a number above zero.")
    return _with_connection(study, name, lambda c: replace(c, expected=expected))


def expected_from(text: str) -> Expected:
    """Return what `400 V, 16 A, load` states; each part may be left out, `either way` undoes `load`.

    Raises
    ------
    StudyError
        When a part is none of these.
    """
    found = Expected()
    for part in (part.strip() for part in text.split(",") if part.strip()):
        found = replace(found, **_expected_part(part))
    return found


def _expected_part(part: str) -> dict[str, Any]:
    if part in ("load", "either way"):
        return {"load": part == "load"}
    try:
        value, given = amount_of(part)
    except (StudyError, UnitError):
        value, given = 0.0, ONE
    for like, field in (("V", "voltage"), ("A", "current")):
        if given.like(unit(like)):
            return {field: value}
    raise StudyError(f'"{clipped(part)}" says nothing of a connection. Write for example 400 V, 16 A, load.')
