"""Channels sit in the right sockets, the right way round, at the right scale."""

import cmath
import math
from collections.abc import Iterator

import numpy as np

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.power.measurement import ConnectionPower
from pantelos.power.proof import Proof, Suspect, prove
from pantelos.power.wirings import Wiring, wiring
from pantelos.signal.arrays import ComplexArray
from pantelos.signal.harmonics.harmonics import Orders
from pantelos.signal.harmonics.sequences import sequences
from pantelos.study import operations as op
from pantelos.study.finding import Finding, Remedy
from pantelos.study.model import Connection
from pantelos.units import unit

_DOES_NOT_CLOSE = 0.01  # of the largest channel in a sum that should be nothing
_NO_POWER = 0.01  # |P| / S below which the sign says nothing
_VOLTAGES_APART = 2.0  # largest over smallest voltage of a connection, or over nominal: a divider is forgotten
_TENFOLD = 0.25  # how far, as a share, a current may be from ten (a hundred, …) times the others to be called so
_FUNDAMENTAL = 0.2  # of the current: less is noise, or what a standing inverter lets through
_NEAR_ANGLE = math.radians(25)  # phases whose angles agree so well carry the same load
_OFF_NOMINAL = 0.2


def wired(evaluation: Evaluation) -> Iterator[Notice]:
    """Check every connection: complete, channels in the right sockets and directions, sizes as expected."""
    for connection in evaluation.study.connections:
        if wiring(connection.wiring).has_voltages_alone(connection.sockets):
            text, why = f"{connection.name} is measured by its voltages alone", "there are no currents, so no powers"
            yield Notice(Severity.FINE, "wiring.voltages", text, why, connection=connection.name)
            continue
        try:
            kind = evaluation.wiring_of(connection)
            power = evaluation.power(connection, None)
        except PantelosError as error:
            yield Notice(
                Severity.CAUTION,
                "wiring.incomplete",
                f"{connection.name} is not complete",
                str(error),
                connection=connection.name,
            )
            continue
        yield from _nominal(connection, kind, power)
        yield from _closing(connection, power)
        orders = _orders(evaluation, connection, kind) if kind.three_phase else None
        if orders is None:
            yield from _direction(connection, power)
            continue
        phasors = _mean_phasors(kind, orders)
        scales = list(_sizes(connection, kind, phasors))
        yield from scales
        wrong = {notice.channel for notice in scales}
        for quantity in ("voltage", "current"):  # one that is scaled wrong is no reason to suspect its direction
            names = [s.name for s in kind.sockets if s.quantity == quantity]
            usual = float(np.median([abs(phasors[s]) for s in names if connection.sockets[s] not in wrong] or [1.0]))
            phasors |= {s: phasors[s] / abs(phasors[s]) * usual for s in names if connection.sockets[s] in wrong}
        yield from _proven(connection, kind, phasors, orders, power)


def _orders(evaluation: Evaluation, connection: Connection, kind: Wiring) -> Orders | None:
    try:
        reference = evaluation.references.of_connection(connection)
        return evaluation.harmonics([connection.sockets[s.name] for s in kind.sockets], None, reference=reference)
    except PantelosError:
        return None


def _mean_phasors(kind: Wiring, orders: Orders) -> dict[str, complex]:
    """Return the fundamental phasor of every socket, mean over all windows, against the reference (the last row)."""
    first = orders.phasors[:, :, 1]
    turn = np.exp(-1j * np.angle(first[:, -1:]))
    mean = np.average(first * turn, axis=0, weights=orders.weights)
    return {socket.name: complex(x) for socket, x in zip(kind.sockets, mean, strict=False)}


def unbalance(kind: Wiring, orders: Orders) -> tuple[float, float]:
    """Return the negative over the positive sequence of the line voltages: over all windows (rms), and the worst one."""
    n = len(kind.sockets)
    lines: ComplexArray = kind.derived(kind.line_voltages, orders.phasors[:, :n, 1:2])[..., 0]
    found = np.asarray(sequences(*lines.T).unbalance)
    found = found[np.isfinite(found)]
    if not len(found):
        return math.nan, math.nan
    return float(np.sqrt(np.mean(found**2))), float(found.max())


def _proven(
    connection: Connection, kind: Wiring, phasors: dict[str, complex], orders: Orders, power: ConnectionPower
) -> Iterator[Notice]:
    if _idle(power):
        idle = f"{connection.name} is idle: its currents have hardly a fundamental"
        detail = "directions and order of the currents cannot be told from this interval"
        yield Notice(Severity.FINE, "wiring.idle", idle, detail, connection=connection.name)
        return
    proof = prove(kind, phasors, connection.expected.load)
    usual, worst = unbalance(kind, orders)
    suspect = proof.suspects[0] if proof.suspects else None
    if proof.rotates is False and (proof.plausible or (suspect is not None and suspect.backwards)):
        said = "a machine that turns backwards looks so; of a supply, two phases are exchanged, voltages and currents alike"
        text = f"{connection.name}: phase order is L1 L3 L2"
        yield Notice(Severity.NOTE, "wiring.phase-order", text, said, connection=connection.name)
    elif proof.plausible:
        yield Notice(
            Severity.FINE,
            "wiring.phase-order",
            f"{connection.name}: phase order L1 L2 L3",
            f"unbalance {100 * usual:.2f} %, worst window {100 * worst:.2f} %",
            connection=connection.name,
        )
    if proof.plausible:
        yield from _direction(connection, power)
    elif proof.suspects:
        for k, one in enumerate(proof.suspects):
            yield _mistaken(connection, kind, proof, one, k)
        if connection.expected.load and max(p.real for p in proof.powers) < 0:  # all of them reversed explain it as well
            yield from _direction(connection, power)
    else:
        yield Notice(
            Severity.CAUTION,
            "wiring.unclear",
            f"{connection.name}: this wiring is not plausible",
            "voltages do not rotate, or phases disagree about the load, and exchanging or turning up to three channels "
            "does not mend it: check every channel",
            connection=connection.name,
        )


def _idle(power: ConnectionPower) -> bool:
    """Return whether no current has a fundamental worth the name: noise has one of any angle."""
    return all(not one.I1 > _FUNDAMENTAL * one.I for one in power.elements)


def _mistaken(connection: Connection, kind: Wiring, proof: Proof, suspect: Suspect, rank: int) -> Notice:
    """Return what is probably wired wrong, what becomes of the powers, and the change as a remedy."""
    now = connection.sockets
    placed = {socket: now[source] for socket, source in suspect.sockets.items()}
    turned = tuple(placed[socket] for socket in suspect.turned)
    said, remedy = list[str](), list[str]()
    for ring in suspect.moves:
        names = [now[socket] for socket in ring]
        if len(ring) == 2:
            said.append(f"{names[0]} and {names[1]} are exchanged")
            remedy.append(f"exchange {names[0]} and {names[1]}")
        else:
            said.append(f"{', '.join(sorted(names))} are one phase off")
            remedy.append(f"put {', '.join(placed[s] for s in sorted(ring))} into {', '.join(sorted(ring))}")
    said += [f"{name} looks reversed" for name in turned]
    remedy += [f"reverse {name}" for name in turned]
    titles = [f"L{k}" for k in (1, 2, 3)]
    becomes = ", ".join(f"{title} {with_unit(p.real, unit('W'), 3)}" for title, p in zip(titles, suspect.powers, strict=True))
    was = ", ".join(with_unit(p.real, unit("W"), 3) for p in proof.powers)
    alone = len(said) == 1 and len(turned) == 1
    text = " and ".join(said)
    assumed = "" if connection.expected.load else ". Load or source, |cos φ1| above 0.04"
    virtual = "" if kind.wires == 4 else " of the virtual star"
    moved = {socket: channel for socket, channel in placed.items() if now[socket] != channel}
    mend = Remedy(_sentence(" and ".join(remedy)), lambda study: op.rewire(study, connection.name, moved, turned))
    return Finding(
        Severity.CAUTION if rank else Severity.FAULT if not alone else Severity.CAUTION,
        "wiring.sign-of-power" if alone else "wiring.mistaken",
        f"or {text}" if rank else text,
        f"P1{virtual} of the phases becomes {becomes}; now it is {was}{assumed}",
        turned[0] if alone else None,
        connection.name,
        remedy=mend,
    )


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:]


def _direction(connection: Connection, power: ConnectionPower) -> Iterator[Notice]:
    total = power.total
    if not abs(total.P) > _NO_POWER * total.S:
        return
    said = with_unit(total.P, unit("W"), 4)
    if total.P < 0 and connection.expected.load:
        sockets = connection.sockets
        currents = [sockets[s.name] for s in wiring(connection.wiring).sockets if s.quantity == "current" and s.name in sockets]
        turn = Remedy("Reverse all currents", lambda study: op.rewire(study, connection.name, {}, currents))
        yield Finding(
            Severity.FAULT,
            "wiring.sign-of-power",
            f"{connection.name}: power flows back, but this is stated a load",
            f"{said}: all currents are reversed, or one phase off",
            connection=connection.name,
            remedy=turn,
        )
        return
    way = "from supply to load" if total.P > 0 else "back to the supply"
    also = (
        "" if total.P > 0 else "; all currents reversed, or one phase off, would look the same: state that it is a load if it is"
    )
    yield Notice(
        Severity.FINE, "wiring.sign-of-power", f"{connection.name}: power flows {way}", said + also, connection=connection.name
    )


def _sizes(connection: Connection, kind: Wiring, phasors: dict[str, complex]) -> Iterator[Notice]:
    """Check that voltages are of one size, and that no current is ten times the others at the same angle."""
    voltages = [s.name for s in kind.sockets if s.quantity == "voltage"]
    sizes = [abs(phasors[name]) for name in voltages]
    usual = float(np.median(sizes)) if len(sizes) > 2 else max(sizes)
    for name, size in zip(voltages, sizes, strict=True):
        if usual > 0 and size > 0 and not 1 / _VOLTAGES_APART < size / usual < _VOLTAGES_APART:
            yield _scaled(connection, name, size / usual, "voltages", "is its divider stated, and the right one?")
    whole = phasors | {name: sum(share * phasors[s] for s, share in row.items()) for name, row in kind.virtual.items()}
    pairs = [(e.current, whole[e.voltage] * whole[e.current].conjugate()) for e in kind.elements]
    if len(pairs) < 3:
        return
    for k, (name, power) in enumerate(pairs):
        others = [abs(phasors[other]) for j, (other, _) in enumerate(pairs) if j != k]
        own, low, high = abs(phasors[name]), min(others), max(others)
        if not low > 0 or not own > 0 or high / low > 1.5:
            continue
        ratio = own / math.sqrt(low * high)
        tens = round(math.log10(ratio))
        same = all(abs(cmath.phase(p * power.conjugate())) < _NEAR_ANGLE for j, (_, p) in enumerate(pairs) if j != k)
        if tens and same and abs(ratio / 10**tens - 1) < _TENFOLD:
            yield _scaled(connection, name, ratio, "currents", "is its clamp or shunt the right one?")


def _scaled(connection: Connection, socket: str, ratio: float, what: str, question: str) -> Notice:
    channel = connection.sockets[socket]
    said = f"{ratio:.3g} times" if ratio > 1 else f"1/{1 / ratio:.3g} of"
    return Notice(
        Severity.CAUTION,
        "wiring.scale",
        f"{channel} is {said} the other {what} of {connection.name}",
        question,
        channel,
        connection.name,
    )


def _nominal(connection: Connection, kind: Wiring, power: ConnectionPower) -> Iterator[Notice]:
    """Check voltages against the nominal value, and currents for being a decade beyond theirs, where they are stated."""
    stated = connection.expected
    for element, reading in zip(kind.elements, power.elements, strict=True):
        behind = kind.behind(element.voltage)
        size = reading.U * (math.sqrt(3) if len(behind) > 1 else 1.0)  # of a virtual star: from line to line, as it is measured
        if stated.voltage and math.isfinite(size) and abs(size / stated.voltage - 1) > _OFF_NOMINAL:
            yield _off(connection, behind[0], size, stated.voltage, "V")
        if stated.current and math.isfinite(reading.I) and reading.I > 3 * stated.current:
            yield _off(connection, element.current, reading.I, stated.current, "A")


def _closing(connection: Connection, power: ConnectionPower) -> Iterator[Notice]:
    """Check sums that should be nothing."""
    for closed in power.closings:
        if closed.share > _DOES_NOT_CLOSE:
            left = f"{with_unit(closed.rms, unit('A' if closed.title.startswith('i') else 'V'), 3)} are left of {closed.title}"
            detail = f"{100 * closed.share:.2g} % of the largest: {closed.says}"
            text = f"{connection.name}: {left}"
            yield Notice(Severity.CAUTION, "wiring.does-not-close", text, detail, connection=connection.name)


def _off(connection: Connection, socket: str, found: float, stated: float, symbol: str) -> Notice:
    channel = connection.sockets[socket]
    values = [with_unit(x, unit(symbol), 4) for x in (found, stated)]
    return Notice(
        Severity.CAUTION,
        "wiring.nominal",
        f"{channel} is at {values[0]}, stated are {values[1]}",
        f"{found / stated:.3g} times: check its transducer, or what is stated",
        channel,
        connection.name,
    )


CHECK = Check("connected", "Channels sit in the right sockets, the right way round", wired, place=2)
