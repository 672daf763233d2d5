"""Instants at which something happens."""

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.event_search import Events
from pantelos.notation import counted
from pantelos.panels.panel import PanelKind, Takes
from pantelos.panels.subjects import nothing, search_of
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray
from pantelos.study.sentences import sentence
from pantelos.study.shown import Panel


class EventList(msgspec.Struct, frozen=True, eq=False):
    """The events of a search."""

    caption: str
    sentence: str
    events: Events
    instants_s: FloatArray  # (n_events,)


def picture_of(evaluation: Evaluation, panel: Panel, progress: Progress) -> EventList:
    """Return the events of a search."""
    search = search_of(evaluation, panel)
    events = evaluation.events.find(search, progress)
    held = f" · {events.n_held_off} passed over by the hold-off" if events.n_held_off else ""
    count = f"{counted(len(events), 'event')}{held}"
    instants = evaluation.record.start_s + events.positions / evaluation.record.rate_hz
    return EventList(f"{search.name} · {count}", sentence(search, evaluation.names.unit(search.channel)), events, instants)


EVENTS = PanelKind(
    id="events",
    title="Events",
    help="Instants at which something happens",
    subjects=nothing,
    picture=picture_of,
    body="pantelos.desktop.traces.panels.lists:EventsBody",
    takes=Takes.EVENTS,
    n_channels=0,
    over_interval=False,
    at_events=True,
    narrowest=270,
    place=7,
)
