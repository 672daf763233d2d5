"""Rms lines over frequency."""

import math
from collections.abc import Iterator

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.panels.panel import Option, PanelKind, Reach, Span
from pantelos.panels.subjects import place_text, signals
from pantelos.paper import hues
from pantelos.paper.axis import decade_ticks, ticks
from pantelos.paper.paper import Align, Box, Paper, Role, draw_value_axis
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.signal.spectral_windows import KINDS, SpectralWindow
from pantelos.signal.window import is_whole
from pantelos.study.model import Panel
from pantelos.units import Unit


class SpectrumPicture(msgspec.Struct, frozen=True, eq=False):
    """Rms lines of one channel."""

    caption: str
    frequencies_hz: FloatArray
    rms: FloatArray
    unit: Unit
    conductor: str
    top_hz: float  # the range shown at first


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> SpectrumPicture:
    """Return the rms lines of a channel."""
    name = panel.channels[0]
    found = evaluation.spectrum(name, panel.interval, SpectralWindow(panel.window), progress)
    averaged = f" · {found.n_blocks} blocks" if found.n_blocks > 1 else ""
    caption = f"{name} · rms · {place_text(evaluation, panel)} · {panel.window} · Δf {found.spacing_hz:.3g} Hz{averaged}"
    cycles = evaluation.references.of([name]).cycles
    fundamental = cycles.frequency_hz if cycles is not None else math.nan
    half = evaluation.record.rate_hz / 2
    top = min(25 * fundamental, half) if math.isfinite(fundamental) else half
    return SpectrumPicture(
        caption, found.frequencies_hz, found.rms, evaluation.names.unit(name), hues.conductor(evaluation.study, name), top
    )


def area_of(box: Box) -> Box:
    """Return where the lines of a spectrum lie within a panel."""
    return box.within(62, 8, 12, 30)


def paint(paper: Paper, box: Box, picture: SpectrumPicture, span: Span) -> None:
    """Draw rms lines over frequency; `span` is the stretch of frequencies shown, Hz, None the one shown at first."""
    span = span or (0.0, picture.top_hz)
    area = area_of(box)
    spacing = float(picture.frequencies_hz[1])
    first, last = max(int(span[0] / spacing), 0), min(math.ceil(span[1] / spacing) + 1, len(picture.rms))
    shown = np.log10(np.maximum(picture.rms[first:last], 1e-300))
    if len(shown) < 2:
        return
    top = float(shown.max()) + 0.3
    scale = (max(float(np.median(shown)) - 0.8, top - 9), top)
    decades = decade_ticks(10 ** scale[0], 10 ** scale[1])[::-1][:: max(1, round((scale[1] - scale[0]) * 22 / area.height))]
    marks = ((math.log10(value), with_unit(value, picture.unit, 1)) for value in decades)
    draw_value_axis(paper, area, marks, scale, room=62)
    factor, symbol = (1000.0, "kHz") if span[1] >= 5000 else (1.0, "Hz")
    for mark in ticks(*span, area.width / 70, factor):
        x = float(area.x(np.array(mark.value), span))
        paper.words(Box(x - 40, area.bottom + 4, 80, 14), mark.text, Role.SOFT, align=Align.CENTRE)
    paper.words(Box(area.right - 30, area.bottom - 15, 30, 14), symbol, Role.SOFT, align=Align.RIGHT)
    columns = area.x(np.arange(first, last, dtype=np.float64) * spacing, span).astype(int)
    starts = np.flatnonzero(np.diff(columns, prepend=columns[0] - 1))
    with paper.clipped(area):
        paper.line(columns[starts] + 0.5, area.y(np.maximum.reduceat(shown, starts), scale), picture.conductor, 1.2)


def _leaks(evaluation: Evaluation, panel: Panel) -> Iterator[Notice]:
    """A rectangular window leaks where the stretch does not hold whole cycles of what it shows."""
    name = panel.channels[0]
    n_cycles = evaluation.places.n_cycles(panel.interval, [name])
    if panel.window == SpectralWindow.RECTANGULAR and math.isfinite(n_cycles) and not is_whole(n_cycles):
        said = f"the spectrum of {name} is over {n_cycles:.2f} cycles"
        remedy = f"with a rectangular window its lines leak: snap {evaluation.times.name(panel.interval)}, or use a Hann window"
        yield Notice(Severity.CAUTION, "spectrum.broken-cycles", said, remedy, name)


def _reach(picture: SpectrumPicture) -> Reach:
    return Reach((0.0, picture.top_hz), (0.0, float(picture.frequencies_hz[-1])), 4 * float(picture.frequencies_hz[1]), area_of)


SPECTRUM = PanelKind(
    id="spectrum",
    title="Spectrum",
    help="Rms lines over frequency",
    subjects=signals,
    picture=picture_of,
    paint=paint,
    reach=_reach,
    concerns=_leaks,
    options=(Option("window", tuple((f"{window}: {KINDS[window].purpose}", str(window)) for window in SpectralWindow)),),
    place=1,
)
