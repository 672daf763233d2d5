"""Whose cycles count: each connection has a reference of its own, a channel in none its own cycles, or all its samples."""

import math
from collections.abc import Callable, Sequence
from itertools import chain
from typing import TypeAlias

import msgspec

from pantelos.engine.cycles import ChannelCycles
from pantelos.engine.names import Names
from pantelos.formula.compiled import Kind
from pantelos.formula.uses import names_used
from pantelos.power.wirings import wiring
from pantelos.signal.cycles.cycles import Cycles
from pantelos.study.dependence import rests_on_readings
from pantelos.study.model import Connection, Study

CyclesOf: TypeAlias = Callable[[str], Cycles]
_LOOKED_AT = 8  # channels, where nothing is connected yet
_CLEAN = 2e-3  # scatter of the periods: a reference this sure needs no comparison with the others


class Reference(msgspec.Struct, frozen=True, eq=False):
    """The channel whose cycles count for some numbers, and why it is that one; without cycles, why all samples are used."""

    channel: str | None
    cycles: Cycles | None
    why: str
    alternating: bool = False  # what is measured belongs to an alternating connection

    def told(self, names: Names) -> tuple[str, str, str]:
        """Return all that a result which goes by these cycles depends on."""
        why = f"{self.why}, alternating" if self.alternating else self.why
        return self.channel or "", names.identity(self.channel) if self.channel is not None else "", why


def recorded_behind(study: Study, names: Sequence[str]) -> tuple[str, ...]:
    """Return the recorded channels that channels and formulas rest on, each once."""
    found: dict[str, None] = {}
    seen: set[str] = set()
    waiting = list(names)[::-1]
    while waiting:
        name = waiting.pop()
        if name in seen:
            continue
        seen.add(name)
        formula = study.formula(name)
        if formula is None:
            found[name] = None
        else:
            waiting += sorted(names_used(formula.expression), reverse=True)
    return tuple(found)


def connection_around(study: Study, names: Sequence[str]) -> Connection | None:
    """Return the alternating connection that holds all recorded channels behind some names, or all names themselves."""
    behind = set(recorded_behind(study, names))
    for connection in study.connections:
        placed = set(connection.sockets.values())
        if not wiring(connection.wiring).alternating or not behind:
            continue
        if set(names) <= placed or behind <= set(recorded_behind(study, sorted(placed))):
            return connection
    return None


def candidates(study: Study, connection: Connection) -> tuple[str, ...]:
    """Return the channels of a connection that may give its cycles: voltages first, none that rests on readings."""
    kind = wiring(connection.wiring)
    ordered = sorted(connection.sockets, key=lambda socket: kind.socket(socket).quantity != "voltage")
    return tuple(name for socket in ordered if not rests_on_readings(study, name := connection.sockets[socket]))


def surest(names: Sequence[str], cycles_of: CyclesOf) -> tuple[str | None, str]:
    """Return the channel whose cycles are surest, and why; None and why not where no channel has any.

    The first whose periods differ least from one to the next and which never pauses; others are looked at only when it is not
    clean: finding cycles costs a pass over the record.
    """
    best, best_score, reasons = None, -math.inf, []
    for name in names:
        found = cycles_of(name)
        if not found.measured.any():
            reasons.append(f"{name}: {found.why_not}")
            continue
        scatter = found.scatter if math.isfinite(found.scatter) else 0.0
        score = float(found.measured.mean()) - 10 * scatter
        if score > best_score + 1e-6:
            best, best_score = name, score
        if is_clean(found):
            return best, "its cycles are the surest"
    if best is None:
        return None, "; ".join(reasons) or "there is no channel to take cycles from"
    return best, "its cycles are the surest of those connected"


def is_clean(found: Cycles) -> bool:
    """Return whether cycles are so sure that no other channel needs to be looked at."""
    return bool(len(found.whole)) and bool(found.measured.all()) and not found.scatter >= _CLEAN


def may_give_cycles(study: Study, name: str, kind: Kind) -> bool:
    """Return whether a channel is asked for cycles of its own."""
    return kind is Kind.SIGNAL and not rests_on_readings(study, name)


class _NotKnownError(Exception):
    """Cycles would have to be found first."""


class References:
    """Says whose cycles count."""

    def __init__(self, study: Study, names: Names, cycles: ChannelCycles) -> None:
        self._study, self._names, self._cycles = study, names, cycles
        self._found: dict[tuple[str, ...], Reference] = {}  # by channels: nothing of a study or a record changes

    @property
    def overall(self) -> Reference:
        """Whose cycles count where no channel is spoken of: the channel chosen, else that of the first alternating connection.

        Where nothing is connected yet, the first of the recorded channels whose cycles are clean.
        """
        return self._overall(self._cycles.of)

    def of(self, channels: Sequence[str]) -> Reference:
        """Return whose cycles count for readings of some channels together.

        That of the connection they sit in, also through a formula; else that of the study where they rest on it; else the
        last one's own cycles; else none: all samples count.
        """
        asked = tuple(channels)
        if asked not in self._found:
            self._found[asked] = self._of(asked, self._cycles.of)
        return self._found[asked]

    def of_connection(self, connection: Connection) -> Reference:
        """Return whose cycles count for the numbers of a connection."""
        asked = (connection.name, connection.wiring, connection.reference or "", *chain(*connection.sockets.items()))
        if asked not in self._found:
            self._found[asked] = self._of_connection(connection, self._cycles.of)
        return self._found[asked]

    def overall_known(self) -> bool:
        """Return whether the overall reference is known without work."""
        return self._known(self._overall)

    def known_of(self, channels: Sequence[str]) -> bool:
        """Return whether the reference of some channels is known without work."""
        return self._known(lambda cycles_of: self._of(channels, cycles_of))

    def used(self) -> list[Reference]:
        """Return whose cycles count: the overall reference, and those of the connections, each once."""
        found = [self.overall, *(self.of_connection(c) for c in self._study.connections if wiring(c.wiring).alternating)]
        return list({reference.channel: reference for reference in found if reference.cycles is not None}.values()) or found[:1]

    def harmonic_channels(self) -> list[str]:
        """Return the channels whose harmonics are looked at: those of alternating connections, else the overall reference."""
        placed = [name for c in self._study.connections if wiring(c.wiring).alternating for name in c.sockets.values()]
        if not placed and self.overall.cycles is not None and self.overall.channel:
            placed = [self.overall.channel]
        return [name for name in dict.fromkeys(placed) if name in self._names.types]

    def _known(self, choose: Callable[[CyclesOf], Reference]) -> bool:
        try:
            choose(self._at_hand)
        except _NotKnownError:
            return False
        return True

    def _at_hand(self, name: str) -> Cycles:
        if not self._cycles.known(name):
            raise _NotKnownError
        return self._cycles.of(name)

    def _overall(self, cycles_of: CyclesOf) -> Reference:
        if self._study.reference is not None:
            return _chosen(self._study.reference, cycles_of)
        for connection in self._study.connections:
            if wiring(connection.wiring).alternating and candidates(self._study, connection):
                return self._of_connection(connection, cycles_of)
        for channel in self._study.channels[:_LOOKED_AT] if not self._study.connections else ():
            if self._alternates(channel.name) and is_clean(found := cycles_of(channel.name)):
                return Reference(channel.name, found, "nothing is connected yet: the first channel with clean cycles")
        return Reference(None, None, "no reference is chosen and nothing alternating is connected")

    def _of_connection(self, connection: Connection, cycles_of: CyclesOf) -> Reference:
        if not wiring(connection.wiring).alternating:
            return Reference(None, None, "a DC connection has no cycles")
        chosen = connection.reference
        if chosen is None and self._study.reference in connection.sockets.values():
            chosen = self._study.reference
        if chosen is not None:
            return _chosen(chosen, cycles_of)
        return _surest_of([n for n in candidates(self._study, connection) if n in self._names.types], cycles_of)

    def _of(self, channels: Sequence[str], cycles_of: CyclesOf) -> Reference:
        named = [name for name in channels if name]
        connection = connection_around(self._study, named) if named else None
        if connection is not None:
            return msgspec.structs.replace(self._of_connection(connection, cycles_of), alternating=True)
        chosen = self._study.reference
        if chosen is not None and (not named or chosen in (*named, *recorded_behind(self._study, named))):
            return _chosen(chosen, cycles_of)
        if not named:
            return Reference(None, None, "there is no channel to take cycles from")
        if len(named) > 2:
            return _surest_of([name for name in named if self._alternates(name)], cycles_of)
        own = named[-1]
        if not self._alternates(own):
            return Reference(None, None, f"{own} has no cycles of its own")
        cycles = cycles_of(own)
        if not len(cycles.whole):
            return Reference(None, None, f"{own} shows no cycles: {cycles.why_not}")
        return Reference(own, cycles, "its own cycles")

    def _alternates(self, name: str) -> bool:
        return name in self._names.types and may_give_cycles(self._study, name, self._names.kind(name))


def _chosen(name: str, cycles_of: CyclesOf) -> Reference:
    cycles = cycles_of(name)
    if not len(cycles.whole):
        return Reference(name, None, f"{name} shows no cycles: {cycles.why_not}")
    return Reference(name, cycles, "chosen")


def _surest_of(names: Sequence[str], cycles_of: CyclesOf) -> Reference:
    name, why = surest(names, cycles_of)
    return Reference(name, cycles_of(name) if name is not None else None, why)
