"""The Recorder page in the real window: a simulated recorder in a process of its own, shots on an edge, pictures while they come."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from unknown import NO_LIMIT_MS

from pantelos.desktop.files.study_files import Files
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.parts.questions import Answer
from pantelos.desktop.recorder import page as pages
from pantelos.desktop.theme import LIGHT
from pantelos.errors import FileAccessError


@pytest.fixture
def window(qtbot, monkeypatch, tmp_path):
    monkeypatch.setenv("PANTELOS_RECORDINGS", str(tmp_path / "recordings"))
    monkeypatch.setattr(Files, "may_leave", lambda self: True)
    window = MainWindow(LIGHT)
    qtbot.addWidget(window)
    window.resize(1280, 800)
    window.show()
    yield window
    window.recorder.close_down()


@pytest.fixture
def simulated(window, qtbot):
    window.start.recorder_wanted.emit()
    page = window.recorder
    assert page.isVisible() and not page.start.isEnabled()
    page.connecting.simulate()
    qtbot.waitUntil(lambda: page.table.rowCount() == 8, timeout=NO_LIMIT_MS)
    assert "Simulated recorder" in page.connecting.identity.text() and page.start.isEnabled()
    return page


def drag(widget, kind, at):
    buttons = Qt.MouseButton.LeftButton
    event = QMouseEvent(kind, QPointF(*at), widget.mapToGlobal(QPointF(*at)), buttons, buttons, Qt.KeyboardModifier.NoModifier)
    {QMouseEvent.Type.MouseButtonPress: widget.mousePressEvent, QMouseEvent.Type.MouseMove: widget.mouseMoveEvent,
     QMouseEvent.Type.MouseButtonRelease: widget.mouseReleaseEvent}[kind](event)  # fmt: skip


def wheel(widget, x, by):
    none = Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False
    event = QWheelEvent(QPointF(x, 60), QPointF(x, 60), QPoint(), QPoint(0, by), Qt.MouseButton.NoButton, *none)
    widget.wheelEvent(event)


def test_ten_shots_on_an_edge_are_seen_while_they_come_and_open_as_a_study(window, simulated, qtbot):
    page = simulated
    for row in range(3):
        page.table.set_chain(row, "divider 100")
        page.table.set_chain(3 + row, "clamp 100 mV/A")
    page.form.length.setText("4000 samples")
    page.form.before.setText("20 ms")
    page.form.start.setText("u1 rises through 100 V, hysteresis 10 V")
    page.form.shots.setText("10")
    assert "Δf" in page.follows.text() and "12.5" in page.follows.text()
    with qtbot.waitSignal(page.recorded, timeout=NO_LIMIT_MS):
        page.start.click()
        assert page.stop.isEnabled() and not page.start.isEnabled()
        qtbot.waitUntil(lambda: bool(page.live.trace.readings), timeout=NO_LIMIT_MS)
        qtbot.waitUntil(lambda: page.live.panel.canvas._picture is not None, timeout=NO_LIMIT_MS)
    readings = dict(page.live.trace.readings["u1"])
    assert readings["rms"].startswith("230") and readings["rms"].endswith("V")
    page.live.panel.kind.setCurrentIndex(page.live.panel.kind.findData("histogram"))
    page.live.panel.kind.activated.emit(1)
    qtbot.waitUntil(lambda: type(page.live.panel.canvas._picture).__name__ == "HistogramPicture", timeout=NO_LIMIT_MS)
    study = window.document.study
    assert [one.name for one in study.intervals] == [f"shot {k}" for k in range(1, 11)] and not page.isVisible()
    assert study.channel("i1").scaling.recorder_range in (5.0, 10.0)
    window.show_page(3)
    # The last readings are of the last shot, though nothing more comes that would have them taken.
    qtbot.waitUntil(lambda: page.live.trace.readings_are_of_what_is_shown, timeout=NO_LIMIT_MS)
    page.live.earlier.click()
    assert not page.live.trace.readings_are_of_what_is_shown  # grey until its own are there
    qtbot.waitUntil(lambda: page.live.trace.readings_are_of_what_is_shown, timeout=NO_LIMIT_MS)
    assert page.live.live.stretch(page.live.number).shot == 9
    # Shots stand in a row: one is looked at by a click, another held against it, the arrows step.
    row, view = page.live.row, page.live
    assert row.isVisible() and [one.number for one in row.seen] == list(range(1, 11)) and not row._live.seen.odd(0)
    qtbot.mouseClick(row, Qt.MouseButton.LeftButton, pos=QPoint(10, 40))
    first = row._first + 1
    assert view.number == first and view.live.stretch(view.number).shot == first and view.newest.isVisible()
    second = QPoint(130, 40)
    qtbot.mouseClick(row, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, second)
    assert view.trace.against == first + 1
    qtbot.keyClick(row, Qt.Key.Key_Right)
    assert view.number == first + 1 and f"Shot {first + 1}," in row.accessibleDescription() and "V" in row.accessibleDescription()
    drawn = view.trace.grab().toImage()
    view.each.setChecked(False)
    view.band.setChecked(False)
    assert view.trace.grab().toImage() != drawn
    view.newest.click()
    assert view.number is None and view.live.stretch(view.number).shot == 10
    # Settings have become their sentence, the lanes have the width; they come back.
    assert not page.side.isVisible() and page.start.isVisible()
    assert page.folded.sentence.text() == (
        "6 inputs, 4000 samples at 50 kHz, 20 ms before u1 rises through 100 V, hysteresis 10 V, 10 times"
    )
    page.fold(True)  # as a second recording does
    assert page.start.isVisible() and page.folded.row.count() == 4
    page.folded.unfold.click()
    assert page.side.isVisible() and page.start.isVisible() and not page.folded.isVisible()
    # The level is dragged in the waveform, and the sentence says so.
    name, _, lane = page.live.trace._lanes()[0]
    y = float(lane.y(100.0, page.live.trace._scales[name]))
    drag(page.live.trace, QMouseEvent.Type.MouseButtonPress, (lane.left + 50, y))
    drag(page.live.trace, QMouseEvent.Type.MouseMove, (lane.left + 50, y - 10))
    drag(page.live.trace, QMouseEvent.Type.MouseButtonRelease, (lane.left + 50, y - 10))
    assert page._order().start.level > 110 and page.start.isEnabled()


def test_what_cannot_be_is_said_before_the_start_and_what_fails_in_a_sentence(window, simulated, qtbot):
    page = simulated
    page.form.start.setText("u1 rises through 5 A")
    assert "expected V" in page.follows.text() and not page.start.isEnabled()
    page.form.start.setText("now")
    page.form.shots.setText("x")
    assert "no number of shots" in page.follows.text()
    page.form.shots.setText("1")
    page.table.set_chain(0, "shunt five")
    assert page.follows.text().startswith("u1:")
    page.table.set_chain(0, "direct")
    page.form.length.setText("")
    page.start.click()
    qtbot.waitUntil(
        lambda: page.live.live is not None and page.live.live.news is not None and page.live.live.news.n_rows > 2000,
        timeout=NO_LIMIT_MS,
    )
    assert page.live.open.isVisible()
    with qtbot.waitSignal(page.recorded, timeout=NO_LIMIT_MS):  # looked at while it goes on
        page.live.open.click()
    assert page.session.recording and window.document.record.n_samples > 2000
    page.connecting.simulated._process.kill()  # the recorder is gone within the recording
    qtbot.waitUntil(lambda: page.live.state.text().startswith("connection lost for"), timeout=NO_LIMIT_MS)
    assert "the recorder keeps" in page.live.state.text()
    page.stop.click()  # it would be asked again for a minute
    qtbot.waitUntil(lambda: "had arrived and are kept" in window.notice_bar.text.text(), timeout=NO_LIMIT_MS)
    qtbot.waitUntil(lambda: page.live.trace.readings_are_of_what_is_shown, timeout=NO_LIMIT_MS)
    page.live.open.click()  # what came before it failed is a study
    assert str(page._path) in page.live.state.text() and window.document.record.n_samples > 2000
    window.show_page(3)
    page.connecting.address.setText("127.0.0.1:1")
    page.connecting.connect_to_address()
    qtbot.waitUntil(lambda: "No recorder answers" in window.notice_bar.text.text(), timeout=NO_LIMIT_MS)
    assert page.connecting.identity.text() == "Not connected" and not page.start.isEnabled()


def test_what_came_before_can_be_looked_at_while_it_goes_on(window, simulated, qtbot, monkeypatch):
    page, view, trace = simulated, simulated.live, simulated.live.trace
    page.form.length.setText("")
    page.form.rate.setText("200 kS/s")
    page.start.click()
    qtbot.waitUntil(lambda: view.live is not None and view.live.n_rows > 300_000, timeout=NO_LIMIT_MS)
    press, release = QMouseEvent.Type.MouseButtonPress, QMouseEvent.Type.MouseButtonRelease
    box, n = trace._outline_box(), view.live.n_rows
    drag(trace, press, (box.left + 0.2 * box.width, box.top + 5))
    drag(trace, QMouseEvent.Type.MouseMove, (box.left + 0.25 * box.width, box.top + 5))
    drag(trace, release, (box.left + 0.25 * box.width, box.top + 5))
    first, stop = trace._rows_shown()
    assert view.newest.isVisible() and first >= 0.2 * n - 1 and (stop - first) == pytest.approx(0.05 * view.live.n_rows, rel=0.2)
    trace.show_readings({}, (0, 0))
    qtbot.waitUntil(lambda: bool(trace.readings), timeout=NO_LIMIT_MS)
    largest = view.live.values(view.live.news.growing.rows(int(first), int(stop)), 0).max()
    assert dict(trace.readings["u1"])["max"].startswith(f"{largest:.4g}") and largest > 3.2
    wheel(trace, box.left + box.width / 2, -12 * 120)  # more than readings are taken of
    assert trace._rows_shown()[1] - trace._rows_shown()[0] > 5 * (stop - first)
    qtbot.waitUntil(lambda: not trace.readings and "zoom in" in view.panel.canvas._said, timeout=NO_LIMIT_MS)
    seen = [float(np.nanmax(highs)) for _, highs in view.live.bands(*trace._rows_shown(), 600)]
    assert seen[0] == pytest.approx(float(view.live.values(view.live.news.growing.rows(0, 100_000), 0).max()), rel=0.01)
    qtbot.keyClick(trace, Qt.Key.Key_Escape)
    assert not view.newest.isVisible() and trace._rows_shown()[1] > n
    asked = []
    monkeypatch.setattr(pages, "ask", lambda _, said, answers: asked.append(said) or Answer.Cancel)
    assert not window.close() and "goes on" in asked[0] and page.session.recording
    page.stop.click()
    qtbot.waitUntil(lambda: not page.session.recording, timeout=NO_LIMIT_MS)
    wheel(trace, box.left + 10, 120)  # what came stays to be looked at
    assert view.newest.isVisible() and view.live.bands(0, view.live.n_rows, 100)

    def unreadable(*_):
        raise FileAccessError(Path("a"), "read", "the disk is gone", "Look at it.")

    monkeypatch.setattr(view.live.news.growing, "rows", unreadable)
    assert view.live.bands(0, 10, 100) == [] and not trace.grab().isNull()  # painted without what cannot be read


def test_outputs_go_into_the_inputs_while_it_records(window, simulated, qtbot):
    page = simulated
    page.form.outputs.setText("1 = sine 40 A")
    assert "expected V" in page.follows.text() and not page.start.isEnabled()
    page.form.outputs.setText("9 = sine 50 Hz, 2 V")
    assert "no output" in page.follows.text() and not page.start.isEnabled()
    page.form.outputs.setText("1 = sine 50 Hz, 2 V; 2 = square 50 Hz, 1 V")
    page.form.loop.setChecked(True)
    with qtbot.waitSignal(page.recorded, timeout=NO_LIMIT_MS):
        page.start.click()
    qtbot.waitUntil(lambda: bool(page.live.trace.readings), timeout=NO_LIMIT_MS)
    assert dict(page.live.trace.readings["u1"])["rms"].startswith("1.414") and dict(page.live.trace.readings["u2"])[
        "max"
    ].startswith("1.00")


def test_ranges_are_measured_on_request(simulated, qtbot):
    simulated.measure.click()
    qtbot.waitUntil(lambda: simulated.table.box(0, 1).currentText() == "10 V", timeout=NO_LIMIT_MS)
    assert simulated.table.box(3, 1).currentText() in ("5 V", "10 V")
