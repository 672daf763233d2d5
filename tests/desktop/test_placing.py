"""Looking and placing with mouse and keys in the real window; every step is undone to where it was."""

import math

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent, QImage, QWheelEvent
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMenu, QWidget

from pantelos.desktop.drawing.picture_out import image_of, svg_of
from pantelos.desktop.pictures.screenshots import settle, wait_until
from pantelos.desktop.presenter.destination import place_from
from pantelos.desktop.presenter.reading_columns import ReadingColumn, reading_columns
from pantelos.desktop.presenter.snapping import Snap
from pantelos.desktop.presenter.time_axis import axis_marks, instant_text
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.traces.lane_columns import LABELS, LEFT
from pantelos.errors import StudyError
from pantelos.record.pieces import Grid
from pantelos.record.timing import Began
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.model import EventKind, Interval, Slope
from pantelos.study.shown import Look, Panel

NONE, SHIFT, CTRL, ALT = (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier,
                          Qt.KeyboardModifier.AltModifier)  # fmt: skip
LEFT_BUTTON, MIDDLE = Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton
SECOND = Grid(0.0, 10_000.0, 10_000)


@pytest.fixture
def window(imported_window):
    """A window with u1 (230 V) and i1 (5 A, 60 degrees behind), wired, with accuracy, p1 = u1 * i1, and two intervals."""
    study = op.add_connection(imported_window.document.study, "load", "single-phase")
    for socket, channel, chain in (("u", "u1", "accuracy 0.1 %"), ("i", "i1", "accuracy 0.2 %")):
        study = op.place_channel(op.scale_channel(study, channel, chain), "load", socket, channel)
    study = op.show_alone(op.set_formula(study, "p1 = u1 * i1"), "p1", 9)
    for name, start, stop in (("late", 0.7, 0.9), ("steady", 0.2, 0.6)):
        study = op.add_interval(study, Interval(name, start, stop), SECOND)
    imported_window.document.take(study, "set up")
    imported_window.show_page(1)
    settle(imported_window)
    return imported_window


@pytest.fixture
def undone(window):
    """Check that undo brings the study back to what it was before each gesture."""

    def check(gesture, changed=True):
        before = window.document.study
        gesture()
        settle(window)
        after = window.document.study
        assert (after != before) is changed
        if changed:
            window._actions["edit.undo"].trigger()
            assert window.document.study == before
            window._actions["edit.redo"].trigger()
            assert window.document.study == after
        return after

    return check


def drag(qtbot, widget, start, stop, modifier=NONE, button=LEFT_BUTTON):
    qtbot.mousePress(widget, button, modifier, QPoint(*map(round, start)))
    for share in (0.4, 0.8, 1.0):
        qtbot.mouseMove(widget, QPoint(*(round(a + (b - a) * share) for a, b in zip(start, stop, strict=True))))
    qtbot.mouseRelease(widget, button, modifier, QPoint(*map(round, stop)))


def turn(widget, place, amount, modifier=NONE):
    widget.wheelEvent(QWheelEvent(QPointF(*place), QPointF(*place), QPoint(), QPoint(0, amount), Qt.MouseButton.NoButton, modifier,
                                  Qt.ScrollPhase.NoScrollPhase, False))  # fmt: skip


def hover(window, qtbot, t_s, y):
    qtbot.mouseMove(window.traces.lanes, QPoint(round(window.traces.lanes.places.x_of(t_s)), round(y)))


def y_of(lanes, row, value):
    low, high = lanes.places.value_at(row, row.bottom - 3), lanes.places.value_at(row, row.top + 3)
    return row.bottom - 3 - (value - low) / (high - low) * (row.height - 6)


def entries(menu, path=()):
    """All entries of a menu and its submenus by their texts."""
    found = {}
    for action in menu.actions():
        if action.menu() is not None:
            found |= entries(action.menu(), (*path, action.text()))
        elif action.text():
            found[(*path, action.text())] = action
    return found


def test_lanes_are_collapsed_moved_hidden_and_drawn_otherwise(window, qtbot, undone):
    lanes, page = window.traces.lanes, window.traces
    first = lanes.places.rows()[0]
    study = undone(lambda: qtbot.mouseDClick(lanes, LEFT_BUTTON, NONE, QPoint(16, first.top + 12)))
    assert study.lanes[0].collapsed
    assert lanes.places.rows()[0].height < 30
    undone(lambda: qtbot.mouseDClick(lanes, LEFT_BUTTON, NONE, QPoint(16, lanes.places.rows()[0].top + 10)))
    row = lanes.places.rows()[0]
    study = undone(lambda: drag(qtbot, lanes, (50, row.bottom - 15), (50, lanes.places.rows()[-1].bottom - 4)))
    assert [lane.channels for lane in study.lanes] == [("i1",), ("p1",), ("u1",)]
    window.document.undo()
    hover(window, qtbot, 0.5, lanes.places.rows()[1].top + 20)
    for id_, reached in (("lane.drawing", lambda s: s.lanes[1].drawing == "steps"), ("lane.drawing", lambda s: s.lanes[1].drawing == "points"),
                         ("lane.mean", lambda s: s.look("i1").mean_removed), ("lane.hide", lambda s: all("i1" not in lane.channels for lane in s.lanes)),
                         ("lane.collapse", lambda s: any(lane.collapsed for lane in s.lanes))):  # fmt: skip
        assert reached(undone(window._actions[id_].trigger)), id_
    window.document.show(TimeView(0.2, 0.204))
    lanes.grab()
    qtbot.mouseClick(lanes, LEFT_BUTTON, NONE, QPoint(16, lanes.places.rows()[0].top + 12))
    assert page.selection.channels == ("u1",)
    undone(window._actions["lane.hide"].trigger)


def test_scales_are_moved_zoomed_fitted_and_made_the_same(window, qtbot, undone):
    lanes, axis = window.traces.lanes, (LABELS + LEFT) / 2
    window.document.take(op.set_formula(window.document.study, "u_half = u1 / 2"), "half")
    window.document.take(op.show_alone(window.document.study, "u_half", 9), "show")
    settle(window)
    row = lanes.places.rows()[0]
    before = [lanes.places.value_at(row, y) for y in (row.bottom, row.top)]
    study = undone(lambda: drag(qtbot, lanes, (axis, row.top + 20), (axis, row.top + 40)))
    low, high = study.lanes[0].scale
    assert high - low == pytest.approx((before[1] - before[0]) * (row.height - 6) / row.height, rel=0.02)
    assert high > before[1] * 0.95
    study = undone(lambda: turn(lanes, (axis, row.top + row.height / 2), 120))
    assert study.lanes[0].scale[1] - study.lanes[0].scale[0] == pytest.approx((high - low) / 1.2, rel=1e-6)
    hover(window, qtbot, 0.5, row.top + 20)
    undone(window._actions["scales.lane"].trigger)
    study = undone(window._actions["scales.same"].trigger)
    assert study.lanes[0].scale == study.lanes[3].scale
    assert study.lanes[1].scale is None  # amperes have their own
    undone(lambda: qtbot.mouseDClick(lanes, LEFT_BUTTON, NONE, QPoint(int(axis), row.top + 20)))


def test_a_trace_is_shifted_scaled_and_said_so(window, qtbot, undone, monkeypatch):
    lanes, row = window.traces.lanes, window.traces.lanes.places.rows()[0]
    place = (lanes.places.x_of(0.5), row.top + row.height / 2)
    study = undone(lambda: drag(qtbot, lanes, place, (place[0], place[1] - 15), ALT))
    per_pixel = abs(lanes.places.value_at(row, 11) - lanes.places.value_at(row, 10))
    assert study.look("u1").offset == pytest.approx(15 * per_pixel, rel=0.3)
    study = undone(lambda: turn(lanes, place, 240, ALT))
    assert study.look("u1").factor == pytest.approx(1.44)
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("x 10 - 5 V", True))
    study = undone(lambda: window.traces.lane_tools.ask_look("u1"))
    assert study.look("u1") == Look(10.0, -5.0)
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("lots", True))
    undone(lambda: window.traces.lane_tools.ask_look("u1"), changed=False)
    assert "no factor and offset" in window.notice_bar.text.text()
    undone(lambda: window.traces.lane_tools.draw_as_is("u1"))


def test_sixty_four_channels_are_searched_shown_hidden_and_overlaid(window, qtbot, undone):
    drawer, study = window.traces.drawer, window.document.study
    for k in range(61):
        study = op.set_formula(study, f"v{k:02d} = u1 * {k}")
    window.document.take(study, "many")
    window._actions["lane.all"].trigger()
    settle(window)
    assert drawer.isVisible()
    assert drawer.list.count() == 64
    qtbot.keyClicks(drawer.search, "v1")
    assert "10 of 64" in drawer._count.text()
    drawer.list.selectAll()
    study = undone(lambda: drawer.show_chosen(True))
    assert study.lanes[-1].channels == tuple(f"v{k}" for k in range(10, 20))
    drawer.list.selectAll()
    study = undone(lambda: drawer.show_chosen(False))
    assert [lane.channels for lane in study.lanes[-2:]] == [("v18",), ("v19",)]
    lanes = window.traces.lanes
    assert lanes.minimumHeight() > lanes.places.view_height  # scrolled, not squeezed
    drawer.list.selectAll()
    undone(drawer.hide_chosen)
    drawer.search.setText("")
    drawer.list.selectAll()
    undone(lambda: drawer.show_chosen(True), changed=False)
    assert "several" in window.notice_bar.text.text()
    drawer.list.clearSelection()
    tick = drawer._items()[0]
    undone(lambda: tick.setCheckState(Qt.CheckState.Unchecked))
    qtbot.keyClick(drawer, Qt.Key.Key_Escape)
    assert not drawer.isVisible()


def test_edges_snap_ride_and_are_moved_by_keys(window, qtbot, undone):
    lanes, row = window.traces.lanes, window.traces.lanes.places.rows()[0]
    window.document.show(TimeView(0.15, 0.25))
    y = row.top + 20
    for snap, aim, reached in ((Snap.CROSSING, 0.1815, 0.18), (Snap.EXTREMUM, 0.1763, 0.175), (Snap.CYCLE, 0.1612, 0.16),
                               (Snap.SAMPLE, 0.17003, 0.17)):  # fmt: skip
        window._actions[f"snap.{snap.name.lower()}"].trigger()
        start = window.document.study.active_interval.start_s
        study = undone(
            lambda start=start, aim=aim: drag(qtbot, lanes, (lanes.places.x_of(start), y), (lanes.places.x_of(aim), y))
        )
        found = study.active_interval.start_s
        assert found == pytest.approx(reached, abs=1e-6 if snap is not Snap.SAMPLE else 2e-4), snap
        assert found * 10_000 == pytest.approx(round(found * 10_000), abs=1e-2)
    window._actions["snap.none"].trigger()
    hover(window, qtbot, 0.2125, lanes.places.rows()[1].top + 20)
    study = undone(window._actions["interval.a"].trigger)
    assert study.active_interval.rides == ("i1", None)
    hover(window, qtbot, 0.2225, lanes.places.rows()[1].top + 20)
    study = undone(window._actions["interval.b"].trigger)
    assert study.active_interval.rides == ("i1", "i1")
    assert window.traces.ruler.riding.startswith("Δy")
    lanes.grab()
    before = study.active_interval
    study = undone(window._actions["interval.step_right"].trigger)
    assert study.active_interval.start_s == pytest.approx(before.stop_s)
    undone(window._actions["interval.step_left"].trigger)
    study = undone(window._actions["interval.nudge_b+"].trigger)
    assert study.active_interval.stop_s == pytest.approx(before.stop_s + 1e-4)
    undone(window._actions["interval.nudge_a-"].trigger)


def test_an_interval_is_moved_as_a_whole_noted_and_filled(window, qtbot, undone, monkeypatch):
    ruler, strip, lanes = window.traces.ruler, window.traces.strip, window.traces.lanes
    study = undone(lambda: drag(qtbot, ruler, (lanes.places.x_of(0.4), 28), (lanes.places.x_of(0.5), 28)))
    assert study.active_interval.start_s == pytest.approx(0.3, abs=0.003)
    assert study.active_interval.length_s == pytest.approx(0.4)
    bar = next(rect for rect, name, _ in strip._bars() if name == "steady").center()
    study = undone(lambda: drag(qtbot, strip, (bar.x(), bar.y()), (bar.x() + 60, bar.y())))
    assert study.active_interval.start_s > 0.33
    monkeypatch.setattr(QInputDialog, "getMultiLineText", lambda *a, **k: ("second run\nwarm", True))
    assert undone(window.traces.intervals.ask_note).active_interval.note == "second run\nwarm"
    qtbot.mouseMove(strip, next(rect for rect, name, _ in strip._bars() if name == "steady").center().toPoint())
    assert "second run" in strip.toolTip()
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: ("every 5 cycles", True))
    study = undone(window.traces.intervals.ask_fill)
    assert [i.name for i in study.intervals][2:5] == ["cycles 1", "cycles 2", "cycles 3"]
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: ("now and then", True))
    undone(window.traces.intervals.ask_fill, changed=False)
    assert "not a rule" in window.notice_bar.text.text()


def test_panning_glides_on_and_places_are_typed(window, qtbot, monkeypatch):
    document, lanes = window.document, window.traces.lanes
    document.show(TimeView(0.2, 0.3))
    drag(qtbot, lanes, (lanes.places.x_of(0.28), 40), (lanes.places.x_of(0.26), 40), button=MIDDLE)
    lanes.glide.begin(2.0)
    at_release = document.view.start_s
    wait_until(lambda: not lanes.glide.moving)
    assert document.view.start_s > at_release + 0.01
    study = op.set_search(document.study, window.traces.events.crossing_of("u1", Slope.RISING))
    document.take(study, "events")
    for text, reached in (("0.5 s", 0.5), ("700 ms", 0.7), ("late", 0.8), ("u1_crossing 11", None)):
        monkeypatch.setattr(QInputDialog, "getItem", lambda *a, t=text, **k: (t, True))
        window._actions["view.go"].trigger()
        settle(window)
        if reached is not None:
            assert (document.view.start_s + document.view.stop_s) / 2 == pytest.approx(reached, abs=0.002), text
    assert window.traces.selection.at_event == 10
    with pytest.raises(StudyError, match="is no place"):
        place_from(document.study, "lunch")


def test_the_time_axis_says_time_since_an_edge_or_of_the_day(window, undone):
    study, record = window.document.study, window.document.record
    assert undone(window._actions["view.axis"].trigger).time_axis == "edge a"
    texts = [mark.text for mark in axis_marks(TimeView(0.1, 0.7), window.document.study, record, 6)]
    assert texts == ["a −0.1 s", "a +0.0 s", "a +0.1 s", "a +0.2 s", "a +0.3 s", "a +0.4 s", "a +0.5 s"]
    window.traces.ruler.grab()
    began = type(record)(record.columns, record.grid, record.sources, began=Began(1_700_000_000_123_456_789))
    day = op.set_time_axis(study, "clock")
    assert instant_text(1.0, day, began, 1e-3) == "22:13:21.123"
    assert [mark.text for mark in axis_marks(TimeView(0.0, 4.0), day, began, 4)] == [
        "22:13:21",
        "22:13:22",
        "22:13:23",
        "22:13:24",
    ]
    with pytest.raises(StudyError, match="no time axis"):
        op.set_time_axis(study, "moon")


def test_events_are_made_from_the_menu_stepped_through_and_their_level_dragged(window, qtbot, undone, monkeypatch):
    lanes, page, row = window.traces.lanes, window.traces, window.traces.lanes.places.rows()[0]
    monkeypatch.setattr(QMenu, "exec", lambda menu, *a: entries(menu)["Find events", "rises through a level"].trigger())
    place = QPoint(round(lanes.places.x_of(0.5)), row.top + 20)
    study = undone(
        lambda: lanes.contextMenuEvent(QContextMenuEvent(QContextMenuEvent.Reason.Mouse, place, lanes.mapToGlobal(place)))
    )
    assert (study.searches[0].channel, study.searches[0].level) == ("u1", Level(0.0))
    assert study.panels == (Panel("events", search="u1_crossing"),)
    settle(window)
    body = page.panels.frames[0].body
    assert body.rows.rowCount() == 49
    window.document.show(TimeView(0.3, 0.34))
    window._actions["event.next"].trigger()
    settle(window)
    assert page.selection.at_event is not None
    first = page.selection.at_event
    window._actions["event.next"].trigger()
    settle(window)
    window._actions["event.previous"].trigger()
    settle(window)
    assert page.selection.at_event == first
    assert body.table.currentIndex().row() == first
    qtbot.mouseClick(body.table.viewport(), LEFT_BUTTON, NONE, body.table.visualRect(body.rows.index(first + 1, 1)).center())
    settle(window)
    assert page.selection.at_event == first + 1
    at = window.document.evaluation.times.instant(body.picture.events.positions[first + 1])
    assert window.document.view.start_s < at < window.document.view.stop_s
    lanes.grab()
    row = lanes.places.rows()[0]
    zero = y_of(lanes, row, 0.0)
    x = lanes.places.x_of(window.document.view.start_s) + 30
    study = undone(lambda: drag(qtbot, lanes, (x, zero), (x, y_of(lanes, row, 150.0))))
    assert study.searches[0].level.value == pytest.approx(150, abs=8)
    side = y_of(lanes, row, study.searches[0].level.value + 0.05 * 650)
    study = undone(lambda: drag(qtbot, lanes, (x, side), (x, y_of(lanes, row, study.searches[0].level.value + 80))))
    assert study.searches[0].hysteresis.value * 650 == pytest.approx(80, rel=0.15)
    window.document.undo()
    window.document.undo()
    settle(window)
    page.events.go_to("u1_crossing", 5)
    settle(window)
    study = undone(window._actions["event.zero"].trigger)
    assert study.record.zero_s == pytest.approx(0.12, abs=1e-5)
    assert window.document.view.start_s < 0 < window.document.view.stop_s  # what comes before stays in sight


def test_events_are_typed_as_a_sentence_and_repeats_laid_over_each_other(window, qtbot, undone):
    window.traces.panels.add("events")
    settle(window)
    body = window.traces.panels.frames[0].body
    assert "say above the list" in body._said.text()
    qtbot.keyClicks(body.edit, "ups = i1 rises through 0 A")
    qtbot.keyClick(body.edit, Qt.Key.Key_Return)
    settle(window)
    assert window.document.study.panels == (Panel("events", search="ups"),)
    body = window.traces.panels.frames[0].body
    assert body.rows.rowCount() == 50
    assert body.edit.text() == "i1 rises through 0 mA"  # in the unit the channel is shown in
    body.edit.setText("i1 rises thru")
    body.enter()
    assert "does not say what to look for" in body.message
    body.step(1)
    settle(window)
    assert window.traces.selection.search == "ups"
    undone(lambda: window.traces.panels.add("repeats"))
    settle(window)
    picture = window.traces.panels.frames[1].body.picture
    assert picture.lines[0].endswith("repeats")
    assert np.nanmax(picture.found.mean) == pytest.approx(math.sqrt(2) * 5, rel=1e-3)
    window.traces.panels.frames[1].body.grab()
    odd = window.document.evaluation.times.instant(5000.0)
    window.traces.panels.instants_wanted.emit((odd,))
    assert window.document.view.start_s < odd < window.document.view.stop_s


def test_readings_are_chosen_compared_and_carry_their_accuracy(window, qtbot, undone):
    lanes, menu = window.traces.lanes, window.traces.column_menu
    cells = lanes.painter.cells
    rms = cells["u1", ReadingColumn("rms")]
    assert (rms.value, rms.expanded) == pytest.approx((230, 230 * 0.001 / math.sqrt(3) * 2), rel=1e-3)
    assert cells["p1", ReadingColumn("mean")].expanded == pytest.approx(
        575 * math.hypot(0.001, 0.002) / math.sqrt(3) * 2, rel=1e-3
    )
    study = undone(entries(menu.make(1))["Show here", "amplitude", "crest factor"].trigger)
    assert study.columns.readings == ("rms", "crest", "peak_to_peak")
    assert undone(entries(menu.make(0))["Add a column", "pulse and step", "duty"].trigger).columns.readings[-1] == "duty"
    assert len(undone(entries(menu.make(3))["Remove this column",].trigger).columns.readings) == 3
    assert not undone(entries(menu.make(0))["Show accuracy",].trigger).columns.accuracy
    lanes.grab()
    undone(window._actions["columns.accuracy"].trigger)
    study = undone(window._actions["columns.compare"].trigger)
    assert [column.interval for column in reading_columns(study)] == ["steady", "late"]
    settle(window)
    for how, expected in (("differences to the active interval", 0.0), ("ratios to the active interval", 1.0)):
        undone(lambda how=how: entries(menu.make(0))[how,].trigger())
        settle(window)
        late = reading_columns(window.document.study)[1]
        cell = lanes.painter.cells["u1", late]
        assert cell.value == pytest.approx(expected, abs=1e-9)
        assert math.isnan(cell.expanded) or cell.expanded < 1e-6  # the same gain in both cancels
        window.traces.ruler.grab()
        lanes.grab()
    undone(entries(menu.make(0))["Show readings of the active interval",].trigger)


def test_a_number_explains_itself_is_copied_and_used(window, qtbot):
    lanes = window.traces.lanes
    x = int(lanes.places.columns().readings_left + 0.5 * lanes.places.columns().reading_width)
    qtbot.mouseClick(lanes, LEFT_BUTTON, NONE, QPoint(x, lanes.places.rows()[2].top + 10))
    wait_until(lambda: window.explaining.popup is not None)
    popup = window.explaining.popup
    assert popup.said.value.startswith("995.9 W ±")
    assert {line.input for line in popup.said.budget} == {"gain of u1", "gain of i1"}
    assert "between" in popup.said.range
    popup._copy(popup.said.value)
    assert QApplication.clipboard().text() == popup.said.value
    window.explaining._open(popup.said, QPoint(500, 400))
    window.explaining.popup._use()
    assert window.traces.derive.edit.text() == 'x = rms(p1) in "steady"'
    window.show_page(2)
    window.tables.show_grid()
    settle(window)
    window.tables.select("power")
    column = [c.key for c in window.tables.grid.model.table.columns].index("P")
    window.explaining.popup = None
    window.tables.grid.view.clicked.emit(window.tables.grid.model.index(0, column))
    wait_until(lambda: window.explaining.popup is not None)
    assert window.explaining.popup.said.title.startswith("P of")
    assert "IEEE 1459" in window.explaining.popup.said.text
    window.explaining.popup.close()


def test_checks_are_listed_lead_to_their_place_and_are_mended(window, undone):
    document = window.document
    document.take(op.move_interval(document.study, "steady", 0.2, 0.593, SECOND), "break")
    settle(window)
    window._actions["checks.show"].trigger()
    popup = window.checking.popup
    broken = next(n for n in popup.notices if n.code == "interval.broken-cycles")
    popup.list.setCurrentRow(popup.notices.index(broken))
    assert popup.mend.text() == "Snap steady to whole cycles"
    window.checking.go_to(broken)
    assert document.view.start_s == pytest.approx(0.2, abs=0.05)
    study = undone(lambda: popup._send(popup.remedy_wanted))
    assert study.active_interval.length_s == pytest.approx(0.4, abs=1e-4)
    assert not popup.isVisible()


def test_panels_show_one_against_the_other_values_by_size_and_one_number(window, qtbot, undone):
    for panel in (
        Panel("xy", ("u1", "i1")),
        Panel("histogram", ("u1",)),
        Panel("readout", ("p1",), reading="mean"),
        Panel("edges"),
    ):
        undone(lambda panel=panel: window.traces.panels.add(panel.kind, panel))
    settle(window)
    across, values, number, edges = (frame.body.picture for frame in window.traces.panels.frames)
    assert across.found.phase_ellipse_deg == pytest.approx(-60, abs=0.01)
    assert across.found.phase_spectrum_deg == pytest.approx(-60, abs=1e-6)
    assert not across.warning
    assert across.found.ratio == (1, 1)
    assert values.found.sigma == pytest.approx(230, rel=1e-4)
    assert (number.value, number.unit) == ("575.0", "W")
    assert [row.name for row in edges.rows] == ["u1", "i1", "p1"]
    for frame in window.traces.panels.frames:
        frame.grab()
        frame.fill_menu()
    pick = entries(window.traces.panels.frames[0].menu)
    study = undone(pick["up", "p1"].trigger)
    assert study.panels[0].channels == ("u1", "p1")
    undone(lambda: window.traces.panels._move(0, 2))
    frame = window.traces.panels.frames[0]
    head = frame.findChild(QWidget, "side")
    qtbot.mouseDClick(head, LEFT_BUTTON)
    assert not window.traces.lanes.isVisible()
    qtbot.mouseDClick(head, LEFT_BUTTON)
    assert window.traces.lanes.isVisible()


def test_linked_panels_follow_the_view_and_each_other(window, qtbot):
    for channel in ("u1", "i1"):
        window.traces.panels.add("spectrum", Panel("spectrum", (channel,), linked=True))
    settle(window)
    one, other = (frame.body for frame in window.traces.panels.frames)
    window.document.show(TimeView(0.3, 0.5))
    wait_until(lambda: "0.2 s" in one.picture.caption or one.picture.spacing_hz == pytest.approx(5.0, rel=0.01))
    drag(qtbot, one, (80, 20), (140, 60))
    assert one.span is not None
    assert other.span == one.span


def test_pictures_of_lanes_and_panels_are_saved_and_copied(window, tmp_path, monkeypatch):
    window.traces.panels.add("histogram", Panel("histogram", ("u1",)))
    settle(window)
    window.document.show(TimeView(0.3, 0.9))
    lanes_figure = window.traces.lane_tools.figure(window.traces.lanes.places.rows())
    drawing = svg_of(lanes_figure).decode()
    assert "steady" not in drawing
    assert lanes_figure.caption in drawing
    assert "<polygon" in drawing or "<path" in drawing
    assert image_of(lanes_figure).width() == 2 * lanes_figure.whole.width()
    for name, run in (("lane.png", window._actions["lane.png"].trigger), ("all.svg", window._actions["lane.all_png"].trigger),
                      ("panel.svg", lambda: window.traces.panels._take_picture(0, "svg"))):  # fmt: skip
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, n=name, **k: (str(tmp_path / n), ""))
        run()
        assert (tmp_path / name).stat().st_size > 2000
    assert not QImage(str(tmp_path / "lane.png")).isNull()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "x.bmp"), ""))
    window._actions["lane.png"].trigger()
    assert "written as .png or .svg" in window.notice_bar.text.text()
    window._actions["lane.copy"].trigger()
    assert not QApplication.clipboard().image().isNull()


def test_what_is_missing_masked_or_clipped_can_be_seen(window, tmp_path):
    from pantelos.desktop.presenter.import_plan import ImportPlan, draft

    u = np.clip(400 * np.sin(2 * np.pi * 50 * np.arange(4000) / 10_000), -300, 300)
    rows = ["" if 1000 <= k < 1400 else f"{value:.3f}" for k, value in enumerate(u)]
    path = tmp_path / "holes.csv"
    path.write_text("rate: 10 kHz\nu [V],v [V]\n" + "\n".join(f"{row},1" for row in rows) + "\n")
    window.imports.run(ImportPlan.of((draft(path),), into_open=False))
    settle(window)
    window.document.take(op.show_alone(op.set_formula(window.document.study, "w = u where u > 100 V"), "w", 9), "w")
    window.show_page(1)
    settle(window)
    lanes = window.traces.lanes
    for view in (TimeView(0.0, 0.4), TimeView(0.09, 0.11)):
        window.document.show(view)
        picture = lanes.grab().toImage()
        picture.save("/tmp/clip.png")
        fault = lanes.theme.fault.lower()
        colours = {picture.pixelColor(x, y).name() for x in range(LEFT, lanes.width() - 400, 3) for y in range(0, 300)}
        assert fault in colours  # the caps of clipped samples
    assert window.document.evaluation.drawing.clip_levels("u") == (-300.0, 300.0)
    assert EventKind.GAP.value == "gap"


def test_every_key_does_what_the_menu_says(window, qtbot, undone):
    lanes = window.traces.lanes
    window.activateWindow()
    lanes.setFocus()
    hover(window, qtbot, 0.33, lanes.places.rows()[0].top + 20)
    key = Qt.Key
    for press, modifier, reached in (
        (key.Key_A, NONE, lambda s: s.active_interval.rides[0] == "u1"), (key.Key_L, NONE, lambda s: s.lanes[0].drawing == "steps"),
        (key.Key_M, NONE, lambda s: s.look("u1").mean_removed), (key.Key_F, NONE, lambda s: s.lanes[0].scale is not None),
        (key.Key_K, NONE, lambda s: s.columns.compare == "rms"), (key.Key_T, NONE, lambda s: s.time_axis == "edge a"),
        (key.Key_Right, SHIFT, lambda s: s.active_interval.start_s > 0.5), (key.Key_BracketLeft, NONE, lambda s: True),
        (key.Key_H, NONE, lambda s: all("u1" not in lane.channels for lane in s.lanes)),
    ):  # fmt: skip
        study = undone(lambda press=press, modifier=modifier: qtbot.keyClick(lanes, press, modifier))
        assert reached(study), press
    qtbot.keyClick(lanes, key.Key_C)
    assert window.traces.drawer.isVisible()


def test_readouts_and_table_cells_explain_themselves(window, qtbot):
    window.document.take(op.set_formula(window.document.study, 'share = mean(p1) in "late" / (mean(p1) in "steady")'), "share")
    for panel in (Panel("readout", ("share",)), Panel("readout", ("i1",), reading="crest")):
        window.traces.panels.add("readout", panel)
    settle(window)
    for frame, title in zip(window.traces.panels.frames, ("share", 'crest(i1) in "steady"'), strict=True):
        window.explaining.popup = None
        qtbot.mouseClick(frame.body, LEFT_BUTTON, NONE, QPoint(60, 60))
        wait_until(lambda: window.explaining.popup is not None)
        assert window.explaining.popup.said.title == title
        window.explaining.popup.close()
    window.show_page(2)
    window.tables.show_grid()
    settle(window)
    for table, key, said in (("harmonics", "u1", "Harmonics"), ("comparison", "late", "rms(u1)"), ("readouts", "value", "share"),
                             ("readings", "max", "max(u1)"), ("power", "E_received", "Power")):  # fmt: skip
        window.tables.select(table)
        settle(window)
        shown = window.tables.grid.model.table
        column = [c.key for c in shown.columns].index(key)
        row = next(k for k, cells in enumerate(shown.rows) if isinstance(cells[column], float))
        window.explaining.popup = None
        window.tables.grid.view.clicked.emit(window.tables.grid.model.index(row, column))
        wait_until(lambda: window.explaining.popup is not None)
        assert said in window.explaining.popup.said.text, table
        window.explaining.popup.close()


def test_the_pointer_reads_every_channel_and_leaves_with_the_mouse(window, qtbot):
    lanes = window.traces.lanes
    plain = lanes.grab().toImage()
    hover(window, qtbot, 0.505, lanes.places.rows()[0].top + 20)
    assert lanes.pointer_s == pytest.approx(0.505, abs=0.001)
    assert lanes.grab().toImage() != plain
    assert lanes.places.channel_near(lanes.places.x_of(0.505), lanes.places.rows()[1].top + 10) == "i1"
    lanes.leaveEvent(None)
    assert lanes.pointer_s is None
    assert lanes.grab().toImage() == plain


def test_a_record_of_many_lanes_scrolls_to_the_one_a_check_leads_to(window):
    study = window.document.study
    for k in range(30):
        study = op.show_alone(op.set_formula(study, f"v{k:02d} = u1 * {k}"), f"v{k:02d}", 99)
    window.document.take(study, "many")
    settle(window)
    bar = window.traces._scroll.verticalScrollBar()
    assert bar.value() == 0
    window.traces.show_lane("v29")
    settle(window)
    assert bar.value() > 0
    assert "v29" in window.traces.selection.channels
    window.document.take(op.hide_channel(window.document.study, "v29"), "hide")
    window.traces.show_lane("v29")
    assert window.document.study.lanes[-1].channels == ("v29",)


def test_a_picture_of_panels_that_were_exchanged_meanwhile_is_not_drawn(window):
    for panel in (Panel("xy", ("u1", "i1")), Panel("histogram", ("u1",)), Panel("readout", ("p1",), reading="mean")):
        window.traces.panels.add(panel.kind, panel)
    settle(window)
    row = window.traces.panels
    late = [(frame.panel, frame.body.picture) for frame in row.frames]
    study = window.document.study
    window.document.take(replace(study, panels=study.panels[::-1]), "exchange")
    row._deliver(late)  # of the order before
    assert [frame.body.picture is None for frame in row.frames] == [True, False, True]
    row.grab()  # the one in the middle has its own
    settle(window)
    assert all(frame.body.picture is not None for frame in row.frames)


def test_an_answer_names_the_interval_of_its_formula_and_follows_the_study(window):
    line = window.traces.derive
    line.put('mean(p1) in "late" + mean(p1)')
    line.enter()
    settle(window)
    assert line.said.text() == "1.1500 kW ± 0.0030 kW   in late, steady"  # as many digits as the accuracy deserves
    line.put("rms(u1)")
    line.enter()
    settle(window)
    assert line.said.text().endswith("in steady")
    window.document.take(op.activate(window.document.study, "late"), "activate")
    assert not line.said.isEnabled()  # grey until it is answered anew
    settle(window)
    assert line.said.text().endswith("in late")
    assert line.said.isEnabled()
    window.document.take(op.set_formula(op.rename_channel(window.document.study, "u1", "ua"), "x = ua"), "rename")
    settle(window)
    assert 'no channel or formula "u1"' in line.said.text()


def test_a_formula_says_what_it_replaces_and_undo_takes_back_the_step(window, qtbot):
    line = window.traces.derive
    for text in ("e = integral(p1)", "r = u1 / i1"):
        line.put(text)
        line.enter()
    line.put("p1 = u1 * 2")
    assert "replaces p1 = u1 * i1; e becomes Wb" in line.said.text()
    assert "r becomes" not in line.said.text()
    line.enter()
    settle(window)
    assert window.document.study.formula("p1").expression == "u1 * 2"
    window.traces.derive.edit.setFocus()
    qtbot.keyClick(line.edit, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert (window.document.study.formula("p1").expression, line.edit.text()) == ("u1 * i1", "")


def test_keys_act_only_where_their_effect_is_seen(window, qtbot):
    window.show_page(2)
    window.tables.show_grid()
    settle(window)
    before = window.document.study
    for key in (Qt.Key.Key_H, Qt.Key.Key_S, Qt.Key.Key_L, Qt.Key.Key_M):
        qtbot.keyClick(window, key)
        qtbot.keyClick(window.tables.contents.kinds, key)
    settle(window)
    assert window.document.study == before
    window._actions["lane.drawing"].trigger()  # from the menu it leads there
    settle(window)
    assert window._pages.currentWidget() is window.traces
    assert window.document.study != before
    qtbot.keyClick(window.traces.lanes, Qt.Key.Key_M)
    assert window.document.study.look("u1").mean_removed or window.document.study.look("p1").mean_removed
