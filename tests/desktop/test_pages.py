"""Single pages and parts of the window, by mouse and keys."""

import threading
from concurrent.futures import Future

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from pantelos.desktop.drawing.painting import joined
from pantelos.desktop.importing import ImportDialog
from pantelos.desktop.pictures.screenshots import settle, wait_until
from pantelos.desktop.presenter.import_plan import draft
from pantelos.desktop.runner import Runner
from pantelos.desktop.traces.lane_picture import line_envelope
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import Cancelled, StudyError
from pantelos.formats.dialect import ColumnRole
from pantelos.panels import PANELS, panel_picture
from pantelos.panels.harmonics import HarmonicsPicture
from pantelos.panels.phasors import PhasorPicture
from pantelos.panels.spectral_figure import SpectralPicture
from pantelos.progress import Progress
from pantelos.record.pieces import Grid
from pantelos.study import operations as op
from pantelos.study.importing import import_recording
from pantelos.study.model import Interval, Study
from pantelos.study.opening import preview
from pantelos.study.shown import Panel
from pantelos.study.storage import save_study

SECOND = Grid(0.0, 10_000.0, 10_000)


@pytest.fixture
def window(imported_window):
    """A window with the recording of one phase, nothing wired."""
    return imported_window


def test_sockets_are_reached_by_keys_and_emptied_with_delete(window, qtbot, monkeypatch):
    window.wiring.add("three-phase-4w")
    scheme, chosen = window.wiring.scheme, []
    scheme.socket_chosen.disconnect()
    scheme.socket_chosen.connect(lambda socket, place: chosen.append(socket))
    for key in (Qt.Key.Key_Return, Qt.Key.Key_Right, Qt.Key.Key_Return, Qt.Key.Key_Left, Qt.Key.Key_Space):
        qtbot.keyClick(scheme, key)
    assert chosen == ["u1", "i1", "u1"]
    window.wiring.place("u1", "u1")
    assert window.document.evaluation.references.overall.channel == "u1"
    qtbot.keyClick(scheme, Qt.Key.Key_Delete)
    assert window.document.study.connections[0].sockets == {}
    window.document.undo()
    assert window.document.study.connections[0].sockets == {"u1": "u1"}
    settle(window)
    assert "no channel in u2, u3, i1, i2, i3" in next(n.detail for n in window.checking.notices if n.code == "wiring.incomplete")


def test_a_channel_moves_between_sockets_and_leaves_when_dropped_beside_them(window, qtbot):
    window.wiring.add("dc")
    scheme = window.wiring.scheme
    boxes = {placed.socket: rect for placed, rect in scheme.sockets()}
    scheme.drop_channel("u1", boxes["i"].center())
    scheme.drop_channel("u1", boxes["u"].center())
    assert window.document.study.connections[0].sockets == {"u": "u1"}
    scheme.drop_channel("u1", boxes["u"].topLeft() * 0)
    assert window.document.study.connections[0].sockets == {}
    assert [name for name, _ in scheme.chips()] == ["u1", "i1"]
    window.wiring.change("single-phase")
    window.wiring.add("dc")
    assert [c.wiring for c in window.document.study.connections] == ["single-phase", "dc"]
    window.wiring.tabs.setCurrentIndex(0)
    assert window.wiring.scheme.connection == "DC"
    window.wiring.remove()
    assert len(window.document.study.connections) == 1
    scheme.grab()


def test_the_scaling_table_is_edited_in_place(window, qtbot):
    table = window.wiring.table.chain
    assert table.setData(table.index(0, 2), "±500 V")
    assert table.setData(table.index(1, 0), "iL")
    assert window.document.study.channels[1].name == "iL"
    assert table.data(table.index(0, 5)) == "±500.0 V"
    assert table.setData(table.index(1, 0), "iL") is False  # nothing changed, nothing to undo
    assert table.setData(table.index(1, 0), "u1") is False
    assert "is taken" in window.notice_bar.text.text()
    window.wiring.table.grab()


def test_the_preview_is_corrected_by_hand(qtbot, tmp_path, window):
    path = tmp_path / "odd.csv"
    path.write_text("stamp;a;a\n0;1,5;7\n1;2,5;8\n2;3,5;9\n")
    dialog = ImportDialog(draft(path), window)
    assert not dialog.import_button.isEnabled()
    assert "Neither a time column nor a sample rate" in dialog._problems.text()
    assert dialog.grid.item(0, 2).text() == "a_2"
    dialog.grid.item(0, 2).setText("a")
    assert "stands over columns 2 and 3" in dialog._problems.text()
    dialog.grid.item(0, 2).setText("b")
    dialog.grid.item(1, 1).setText("V")
    box = dialog.grid.cellWidget(2, 0)
    box.setCurrentIndex(list(ColumnRole).index(ColumnRole.TIME))
    box.activated.emit(list(ColumnRole).index(ColumnRole.TIME))
    dialog.grid.item(1, 0).setText("ms")
    assert dialog.draft.problems == ()
    assert dialog.import_button.isEnabled()
    assert "1.0000 kHz" in dialog._summary.text()
    dialog.grid.item(1, 1).setText("parsnip")
    assert "not a known unit" in dialog._problems.text()
    dialog.delimiter.setCurrentIndex(3)
    dialog.delimiter.activated.emit(3)
    assert "there are no rows of numbers" in dialog._problems.text()
    dialog.rate.setText("fast")
    dialog.rate.textEdited.emit("fast")
    assert "not a sample rate" in dialog._problems.text()
    dialog.close()


def test_a_newer_request_replaces_the_older_and_failures_travel(qtbot):
    runner, arrived, failed = Runner(), [], []
    gate = threading.Event()
    runner.run("a", lambda progress: gate.wait() and "old", arrived.append)
    runner.run("a", lambda progress: "new", arrived.append)
    wait_until(lambda: bool(arrived))
    gate.set()

    def fail(progress):
        raise StudyError("no")

    runner.run("b", fail, arrived.append, lambda error: failed.append(str(error)))
    wait_until(lambda: bool(failed))
    runner.failed.connect(lambda error: failed.append("shown"))
    runner.run("b", fail, arrived.append)
    wait_until(lambda: len(failed) == 2)

    def endless(progress):
        while True:
            progress.at(0.5)

    runner.run("c", endless, arrived.append)
    assert runner.busy("c")
    runner.cancel("c")
    assert not runner.busy()
    runner.close()
    assert (arrived, failed) == (["new"], ["no", "shown"])


def test_an_answer_never_arrives_inside_the_call_that_asks(qtbot, monkeypatch):
    class AtOnce:
        def submit(self, job, progress):
            done = Future()
            done.set_result(job(progress))
            return done

        def shutdown(self, **_):
            pass

    runner, arrived = Runner(), []
    runner._pool.shutdown()
    monkeypatch.setattr(runner, "_pool", AtOnce())  # a job that ends before it can be watched
    runner.run("a", lambda progress: 1, arrived.append)
    assert not arrived and runner.busy("a")
    wait_until(lambda: arrived == [1])
    runner.close()


def test_progress_of_parts_adds_up_and_cancelling_reaches_them():
    seen = []
    whole = Progress(seen.append)
    part = whole.part(0.5, 1.0)
    part.at(0.5)
    assert seen == [0.75]
    whole.cancel()
    with pytest.raises(Cancelled):
        part.at(0.6)


def test_panels_say_what_they_show_or_why_they_cannot(evaluation_of, sine):
    evaluation = evaluation_of(
        10_000.0, "single-phase", u=sine(230, 50, seconds=1), i=sine(5, 50, -60, seconds=1) + sine(1, 250, seconds=1)
    )
    study = op.add_interval(evaluation.study, Interval("steady", 0.2, 0.4), SECOND)
    asked = Evaluation(op.add_interval(study, Interval("blink", 0.5, 0.501), SECOND), evaluation.record)
    spectrum = panel_picture(asked, Panel("spectrum", ("u",), "steady"), Progress())
    assert isinstance(spectrum, SpectralPicture)
    assert spectrum.caption.startswith(
        "u · rms · pinned: steady · hann · Δf 5 Hz · one block · blocks of 200 ms, bandwidth 7.50 Hz"
    )
    assert 10 ** spectrum.leading[10] == pytest.approx(230, rel=1e-6)
    harmonics = panel_picture(asked, Panel("harmonics", ("i",), "steady"), Progress())
    assert isinstance(harmonics, HarmonicsPicture)
    assert harmonics.headline.startswith("THD 20.00 %   5.000 A")
    assert harmonics.percent[[0, 4]] == pytest.approx([100, 20], rel=1e-6)
    phasors = panel_picture(asked, Panel("phasors", ("c",), "steady"), Progress())
    assert isinstance(phasors, PhasorPicture)
    assert [np.degrees(arrow.angle_rad) for arrow in phasors.arrows] == pytest.approx([0, -60], abs=1e-3)
    assert phasors.lines[0][0] == "φ1 L   60.00°"
    for kind in ("harmonics", "phasors"):
        with pytest.raises(StudyError, match='"blink" holds no whole cycle of u'):
            panel_picture(asked, Panel(kind, tuple(PANELS[kind].subjects(asked)[:1])), Progress())
    with pytest.raises(StudyError, match="Choose a channel"):
        panel_picture(asked, Panel("spectrum"), Progress())


def test_the_line_between_samples_is_in_every_column_it_crosses():
    x = np.array([-0.5, 1.5, 3.25, 3.75, 9.0])
    values = np.array([0.0, 2.0, -1.0, 4.0, 0.0])
    lows, highs = line_envelope(x, values, 8)
    for share in np.linspace(0, 1, 2001):
        place = -0.5 + share * 9.5
        if 0 <= place < 8:
            value = np.interp(place, x, values)
            assert lows[int(place)] - 1e-9 <= value <= highs[int(place)] + 1e-9
    assert (lows[3], highs[3]) == (-1.0, 4.0)
    assert np.isnan(line_envelope(np.array([2.0, 3.0]), np.array([1.0, 1.0]), 8)[0][5])


def test_neighbouring_columns_of_an_envelope_touch():
    low, high = joined(np.array([0.0, 5.0, np.nan, 1.0]), np.array([1.0, 6.0, np.nan, 2.0]))
    assert low.tolist()[:2] == [0.0, 1.0]
    assert high.tolist()[:2] == [1.0, 6.0]
    assert np.isnan(low[2])


def test_tables_follow_the_ticked_intervals_and_are_copied_with_units(window, qtbot):
    document = window.document
    for name, edges in (("a", (0.1, 0.3)), ("b", (0.5, 0.7))):
        document.take(op.add_interval(document.study, Interval(name, *edges), SECOND), "new")
    window.show_page(2)
    window.tables.show_grid()
    window.tables.select("readings")
    settle(window)
    assert len(window.tables.grid.model.table.rows) == 4
    window.tables.contents.tick_places(["b"])
    settle(window)
    assert {row[0] for row in window.tables.grid.model.table.rows} == {"b"}
    assert window.tables.grid.model.headerData(3, Qt.Orientation.Horizontal) == "mean"
    assert window.document.study.report.intervals == ("b",)  # those of the report, so that sheets and tables are of the same
    window.tables.grid.view.grab()


def test_a_study_whose_record_is_gone_offers_to_find_it(window, qtbot, tmp_path, csv_file):
    study, _ = import_recording(Study(), csv_file, preview(csv_file).dialect)
    save_study(study, tmp_path / "made.pantelos")
    csv_file.rename(tmp_path / "moved.csv")
    window.files.open_study(tmp_path / "made.pantelos")
    settle(window)
    assert "cannot be read" in window.notice_bar.text.text()
    assert window.notice_bar.offers.itemAt(0).widget().text() == "Find the record…"


def test_every_action_runs_from_its_menu(window, qtbot, monkeypatch):
    """Actions that ask something are answered with nothing; none may raise or leave the window broken."""
    from PyQt6.QtWidgets import QFileDialog, QInputDialog

    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: ("", ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([], ""))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: ("", ""))
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("", False))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: ("", False))
    monkeypatch.setattr(QInputDialog, "getMultiLineText", lambda *a, **k: ("", False))
    keys = [action.shortcut().toString() for action in window._actions.values() if not action.shortcut().isEmpty()]
    assert len(keys) == len(set(keys))

    window._actions["interval.view"].trigger()
    settle(window)
    for id_, action in window._actions.items():
        if id_ != "window.close" and not id_.startswith("demo."):  # demos have tests of their own
            assert action.toolTip()
            action.trigger()
            settle(window)
    for child in QApplication.topLevelWidgets():
        if child is not window and child.isVisible():
            child.close()
    assert window.document.record is not None
