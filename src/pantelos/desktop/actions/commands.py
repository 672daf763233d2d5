"""All actions of the window, declared once: menus, shortcuts, search and help are made of this table."""

from collections.abc import Callable
from enum import StrEnum

import msgspec

from pantelos.demo.small import SMALL_DEMOS, SmallDemo
from pantelos.desktop.actions import help_actions, record_actions
from pantelos.desktop.actions import interval_actions as on_interval
from pantelos.desktop.actions import view_actions as on_view
from pantelos.desktop.formulas.shelf import FORMULAS, FUNCTIONS
from pantelos.desktop.help.help_window import KEYS
from pantelos.desktop.presenter.snapping import Snap
from pantelos.desktop.stage import Stage
from pantelos.formats.dialect import Side
from pantelos.panels import PANELS
from pantelos.study.groups import GROUPS


class Menu(StrEnum):
    """The menus, in their order."""

    FILE = "&File"
    EDIT = "&Edit"
    RECORD = "&Record"
    VIEW = "&View"
    LANE = "&Lane"
    INTERVAL = "&Interval"
    EVENT = "E&vent"
    STUDY = "&Study"
    HELP = "&Help"


class Needs(StrEnum):
    """What must be there for an action to make sense."""

    NOTHING = "nothing"
    RECORD = "record"
    INTERVAL = "interval"


_ON_TRACES = ("view.", "scales.", "record.zero", "panel.")


class Command(msgspec.Struct, frozen=True):
    """One action; the method names are looked up on the window when it is made."""

    id: str
    title: str
    menu: Menu
    shortcut: str
    run: Callable[[Stage], None]
    help: str
    needs: Needs = Needs.RECORD

    @property
    def on_traces(self) -> bool:
        """Whether its effect is seen on the Traces page alone: its key acts there, from a menu it leads there."""
        there = self.menu in (Menu.LANE, Menu.INTERVAL, Menu.EVENT)
        return (there or self.id.startswith(_ON_TRACES)) and self.id != "view.go"


def _adder(kind: str) -> Callable[[Stage], None]:
    return lambda w: w.traces.panels.add(kind)


def _demo_opener(demo: SmallDemo) -> Callable[[Stage], None]:
    return lambda w: w.files.open_demo(demo)


def _nudger(edge: int, by: int) -> Callable[[Stage], None]:
    return lambda w: w.traces.intervals.nudge(edge, by)


def _inserter(group: str) -> Callable[[Stage], None]:
    return lambda w: w.traces.shelf.formulas.ask_group(group)


def _snapper(snap: Snap) -> Callable[[Stage], None]:
    return lambda w: w.traces.selection.snap_to(snap)


def commands() -> tuple[Command, ...]:
    """Return the table."""
    return (
        Command("record.open", "Open &record…", Menu.FILE, "Ctrl+R", lambda w: w.imports.ask(), "Import one recording or several into a new study", Needs.NOTHING),
        Command("study.open", "&Open study…", Menu.FILE, "Ctrl+O", lambda w: w.files.ask_study(), "Open a study and its record", Needs.NOTHING),
        Command("demo.open", "Open the &demo", Menu.FILE, "", lambda w: w.files.open_demo(), "Open the acceptance run of the goods lift", Needs.NOTHING),
        *(Command(f"demo.{demo.id}", f"Open demo: {demo.title.lower()}", Menu.FILE, "", _demo_opener(demo), demo.help, Needs.NOTHING) for demo in SMALL_DEMOS),
        Command("study.save", "&Save", Menu.FILE, "Ctrl+S", lambda w: w.files.save(), "Save the study"),
        Command("study.save_as", "Save &as…", Menu.FILE, "Ctrl+Shift+S", lambda w: w.files.ask_save(), "Save the study under another name"),
        Command("tables.export", "&Export tables…", Menu.FILE, "Ctrl+E", lambda w: w.files.ask_export(""), "Write all tables to CSV, XLSX or JSON"),
        Command("samples.export", "Export sa&mples…", Menu.FILE, "", lambda w: w.files.ask_samples(), "Write samples of channels and formulas to a file of any kind that is read"),
        Command("window.close", "&Quit", Menu.FILE, "Ctrl+Q", lambda w: w.leave(), "Close the window", Needs.NOTHING),
        Command("edit.undo", "&Undo", Menu.EDIT, "Ctrl+Z", lambda w: w.document.undo(), "Take the last step back"),
        Command("edit.redo", "&Redo", Menu.EDIT, "Ctrl+Shift+Z", lambda w: w.document.redo(), "Do the step again"),
        Command("derive.focus", "&Derive a channel", Menu.EDIT, "Ctrl+D", lambda w: w.focus_derive(), "Go to the derive line"),
        Command("formulas.show", "F&ormulas", Menu.VIEW, "F6", lambda w: w.traces.shelf.open_at(FORMULAS), "List the formulas of the study beside the lanes"),
        Command("functions.show", "F&unctions", Menu.VIEW, "F7", lambda w: w.traces.shelf.open_at(FUNCTIONS), "List all functions by category, with examples that run on the open record"),
        *(Command(f"group.{group.id}", f"Insert {group.title.lower()}…", Menu.STUDY, "", _inserter(group.id), group.help) for group in GROUPS),
        Command("actions.find", "&Find an action…", Menu.EDIT, "Ctrl+K", lambda w: w.find_action(), "Search everything the window can do", Needs.NOTHING),
        Command("record.join", "&Join a recording…", Menu.RECORD, "Ctrl+J", lambda w: w.imports.ask(joining=True), "Set one more recording beside or behind those of this study"),
        Command("record.zero", "Time &zero at edge a", Menu.RECORD, "0", record_actions.zero_at_edge, "Let time begin at the first edge of the active interval", Needs.INTERVAL),
        Command("record.zero_typed", "Time zero a&t…", Menu.RECORD, "", record_actions.ask_zero, "Type the instant that is to read as zero"),
        Command("record.trim", "&Keep only the active interval", Menu.RECORD, "Ctrl+T", record_actions.trim, "Look at this stretch only; the recording is not touched", Needs.INTERVAL),
        Command("record.untrim", "Show the &whole record again", Menu.RECORD, "Ctrl+Shift+T", record_actions.untrim, "Take back that only a stretch is looked at"),
        Command("record.rate", "&Read at another rate…", Menu.RECORD, "", record_actions.ask_rate, "Choose the even grid that an uneven recording is read on"),
        Command("record.primary", "Read as &primary values", Menu.RECORD, "", lambda w: record_actions.read_on_side(w, Side.PRIMARY), "Values recorded beside an instrument transformer, as in front of it"),
        Command("record.secondary", "Read as &secondary values", Menu.RECORD, "", lambda w: record_actions.read_on_side(w, Side.SECONDARY), "Values recorded beside an instrument transformer, as behind it"),
        Command("record.clock", "Accuracy of the &clock…", Menu.RECORD, "", record_actions.ask_time_base, "State how far the clock of the recorder may be off"),
        Command("record.relink", "&Find the recording again…", Menu.RECORD, "", lambda w: w.imports.ask_relink(), "Take the record from another place, or accept that it has changed"),
        Command("page.wiring", "&Wiring", Menu.VIEW, "F2", lambda w: w.show_page(0), "What each channel is"),
        Command("page.traces", "&Traces", Menu.VIEW, "F3", lambda w: w.show_page(1), "The waveforms, intervals and panels"),
        Command("page.tables", "Ta&bles", Menu.VIEW, "F4", lambda w: w.show_page(2), "The report and the tables of the study"),
        Command("page.recorder", "Reco&rder", Menu.VIEW, "F10", lambda w: w.show_page(3), "Record to order with a recorder, or a simulated one", Needs.NOTHING),
        Command("page.campaign", "&Campaign", Menu.VIEW, "F11", lambda w: w.show_page(4), "Do the open study again on many records", Needs.NOTHING),
        Command("view.in", "Zoom &in", Menu.VIEW, "Ctrl++", lambda w: on_view.zoom(w, 0.5), "Show half the time, around the middle"),
        Command("view.out", "Zoom &out", Menu.VIEW, "Ctrl+-", lambda w: on_view.zoom(w, 2.0), "Show twice the time"),
        Command("view.whole", "Whole &record", Menu.VIEW, "Home", on_view.show_whole, "Show all of the record"),
        Command("view.left", "Move &left", Menu.VIEW, "Ctrl+Left", lambda w: on_view.pan(w, -0.25), "Move the view to earlier times"),
        Command("view.right", "Move ri&ght", Menu.VIEW, "Ctrl+Right", lambda w: on_view.pan(w, 0.25), "Move the view to later times"),
        Command("view.back", "&Previous view", Menu.VIEW, "Alt+Left", lambda w: w.document.show_again(False), "Go back to the view before"),
        Command("view.forward", "&Next view", Menu.VIEW, "Alt+Right", lambda w: w.document.show_again(True), "Go on to the view after"),
        Command("scales.visible", "&Fit scales to the view", Menu.VIEW, "Ctrl+F", lambda w: w.traces.lane_tools.fit(False), "Fit every lane to what is visible, and keep it so"),
        Command("scales.record", "Fit scales to the re&cord", Menu.VIEW, "Ctrl+Shift+F", lambda w: w.traces.lane_tools.fit(True), "Fit every lane to the whole record"),
        Command("scales.lane", "Fit this &lane", Menu.LANE, "F", lambda w: w.traces.lane_tools.fit_lane(), "Fit the lane under the pointer to what is visible, and keep it so"),
        Command("scales.same", "Same scale for &this unit", Menu.LANE, "Shift+F", lambda w: w.traces.lane_tools.same_scale(), "Give all lanes of the unit of this lane one scale"),
        Command("lane.hide", "&Hide", Menu.LANE, "H", lambda w: w.traces.lane_tools.hide(), "Hide the chosen channels, or those of the lane under the pointer"),
        Command("lane.collapse", "&Collapse or open", Menu.LANE, "Shift+H", lambda w: w.traces.lane_tools.collapse(), "Collapse the lane under the pointer to one line, or open it"),
        Command("lane.drawing", "Line, &steps or points", Menu.LANE, "L", lambda w: w.traces.lane_tools.turn_drawing(), "Draw samples of the lane under the pointer joined, as steps, or as points"),
        Command("lane.mean", "&Mean away or back", Menu.LANE, "M", lambda w: w.traces.lane_tools.remove_mean_chosen(), "Draw the chosen channels without their mean; numbers are not touched"),
        Command("lane.all", "&All channels", Menu.LANE, "C", lambda w: w.traces.toggle_drawer(), "Search, show, hide and overlay channels in one list"),
        Command("lane.png", "&Picture of this lane…", Menu.LANE, "", lambda w: w.traces.lane_tools.picture("png"), "Save the lane under the pointer with axes and caption as PNG or SVG"),
        Command("lane.all_png", "Picture of all lan&es…", Menu.LANE, "", lambda w: w.traces.lane_tools.picture("png", every=True), "Save all lanes with axes and caption as PNG or SVG"),
        Command("lane.copy", "C&opy picture of this lane", Menu.LANE, "", lambda w: w.traces.lane_tools.picture("copy"), "Put a picture of the lane under the pointer on the clipboard"),
        Command("columns.compare", "Compare &intervals", Menu.LANE, "K", lambda w: w.traces.toggle_compare(), "One column per interval instead of one per reading, or back"),
        Command("columns.accuracy", "Show accurac&y", Menu.LANE, "", lambda w: w.traces.toggle_accuracy(), "Show or hide the accuracy of readings; it is computed in any case"),
        Command("view.go", "&Go to…", Menu.VIEW, "Ctrl+G", on_interval.ask_place, "Type a time, an interval, or an event"),
        Command("view.axis", "Time a&xis: record, edge a, clock", Menu.VIEW, "T", on_interval.turn_time_axis, "Let the time axis say time of the record, since edge a, or of the day"),
        Command("theme.turn", "Light or dar&k", Menu.VIEW, "F9", lambda w: w.turn_theme(), "Change between the light and the dark theme", Needs.NOTHING),
        Command("interval.view", "&New from the view", Menu.INTERVAL, "Ctrl+I", on_interval.from_view, "Make an interval of what is visible"),
        Command("interval.snap", "&Snap to whole cycles", Menu.INTERVAL, "S", lambda w: w.traces.intervals.snap(), "Move both edges to whole cycles of the reference channel", Needs.INTERVAL),
        Command("interval.zoom", "&Zoom to it", Menu.INTERVAL, "Z", on_interval.zoom_to, "Show the active interval with a little around it", Needs.INTERVAL),
        Command("interval.next", "N&ext interval", Menu.INTERVAL, "Ctrl+Down", lambda w: on_interval.step_to(w, 1), "Make the next interval the active one", Needs.INTERVAL),
        Command("interval.previous", "&Previous interval", Menu.INTERVAL, "Ctrl+Up", lambda w: on_interval.step_to(w, -1), "Make the previous interval the active one", Needs.INTERVAL),
        Command("interval.rename", "&Rename…", Menu.INTERVAL, "N", on_interval.ask_name, "Give the active interval another name", Needs.INTERVAL),
        Command("interval.edges", "Set &edges…", Menu.INTERVAL, "", on_interval.ask_edges, "Type start and stop of the active interval", Needs.INTERVAL),
        Command("interval.note", "N&ote…", Menu.INTERVAL, "", lambda w: w.traces.intervals.ask_note(), "Write a note on the active interval", Needs.INTERVAL),
        Command("interval.fill", "&Fill by rule…", Menu.INTERVAL, "", lambda w: w.traces.intervals.ask_fill(), "Make intervals every so many cycles, every so much time, or between events"),
        Command("interval.a", "Edge &a to the pointer", Menu.INTERVAL, "A", lambda w: w.traces.intervals.edge_to_pointer(0), "Bring edge a to the pointer and let it ride on the trace there"),
        Command("interval.b", "Edge &b to the pointer", Menu.INTERVAL, "B", lambda w: w.traces.intervals.edge_to_pointer(1), "Bring edge b to the pointer and let it ride on the trace there"),
        Command("interval.step_right", "Step &right by its length", Menu.INTERVAL, "Shift+Right", lambda w: w.traces.intervals.step(1), "Move the active interval to where it ends", Needs.INTERVAL),
        Command("interval.step_left", "Step &left by its length", Menu.INTERVAL, "Shift+Left", lambda w: w.traces.intervals.step(-1), "Move the active interval so that it ends where it began", Needs.INTERVAL),
        *(
            Command(f"interval.nudge_{letter}{sign}", f"Edge {letter} one sample {way}", Menu.INTERVAL, key, _nudger(edge, by), f"Move edge {letter} of the active interval by one sample", Needs.INTERVAL)
            for edge, letter, sign, way, key, by in ((0, "a", "-", "left", "[", -1), (0, "a", "+", "right", "]", 1), (1, "b", "-", "left", "{", -1), (1, "b", "+", "right", "}", 1))
        ),
        *(Command(f"snap.{snap.name.lower()}", f"Edges snap to {snap}", Menu.INTERVAL, "", _snapper(snap), f"Let a dragged edge go to {snap}") for snap in Snap),
        Command("event.next", "&Next event", Menu.EVENT, "E", lambda w: w.traces.events.step(1), "Go to the event after this one"),
        Command("event.previous", "&Previous event", Menu.EVENT, "Shift+E", lambda w: w.traces.events.step(-1), "Go to the event before this one"),
        Command("event.zero", "Time &zero here", Menu.EVENT, "Shift+0", lambda w: w.traces.events.zero_here(), "Let time begin at the event the view stands at"),
        Command("event.list", "&List of events", Menu.EVENT, "", _adder("events"), "Say what to look for, and list what is found"),
        Command("event.repeats", "Lay &repeats over each other", Menu.EVENT, "", _adder("repeats"), "Lay the stretches around events over each other"),
        Command("interval.delete", "&Delete", Menu.INTERVAL, "Ctrl+Backspace", on_interval.delete, "Remove the active interval", Needs.INTERVAL),
        *(Command(f"panel.{of.id}", f"Add {of.title}", Menu.STUDY, "", _adder(of.id), of.help) for of in PANELS),
        Command("panel.page", "Panels &fill the page, or back", Menu.VIEW, "F5", lambda w: w.traces.panels.fill_page(), "Give the page to the panels, set out side by side and below each other, or bring the traces back"),
        Command("study.title", "&Title of the study…", Menu.STUDY, "", lambda w: w.ask_title(), "Give the study another title"),
        Command("checks.show", "Show &checks", Menu.STUDY, "F8", lambda w: w.checking.show(), "What may be wrong with data or wiring"),
        Command("settings.show", "Se&ttings…", Menu.EDIT, "Ctrl+,", help_actions.show_settings, "Colours, how tables are written, usual limits, what is remembered", Needs.NOTHING),
        Command("help.show", "&Help on this", Menu.HELP, "F1", lambda w: w.help_desk.show(), "Open the documentation at what is under the pointer", Needs.NOTHING),
        Command("help.keys", "&Keys and gestures", Menu.HELP, "", lambda w: w.help_desk.show(KEYS), "What the mouse and the keys do", Needs.NOTHING),
        Command("help.facts", "Report &facts", Menu.HELP, "", help_actions.copy_facts, "Copy versions, sizes and the last errors, without data, for a report of a fault", Needs.NOTHING),
        Command("help.about", "&About Pantelos", Menu.HELP, "", lambda w: help_actions.show_about(w.widget), "Version and licence", Needs.NOTHING),
    )  # fmt: skip


def shortcuts() -> list[tuple[str, str]]:
    """Return titles of actions and their keys."""
    return [(c.title.replace("&", "").replace("…", ""), c.shortcut) for c in commands() if c.shortcut]
