"""Rms lines over frequency."""

import math

import msgspec

from pantelos.desktop.presenter import hues
from pantelos.desktop.presenter.panels.panel import Option, PanelKind
from pantelos.desktop.presenter.panels.subjects import place_text, signals
from pantelos.engine.evaluation import Evaluation
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.signal.spectrum import SpectralWindow
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


SPECTRUM = PanelKind(
    id="spectrum",
    title="Spectrum",
    help="Rms lines over frequency",
    subjects=signals,
    picture=picture_of,
    painter="pantelos.desktop.traces.panels.spectral_painters:draw_spectrum",
    options=(Option("window", tuple((f"{window} window", str(window)) for window in SpectralWindow)),),
    place=1,
)
