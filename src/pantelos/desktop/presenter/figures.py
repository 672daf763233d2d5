"""What the panels beside spectra show: X–Y, histogram, repeats, events, values at edges, one number large."""

import math

import msgspec

from pantelos.desktop.presenter import hues
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.event_search import Events, find_events
from pantelos.engine.figures import OUTLIER, XY, Values, repeats_of, values_of, xy
from pantelos.engine.instants import EdgeValues, edge_values
from pantelos.engine.uncertainty import try_accuracy, value_accuracy
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.notation import MISSING, between, number, with_accuracy, with_unit
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind
from pantelos.report.explaining import call_text
from pantelos.signal.arrays import FloatArray
from pantelos.signal.repeats import Repeats
from pantelos.study.model import EventSearch, Panel
from pantelos.study.sentences import sentence
from pantelos.units import ONE, Unit


class XYPicture(msgspec.Struct, frozen=True, eq=False):
    """One channel against another, and what the figure tells."""

    caption: str
    found: XY
    units: tuple[Unit, Unit]
    conductors: tuple[str, str]
    lines: tuple[str, ...]
    warning: str


class HistogramPicture(msgspec.Struct, frozen=True, eq=False):
    """How values or codes are distributed."""

    caption: str
    found: Values
    unit: Unit
    conductor: str
    lines: tuple[str, ...]


class RepeatsPicture(msgspec.Struct, frozen=True, eq=False):
    """Repeats laid over each other."""

    caption: str
    found: Repeats
    unit: Unit
    conductor: str
    rate_hz: float
    lines: tuple[str, ...]
    outliers_s: tuple[float, ...]


class ReadoutPicture(msgspec.Struct, frozen=True):
    """One number, large."""

    caption: str
    value: str
    unit: str
    accuracy: str
    range: str
    conductor: str


class EventList(msgspec.Struct, frozen=True, eq=False):
    """The events of a search."""

    caption: str
    sentence: str
    events: Events
    instants_s: FloatArray  # (n_events,)


class EdgeTable(msgspec.Struct, frozen=True):
    """What every shown channel reads at the edges."""

    caption: str
    rows: tuple[EdgeValues, ...]
    conductors: tuple[str, ...]


def _place(evaluation: Evaluation, panel: Panel) -> str:
    return ("pinned: " if panel.interval is not None else "") + evaluation.times.name(panel.interval)


def xy_picture(evaluation: Evaluation, panel: Panel, progress: Progress) -> XYPicture:
    """Return one channel against another; the panel's first is across, its second up."""
    if len(panel.channels) < 2:
        raise StudyError("Choose what goes across and what goes up in the title of this panel.")
    x, y = panel.channels[:2]
    found = xy(evaluation, x, y, panel.interval, progress)
    lines = [
        f"φ of {y} against {x}",
        f"ellipse  {_degrees(found.phase_ellipse_deg)}",
        f"spectrum  {_degrees(found.phase_spectrum_deg)}",
    ]
    if found.ratio is not None:
        lines.append(f"f  {found.ratio[0]} : {found.ratio[1]}")
    warning = ""
    if found.disagree:
        warning = "The two phases differ: another tone bends the figure. The spectrum tells the phase of the fundamental."
    elif found.ellipse is None:
        warning = "The points lie on no ellipse."
    return XYPicture(
        f"{y} against {x} · {_place(evaluation, panel)}",
        found,
        (evaluation.names.unit(x), evaluation.names.unit(y)),
        (hues.conductor(evaluation.study, x), hues.conductor(evaluation.study, y)),
        tuple(lines),
        warning,
    )


def _degrees(value: float) -> str:
    return f"{number(value, 4)}°" if math.isfinite(value) else MISSING


def histogram_picture(evaluation: Evaluation, panel: Panel, progress: Progress) -> HistogramPicture:
    """Return the values or codes of a channel by size."""
    name = panel.channels[0]
    found, shown = values_of(evaluation, name, panel.interval, panel.codes, progress), evaluation.names.unit(name)
    if found.codes is not None:
        lines = [
            f"mean  {number(found.mean, 6)}",
            f"σ  {number(found.sigma, 4)}",
            f"{found.codes[0]} of {found.codes[1]} codes used",
        ]
        shown = ONE
    else:
        lines = [f"mean  {with_unit(found.mean, shown, 6)}", f"σ  {with_unit(found.sigma, shown, 4)}", f"{found.found.n} samples"]
    what = "codes" if panel.codes else "values"
    return HistogramPicture(
        f"{name} · {what} · {_place(evaluation, panel)}", found, shown, hues.conductor(evaluation.study, name), tuple(lines)
    )


def repeats_picture(evaluation: Evaluation, panel: Panel, progress: Progress) -> RepeatsPicture:
    """Return the stretches of a channel around events, laid over each other."""
    search, name = _search(evaluation, panel), panel.channels[0]
    found = repeats_of(evaluation, name, search, panel.around_s, progress)
    outliers = tuple(evaluation.times.instant(at) for at in found.outliers(OUTLIER).tolist())
    odd = f"{len(outliers)} unlike the others" if outliers else "none unlike the others"
    return RepeatsPicture(
        f"{name} · at {search.name}",
        found,
        evaluation.names.unit(name),
        hues.conductor(evaluation.study, name),
        evaluation.record.rate_hz,
        (f"{len(found.events)} repeats", odd),
        outliers,
    )


def _search(evaluation: Evaluation, panel: Panel) -> EventSearch:
    if panel.search is None:
        raise StudyError("Choose events in the title of this panel, or say above the list what to look for.")
    return evaluation.study.search(panel.search)


def event_list(evaluation: Evaluation, panel: Panel, progress: Progress) -> EventList:
    """Return the events of a search."""
    search = _search(evaluation, panel)
    events = find_events(evaluation, search, progress)
    held = f" · {events.n_held_off} passed over by the hold-off" if events.n_held_off else ""
    count = f"{len(events)} event{'' if len(events) == 1 else 's'}{held}"
    instants = evaluation.record.start_s + events.positions / evaluation.record.rate_hz
    return EventList(f"{search.name} · {count}", sentence(search, evaluation.names.unit(search.channel)), events, instants)


def edge_table(evaluation: Evaluation, panel: Panel, progress: Progress) -> EdgeTable:
    """Return what the shown channels read at both edges."""
    place = evaluation.times.interval(panel.interval)
    names = [
        n
        for lane in evaluation.study.lanes
        for n in lane.channels
        if n in evaluation.names.types and evaluation.names.kind(n) is not Kind.SCALAR
    ]
    rows = tuple(edge_values(evaluation, names, place.start_s, place.stop_s))
    caption = f"{_place(evaluation, panel)} · a {place.start_s:.6g} s · b {place.stop_s:.6g} s"
    return EdgeTable(caption, rows, tuple(hues.conductor(evaluation.study, row.name) for row in rows))


def readout_picture(evaluation: Evaluation, panel: Panel, progress: Progress) -> ReadoutPicture:
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
