"""Fundamental phasors of a connection."""

import math

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import with_unit
from pantelos.panels.panel import PanelKind, Span, Takes
from pantelos.panels.subjects import alternating_connections, place_text
from pantelos.paper.paper import Box, Paper, Role
from pantelos.progress import Progress
from pantelos.study.model import Panel
from pantelos.units import unit

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
    rms, angles = orders.rms[:, 1], orders.relative_angles(len(channels))[:, 1]
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
    power = evaluation.power(connection, panel.interval)
    lines = [
        (f"φ1 {e.title}   {p.phi1:.2f}°" if math.isfinite(p.phi1) else f"φ1 {e.title}   —", e.conductor)
        for e, p in zip(kind.elements, power.elements, strict=True)
    ]
    lines += [
        (f"P   {with_unit(power.total.P, unit('W'), 4)}", ""),
        (f"PF  {power.total.PF:.4f}" if math.isfinite(power.total.PF) else "PF  —", ""),
    ]
    return PhasorPicture(f"{connection.name} · {place_text(evaluation, panel)}", tuple(arrows), tuple(lines))


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
    help="Fundamental phasors of a connection",
    subjects=alternating_connections,
    picture=picture_of,
    paint=paint,
    takes=Takes.CONNECTION,
    narrowest=250,
    place=3,
)
