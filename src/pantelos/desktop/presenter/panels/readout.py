"""One number, large."""

import math

import msgspec

from pantelos.desktop.presenter import hues
from pantelos.desktop.presenter.panels.panel import Option, PanelKind
from pantelos.desktop.presenter.panels.subjects import everything
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import try_accuracy, value_accuracy
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import MISSING, between, with_accuracy
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind, single_readings
from pantelos.report.explaining import call_text
from pantelos.study.model import Panel


class ReadoutPicture(msgspec.Struct, frozen=True):
    """One number, large."""

    caption: str
    value: str
    unit: str
    accuracy: str
    range: str
    conductor: str


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> ReadoutPicture:
    """Return one reading or one formula with a single value."""
    name = panel.channels[0]
    if evaluation.names.kind(name) is Kind.SCALAR:
        value, shown, stated = (
            evaluation.samples.scalar(name).value,
            evaluation.names.unit(name),
            value_accuracy(evaluation, name),
        )
        caption = name
    else:
        kind = reading_kind(panel.reading or "rms")
        if kind is None or len(panel.channels) < len(kind.arguments):
            raise StudyError("Choose a reading in the title of this panel.")
        channels = panel.channels[: len(kind.arguments)]
        reading = evaluation.reading(kind, channels, panel.interval)
        value, shown = reading.value, reading.unit
        stated = try_accuracy(evaluation, kind, channels, panel.interval)
        caption = call_text(kind, channels, evaluation.times.name(panel.interval))
    text = with_accuracy(value, stated.expanded, shown)
    figure, _, accuracy = text.partition(" ± ")
    digits, _, symbol = figure.partition(" ")
    accuracy = f"± {accuracy} (k = 2)" if accuracy else ("" if math.isnan(value) else "accuracy not stated")
    return ReadoutPicture(
        caption,
        digits,
        symbol,
        accuracy,
        between(value, stated.expanded, shown).replace(MISSING, ""),
        hues.conductor(evaluation.study, name),
    )


_CHOICES = tuple((f"{kind.group}/{kind.title}", kind.name) for kind in single_readings())
READOUT = PanelKind(
    id="readout",
    title="Readout",
    help="One number, large",
    subjects=everything,
    picture=picture_of,
    painter="pantelos.desktop.traces.panels.figure_painters:draw_readout",
    options=(Option("reading", _CHOICES, kinds=(Kind.SIGNAL, Kind.SERIES)),),
    place=9,
)
