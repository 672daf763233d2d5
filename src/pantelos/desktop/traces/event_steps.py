"""Stepping through events: which are followed, at which of them the view stands, time zero at one of them."""

import math

from PyQt6.QtCore import QObject

from pantelos.desktop.document import Document
from pantelos.desktop.runner import Runner
from pantelos.desktop.traces.page_stage import PageStage
from pantelos.engine.event_search import Events
from pantelos.errors import PantelosError
from pantelos.panels import PANELS, panel_kind
from pantelos.panels.panel import Takes
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.model import EventKind, EventSearch, Slope
from pantelos.study.shown import Panel

_PLACE = 0.3  # of the view: where an event that is stepped to stands, so that what comes before is in sight


class EventSteps(QObject):
    """Each method is a gesture or a command."""

    def __init__(self, page: PageStage, document: Document, runner: Runner) -> None:
        super().__init__(page.widget)
        self._page, self._document, self._runner = page, document, runner
        self._instants: tuple[float, ...] = ()  # other places to step through, such as odd repeats
        self._at = -1

    def refresh(self) -> None:
        """Follow events that are still there."""
        selection, known = self._page.selection, [search.name for search in self._document.study.searches]
        if selection.search not in known:
            selection.follow(known[-1] if known else None)

    def _search(self) -> EventSearch | None:
        name = self._page.selection.search
        return next((search for search in self._document.study.searches if search.name == name), None)

    def prepare(self) -> None:
        """Have the events that are followed found off the interface thread, once the picture is there."""
        evaluation, search = self._document.evaluation, self._search()
        if (
            evaluation is None
            or search is None
            or search.channel not in evaluation.names.types
            or evaluation.events.known(search)
        ):
            return
        if self._page.picture_pending:
            return  # the picture comes first; events follow it
        self._runner.run(
            "events", lambda progress: evaluation.events.find(search, progress), lambda found: self._page.lanes.update()
        )

    def look_for(self, search: EventSearch) -> None:
        """Look for events, list them in a panel, and follow them."""
        try:
            study = op.set_search(self._document.study, search)
        except PantelosError as error:
            self._page.failed.emit(error)
            return
        name = search.name or study.searches[-1].name
        listing = next(kind for kind in PANELS if kind.takes is Takes.EVENTS)
        if not any(panel_kind(panel.kind).takes is Takes.EVENTS and panel.search == name for panel in study.panels):
            study = op.add_panel(study, Panel(listing.id, search=name))
        self._page.selection.follow(name)
        self._document.take(study, f"events {name}")

    def crossing_of(self, channel: str, slope: Slope) -> EventSearch:
        """Return a search for a level between base and top, or for zero where a channel alternates around it."""
        evaluation = self._document.evaluation
        known = evaluation is not None and evaluation.drawing.can_draw(channel)
        low, high = evaluation.drawing.extent(channel) if known and evaluation is not None else (math.nan, math.nan)
        around_zero = low < 0 < high and min(-low, high) > 0.2 * max(-low, high)
        return EventSearch("", channel, EventKind.CROSSING, slope, Level(0.0) if around_zero else Level(0.5, relative=True))

    # stepping

    def step(self, by: int) -> None:
        """Go to the event before or after the middle of the view, or after the one the view stands at."""
        evaluation, search = self._document.evaluation, self._search()
        if self._instants:
            self._at = min(max(self._at + by, 0), len(self._instants) - 1)
            self._stand(self._instants[self._at])
            return
        if evaluation is None or search is None:
            return

        def go(events: Events) -> None:
            if not len(events):
                return
            selection, view = self._page.selection, self._document.view
            at = selection.at_event
            if at is None:
                (middle,) = evaluation.times.positions((view.start_s + view.stop_s) / 2)
                at = int((events.positions < middle).sum()) - (0 if by < 0 else 1)
            self._go(events, min(max(at + by, 0), len(events) - 1))

        self._runner.run("event", lambda progress: evaluation.events.find(search, progress), go)

    def go_to(self, name: str, at: int) -> None:
        """Go to one of some events."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        self._instants = ()
        search = self._document.study.search(name)
        self._page.selection.follow(name, at)
        self._runner.run("event", lambda progress: evaluation.events.find(search, progress), lambda events: self._go(events, at))

    def _go(self, events: Events, at: int) -> None:
        evaluation = self._document.evaluation
        if evaluation is not None and at < len(events):
            self._page.selection.follow(events.search.name, at)
            self._stand(evaluation.times.instant(float(events.positions[at])))

    def _stand(self, t_s: float) -> None:
        """Show an instant with what comes before it."""
        view = self._document.view
        self._document.show(view.moved(t_s - view.start_s - _PLACE * view.length_s), "event")

    def step_through(self, instants_s: tuple[float, ...]) -> None:
        """Step through other places than events."""
        self._instants, self._at = instants_s, -1
        self.step(1)

    def zero_here(self) -> None:
        """Let time begin at the event the view stands at, the part before it staying in sight."""
        evaluation, search, at = self._document.evaluation, self._search(), self._page.selection.at_event
        if evaluation is None or search is None or at is None or not evaluation.events.known(search):
            return
        events = evaluation.events.find(search)
        if at < len(events):
            t = evaluation.times.instant(float(events.positions[at]))
            self._document.take(op.move_zero(self._document.study, t), f"time zero at {search.name}")
