"""Commands on the active interval that ask for something first, and going to a place by typing it."""

from msgspec.structs import replace
from PyQt6.QtWidgets import QInputDialog

from pantelos.desktop.presenter.destination import place_from
from pantelos.desktop.stage import Stage
from pantelos.engine.rules import EXAMPLES, find
from pantelos.study import operations as op
from pantelos.study.model import Interval


def from_view(window: Stage) -> None:
    """Make an interval of what is visible."""
    view, study = window.document.view, window.document.study
    same = next((one.name for one in study.intervals if (one.start_s, one.stop_s) == (view.start_s, view.stop_s)), None)
    if same is not None:
        window.document.take(op.activate(study, same), f"activate {same}")
        return
    interval = Interval(op.new_interval_name(study), view.start_s, view.stop_s)
    window.document.take(op.add_interval(study, interval, window.document.grid), f"new {interval.name}")


def zoom_to(window: Stage) -> None:
    """Show the active interval."""
    if window.document.study.active is not None:
        window.traces.intervals.zoom_to(window.document.study.active)


def step_to(window: Stage, step: int) -> None:
    """Make another interval the active one, in the order of time."""
    names = [i.name for i in sorted(window.document.study.intervals, key=lambda i: i.start_s)]
    if window.document.study.active in names:
        window.traces.intervals.activate(names[(names.index(window.document.study.active) + step) % len(names)])


def ask_name(window: Stage) -> None:
    """Ask for another name of the active interval."""
    old = window.document.study.active
    if old is not None:
        name, agreed = QInputDialog.getText(window.widget, "Rename interval", "Name", text=old)
        if agreed:
            window.document.take(op.rename_interval(window.document.study, old, name.strip()), "rename interval")


def ask_edges(window: Stage) -> None:
    """Ask for the edges of the active interval: in seconds, or by a rule that is found again in every record."""
    interval = window.document.study.active_interval
    if interval is None:
        return
    before = interval.rule or f"{interval.start_s:.9g} .. {interval.stop_s:.9g}"
    asked = f"Start and stop in s, or a rule such as  {EXAMPLES[0]}"
    text, agreed = QInputDialog.getText(window.widget, "Edges", asked, text=before)
    if agreed:
        set_edges(window, text)


def set_edges(window: Stage, text: str) -> None:
    """Give the active interval the edges that a text says, in seconds or by rule."""
    study, evaluation = window.document.study, window.document.evaluation
    interval = study.active_interval
    if interval is None or evaluation is None:
        return
    if ".." in text:
        start, stop = op.edges_from(text)
        window.document.take(op.move_interval(study, interval.name, start, stop, window.document.grid), "set edges")
        return

    def take(found: Interval) -> None:
        now = window.document.study
        kept = tuple(found if one.name == found.name else one for one in now.intervals)
        window.document.take(replace(now, intervals=kept), f"place {found.name} by rule")

    by_rule = replace(interval, rule=text)
    window.runner.run("place", lambda progress: find(evaluation, by_rule), take, window.show_error)


def delete(window: Stage) -> None:
    """Remove the active interval."""
    if window.document.study.active is not None:
        window.document.take(op.remove_interval(window.document.study, window.document.study.active), "delete interval")


def ask_place(window: Stage) -> None:
    """Ask for a time, an interval or an event, and go there."""
    study = window.document.study
    known = [i.name for i in study.intervals] + [f"{s.name} 1" for s in study.searches]
    text, agreed = QInputDialog.getItem(window.widget, "Go to", "Time, interval, or event and its number", known, 0, True)
    if agreed:
        go_to(window, text)


def go_to(window: Stage, text: str) -> None:
    """Go to a place as it is typed."""
    place = place_from(window.document.study, text)
    window.show_page(1)
    if place.interval is not None:
        window.traces.intervals.activate(place.interval)
        window.traces.intervals.zoom_to(place.interval)
    elif place.search is not None:
        window.traces.events.go_to(place.search, place.event)
    else:
        view = window.document.view
        window.document.show(view.moved(place.instant_s - (view.start_s + view.stop_s) / 2))


def turn_time_axis(window: Stage) -> None:
    """Let the time axis say time of the record, time since edge a, or the time of day, in turn."""
    study, record = window.document.study, window.document.record
    if record is None:
        return
    modes = ["record", *(["edge a"] if study.active is not None else []), *(["clock"] if record.began is not None else [])]
    after = modes[(modes.index(study.time_axis) + 1) % len(modes)] if study.time_axis in modes else modes[0]
    window.document.take(op.set_time_axis(study, after), f"time axis: {after}")
