"""Prove a three-phase wiring from fundamental phasors: what is plausible as it stands, and the smallest change that makes it so.

What is looked at: voltages that rotate and are of one size; the angle of every phase between its voltage and current, which must
agree about the whole load and lie in the window of what is connected; currents that rotate with the voltages. Channels of one
kind are exchanged, rotated and reversed in thought; each step costs, and the cheapest hypothesis that is plausible is offered.
Where two are about as cheap, both are told. A wiring that is plausible as it stands is never touched.

Assumed of a load: |cos φ1| above 0.07, phases within 40° of the whole, or power in all phases the same way. Power may flow back
unless a load is stated: all currents reversed, or all one phase off, look like that and cannot be told from it.
"""

import cmath
import itertools
import math
from collections.abc import Mapping, Sequence

import msgspec

from pantelos.power.wirings import Wiring
from pantelos.signal.harmonics.sequences import sequences

_ROTATING = 0.45  # negative over positive sequence (or zero over positive): voltages that rotate have less
_ROTATING_CURRENTS = 0.40  # the same of currents, whose sizes may differ
_TOGETHER = math.radians(40)  # of a phase angle about that of the whole
_NO_POWER = math.radians(2.5)  # about 90°: no load is that reactive
_LINES_APART = 1.5  # largest over smallest voltage from line to line
_LEAST_CURRENT = 0.03  # of the largest: smaller ones say nothing
_TURN, _EXCHANGE, _ROTATE = 1.0, 1.0, 1.5  # what steps cost
_BACKWARDS, _OTHER_WAY = 0.6, 1.1  # what it costs to take the supply for one that turns the other way, the load for a source
_NEVER = 10.0
_ABOUT_AS_CHEAP = 0.35
_UNKNOWN = "unknown"
_DEAREST = 3.0


class Suspect(msgspec.Struct, frozen=True):
    """A change that makes everything plausible: channels by socket as they should sit, and those to turn over."""

    sockets: Mapping[str, str]
    turned: tuple[str, ...]  # sockets, as they would sit afterwards
    cost: float
    powers: tuple[complex, ...]  # P1 + jQ1 of the phases afterwards, VA
    backwards: bool  # the supply turns L1 L3 L2

    @property
    def moves(self) -> tuple[tuple[str, ...], ...]:
        """The sockets whose channels change places, exchanged ones in pairs, rotated ones in threes."""
        changed = {socket: source for socket, source in self.sockets.items() if socket != source}
        found: list[tuple[str, ...]] = []
        while changed:
            ring = [next(iter(changed))]
            while (source := changed.pop(ring[-1])) != ring[0]:
                ring.append(source)
            found.append(tuple(ring))
        return tuple(found)


class Proof(msgspec.Struct, frozen=True):
    """What the phasors say of a wiring."""

    plausible: bool  # as it stands
    rotates: bool | str | None  # L1 L2 L3; False for L1 L3 L2; None where the voltages are no rotating system
    suspects: tuple[Suspect, ...]  # cheapest first; empty where it is plausible, or where nothing helps
    powers: tuple[complex, ...]  # as it stands


class _Star(msgspec.Struct, frozen=True):
    """Phase phasors of one way to place the channels of one kind, what it costs, and how they rotate."""

    sockets: tuple[str, ...]  # which channel (by the socket it sits in now) goes into each socket
    turned: tuple[bool, ...]
    phases: tuple[complex, ...]
    cost: float
    ahead: bool | str | None  # rotates L1 L2 L3; False: L1 L3 L2; None: not at all; unknown where a phase carries nothing


def prove(wiring: Wiring, phasors: Mapping[str, complex], load: bool = False) -> Proof:
    """Return what fundamental phasors say of a three-phase wiring.

    Parameters
    ----------
    phasors : rms phasor of every socket, V and A, to one reference instant
    load : power cannot flow back
    """
    voltages = [s.name for s in wiring.sockets if s.quantity == "voltage"]
    currents = [s.name for s in wiring.sockets if s.quantity == "current" and s.name != "iN"]
    u_ways, i_ways = (_ways(wiring, names, phasors, names is voltages) for names in (voltages, currents))
    standing = u_ways[0], i_ways[0]
    now = tuple(u * i.conjugate() for u, i in zip(standing[0].phases, standing[1].phases, strict=True))
    if (
        standing[0].ahead is not None
        and standing[1].ahead in (standing[0].ahead, _UNKNOWN)
        and _coherent(now, standing[1].phases, load)
    ):
        return Proof(True, standing[0].ahead, (), now)
    found = []
    for u, i in itertools.product(u_ways, i_ways):
        cost = u.cost + i.cost
        if u.ahead is None or i.ahead not in (u.ahead, _UNKNOWN) or not 0 < cost <= _DEAREST:
            continue
        powers = tuple(a * b.conjugate() for a, b in zip(u.phases, i.phases, strict=True))
        if not _coherent(powers, i.phases, load):
            continue
        cost += (0.0 if u.ahead is True else _BACKWARDS) + (
            (_NEVER if load else _OTHER_WAY) if sum(p.real for p in powers) < 0 else 0.0
        )
        names = dict(zip((*voltages, *currents), (*u.sockets, *i.sockets), strict=True))
        turned = tuple(name for name, over in zip((*voltages, *currents), (*u.turned, *i.turned), strict=True) if over)
        found.append((cost, _scattered(powers), Suspect(names, turned, cost, powers, u.ahead is False)))
    found.sort(key=lambda one: (round(one[0], 6), one[1]))
    best = tuple(suspect for cost, _, suspect in found if cost <= found[0][0] + _ABOUT_AS_CHEAP)
    return Proof(False, standing[0].ahead, best[:3], now)


def _ways(wiring: Wiring, names: Sequence[str], phasors: Mapping[str, complex], of_voltage: bool) -> list[_Star]:
    """Return every way to place and turn the channels of one kind, as they stand first."""
    found = []
    for order in itertools.permutations(names):
        moved = sum(a != b for a, b in zip(order, names, strict=True))
        places = {0: 0.0, 2: _EXCHANGE, 3: _ROTATE}[moved]
        for turned in itertools.product((False, True), repeat=len(names)):
            placed = {
                name: phasors[source] * (-1 if over else 1) for name, source, over in zip(names, order, turned, strict=True)
            }
            phases = _phases(wiring, placed, of_voltage)
            cost = places + _TURN * sum(turned)
            ahead = _rotation(phases, of_voltage, wiring.wires == 4)
            if of_voltage and not _lines_alike(phases):
                ahead = None
            found.append(_Star(order, turned, phases, cost, ahead))
    return sorted(found, key=lambda way: way.cost)


def _phases(wiring: Wiring, placed: Mapping[str, complex], of_voltage: bool) -> tuple[complex, ...]:
    """Return the phasors of the three phases; of a three-wire connection those of the virtual star, and i3 = -i1 - i2."""
    if wiring.wires == 4:
        return tuple(placed.values())
    if of_voltage:
        u12, u23, u31 = (sum(factor * placed[name] for name, factor in row.items()) for row in wiring.line_voltages)
        return (u12 - u31) / 3, (u23 - u12) / 3, (u31 - u23) / 3
    return tuple(sum(factor * placed[name] for name, factor in row.items()) for row in wiring.line_currents)


def _rotation(phases: Sequence[complex], of_voltage: bool, four_wire: bool) -> bool | str | None:
    """Return whether three phasors rotate L1 L2 L3 (True), L1 L3 L2 (False) or not at all (None); sizes are set alike first."""
    largest = max(abs(x) for x in phases)
    if not largest > 0 or min(abs(x) for x in phases) < _LEAST_CURRENT * largest:
        return None if of_voltage else _UNKNOWN
    alike = sequences(*(x / abs(x) ** 0.5 for x in phases))
    one, other = abs(alike.positive), abs(alike.negative)
    if min(one, other) > (_ROTATING if of_voltage else _ROTATING_CURRENTS) * max(one, other):
        return None
    if of_voltage and four_wire and abs(alike.zero) > _ROTATING * max(one, other):
        return None
    return bool(one > other)


def _lines_alike(phases: Sequence[complex]) -> bool:
    """Return whether the voltages from line to line are about of one size; one that is turned over makes another √3 larger."""
    a, b, c = phases
    lines = sorted(abs(x) for x in (a - b, b - c, c - a))
    return lines[-1] < _LINES_APART * lines[0]


def _coherent(powers: Sequence[complex], currents: Sequence[complex], load: bool) -> bool:
    """Return whether the phases agree about what is connected, and that may be so."""
    largest = max(abs(i) for i in currents)
    said = [p for p, i in zip(powers, currents, strict=True) if abs(i) >= _LEAST_CURRENT * largest and abs(p) > 0]
    if not said:
        return True
    if load and sum(p.real for p in said) < 0:
        return False
    off = [abs(abs(cmath.phase(p)) - math.pi / 2) for p in said]
    if min(off) > _NO_POWER and len({p.real > 0 for p in said}) == 1:
        return True
    whole = cmath.phase(sum(said))
    together = all(abs(cmath.phase(p * cmath.exp(-1j * whole))) <= _TOGETHER for p in said)
    return together and abs(abs(whole) - math.pi / 2) > _NO_POWER


def _scattered(powers: Sequence[complex]) -> float:
    """Return how far the angles of the phases are apart, rad."""
    whole = cmath.phase(sum(powers))
    return max(abs(cmath.phase(p * cmath.exp(-1j * whole))) if abs(p) > 0 else 0.0 for p in powers)
