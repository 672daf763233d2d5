"""The menu of a channel: what can be done with it where it is drawn."""

from collections.abc import Callable
from functools import partial
from typing import NamedTuple

from PyQt6.QtCore import QObject, QPoint
from PyQt6.QtWidgets import QMenu

from pantelos.desktop.document import Document
from pantelos.desktop.parts.menus import offer, submenu
from pantelos.desktop.traces.event_steps import EventSteps
from pantelos.desktop.traces.interval_tools import IntervalTools
from pantelos.desktop.traces.lane_tools import LaneTools
from pantelos.desktop.traces.page_stage import PageStage
from pantelos.errors import PantelosError
from pantelos.formula.compiled import Kind
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.model import EventKind, EventSearch, Slope, Study
from pantelos.study.shown import Panel

_MOST_LISTED = 20  # hidden channels; beyond, the drawer is the better place


class Tools(NamedTuple):
    """What the menu leads to."""

    intervals: IntervalTools
    lane_tools: LaneTools
    events: EventSteps


class ChannelMenu(QObject):
    """Made anew whenever it is asked for."""

    def __init__(self, page: PageStage, document: Document, tools: Tools) -> None:
        super().__init__(page.widget)
        self._page, self._document, self._tools = page, document, tools

    def show(self, name: str, place: QPoint) -> None:
        """Offer what can be done with a channel."""
        self.make(name).exec(place)

    def make(self, name: str) -> QMenu:
        """Return the menu of a channel."""
        menu, study, evaluation = QMenu(self._page.widget), self._document.study, self._document.evaluation
        has_samples = evaluation is not None and name in evaluation.names.types and evaluation.names.kind(name) is not Kind.SCALAR
        self._change(
            menu, f"Show {name} in a lane of its own", lambda: op.show_alone(study, name, len(study.lanes)), f"show {name} alone"
        )
        self._change(menu, f"Hide {name}", lambda: op.hide_channel(study, name), f"hide {name}")
        if has_samples:
            self._add_drawing(menu, name)
            menu.addSeparator()
            self._add_events(submenu(menu, "Find events"), name)
            self._add_panels(submenu(menu, "Panel"), name)
            if study.active is not None:
                for edge in (0, 1):
                    offer(menu, f"Edge {'ab'[edge]} rides on {name}", partial(self._tools.intervals.ride, edge, name))
        menu.addSeparator()
        self._change(menu, f"Count cycles of {name}", lambda: op.set_reference(study, name), "reference")
        if study.formula(name) is not None:
            offer(menu, f"Edit formula {name}", lambda: self._page.edit_formula(name))
            self._change(menu, f"Remove formula {name}", lambda: op.remove_formula(study, name), f"remove {name}")
        hidden = [other for other in study.names if not any(other in lane.channels for lane in study.lanes)]
        if hidden:
            section = submenu(menu, "Show")
            for other in hidden[:_MOST_LISTED]:
                offer(section, other, partial(self._tools.lane_tools.show, other))
        offer(menu, "All channels…", self._page.toggle_drawer)
        for text, how in (("Save lane as PNG…", "png"), ("Save lane as SVG…", "svg"), ("Copy picture of lane", "copy")):
            offer(menu, text, partial(self._tools.lane_tools.picture, how))
        return menu

    def _add_drawing(self, menu: QMenu, name: str) -> None:
        look = self._document.study.look(name)
        section = submenu(menu, "Draw")
        offer(
            section,
            "with its mean again" if look.mean_removed else "without its mean",
            lambda: self._tools.lane_tools.remove_mean(name),
        )
        offer(section, "with offset and scale…", lambda: self._tools.lane_tools.ask_look(name))
        offer(section, "as it is", lambda: self._tools.lane_tools.draw_as_is(name))
        offer(section, "as line, steps or points in turn", self._tools.lane_tools.turn_drawing)

    def _add_events(self, menu: QMenu, name: str) -> None:
        events, length = self._tools.events, self._document.view.length_s
        searches: list[tuple[str, Callable[[], EventSearch]]] = [
            ("rises through a level", lambda: events.crossing_of(name, Slope.RISING)),
            ("falls through a level", lambda: events.crossing_of(name, Slope.FALLING)),
            ("crosses a level", lambda: events.crossing_of(name, Slope.EITHER)),
            ("stays above longer than…", lambda: EventSearch("", name, EventKind.PULSE, time_s=length / 20)),
            ("stays above shorter than…", lambda: EventSearch("", name, EventKind.PULSE, longer=False, time_s=length / 200)),
            (
                "leaves a window",
                lambda: EventSearch("", name, EventKind.WINDOW, level=Level(-0.05, True), upper=Level(1.05, True)),
            ),
            ("is missing", lambda: EventSearch("", name, EventKind.GAP)),
            ("changes most", lambda: EventSearch("", name, EventKind.STEEPEST, count=10, hold_off_s=length / 100)),
            ("is far from the usual", lambda: EventSearch("", name, EventKind.BEYOND)),
            ("is unlike the other stretches", lambda: EventSearch("", name, EventKind.UNLIKE, time_s=0.2, sigmas=8.0)),
        ]
        for text, make in searches:
            offer(menu, text, partial(self._look_for, make))

    def _add_panels(self, menu: QMenu, name: str) -> None:
        chosen = next((other for other in self._page.selection.channels if other != name), None)
        for text, panel in (
            ("spectrum", Panel("spectrum", (name,))),
            ("histogram", Panel("histogram", (name,))),
            ("readout", Panel("readout", (name,), reading="rms")),
            ("repeats", Panel("repeats", (name,), search=self._page.selection.search)),
            *([(f"X–Y against {chosen}", Panel("xy", (chosen, name)))] if chosen is not None else []),
        ):
            offer(menu, text, partial(self._page.panels.add, panel.kind, panel))

    def _look_for(self, make: Callable[[], EventSearch]) -> None:
        self._tools.events.look_for(make())

    def _change(self, menu: QMenu, text: str, change: Callable[[], Study], step: str) -> None:
        offer(menu, text, lambda: self._take(change, step))

    def _take(self, change: Callable[[], Study], step: str) -> None:
        try:
            self._document.take(change(), step)
        except PantelosError as error:
            self._page.failed.emit(error)
