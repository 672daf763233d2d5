"""Whose cycles count: each connection has a reference of its own, a channel in none its own cycles, or all its samples."""

import math
from collections.abc import Callable, Sequence

import msgspec

from pantelos.formula.compiled import Kind
from pantelos.formula.uses import names_used
from pantelos.power.wiring import wiring
from pantelos.signal.cycles import Cycles
from pantelos.study.dependence import rests_on_readings
from pantelos.study.model import Connection, Study

_CLEAN = 2e-3  # scatter of the periods: a reference this sure needs no comparison with the others


class Reference(msgspec.Struct, frozen=True, eq=False):
    """The channel whose cycles count for some numbers, and why it is that one; without cycles, why all samples are used."""

    channel: str | None
    cycles: Cycles | None
    why: str


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


def surest(names: Sequence[str], cycles_of: Callable[[str], Cycles]) -> tuple[str | None, str]:
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


def surest_is_known(names: Sequence[str], known: Callable[[str], bool], cycles_of: Callable[[str], Cycles]) -> bool:
    """Return whether `surest` finds its answer without finding the cycles of a channel anew."""
    for name in names:
        if not known(name):
            return False
        if is_clean(cycles_of(name)):
            return True
    return True


def may_give_cycles(study: Study, name: str, kind: Kind) -> bool:
    """Return whether a channel is asked for cycles of its own."""
    return kind is Kind.SIGNAL and not rests_on_readings(study, name)
