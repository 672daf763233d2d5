"""One number, large."""

import math

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import try_accuracy, value_accuracy
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import MISSING, PARTLY, between, with_accuracy, within_seen
from pantelos.panels.panel import PanelKind, PanelOption, Span
from pantelos.panels.subjects import everything
from pantelos.paper import hues
from pantelos.paper.paper import Align, Box, Paper, Role
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind, single_readings
from pantelos.study.model import WHOLE_RECORD
from pantelos.study.shown import Panel

_SMALLEST, _LARGEST = 12.0, 96.0  # points


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
        place = evaluation.times.name(panel.interval)
        caption = kind.typed(channels, None if place == WHOLE_RECORD else place)
    known = math.isfinite(stated.expanded)
    text = with_accuracy(value, stated.expanded, shown) if known else within_seen(value, stated.seen, shown, 5)
    figure, _, accuracy = text.partition(" ± ")
    digits, _, symbol = figure.partition(" ")
    accuracy = (
        f"± {accuracy}{PARTLY if stated.leaves_out else ''} (k = 2)"
        if accuracy
        else ("" if math.isnan(value) else "accuracy not stated")
    )
    return ReadoutPicture(
        caption,
        digits,
        symbol,
        accuracy,
        f"{PARTLY} {stated.leaves_out}" if stated.leaves_out else between(value, stated.expanded, shown).replace(MISSING, ""),
        hues.conductor(evaluation.study, name),
    )


def paint(paper: Paper, box: Box, picture: ReadoutPicture, span: Span) -> None:
    """Write one number as large as there is room, its unit beside it, its accuracy below."""
    room = box.within(16, 8, 16, 40)
    symbol, size = f" {picture.unit}", _SMALLEST
    while size < _LARGEST:
        wide, high = paper.extent(picture.value, size + 2, bold=True)
        if wide + paper.extent(symbol, 0.5 * size + 1)[0] > room.width or high > room.height:
            break
        size += 2
    (wide, high), (beside, low) = paper.extent(picture.value, size, bold=True), paper.extent(symbol, 0.5 * size)
    left, top = room.left + (room.width - wide - beside) / 2, room.top + (room.height - high) / 2
    ink = picture.conductor or Role.INK
    paper.words(Box(left, top, wide + 1, high), picture.value, ink, size, bold=True)
    paper.words(Box(left + wide, top + 0.79 * high - 0.79 * low, beside + 1, low), symbol, ink, 0.5 * size)  # on one base line
    for at, line in enumerate((picture.accuracy, picture.range)):
        paper.words(Box(box.left + 8, box.bottom - 38 + 17 * at, box.width - 16, 16), line, Role.SOFT, 9.5, align=Align.CENTRE)


_CHOICES = tuple((f"{kind.group}/{kind.title}", kind.name) for kind in single_readings())
READOUT = PanelKind(
    id="readout",
    title="Readout",
    help="One number, large",
    subjects=everything,
    picture=picture_of,
    paint=paint,
    explains=True,
    options=(PanelOption("reading", _CHOICES, kinds=(Kind.SIGNAL, Kind.SERIES)),),
    place=9,
)
