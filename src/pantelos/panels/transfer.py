"""An output against an input over frequency: gain, phase, and how far they belong together."""

import math
from collections.abc import Iterator

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.spectra import cross_spectrum_found
from pantelos.errors import StudyError
from pantelos.notation import minus, number, with_unit
from pantelos.notice import Notice, Severity
from pantelos.panels.panel import PanelKind, Reach, Span
from pantelos.panels.spectral_figure import across_of, draw_frequency_axis
from pantelos.panels.spectrum import FREQUENCIES, OVERLAP, RESOLUTION, SPAN, WINDOW, with_spectral
from pantelos.panels.subjects import place_text, signals
from pantelos.paper import hues
from pantelos.paper.axis import ticks
from pantelos.paper.paper import Align, Box, Paper, Role, draw_value_axis
from pantelos.progress import Progress
from pantelos.signal.arrays import BoolArray, FloatArray
from pantelos.signal.spectra.cross_spectrum import ENOUGH_BLOCKS, CrossSpectrum
from pantelos.study.shown import Panel, Spectral
from pantelos.units import unit

_HERTZ = unit("Hz")
_BELONGS = 0.5  # of coherence: below, gain and phase say little and are drawn faintly
_PHASES = (-190.0, 190.0)  # degrees shown
_GAP = 10.0  # pixels between the three figures


class TransferPicture(msgspec.Struct, frozen=True, eq=False):
    """Gain in dB, phase in degrees, coherence, per line."""

    caption: str
    spacing_hz: float
    gain_db: FloatArray
    phase_deg: FloatArray
    coherence: FloatArray
    conductor: str
    settings: Spectral
    span_hz: tuple[float, float]
    gain_symbol: str
    edges_text: str
    caution: str


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> TransferPicture:
    """Return the gain, phase and coherence of the second channel against the first."""
    if len(panel.channels) < 2:
        raise StudyError("Choose the input and the output in the title of this panel.")
    a, b = panel.channels[:2]
    settings = panel.spectral
    found = cross_spectrum_found(evaluation, (a, b), panel.interval, panel.window, settings, progress)
    units = evaluation.names.unit(b), evaluation.names.unit(a)
    gain = np.abs(found.response) * units[1].factor / units[0].factor
    with np.errstate(divide="ignore"):
        decibels = 20 * np.log10(gain)
    symbol = "dB" if units[0].like(units[1]) else f"dB re 1 {units[0].symbol}/{units[1].symbol}"
    low = found.spacing_hz if settings.span_hz is None else settings.span_hz[0]
    top = 0.5 * found.rate_hz if settings.span_hz is None else settings.span_hz[1]
    caption = (
        f"{b} against {a} · {place_text(evaluation, panel)} · {panel.window} · Δf {found.spacing_hz:.3g} Hz · "
        f"mean of {found.n_blocks} ≙ {found.n_independent:.3g} independent"
    )
    return TransferPicture(
        caption, found.spacing_hz, decibels, np.degrees(np.angle(found.response)), found.coherence,
        hues.conductor(evaluation.study, b), settings, (max(low, found.spacing_hz), top), symbol,
        _edges_text(found, settings, symbol, gain), _caution(found),
    )  # fmt: skip


def _caution(found: CrossSpectrum) -> str:
    if found.n_independent >= ENOUGH_BLOCKS:
        return ""
    blocks = f"{found.n_independent:.3g} independent blocks"
    return f"{blocks}: coherence reads too high; ask for a coarser resolution or a longer stretch"


def _edges_text(found: CrossSpectrum, settings: Spectral, symbol: str, gain: FloatArray) -> str:
    """Return what the two edges read: gain, phase and coherence with their uncertainties."""
    said = []
    for name, frequency in zip("ab", settings.edges_hz or (), strict=False):
        k = min(round(frequency / found.spacing_hz), len(gain) - 1)
        phase, share, u = math.degrees(np.angle(found.response[k])), float(found.coherence[k]), float(found.relative_u[k])
        if not math.isfinite(share):
            continue
        sure = f" ± {number(2 * math.degrees(u), 2)}°" if math.isfinite(u) else ""
        size = f"{number(20 * math.log10(max(float(gain[k]), 1e-300)), 4)} {symbol}"
        said.append(f"{name} {with_unit(frequency, _HERTZ, 5)}: {size}, {minus(f'{phase:.2f}')}°{sure}, γ² {number(share, 3)}")
    return "   ".join(said)


def area_of(box: Box) -> Box:
    """Return where the figures lie within a panel."""
    return box.within(62, 22, 18, 30)


def paint(paper: Paper, box: Box, picture: TransferPicture, span: Span) -> None:
    """Draw gain, phase and coherence below each other."""
    span, area = span or picture.span_hz, area_of(box)
    first = max(int(span[0] / picture.spacing_hz), 0)
    last = min(math.ceil(span[1] / picture.spacing_hz) + 1, len(picture.gain_db))
    if last - first < 2:
        return
    x_of = across_of(area, span, picture.settings.logarithmic)
    x = x_of(np.arange(first, last) * picture.spacing_hz)
    sure = picture.coherence[first:last] >= _BELONGS
    heights = (0.42, 0.33, 0.25)
    top = area.top
    gain = picture.gain_db[first:last]
    finite = gain[sure & np.isfinite(gain)] if (sure & np.isfinite(gain)).any() else gain[np.isfinite(gain)]
    scale = (float(finite.min()) - 3, float(finite.max()) + 3) if len(finite) else (-1.0, 1.0)
    rows = ((gain, scale, picture.gain_symbol), (picture.phase_deg[first:last], _PHASES, "phase, °"),
            (picture.coherence[first:last], (0.0, 1.05), "coherence γ²"))  # fmt: skip
    for (values, levels, title), share in zip(rows, heights, strict=True):
        part = Box(area.left, top, area.width, share * area.height - _GAP)
        top += share * area.height
        _draw_row(paper, part, x, values, levels, sure, picture.conductor, title)
    draw_frequency_axis(paper, area, span, picture.settings.logarithmic, x_of)
    for name, frequency in zip("ab", picture.settings.edges_hz or (), strict=False):
        place = float(x_of(np.array(frequency)))
        paper.rule(place, area.top, place, area.bottom, Role.EDGE)
        paper.words(Box(place + 3, area.top, 14, 13), name, Role.EDGE, 8, bold=True)
    head = Box(box.left + 62, box.top + 4, box.width - 74, 15)
    if picture.edges_text:
        paper.words(head, picture.edges_text, Role.EDGE, 8.5, bold=True, align=Align.RIGHT)
    elif picture.caution:
        paper.words(head, f"⚑ {picture.caution}", Role.CAUTION, 8, align=Align.RIGHT)


def _phase_marks(height: float) -> list[tuple[float, str]]:
    """Return so many quarters of a turn as there is room for."""
    step = 90.0 if height > 110 else 180.0
    return [(v, minus(f"{v:g}")) for v in (-180.0, -90.0, 0.0, 90.0, 180.0) if v % step == 0 and (height > 56 or v == 0)]


def _draw_row(
    paper: Paper, area: Box, x: FloatArray, values: FloatArray, levels: tuple[float, float], sure: BoolArray, ink: str, title: str
) -> None:
    """Draw one of the figures; what says little is faint."""
    marks = _phase_marks(area.height) if levels == _PHASES else [
        (mark.value, mark.text) for mark in ticks(*levels, max(area.height / 30, 1))
    ]  # fmt: skip
    draw_value_axis(paper, area, marks, levels, room=62)
    with paper.clipped(area):
        paper.line(x, area.y(values, levels), Role.RULE, 1.0)
        paper.line(x, area.y(np.where(sure, values, np.nan), levels), ink, 1.4)
    paper.words(Box(area.left + 4, area.bottom - 15, 160, 13), title, Role.SOFT)


def _reach(picture: TransferPicture) -> Reach:
    half = (len(picture.gain_db) - 1) * picture.spacing_hz
    low = picture.spacing_hz if picture.settings.logarithmic else 0.0
    return Reach(picture.span_hz, (low, half), 4 * picture.spacing_hz, area_of, picture.settings.logarithmic)


def _concerns(evaluation: Evaluation, panel: Panel) -> Iterator[Notice]:
    """A coherence of few blocks reads too high."""
    if len(panel.channels) < 2:
        return
    a, b = panel.channels[:2]
    found = cross_spectrum_found(evaluation, (a, b), panel.interval, panel.window, panel.spectral)
    if said := _caution(found):
        yield Notice(Severity.CAUTION, "transfer.few-blocks", f"{b} against {a} rests on few blocks", said, b)


TRANSFER = PanelKind(
    id="transfer",
    title="Output against input",
    help="Gain, phase and coherence of one channel against another over frequency",
    subjects=signals,
    picture=picture_of,
    paint=paint,
    numbers="pantelos.tables.spectra:transfer_tables",
    reach=_reach,
    concerns=_concerns,
    n_channels=2,
    roles=("input", "output"),
    entries=(RESOLUTION, SPAN, OVERLAP),
    edges=lambda panel: panel.spectral.edges_hz,
    with_edges=lambda panel, edges: with_spectral(panel, edges_hz=edges),
    options=(WINDOW, FREQUENCIES),
    narrowest=320,
    place=5,
)
