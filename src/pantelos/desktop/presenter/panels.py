"""What the panels show: computed off the interface thread, as plain values to draw."""

import math
from collections.abc import Callable, Sequence
from typing import TypeAlias

import msgspec
import numpy as np

from pantelos.desktop.presenter import hues
from pantelos.desktop.presenter.figures import (
    EdgeTable,
    EventList,
    HistogramPicture,
    ReadoutPicture,
    RepeatsPicture,
    XYPicture,
    edge_table,
    event_list,
    histogram_picture,
    readout_picture,
    repeats_picture,
    xy_picture,
)
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import with_unit
from pantelos.power.wirings import wiring
from pantelos.progress import Progress
from pantelos.report.subjects import harmonic_channels
from pantelos.signal.arrays import FloatArray
from pantelos.signal.harmonics import total_harmonic_distortion
from pantelos.signal.spectrum import SpectralWindow
from pantelos.study.model import Panel, PanelKind
from pantelos.units import Unit, unit


class SpectrumPicture(msgspec.Struct, frozen=True, eq=False):
    """Rms lines of one channel."""

    caption: str
    frequencies_hz: FloatArray
    rms: FloatArray
    unit: Unit
    conductor: str
    top_hz: float  # the range shown at first


class HarmonicsPicture(msgspec.Struct, frozen=True, eq=False):
    """Share of the fundamental per order, percent, order 1 first."""

    caption: str
    percent: FloatArray
    headline: str
    conductor: str


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


Picture: TypeAlias = (
    SpectrumPicture
    | HarmonicsPicture
    | PhasorPicture
    | XYPicture
    | HistogramPicture
    | RepeatsPicture
    | ReadoutPicture
    | EventList
    | EdgeTable
)


class PanelType(msgspec.Struct, frozen=True):
    """One kind of panel: its title, what it is for, what it can show, and how that is computed."""

    title: str
    help: str
    subjects: Callable[[Evaluation], list[str]]
    picture: Callable[[Evaluation, Panel, Progress], Picture]
    n_channels: int = 1
    over_interval: bool = True


def panel_picture(evaluation: Evaluation, panel: Panel, progress: Progress) -> Picture:
    """Return what a panel shows; raises `StudyError` where there is nothing to show, saying why."""
    kind = PANEL_TYPES[panel.kind]
    if len(panel.channels) < min(kind.n_channels, 1):
        raise StudyError("Choose a channel in the title of this panel.")
    return kind.picture(evaluation, panel, progress)


def first_panel(evaluation: Evaluation, kind: PanelKind, chosen: Sequence[str] = ()) -> Panel:
    """Return a panel of a kind on the chosen channels, else on the first it can show."""
    wanted = PANEL_TYPES[kind]
    subjects = wanted.subjects(evaluation)
    picked = [name for name in chosen if name in subjects]
    rest = [name for name in subjects if name not in picked]
    search = evaluation.study.searches[-1].name if evaluation.study.searches and kind in ("events", "repeats") else None
    if search is not None and kind == "repeats" and not picked:
        picked = [evaluation.study.search(search).channel]
    return Panel(kind, tuple([*picked, *rest][: wanted.n_channels]), search=search)


def _connections(evaluation: Evaluation) -> list[str]:
    return [c.name for c in evaluation.study.connections if wiring(c.wiring).alternating]


def _signals(evaluation: Evaluation) -> list[str]:
    return [name for name, (of, _) in evaluation.names.types.items() if of is Kind.SIGNAL]


def _waveforms(evaluation: Evaluation) -> list[str]:
    return [name for name, (of, _) in evaluation.names.types.items() if of in (Kind.SIGNAL, Kind.SERIES)]


def _all(evaluation: Evaluation) -> list[str]:
    return list(evaluation.names.types)


def _none(evaluation: Evaluation) -> list[str]:
    return []


def _place(evaluation: Evaluation, panel: Panel) -> str:
    pinned = "pinned: " if panel.interval is not None else ""
    return pinned + evaluation.times.name(panel.interval)


def _spectrum(evaluation: Evaluation, panel: Panel, progress: Progress) -> Picture:
    name = panel.channels[0]
    found = evaluation.spectrum(name, panel.interval, SpectralWindow(panel.window), progress)
    averaged = f" · {found.n_blocks} blocks" if found.n_blocks > 1 else ""
    caption = f"{name} · rms · {_place(evaluation, panel)} · {panel.window} · Δf {found.spacing_hz:.3g} Hz{averaged}"
    cycles = evaluation.references.of([name]).cycles
    fundamental = cycles.frequency_hz if cycles is not None else math.nan
    half = evaluation.record.rate_hz / 2
    top = min(25 * fundamental, half) if math.isfinite(fundamental) else half
    return SpectrumPicture(
        caption, found.frequencies_hz, found.rms, evaluation.names.unit(name), hues.conductor(evaluation.study, name), top
    )


def _harmonics(evaluation: Evaluation, panel: Panel, progress: Progress) -> Picture:
    name = panel.channels[0]
    orders = evaluation.harmonics([name], panel.interval, progress)
    rms = orders.rms[0]
    caption = f"{name} · {_place(evaluation, panel)} · {int(orders.weights.sum())} cycles"
    given = rms[1] > evaluation.samples.low_signal(name)
    with np.errstate(invalid="ignore", divide="ignore"):
        percent = np.where(given, 100 * rms[1:] / rms[1], np.nan)
    thd = 100 * float(total_harmonic_distortion(rms))
    headline = (
        f"THD {thd:.2f} %   {with_unit(float(rms[1]), evaluation.names.unit(name), 4)}" if given else "no fundamental to speak of"
    )
    return HarmonicsPicture(caption, percent, headline, hues.conductor(evaluation.study, name))


def _phasors(evaluation: Evaluation, panel: Panel, progress: Progress) -> Picture:
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
    return PhasorPicture(f"{connection.name} · {_place(evaluation, panel)}", tuple(arrows), tuple(lines))


PANEL_TYPES: dict[PanelKind, PanelType] = {
    "spectrum": PanelType("Spectrum", "Rms lines over frequency", _signals, _spectrum),
    "harmonics": PanelType("Harmonics", "Share of the fundamental per order", harmonic_channels, _harmonics),
    "phasors": PanelType("Phasors", "Fundamental phasors of a connection", _connections, _phasors),
    "xy": PanelType("X–Y", "One channel against another, with the phase by ellipse and by spectrum", _waveforms, xy_picture, 2),
    "histogram": PanelType("Histogram", "Values or recorded codes by size", _waveforms, histogram_picture),
    "repeats": PanelType(
        "Repeats", "Stretches around events laid over each other", _waveforms, repeats_picture, over_interval=False
    ),
    "events": PanelType("Events", "Instants at which something happens", _none, event_list, 0, over_interval=False),
    "edges": PanelType("Values at edges", "What every shown channel reads at a and b", _none, edge_table, 0),
    "readout": PanelType("Readout", "One number, large", _all, readout_picture),
}
