"""The real window, driven by mouse and keys without a display."""

import json
from datetime import datetime

import msgspec
import openpyxl
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication

from pantelos.desktop.application import _Mishap
from pantelos.desktop.importing import ImportDialog
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.pictures.screenshots import settle, wait_until
from pantelos.desktop.presenter.import_plan import ImportPlan, draft
from pantelos.desktop.presenter.ledger import lane_axes
from pantelos.desktop.presenter.reading_columns import ReadingColumn
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.theme import DARK, LIGHT
from pantelos.desktop.traces.lane_changes import drop_channel
from pantelos.desktop.traces.lane_places import heights
from pantelos.study.recovery import Recovery
from pantelos.study.storage import load_study


@pytest.fixture
def window(empty_window):
    """A window with nothing open."""
    return empty_window


@pytest.fixture
def opened(window, csv_file):
    """A window with the recording of one phase, wired, and an interval of ten cycles."""
    window.imports.run(ImportPlan.of((draft(csv_file),), into_open=False))
    settle(window)
    window.wiring.add("single-phase")
    for socket, channel in (("u", "u1"), ("i", "i1")):
        window.wiring.place(socket, channel)
    window.show_page(1)
    settle(window)
    return window


def x_of(window, t_s):
    return int(window.traces.lanes.places.x_of(t_s))


def drag(qtbot, widget, start, stop, modifier=Qt.KeyboardModifier.NoModifier, button=Qt.MouseButton.LeftButton):
    qtbot.mousePress(widget, button, modifier, QPoint(*start))
    for share in (0.3, 0.7, 1.0):
        place = QPoint(*(round(a + (b - a) * share) for a, b in zip(start, stop, strict=True)))
        qtbot.mouseMove(widget, place)
    qtbot.mouseRelease(widget, button, modifier, QPoint(*stop))


def test_from_a_recording_to_a_spreadsheet_whose_power_equals_the_command_lines(
    window, csv_file, qtbot, tmp_path, monkeypatch, invoke
):
    assert window._pages.currentWidget() is window.start
    window.files.open_paths([csv_file])
    settle(window)
    dialog = window.findChild(ImportDialog)
    assert "10000 samples per second" in dialog._reasons.text()
    dialog.grid.item(0, 1).setText("iL")
    qtbot.mouseClick(dialog.import_button, Qt.MouseButton.LeftButton)
    settle(window)
    assert window._pages.currentWidget() is window.wiring
    window.wiring.add("single-phase")
    scheme = window.wiring.scheme
    for name, socket in (("u1", "u"), ("iL", "i")):
        rect = next(r for placed, r in scheme.sockets() if placed.socket == socket)
        scheme.drop_channel(name, rect.center())
    window.show_page(1)
    settle(window)
    drag(qtbot, window.traces.ruler, (x_of(window, 0.21), 20), (x_of(window, 0.68), 20))
    settle(window)
    assert window.document.study.active == "interval 1"
    qtbot.keyClicks(window.traces.derive.edit, "p1 = u1 * iL")
    assert window.traces.derive.said.text().startswith("✓ W")
    qtbot.keyClick(window.traces.derive.edit, Qt.Key.Key_Return)
    window._actions["interval.snap"].trigger()
    settle(window)
    assert window.header.whole.text() == "whole cycles"
    assert window.traces.lanes.painter.cells["p1", ReadingColumn("mean")].value == pytest.approx(575, rel=1e-6)
    window.document.save(tmp_path / "made.pantelos")
    window.show_page(2)
    window.tables.show_grid()
    settle(window)
    window.tables.export(tmp_path / "made.xlsx")
    settle(window)
    sheet = openpyxl.load_workbook(tmp_path / "made.xlsx")["Power and energy"]
    found = dict(zip((c.value for c in sheet[1]), (c.value for c in sheet[2]), strict=True))
    printed = invoke("tables", str(tmp_path / "made.pantelos"), "--table", "power", "--json").stdout
    asked = json.loads(printed)["tables"][0]["rows"][0]
    assert found["P [W]"] == asked["P"]
    assert found["P [W]"] == pytest.approx(575, rel=1e-6)
    assert not window.document.modified


def test_edges_are_dragged_zoomed_panned_and_every_step_is_undone(opened, qtbot):
    window, document = opened, opened.document
    drag(qtbot, window.traces.ruler, (x_of(window, 0.2), 25), (x_of(window, 0.6), 25))
    before = document.study
    drag(qtbot, window.traces.lanes, (x_of(window, document.study.active_interval.stop_s), 60), (x_of(window, 0.8), 60))
    assert document.study.active_interval.stop_s == pytest.approx(0.8, abs=0.005)
    window._actions["edit.undo"].trigger()
    assert document.study == before
    whole = document.view
    drag(qtbot, window.traces.lanes, (x_of(window, 0.3), 30), (x_of(window, 0.5), 36))
    assert (document.view.start_s, document.view.stop_s) == pytest.approx((0.3, 0.5), abs=0.005)
    zoomed = document.view
    drag(qtbot, window.traces.lanes, (x_of(window, 0.4), 60), (x_of(window, 0.35), 60), button=Qt.MouseButton.MiddleButton)
    assert document.view.start_s == pytest.approx(zoomed.start_s + 0.05, abs=0.005)
    place = QPointF(x_of(window, 0.45), 60)
    window.traces.lanes.wheelEvent(QWheelEvent(place, place, QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton,
                                               Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False))  # fmt: skip
    assert document.view.length_s < zoomed.length_s
    for _ in range(3):
        window._actions["view.back"].trigger()
    assert document.view == whole
    drag(qtbot, window.traces.lanes, (x_of(window, 0.7), 60), (x_of(window, 0.9), 70), Qt.KeyboardModifier.ShiftModifier)
    assert document.study.active_interval.start_s == pytest.approx(0.7, abs=0.005)
    drag(qtbot, window.traces.strip, (int(window.traces.strip._x(0.2)), 20), (int(window.traces.strip._x(0.2)) + 1, 20))
    bar = next(rect for rect, name, _ in window.traces.strip._bars() if name == "interval 1")
    qtbot.mouseClick(window.traces.strip, Qt.MouseButton.LeftButton, pos=bar.center().toPoint())
    assert document.study.active == "interval 1"


def test_lanes_are_overlaid_split_resized_zoomed_and_fitted(opened, qtbot):
    window, document, lanes = opened, opened.document, opened.traces.lanes
    window.traces.derive.put("u_half = u1 / 2")
    window.traces.derive.enter()
    settle(window)
    top = lanes.places.rows()
    drop_channel(window.document, lanes.places, "u_half", top[0].top + top[0].height / 2)
    assert document.study.lanes[0].channels == ("u1", "u_half")
    drop_channel(window.document, lanes.places, "i1", top[0].top + top[0].height / 2)
    assert document.study.lanes[0].channels == ("u1", "u_half", "i1")
    volts, amperes = lane_axes(document.evaluation, document.study.lanes[0])  # a second unit, a second axis
    assert (volts.channels, amperes.channels) == (("u1", "u_half"), ("i1",))
    assert amperes.scale == pytest.approx((-8.2, 8.2), rel=0.01)
    settle(window)
    row = lanes.places.rows()[0]
    assert heights(row, document.evaluation, "i1", [amperes.scale[1]]) == heights(
        row, document.evaluation, "u1", [volts.scale[1]]
    )
    assert not lanes.grab().isNull()
    at = heights(row, document.evaluation, "i1", [4.0])[0]
    assert lanes.places.value_at(row, at, "i1") == pytest.approx(4.0)  # what is dragged there is on its own axis
    assert lanes.places.value_at(row, at) > 100  # and not on that of the volts
    window.traces.derive.put("p_new = u1 * i1")
    window.traces.derive.enter()
    settle(window)
    drop_channel(window.document, lanes.places, "p_new", top[0].top + top[0].height / 2)  # a third unit has no axis left
    assert ("p_new",) in [lane.channels for lane in document.study.lanes]
    for _ in range(3):
        document.undo()
    drop_channel(window.document, lanes.places, "u_half", lanes.places.rows()[-1].bottom - 2)
    assert document.study.lanes[-1].channels == ("u_half",)
    height = lanes.places.rows()[0].height
    drag(qtbot, lanes, (20, lanes.places.rows()[0].bottom), (20, lanes.places.rows()[0].bottom + 60))
    assert lanes.places.rows()[0].height > height
    row = lanes.places.rows()[0]
    drag(qtbot, lanes, (x_of(window, 0.1), row.top + 10), (x_of(window, 0.2), row.top + row.height // 2))
    low, high = document.study.lanes[0].scale
    assert -50 < low < high < 400
    window._actions["scales.record"].trigger()
    assert document.study.lanes[0].scale is None
    window._actions["scales.visible"].trigger()
    assert all(lane.scale is not None for lane in document.study.lanes)
    settle(window)
    grabbed = window.grab().toImage()
    assert grabbed.width() >= 1100


def test_panels_tables_theme_and_scaling_table_follow_the_study(opened, qtbot):
    window = opened
    for kind in ("spectrum", "harmonics", "phasors"):
        window._actions[f"panel.{kind}"].trigger()
    settle(window)
    assert [frame.body.message for frame in window.traces.panels.frames] == ["", "", ""]
    spectrum = window.traces.panels.frames[0].body
    drag(qtbot, spectrum, (90, 20), (150, 60))
    assert spectrum.span is not None
    spectrum.grab()
    window.show_page(0)
    table = window.wiring.table.chain
    assert table.setData(table.index(1, 3), "clamp 1 A/V") is False
    assert "as in clamp" in window.notice_bar.text.text()
    table.turn_over(1)
    settle(window)
    assert any("back to the supply" in notice.text for notice in window.checking.notices)
    window.set_theme(DARK)
    window.show_page(2)
    window.tables.show_grid()
    settle(window)
    window.tables.select("power")
    at = [column.key for column in window.tables.grid.model.table.columns].index("P")
    assert window.tables.grid.model.index(0, at).data().startswith("−575")
    window.tables.grid.copy()
    assert "P [W]" in QApplication.clipboard().text()


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("gone.csv", None, "cannot be read"), ("empty.csv", "", "the file is empty"), ("bad.pantelos", "{", "cannot be read as JSON"),
        ("gone.pantelos", None, "cannot be read"),
    ],
)  # fmt: skip
def test_bad_files_are_said_under_the_header_and_change_nothing(opened, tmp_path, name, content, said):
    study = opened.document.study
    if content is not None:
        (tmp_path / name).write_text(content)
    opened.files.open_paths([tmp_path / name])
    settle(opened)
    assert said in opened.notice_bar.text.text()
    assert opened.notice_bar.isVisible()
    assert opened.document.study == study


def test_a_ragged_file_fails_after_the_preview_without_losing_the_open_study(opened, tmp_path):
    path = tmp_path / "ragged.csv"
    path.write_text("rate: 1 kHz\nu [V],i [A]\n" + "1,2\n" * 50 + "1,2,3\n")
    before = opened.document.record
    opened.imports.run(ImportPlan.of((draft(path),), into_open=False))
    settle(opened)
    assert "line 53 has 3 columns" in opened.notice_bar.text.text()
    assert opened.document.record is before


def test_a_full_disk_on_save_is_said_and_nothing_is_lost(opened, tmp_path, monkeypatch):
    path = tmp_path / "made.pantelos"
    opened.document.save(path)
    opened.wiring.add("dc")

    def full(handle):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    opened._actions["study.save"].trigger()
    assert "no space left on device" in opened.notice_bar.text.text()
    assert opened.document.modified
    assert len(load_study(path).connections) == 1


def test_what_was_not_saved_is_kept_for_recovery(opened, window):
    opened.document.keep_now()
    assert load_study(opened.document.recovery.path) == opened.document.study
    opened.document.forget_recovery()
    assert not opened.document.recovery.path.exists()


def test_after_a_crash_the_first_page_offers_what_was_kept(opened, qtbot, monkeypatch):
    crashed, record = opened.document.study, opened.document.record
    mishap = _Mishap(opened)
    mishap(ValueError, ValueError("a mistake of ours"), None)
    assert "Your study was kept aside" in opened.notice_bar.text.text()
    assert Recovery().found() == []  # a window that lives keeps its own
    opened.document.recovery.release()  # as the end of its process does
    after = MainWindow(LIGHT)
    after.show()
    offered = [after.start._recovery.itemAt(at).widget() for at in range(after.start._recovery.count())]
    assert f'Open "{crashed.title}"' in offered[0].text() and f"{datetime.now():%Y-%m-%d}" in offered[0].text()
    offered[0].click()
    settle(after)
    assert (after.document.study, after.document.record.fingerprint) == (crashed, record.fingerprint)
    assert after.document.modified
    after.close()
    assert after.document.recovery.found() == []  # discarded on purpose
    after.deleteLater()


def test_two_windows_on_one_study_keep_both_versions_and_what_each_has_not_saved(opened, qtbot, tmp_path, monkeypatch):
    path = tmp_path / "shared.pantelos"
    opened.document.save(path)
    other = MainWindow(LIGHT)
    other.show()
    other.files.open_study(path)
    settle(other)
    for window, title in ((opened, "first"), (other, "second")):
        window.document.take(msgspec.structs.replace(window.document.study, title=title), "title")
        window.document.keep_now()
    assert {load_study(w.document.recovery.path).title for w in (opened, other)} == {"first", "second"}
    other.files.save()
    opened.files.save()
    assert "was saved by another window" in opened.notice_bar.text.text()
    assert (load_study(path).title, load_study(tmp_path / "shared (2).pantelos").title) == ("second", "first")
    assert not any(w.document.recovery.path.exists() for w in (opened, other))
    other.close()
    other.deleteLater()


def test_the_demo_opens_without_a_name_and_leaves_nothing_to_save(window, qtbot):
    window.files.open_demo()
    settle(window)
    assert window.document.study.title == "goods lift, acceptance 3"
    assert window.document.path is None
    assert not window.document.modified
    assert window._pages.currentWidget() is window.traces
    assert window.header.checks.text() == "⚑ 2 checks"


def test_everything_can_be_found_by_typing_and_run_with_enter(opened, qtbot):
    opened._actions["actions.find"].trigger()
    dialog = next(child for child in opened.findChildren(object) if type(child).__name__ == "FindAction")
    qtbot.keyClicks(dialog.edit, "interval view")
    qtbot.keyClick(dialog.edit, Qt.Key.Key_Return)
    assert opened.document.study.active == "interval 1"
    opened.document.show(TimeView(0.1, 0.2))
    opened._actions["interval.zoom"].trigger()
    assert opened.document.view.length_s > 0.9
    opened.traces.explain.emit("u1", "rms", None, QPoint(300, 300))
    wait_until(lambda: opened.explaining.popup is not None)
    assert 'rms(u1) in "interval 1" = 230.00000 V' in opened.explaining.popup.said.text
