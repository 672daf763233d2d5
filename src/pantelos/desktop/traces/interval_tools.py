"""What is done with intervals on the Traces page: drawn, dragged, snapped, stepped, nudged, ridden, filled by rule."""

from collections.abc import Callable

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QInputDialog

from pantelos.desktop.document import Document
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.runner import Runner
from pantelos.desktop.traces.page_stage import PageStage
from pantelos.engine.filling import RULES, intervals_by_rule
from pantelos.errors import PantelosError
from pantelos.signal.cycles.window import cycles_in
from pantelos.study import operations as op
from pantelos.study.model import Interval, Study


class IntervalTools(QObject):
    """Each method is a gesture or a command."""

    def __init__(self, page: PageStage, document: Document, runner: Runner) -> None:
        super().__init__(page.widget)
        self._page, self._document, self._runner = page, document, runner

    def take(self, study: Study, step: str) -> None:
        """Make a study the present one."""
        self._document.take(study, step)

    # drawn and dragged

    def new(self, start_s: float, stop_s: float) -> None:
        """Make an interval of a stretch of time."""
        study = self._document.study
        interval = Interval(op.new_interval_name(study), start_s, stop_s)
        self._try(lambda: op.add_interval(study, interval, self._document.grid), f"new {interval.name}")

    def drag(self, start_s: float, stop_s: float, released: bool) -> None:
        """Follow edges that are dragged; take them when they are let go."""
        self._page.set_edges((start_s, stop_s))
        evaluation, interval = self._document.evaluation, self._document.study.active_interval
        if evaluation is not None and evaluation.references.overall_known():
            self._page.ruler.n_cycles = cycles_in(
                evaluation.references.overall.cycles, *evaluation.times.positions(start_s, stop_s)
            )
        if released and interval is not None:
            self.move(interval.name, start_s, stop_s)

    def move(self, name: str, start_s: float, stop_s: float) -> None:
        """Give an interval other edges."""
        study, grid = self._document.study, self._document.grid
        self._try(lambda: op.move_interval(study, name, start_s, stop_s, grid), "move edge")

    def _try(self, change: Callable[[], Study], step: str) -> None:
        try:
            self.take(change(), step)
        except PantelosError as error:
            self._page.failed.emit(error)
            self._page.refresh()

    def activate(self, name: str) -> None:
        """Make an interval the active one."""
        self.take(op.activate(self._document.study, name), f"activate {name}")

    def zoom_to(self, name: str) -> None:
        """Show an interval with a little around it."""
        interval = self._document.study.interval(name)
        margin = 0.06 * interval.length_s
        self._document.show(TimeView(interval.start_s - margin, interval.stop_s + margin))

    # snapped, stepped, nudged

    def snap(self) -> None:
        """Move the edges of the active interval to whole cycles of the reference."""
        evaluation, interval = self._document.evaluation, self._document.study.active_interval
        if evaluation is None or interval is None:
            return

        def take(snapped: Interval) -> None:
            study = op.move_interval(self._document.study, snapped.name, snapped.start_s, snapped.stop_s, self._document.grid)
            self.take(study, "snap to whole cycles")

        self._runner.run("snap", lambda progress: evaluation.places.snapped(interval), take)

    def step(self, lengths: int) -> None:
        """Move the active interval by its own length; the view goes along when it would leave it."""
        interval = self._document.study.active_interval
        if interval is None:
            return
        study = op.shift_interval(self._document.study, interval.name, lengths * interval.length_s, self._document.grid)
        self.take(study, "step interval")
        moved, view = study.interval(interval.name), self._document.view
        if moved.start_s < view.start_s or moved.stop_s > view.stop_s:
            self._document.show(view.moved(moved.start_s - interval.start_s), "step")

    def nudge(self, edge: int, samples: int) -> None:
        """Move one edge of the active interval by samples."""
        interval = self._document.study.active_interval
        if interval is None:
            return
        edges = [interval.start_s, interval.stop_s]
        edges[edge] += samples / self._document.grid.rate_hz
        study, grid = self._document.study, self._document.grid
        self._try(lambda: op.move_interval(study, interval.name, edges[0], edges[1], grid), "nudge edge")

    def edge_to_pointer(self, edge: int) -> None:
        """Bring an edge to the pointer and let it ride on the trace there; without an interval make one."""
        lanes, study, grid = self._page.lanes, self._document.study, self._document.grid
        if lanes.pointer_s is None:
            return
        at = lanes.places.snapped(lanes.pointer_s, lanes.pointer_y)
        channel = lanes.places.channel_near(lanes.places.x_of(at), lanes.pointer_y)
        interval = study.active_interval
        if interval is None:
            ends = (at, grid.stop_s) if edge == 0 else (grid.start_s, at)
            self._try(lambda: op.add_interval(study, Interval(op.new_interval_name(study), *ends), grid), "new interval")
            return
        edges, rides = [interval.start_s, interval.stop_s], list(interval.rides)
        edges[edge], rides[edge] = at, channel
        if edges[0] >= edges[1]:  # the other edge goes along, as far away as before
            other = 1 - edge
            edges[other] = min(max(at + (interval.length_s if edge == 0 else -interval.length_s), grid.start_s), grid.stop_s)

        def change() -> Study:
            moved = op.move_interval(study, interval.name, edges[0], edges[1], grid)
            return op.change_interval(moved, interval.name, rides=(rides[0], rides[1]))

        self._try(change, f"edge {'ab'[edge]} to the pointer")

    def ride(self, edge: int, channel: str | None) -> None:
        """Let an edge of the active interval ride on a channel, or on none."""
        interval = self._document.study.active_interval
        if interval is not None:
            rides = (channel, interval.rides[1]) if edge == 0 else (interval.rides[0], channel)
            self.take(op.change_interval(self._document.study, interval.name, rides=rides), f"edge {'ab'[edge]} rides")

    # written

    def ask_note(self) -> None:
        """Ask for a note on the active interval."""
        interval = self._document.study.active_interval
        if interval is not None:
            text, agreed = QInputDialog.getMultiLineText(self._page.widget, "Note", f"Note on {interval.name}", interval.note)
            if agreed:
                self.take(op.change_interval(self._document.study, interval.name, note=text.strip()), "note")

    def ask_fill(self) -> None:
        """Ask for a rule, and make intervals by it within the active interval."""
        rules = [RULES[0], RULES[1], *(f"between {search.name}" for search in self._document.study.searches)]
        text, agreed = QInputDialog.getItem(self._page.widget, "Fill with intervals", "Intervals", rules, 0, True)
        if agreed:
            self.fill(text)

    def fill(self, rule: str) -> None:
        """Make intervals by a rule within the active interval, or the whole record where there is none."""
        evaluation = self._document.evaluation
        if evaluation is None:
            return
        within = self._document.study.active

        def take(made: tuple[Interval, ...]) -> None:
            self.take(op.add_intervals(self._document.study, made, self._document.grid), f"fill {rule}")

        self._runner.run("fill", lambda progress: intervals_by_rule(evaluation, rule, within, progress), take)
