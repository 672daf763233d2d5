"""Phasors of a connection, of the fundamental or of another order."""

import math
from collections.abc import Iterator

import msgspec
import numpy as np
from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError, clipped
from pantelos.notation import minus, with_unit
from pantelos.panels.panel import Entry, PanelKind, Span, Takes
from pantelos.panels.subjects import alternating_connections, place_text
from pantelos.paper.paper import Box, Paper, Role
from pantelos.power.fundamentals import Fundamentals
from pantelos.power.quantities import unbalance_of_lines
from pantelos.power.wirings import Wiring
from pantelos.progress import Progress
from pantelos.signal.harmonics.harmonics import Orders
from pantelos.study.shown import Panel
from pantelos.units import unit

_HIGHEST = 200
_AROUND = 58  # pixels left of the circle and between it and the figures


class Arrow(msgspec.Struct, frozen=True):
    """One phasor: its length as a share of the longest of its quantity, and its sine-referenced angle."""

    name: str
    conductor: str
    heavy: bool
    length: float
    angle_rad: float


class PhasorPicture(msgspec.Struct, frozen=True):
    """Fundamental phasors of a connection, and lines of figures beside them."""

    caption: str
    arrows: tuple[Arrow, ...]
    lines: tuple[tuple[str, str], ...]  # text and the conductor whose hue it carries


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> PhasorPicture:
    """Return the fundamental phasors of a connection, and its angles and power."""
    connection = evaluation.study.connection(panel.channels[0])
    kind = evaluation.wiring_of(connection)
    channels = [connection.sockets[socket.name] for socket in kind.sockets]
    orders = evaluation.harmonics(channels, panel.interval, progress)
    order = panel.orders.order
    if order > orders.highest:
        raise StudyError(f"Order {order} is above the highest that is looked at, {orders.highest}. Choose a lower one.")
    rms, angles = orders.rms[:, order], orders.relative_angles(len(channels))[:, order]
    if not np.isfinite(rms[:-1]).any():
        raise StudyError(f"The sample rate does not reach order {order}. Choose a lower one.")
    longest = {
        q: max((float(rms[k]) for k, s in enumerate(kind.sockets) if s.quantity == q), default=0.0)
        for q in ("voltage", "current")
    }
    arrows = []
    for k, socket in enumerate(kind.sockets):
        if longest[socket.quantity] > 0 and rms[k] > evaluation.samples.low_signal(channels[k]):
            heavy = socket.quantity == "current"
            length = float(rms[k]) / longest[socket.quantity] * (0.72 if heavy else 1.0)
            arrows.append(Arrow(channels[k], socket.conductor, heavy, length, float(angles[k])))
    where = f"{connection.name} · {place_text(evaluation, panel)}"
    if order > 1:
        where = f"{where} · order {order}"
    if not kind.has_currents:
        return PhasorPicture(where, tuple(arrows), tuple(_of_voltages(kind, orders, order)))
    if order > 1:
        return PhasorPicture(where, tuple(arrows), tuple(_of_order(kind, orders, order)))
    power = evaluation.power(connection, panel.interval)
    lines = [
        (minus(f"φ1 {e.title}   {p.phi1:.2f}°") if math.isfinite(p.phi1) else f"φ1 {e.title}   —", e.conductor)
        for e, p in zip(kind.elements, power.elements, strict=True)
    ]
    lines += [
        (f"P   {with_unit(power.total.P, unit('W'), 4)}", ""),
        (f"PF  {power.total.PF:.4f}" if math.isfinite(power.total.PF) else "PF  —", ""),
    ]
    return PhasorPicture(where, tuple(arrows), tuple(lines))


def _of_voltages(kind: Wiring, orders: Orders, order: int) -> Iterator[tuple[str, str]]:
    """Yield the rms of an order of each voltage and, of three fundamentals, their unbalance."""
    phasors = orders.phasors[:, : len(kind.sockets), order]
    for k, socket in enumerate(kind.sockets):
        yield f"U{order} {socket.name}   {with_unit(float(orders.rms[k, order]), unit('V'), 5)}", socket.conductor
    if kind.three_phase and order == 1:
        found = Fundamentals(kind.names, kind.extended(phasors.T).T, orders.weights)
        lines = [float(found.rms_of(row)) for row in kind.line_voltages]
        yield f"u2  {100 * unbalance_of_lines(*lines):.3g} %", ""


def _of_order(kind: Wiring, orders: Orders, order: int) -> Iterator[tuple[str, str]]:
    """Yield angle and power of an order of each element, and the power of the whole."""
    phasors = kind.extended(orders.phasors[:, : len(kind.sockets), order].T)
    total = 0.0
    for element in kind.elements:
        u, i = (phasors[kind.names.index(name)] for name in (element.voltage, element.current))
        power = orders.mean_product(u, i)
        total += power.real
        angle = minus(f"{math.degrees(math.atan2(power.imag, power.real)):.1f}°") if abs(power) > 0 else "—"
        yield f"φ{order} {element.title}   {angle}", element.conductor
    yield f"P{order}   {with_unit(total, unit('W'), 3)}", ""


def _with_order(panel: Panel, text: str) -> Panel:
    try:
        order = int(text.strip() or 1)
    except ValueError as error:
        raise StudyError(f'"{clipped(text)}" is no order; write a whole number such as 5.') from error
    if not 1 <= order <= _HIGHEST:
        raise StudyError(f"{order} is no order; expected 1 to {_HIGHEST}.")
    return replace(panel, orders=replace(panel.orders, order=order))


def paint(paper: Paper, box: Box, picture: PhasorPicture, span: Span) -> None:
    """Draw fundamental phasors, and figures beside them."""
    figures = max((paper.extent(text, 10, bold=True)[0] for text, _ in picture.lines), default=0.0) + 2
    radius = max(min(box.height / 2 - 12, box.width / 4, (box.width - figures - _AROUND) / 2), 0.0)  # the figures come first
    x, y = box.left + radius + 24, box.top + box.height / 2
    paper.ring(x, y, radius, Role.RULE)
    paper.rule(x - radius, y, x + radius, y, Role.RULE)
    paper.rule(x, y - radius, x, y + radius, Role.RULE)
    for arrow in picture.arrows:
        turn = arrow.angle_rad + math.pi / 2  # the reference points upwards; angles turn against the clock
        tip = x + math.cos(turn) * radius * arrow.length, y - math.sin(turn) * radius * arrow.length
        paper.line(np.array([x, tip[0]]), np.array([y, tip[1]]), arrow.conductor, 2.6 if arrow.heavy else 1.3)
        size = 9 if arrow.heavy else 7
        back = np.array([turn - 0.35, turn + 0.35])
        corners = np.append(tip[0], tip[0] - size * np.cos(back)), np.append(tip[1], tip[1] + size * np.sin(back))
        paper.shape(*corners, arrow.conductor)
    left, top = x + radius + min(26, box.right - x - radius - figures), y - len(picture.lines) * 11
    for at, (text, conductor) in enumerate(picture.lines):
        paper.words(Box(left, top + at * 22, box.right - left, 20), text, conductor or Role.INK, 10, bold=True)


PHASORS = PanelKind(
    id="phasors",
    title="Phasors",
    help="Phasors of a connection, of the fundamental or of another order",
    subjects=alternating_connections,
    picture=picture_of,
    paint=paint,
    takes=Takes.CONNECTION,
    entries=(Entry("Order", "1, 5, 7", lambda panel: str(panel.orders.order), _with_order),),
    narrowest=250,
    place=3,
)
