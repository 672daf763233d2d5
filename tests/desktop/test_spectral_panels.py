"""Spectra in the window: typed settings, edges, panning, a stretch of its own, panels that fill the page, the power chain."""

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFileDialog

from pantelos.desktop.pictures.screenshots import settle
from pantelos.desktop.traces.panels.entries import PanelEntries
from pantelos.record.pieces import Grid
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.study.shown import Panel, Spectral

LEFT_BUTTON, MIDDLE_BUTTON = Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton


@pytest.fixture
def window(imported_window):
    """A window with one phase wired and a spectrum of its voltage."""
    document = imported_window.document
    study = op.add_connection(document.study, "load", "single-phase")
    for socket, channel in (("u", "u1"), ("i", "i1")):
        study = op.place_channel(study, "load", socket, channel)
    study = op.add_interval(study, Interval("steady", 0.2, 0.6), Grid(0.0, 10_000.0, 10_000))
    document.take(op.add_panel(study, Panel("spectrum", ("u1",), spectral=Spectral(span_hz=(0.0, 500.0)))), "set up")
    imported_window.resize(1280, 800)
    imported_window.show_page(1)
    settle(imported_window)
    return imported_window


def panel(window, at=0):
    return window.document.study.panels[at]


def entries(menu):
    for action in menu.actions():
        yield from entries(action.menu()) if action.menu() is not None else [action]


def pick(window, text, at=0):
    frame = window.traces.panels.frames[at]
    frame.fill_menu()
    next(action for action in entries(frame.menu) if action.text().startswith(text)).trigger()
    settle(window)


def test_settings_are_typed_and_what_is_wrong_stands_there(window):
    frame = window.traces.panels.frames[0]
    frame.ask_entries()
    popup = frame.findChildren(PanelEntries)[0]
    line = popup.lines["Resolution"]
    for text, said in (("5 V", "is not understood"), ("20 Hz", "")):
        line.setText(text)
        line.setModified(True)
        line.editingFinished.emit()
        assert said in popup._said.text() or not popup._said.isVisible()
    popup.close()
    settle(window)
    assert panel(window).spectral.resolution == ("spacing", 20.0)
    assert "Δf 20 Hz" in window.traces.panels.frames[0].body.picture.caption


def test_edges_are_dragged_to_tones_and_followed_over_time(window, qtbot):
    pick(window, "Edges a and b")
    body = window.traces.panels.frames[0].body
    assert panel(window).spectral.edges_hz is not None
    reach = body._reach
    start, goal = (body._place_of(f, reach) for f in (panel(window).spectral.edges_hz[1], 52.0))
    qtbot.mousePress(body, LEFT_BUTTON, pos=QPoint(round(start), 60))
    qtbot.mouseMove(body, QPoint(round(goal), 60))
    qtbot.mouseRelease(body, LEFT_BUTTON, pos=QPoint(round(goal), 60))
    settle(window)
    assert panel(window).spectral.edges_hz[1] == pytest.approx(50.0, abs=1.0)  # the tone nearby
    assert "b 50" in window.traces.panels.frames[0].body.picture.edges_text
    pick(window, "Follow the tone at b")
    assert window.document.study.formula("tone_b").expression.startswith("tone(u1, 50 Hz) over blocks")
    assert window.document.evaluation.value("mean(tone_b)").value == pytest.approx(230, rel=1e-3)


def test_frequencies_are_panned_and_the_stretch_is_moved(window, qtbot):
    body = window.traces.panels.frames[0].body
    body.show_span((100.0, 300.0))
    x = round(body._place_of(200.0, body._reach))
    qtbot.mousePress(body, MIDDLE_BUTTON, pos=QPoint(x, 60))
    qtbot.mouseMove(body, QPoint(x - 40, 60))
    qtbot.mouseRelease(body, MIDDLE_BUTTON, pos=QPoint(x - 40, 60))
    assert body.span[0] > 100 and body.span[1] - body.span[0] == pytest.approx(200)
    window.document.take(op.change_panel(window.document.study, 0, replace(panel(window), stretch_s=(0.1, 0.3))), "own")
    settle(window)
    window.traces.panels.frames[0].step(1)
    settle(window)
    assert panel(window).stretch_s == pytest.approx((0.3, 0.5))
    assert "0.3 s to 0.5 s" in window.traces.panels.frames[0].body.picture.caption


def test_panels_fill_the_page_and_numbers_are_written(window, tmp_path, monkeypatch):
    study = window.document.study
    more = [Panel("spectrum", ("i1",)), Panel("spectrogram", ("u1",)), Panel("transfer", ("u1", "i1"))]
    window.document.take(replace(study, panels=(*study.panels, *more)), "four")
    settle(window)
    window.traces.panels.fill_page()
    settle(window)
    assert not window.traces.lanes.isVisible() and window.traces.panels.shelf._sizes == [2, 2]
    spectrogram = window.traces.panels.frames[2].body
    assert spectrogram.message == "" and spectrogram.picture.cursor is None
    window.traces.panels.fill_page()
    settle(window)
    assert window.traces.lanes.isVisible()
    path = tmp_path / "lines.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))
    pick(window, "Save numbers")
    assert "u1 rms [V]" in path.read_text()


def test_the_power_chain_is_typed_shown_and_tabulated_on_request(window):
    study = op.add_connection(window.document.study, "again", "single-phase")
    study = op.place_channel(op.place_channel(study, "again", "u", "u1"), "again", "i", "i1")
    window.document.take(study, "two")
    window.show_page(0)
    strip = window.wiring.power_chain
    assert '"other" is no connection' in strip._typed("load > cable > other")
    assert strip._typed("load > cable > again") == ""
    settle(window)
    assert strip.text == "load > cable > again"
    assert strip.view.found.stages[0].efficiency == pytest.approx(1.0)
    window.show_page(2)
    window.tables.show_grid()
    settle(window)
    window.tables.select("chain")
    settle(window)
    assert window.tables.grid.model.rowCount() == 3
    window.tables.select("power_over_time")
    settle(window)
    assert window.tables.grid.model.rowCount() == 4  # two pieces of 200 ms of each connection
