"""All actions of the window, declared once: menus, shortcuts, search and help are made of this table."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from pantelos.desktop import record_actions

if TYPE_CHECKING:
    from pantelos.desktop.window import Window


class Menu(StrEnum):
    """The menus, in their order."""

    FILE = "&File"
    EDIT = "&Edit"
    RECORD = "&Record"
    VIEW = "&View"
    INTERVAL = "&Interval"
    STUDY = "&Study"
    HELP = "&Help"


class Needs(StrEnum):
    """What must be there for an action to make sense."""

    NOTHING = "nothing"
    RECORD = "record"
    INTERVAL = "interval"


@dataclass(frozen=True, slots=True)
class Command:
    """One action; the method names are looked up on the window when it is made."""

    id: str
    title: str
    menu: Menu
    shortcut: str
    run: "Callable[[Window], None]"
    help: str
    needs: Needs = Needs.RECORD


def commands() -> tuple[Command, ...]:
    """Return the table."""
    return (
        Command("record.open", "Open &record…", Menu.FILE, "Ctrl+R", lambda w: w.imports.ask(),
                "Import one recording or several into a new study", Needs.NOTHING),
        Command("study.open", "&Open study…", Menu.FILE, "Ctrl+O", lambda w: w.files.ask_study(),
                "Open a study and its record", Needs.NOTHING),
        Command("demo.open", "Open the &demo", Menu.FILE, "", lambda w: w.files.open_demo(),
                "Open the acceptance run of the goods lift", Needs.NOTHING),
        Command("study.save", "&Save", Menu.FILE, "Ctrl+S", lambda w: w.files.save(), "Save the study"),
        Command("study.save_as", "Save &as…", Menu.FILE, "Ctrl+Shift+S", lambda w: w.files.ask_save(),
                "Save the study under another name"),
        Command("tables.export", "&Export tables…", Menu.FILE, "Ctrl+E", lambda w: w.files.ask_export(""),
                "Write all tables to CSV, XLSX or JSON"),
        Command("samples.export", "Export sa&mples…", Menu.FILE, "", lambda w: w.files.ask_samples(),
                "Write samples of channels and formulas to a file of any kind that is read"),
        Command("window.close", "&Quit", Menu.FILE, "Ctrl+Q", lambda w: w.leave(), "Close the window", Needs.NOTHING),
        Command("edit.undo", "&Undo", Menu.EDIT, "Ctrl+Z", lambda w: w.document.undo(), "Take the last step back"),
        Command("edit.redo", "&Redo", Menu.EDIT, "Ctrl+Shift+Z", lambda w: w.document.redo(), "Do the step again"),
        Command("derive.focus", "&Derive a channel", Menu.EDIT, "Ctrl+D", lambda w: w.focus_derive(), "Go to the derive line"),
        Command("actions.find", "&Find an action…", Menu.EDIT, "Ctrl+K", lambda w: w.find_action(),
                "Search everything the window can do", Needs.NOTHING),
        Command("record.join", "&Join a recording…", Menu.RECORD, "Ctrl+J", lambda w: w.imports.ask(joining=True),
                "Set one more recording beside or behind those of this study"),
        Command("record.zero", "Time &zero at edge a", Menu.RECORD, "0", record_actions.zero_at_edge,
                "Let time begin at the first edge of the active interval", Needs.INTERVAL),
        Command("record.zero_typed", "Time zero a&t…", Menu.RECORD, "", record_actions.ask_zero,
                "Type the instant that is to read as zero"),
        Command("record.trim", "&Keep only the active interval", Menu.RECORD, "Ctrl+T", record_actions.trim,
                "Look at this stretch only; the recording is not touched", Needs.INTERVAL),
        Command("record.untrim", "Show the &whole record again", Menu.RECORD, "Ctrl+Shift+T", record_actions.untrim,
                "Take back that only a stretch is looked at"),
        Command("record.rate", "&Read at another rate…", Menu.RECORD, "", record_actions.ask_rate,
                "Choose the even grid that an uneven recording is read on"),
        Command("record.relink", "&Find the recording again…", Menu.RECORD, "", lambda w: w.imports.ask_relink(),
                "Take the record from another place, or accept that it has changed"),
        Command("page.wiring", "&Wiring", Menu.VIEW, "F2", lambda w: w.show_page(0), "What each channel is"),
        Command("page.traces", "&Traces", Menu.VIEW, "F3", lambda w: w.show_page(1), "The waveforms, intervals and panels"),
        Command("page.tables", "Ta&bles", Menu.VIEW, "F4", lambda w: w.show_page(2), "The tables of the study"),
        Command("view.in", "Zoom &in", Menu.VIEW, "Ctrl++", lambda w: w.zoom(0.5), "Show half the time, around the middle"),
        Command("view.out", "Zoom &out", Menu.VIEW, "Ctrl+-", lambda w: w.zoom(2.0), "Show twice the time"),
        Command("view.whole", "Whole &record", Menu.VIEW, "Home", lambda w: w.show_whole(), "Show all of the record"),
        Command("view.left", "Move &left", Menu.VIEW, "Ctrl+Left", lambda w: w.pan(-0.25), "Move the view to earlier times"),
        Command("view.right", "Move ri&ght", Menu.VIEW, "Ctrl+Right", lambda w: w.pan(0.25), "Move the view to later times"),
        Command("view.back", "&Previous view", Menu.VIEW, "Alt+Left", lambda w: w.document.show_again(False),
                "Go back to the view before"),
        Command("view.forward", "&Next view", Menu.VIEW, "Alt+Right", lambda w: w.document.show_again(True),
                "Go on to the view after"),
        Command("scales.visible", "&Fit scales to the view", Menu.VIEW, "Ctrl+F", lambda w: w.traces.fit(False),
                "Fit every lane to what is visible, and keep it so"),
        Command("scales.record", "Fit scales to the re&cord", Menu.VIEW, "Ctrl+Shift+F", lambda w: w.traces.fit(True),
                "Fit every lane to the whole record"),
        Command("theme.turn", "Light or dar&k", Menu.VIEW, "F9", lambda w: w.turn_theme(),
                "Change between the light and the dark theme",
                Needs.NOTHING),
        Command("interval.view", "&New from the view", Menu.INTERVAL, "Ctrl+I", lambda w: w.interval_from_view(),
                "Make an interval of what is visible"),
        Command("interval.snap", "&Snap to whole cycles", Menu.INTERVAL, "S", lambda w: w.traces.snap(),
                "Move both edges to whole cycles of the reference channel", Needs.INTERVAL),
        Command("interval.zoom", "&Zoom to it", Menu.INTERVAL, "Z", lambda w: w.zoom_to_interval(),
                "Show the active interval with a little around it", Needs.INTERVAL),
        Command("interval.next", "N&ext interval", Menu.INTERVAL, "Ctrl+Down", lambda w: w.step_interval(1),
                "Make the next interval the active one", Needs.INTERVAL),
        Command("interval.previous", "&Previous interval", Menu.INTERVAL, "Ctrl+Up", lambda w: w.step_interval(-1),
                "Make the previous interval the active one", Needs.INTERVAL),
        Command("interval.rename", "&Rename…", Menu.INTERVAL, "N", lambda w: w.ask_interval_name(),
                "Give the active interval another name", Needs.INTERVAL),
        Command("interval.edges", "Set &edges…", Menu.INTERVAL, "", lambda w: w.ask_edges(),
                "Type start and stop of the active interval", Needs.INTERVAL),
        Command("interval.delete", "&Delete", Menu.INTERVAL, "Ctrl+Backspace", lambda w: w.delete_interval(),
                "Remove the active interval", Needs.INTERVAL),
        Command("panel.spectrum", "Add &spectrum", Menu.STUDY, "", lambda w: w.traces.panels.add("spectrum"),
                "Add a spectrum panel"),
        Command("panel.harmonics", "Add &harmonics", Menu.STUDY, "", lambda w: w.traces.panels.add("harmonics"),
                "Add a harmonics panel"),
        Command("panel.phasors", "Add &phasors", Menu.STUDY, "", lambda w: w.traces.panels.add("phasors"),
                "Add a phasor panel"),
        Command("study.title", "&Title of the study…", Menu.STUDY, "", lambda w: w.ask_title(), "Give the study another title"),
        Command("channel.show", "Show a &channel…", Menu.STUDY, "", lambda w: w.ask_channel(), "Show a channel that is hidden"),
        Command("checks.show", "Show &checks", Menu.STUDY, "F8", lambda w: w.show_checks(),
                "What may be wrong with data or wiring"),
        Command("help.keys", "&Keys and gestures", Menu.HELP, "F1", lambda w: w.show_keys(), "What the mouse and the keys do",
                Needs.NOTHING),
        Command("help.about", "&About Pantelos", Menu.HELP, "", lambda w: w.show_about(), "Version and licence", Needs.NOTHING),
    )  # fmt: skip
