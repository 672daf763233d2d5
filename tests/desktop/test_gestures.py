"""Gestures and menus one by one: what each does, and that nothing happens where nothing should."""

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent, QDragEnterEvent, QDragMoveEvent, QDropEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QFileDialog, QMenu

from pantelos.desktop.files.samples_dialog import SamplesDialog
from pantelos.desktop.files.study_files import Files
from pantelos.desktop.pictures.screenshots import settle, wait_until
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.traces.lane_changes import CHANNEL_MIME
from pantelos.desktop.traces.lane_columns import LEFT
from pantelos.record.pieces import Grid
from pantelos.study import operations as op
from pantelos.study.model import Interval

NONE, SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
LEFT_BUTTON = Qt.MouseButton.LeftButton


SECOND = Grid(0.0, 10_000.0, 10_000)


@pytest.fixture
def window(imported_window):
    """A window with one phase wired, one formula, one interval."""
    document = imported_window.document
    study = op.add_connection(document.study, "load", "single-phase")
    for socket, channel in (("u", "u1"), ("i", "i1")):
        study = op.place_channel(study, "load", socket, channel)
    study = op.show_alone(op.set_formula(study, "p1 = u1 * i1"), "p1", 9)
    document.take(op.add_interval(study, Interval("steady", 0.2, 0.6), SECOND), "set up")
    imported_window.show_page(1)
    settle(imported_window)
    return imported_window


@pytest.fixture
def chosen(monkeypatch):
    """Menus are not shown: the entry named in `pick` is triggered; all texts are kept."""
    state = {"pick": None, "texts": []}

    def run(menu, *args):
        actions = [action for top in menu.actions() for action in ([top] if top.menu() is None else top.menu().actions())]
        state["texts"] = [action.text() for action in actions]
        for action in actions:
            if action.text() == state["pick"]:
                action.trigger()

    monkeypatch.setattr(QMenu, "exec", run)
    monkeypatch.setattr(QMenu, "popup", run)
    return state


def at(window, t_s, y=40):
    return QPoint(int(window.traces.lanes.places.x_of(t_s)), y)


def hover(widget, place):
    event = QMouseEvent(
        QEvent.Type.MouseMove, QPointF(place), QPointF(place), Qt.MouseButton.NoButton, Qt.MouseButton.NoButton, NONE
    )
    widget.mouseMoveEvent(event)


def turn(widget, place, amount, modifier=NONE):
    widget.wheelEvent(QWheelEvent(QPointF(place), QPointF(place), QPoint(), QPoint(0, amount), Qt.MouseButton.NoButton, modifier,
                                  Qt.ScrollPhase.NoScrollPhase, False))  # fmt: skip


def test_the_pointer_says_what_it_would_take_hold_of(window):
    lanes, ruler = window.traces.lanes, window.traces.ruler
    shapes = []
    for place in (at(window, 0.2), at(window, 0.4), QPoint(20, 30), QPoint(20, lanes.places.rows()[0].bottom)):
        hover(lanes, place)
        shapes.append(lanes.cursor().shape())
    shape = Qt.CursorShape
    assert shapes == [shape.SizeHorCursor, shape.ArrowCursor, shape.OpenHandCursor, shape.SizeVerCursor]
    assert ruler.pointer_s == pytest.approx(0.4, abs=0.005)
    hover(ruler, at(window, 0.6, 20))
    assert ruler.cursor().shape() is shape.SizeHorCursor
    hover(ruler, at(window, 0.4, 20))
    assert ruler.cursor().shape() is shape.SizeAllCursor
    hover(ruler, at(window, 0.4, 5))
    assert ruler.cursor().shape() is shape.CrossCursor


def test_wheel_zooms_at_the_pointer_moves_with_shift_and_scrolls_beside_the_traces(window):
    lanes, document = window.traces.lanes, window.document
    document.show(TimeView(0.2, 0.6))
    turn(lanes, at(window, 0.3), 240)
    assert document.view.length_s == pytest.approx(0.4 * 1.0015**-240, rel=1e-6)
    assert at(window, 0.3).x() == pytest.approx(LEFT + 0.25 * lanes.places.columns().trace_width, abs=3)
    before = document.view
    turn(lanes, at(window, 0.3), 120, SHIFT)
    assert document.view.start_s == pytest.approx(before.start_s - 0.1 * before.length_s)
    now = document.view
    turn(lanes, QPoint(20, 30), 120)
    assert document.view == now


def test_double_click_shows_the_record_and_clicks_on_readings_explain(window, qtbot):
    window.document.show(TimeView(0.2, 0.3))
    qtbot.mouseDClick(window.traces.lanes, LEFT_BUTTON, NONE, at(window, 0.25))
    assert window.document.view == TimeView(0.0, 1.0)
    lanes = window.traces.lanes
    x = int(lanes.places.columns().readings_left + 1.5 * lanes.places.columns().reading_width)
    qtbot.mouseClick(lanes, LEFT_BUTTON, NONE, QPoint(x, lanes.places.rows()[-1].top + 10))
    wait_until(lambda: window.explaining.popup is not None)
    said = window.explaining.popup.said
    assert said.text.startswith('mean(p1) in "steady" = 575.0000')
    assert ("formula", "p1 = u1 * i1") in said.facts
    assert "accuracy not stated: the scaling of i1, u1 states no accuracy" in said.text


def test_crossing_an_edge_over_the_other_puts_it_back(window, qtbot):
    before = window.document.study
    ruler = window.traces.ruler
    qtbot.mousePress(ruler, LEFT_BUTTON, NONE, at(window, 0.2, 20))
    qtbot.mouseMove(ruler, at(window, 0.9, 20))
    qtbot.mouseRelease(ruler, LEFT_BUTTON, NONE, at(window, 0.9, 20))
    assert window.document.study == before
    qtbot.mouseClick(ruler, LEFT_BUTTON, NONE, at(window, 0.4, 20))  # a click alone makes no interval
    assert window.document.study == before


def test_the_menu_of_a_channel(window, chosen):
    lanes = window.traces.lanes
    place = QPoint(20, lanes.places.rows()[-1].top + 12)
    for pick, reached in (
        ("Hide p1", lambda s: all("p1" not in lane.channels for lane in s.lanes)),
        ("Count cycles of p1", lambda s: s.reference == "p1"),
        ("Remove formula p1", lambda s: s.formula("p1") is None),
    ):
        chosen["pick"] = pick
        lanes.contextMenuEvent(QContextMenuEvent(QContextMenuEvent.Reason.Mouse, place, lanes.mapToGlobal(place)))
        assert reached(window.document.study), pick
        if pick == "Hide p1":
            chosen["pick"] = "p1"
            window.traces.channel_menu.show("u1", QPoint())
            assert window.document.study.lanes[-1].channels == ("p1",)
            window.document.undo()
        window.document.undo()
    window.document.take(op.set_formula(window.document.study, "q = p1 * 2"), "q")
    chosen["pick"] = "Remove formula p1"
    window.traces.channel_menu.show("p1", QPoint())
    assert '"p1" is used by q' in window.notice_bar.text.text()


def entries(menu):
    """Yield the actions of a menu and of those within it."""
    for action in menu.actions():
        yield from entries(action.menu()) if action.menu() is not None else [action]


def test_the_menu_of_a_socket_and_of_a_panel(window, chosen, qtbot):
    window.show_page(0)
    chosen["pick"] = "Take i1 out"
    window.wiring.ask_channel("i", QPoint())
    assert "i1" not in window.document.study.connections[0].sockets.values()
    chosen["pick"] = "i1"
    window.wiring.ask_channel("i", QPoint())
    assert window.document.study.connections[0].sockets["i"] == "i1"
    window.traces.panels.add("spectrum")
    settle(window)
    frame = window.traces.panels.frames[0]
    for pick, field, value in (
        ("i1", "channels", ("i1",)),
        ("pin to steady", "interval", "steady"),
        ("flat-top: the size of a tone, within 0.01 dB (bandwidth 3.77 lines", "window", "flat-top"),
    ):
        frame = window.traces.panels.frames[0]
        frame.fill_menu()
        next(action for action in entries(frame.menu) if action.text().startswith(pick)).trigger()
        assert getattr(window.document.study.panels[0], field) == value
    settle(window)
    frame = window.traces.panels.frames[0]
    assert "pinned: steady · flat-top" in frame.body.picture.caption
    turn(frame.body, QPoint(150, 40), 480)
    assert frame.body.span is not None
    qtbot.mouseDClick(frame.body, LEFT_BUTTON)
    assert frame.body.span is None
    frame.fill_menu()
    next(action for action in frame.menu.actions() if action.text() == "Remove panel").trigger()
    assert window.document.study.panels == ()


def test_channels_are_dropped_with_the_mouse(window):
    mime = QMimeData()
    mime.setData(CHANNEL_MIME, b"p1")
    lanes, action, buttons = window.traces.lanes, Qt.DropAction.MoveAction, LEFT_BUTTON
    middle = QPoint(300, lanes.places.rows()[0].top + lanes.places.rows()[0].height // 2)
    enter = QDragEnterEvent(middle, action, mime, buttons, NONE)
    lanes.dragEnterEvent(enter)
    lanes.dragMoveEvent(QDragMoveEvent(middle, action, mime, buttons, NONE))
    assert enter.isAccepted()
    lanes.dropEvent(QDropEvent(QPointF(middle), action, mime, buttons, NONE))
    assert window.document.study.lanes[0].channels == ("u1", "p1")  # watts get an axis at the right
    window.show_page(0)
    scheme = window.wiring.scheme
    box = next(rect for placed, rect in scheme.sockets() if placed.socket == "u")
    place = box.center().toPoint()
    other = QMimeData()
    other.setData(CHANNEL_MIME, b"i1")
    scheme.dragEnterEvent(QDragEnterEvent(place, action, other, buttons, NONE))
    scheme.dragMoveEvent(QDragMoveEvent(place, action, other, buttons, NONE))
    assert scheme._over == "u"
    scheme.grab()
    scheme.dropEvent(QDropEvent(QPointF(place), action, other, buttons, NONE))
    assert window.document.study.connections[0].sockets == {"u": "i1"}
    assert window.document.evaluation.references.overall.channel == "i1"  # the only channel of the connection


def test_the_derive_line_completes_previews_answers_and_refuses(window, qtbot):
    line = window.traces.derive
    line.edit.setFocus()
    line.edit.clear()
    qtbot.keyClicks(line.edit, "me")
    assert "mean" in line.offers.words
    line.offers.choose("mean")
    assert line.edit.text() == "mean(" and "<b>x</b>" in line.help.text()
    qtbot.keyClicks(line.edit, "p1)")
    qtbot.keyClick(line.edit, Qt.Key.Key_Return)
    wait_until(lambda: "in steady" in line.said.text())
    assert line.said.text().startswith("575.00 W")
    line.put("2 * u1")
    line._draw_preview()
    wait_until(lambda: line.preview.values is not None)
    assert np.abs(line.preview.values).max() == pytest.approx(2 * 230 * np.sqrt(2), rel=0.01)
    line.preview.grab()
    line.put("u1 + i1")
    line.enter()
    assert "+" in line.said.text()
    assert window.document.study.formula("u1") is None
    line.put("abs(u1)")
    line.enter()
    wait_until(lambda: "Give it a name" in line.said.text())


def test_the_strip_is_moved_stretched_and_drawn_anew(window, qtbot):
    strip, document = window.traces.strip, window.document
    document.show(TimeView(0.4, 0.6))

    def drag(start, stop):
        for event, t in ((qtbot.mousePress, start), (qtbot.mouseRelease, stop)):
            if event is qtbot.mouseRelease:
                qtbot.mouseMove(strip, QPoint(round(strip._x(t)), 20))
            event(strip, LEFT_BUTTON, NONE, QPoint(round(strip._x(t)), 20))

    drag(0.5, 0.7)
    assert (document.view.start_s, document.view.stop_s) == pytest.approx((0.6, 0.8), abs=0.005)
    drag(0.8, 0.9)
    assert (document.view.start_s, document.view.stop_s) == pytest.approx((0.6, 0.9), abs=0.005)
    drag(0.6, 0.5)
    assert (document.view.start_s, document.view.stop_s) == pytest.approx((0.5, 0.9), abs=0.005)
    drag(0.1, 0.3)
    assert (document.view.start_s, document.view.stop_s) == pytest.approx((0.1, 0.3), abs=0.005)
    bar = next(rect for rect, name, _ in strip._bars() if name == "steady")
    qtbot.mouseDClick(strip, LEFT_BUTTON, NONE, bar.center().toPoint())
    assert document.view.length_s == pytest.approx(0.4 * 1.12, rel=1e-3)


def test_dialogs_of_files_lead_to_files(window, tmp_path, monkeypatch, csv_file):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "named"), ""))
    files: Files = window.files
    files.ask_save()
    assert (tmp_path / "named.pantelos").exists()
    assert not window.document.modified
    window.document.take(op.activate(window.document.study, "steady"), "same")
    files.save()
    files.ask_export("")
    settle(window)
    assert (tmp_path / "named.xlsx").exists()
    files.ask_samples()
    dialog = window.findChild(SamplesDialog)
    dialog.channels.item(0).setCheckState(Qt.CheckState.Unchecked)
    dialog.rate.setText("3 kHz")
    dialog.rate.textEdited.emit("3 kHz")
    assert "no whole part" in dialog.summary.text()
    assert not dialog.accept_button.isEnabled()
    dialog.rate.setText("")
    dialog.rate.textEdited.emit("")
    assert dialog.summary.text().startswith("4 k samples of")
    dialog.accept_button.click()
    settle(window)
    assert "4000 samples of each channel" in window.notice_bar.text.text()
    assert (tmp_path / "named.csv").exists()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "named.pantelos"), ""))
    files.ask_study()
    settle(window)
    assert window.document.path == tmp_path / "named.pantelos"
    csv_file.rename(tmp_path / "moved.csv")
    files.ask_study()
    settle(window)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "moved.csv"), ""))
    window.notice_bar.offers.itemAt(0).widget().click()
    settle(window)
    assert window.document.study.record.files[0].path == str(tmp_path / "moved.csv")
