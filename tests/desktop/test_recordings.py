"""Several recordings in the real window: dropped together, joined, moved in time, trimmed, changed on the disk."""

import os

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from pantelos.demo.awkward import write_awkward
from pantelos.desktop.application import _Mishap
from pantelos.desktop.importing import ImportDialog
from pantelos.desktop.pictures.screenshots import settle, wait_until
from pantelos.desktop.presenter.import_plan import ImportPlan, draft, with_rate, with_scale
from pantelos.desktop.presenter.pace import Pace
from pantelos.desktop.presenter.view import TimeView
from pantelos.errors import FileAccessError, PantelosError
from pantelos.settings import change_settings
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.study.opening import record_of
from pantelos.study.storage import load_study


def write(path, column, samples, rate_hz, began):
    rows = "".join(f"{x:.6f}\n" for x in samples)
    path.write_text(f"start time: {began}\nsample rate: {rate_hz} Hz\n{column}\n{rows}")
    return path


@pytest.fixture
def two(tmp_path):
    t = np.arange(10_000) / 10_000
    first = write(tmp_path / "mains.csv", "u1 [V]", 325 * np.sin(2 * np.pi * 50 * t), 10_000, "2026-03-05 10:00:00")
    slow = write(tmp_path / "oil.csv", "oil [°C]", 40 + t[::200], 50, "2026-03-05 10:00:00.2")
    return first, slow


def drop(window, paths):
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    event = QDropEvent(
        QPointF(400, 300), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    window.dropEvent(event)
    settle(window)
    return window.findChild(ImportDialog)


def test_files_dropped_together_become_one_record(empty_window, two, qtbot):
    dialog = drop(empty_window, two)
    assert dialog.windowTitle() == "Import 2 recordings as one record"
    dialog.files.setCurrentRow(1)
    assert dialog.setting.how.currentText() == "by date and time"
    assert "oil" in dialog.grid.item(0, 0).text()
    dialog.grid.cellWidget(4, 0).grab()
    dialog.setting.how.setCurrentIndex(3)
    dialog.setting.how.activated.emit(3)
    assert not dialog.import_button.isEnabled()
    assert "does not say how to set" in dialog._problems.text()
    dialog.setting.operand.setText("0.25")
    dialog.setting.operand.textEdited.emit("0.25")
    assert dialog.plan.settings == ("", "offset 0.25")
    qtbot.mouseClick(dialog.import_button, Qt.MouseButton.LeftButton)
    settle(empty_window)
    record = empty_window.document.record
    assert [column.name for column in record.columns] == ["u1", "oil"]
    assert record.n_samples == 12_500  # a quarter of a second longer
    assert "50.000 Hz is read at 10.000 kHz" in empty_window.notice_bar.text.text()
    oil = empty_window.document.evaluation.samples.waveform("oil").read(0, 12_500)
    assert np.isnan(oil[:2500]).all()
    assert oil[2500] == pytest.approx(40)
    empty_window.show_page(1)
    for view in (TimeView(0.3, 0.5), TimeView(0.3, 0.305), TimeView(0.0, 1.2)):
        empty_window.document.show(view)
        settle(empty_window)
        empty_window.grab()


def test_a_recording_is_joined_to_the_open_study_and_undone(imported_window, two, qtbot, monkeypatch):
    window = imported_window
    before = window.document.study
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([str(two[1])], ""))
    window._actions["record.join"].trigger()
    settle(window)
    dialog = window.findChild(ImportDialog)
    assert dialog.plan.into_open
    qtbot.mouseClick(dialog.import_button, Qt.MouseButton.LeftButton)
    settle(window)
    assert [channel.name for channel in window.document.study.channels][-1] == "oil"
    assert len(window.document.record.sources) == 2
    window._actions["edit.undo"].trigger()
    assert window.document.study == before
    assert len(window.document.record.sources) == 1


def test_zero_and_trim_from_the_menu(imported_window, monkeypatch):
    window, document = imported_window, imported_window.document
    document.take(op.add_interval(document.study, Interval("steady", 0.2, 0.6), document.grid), "new")
    document.show(TimeView(0.1, 0.7))
    window._actions["record.zero"].trigger()
    assert (document.grid.start_s, document.study.intervals[0].start_s) == (pytest.approx(-0.2), 0.0)
    assert (document.view.start_s, document.view.stop_s) == (pytest.approx(-0.1), pytest.approx(0.5))
    window._actions["record.trim"].trigger()
    assert (document.grid.start_s, document.grid.n_samples) == (pytest.approx(0.0, abs=1e-12), 4000)
    assert document.view == document.whole
    window._actions["record.untrim"].trigger()
    assert document.grid.n_samples == 10_000
    answers = iter(["0.1", "soon", "5 kHz"])
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (next(answers), True))
    window._actions["record.zero_typed"].trigger()
    assert document.grid.start_s == pytest.approx(-0.3)
    window._actions["record.zero_typed"].trigger()
    assert "is no instant" in window.notice_bar.text.text()
    window._actions["record.rate"].trigger()
    assert "that filters first" in window.notice_bar.text.text()
    settle(window)


def test_a_file_that_changes_or_goes_while_it_is_open_is_told(imported_window, csv_file):
    window = imported_window
    csv_file.write_text(csv_file.read_text() + "1.0,2.0\n")
    wait_until(lambda: "has changed on the disk" in window.notice_bar.text.text())
    window.notice_bar.offers.itemAt(0).widget().click()
    settle(window)
    assert window.document.record.n_samples == 10_001
    csv_file.unlink()
    wait_until(lambda: "is gone from its folder" in window.notice_bar.text.text())
    assert window.notice_bar.offers.itemAt(0).widget().text() == "Find it…"
    assert window.document.evaluation.samples.waveform("u1").read(0, 1)[0] == pytest.approx(0.0, abs=1e-9)


def test_a_file_that_shrinks_while_it_is_drawn_is_told_and_the_window_stays(empty_window, tmp_path, qtbot):
    window, path = empty_window, tmp_path / "long.npy"
    np.save(path, (1000 * np.sin(np.arange(400_000) * 0.01)).astype("int16").reshape(1, -1))
    window.imports.run(ImportPlan.of((with_rate(draft(path), "100 kHz"),), into_open=False))
    settle(window)
    window.show_page(1)
    settle(window)
    os.truncate(path, 1000)
    with qtbot.capture_exceptions() as caught:
        window.document.show(TimeView(1.0, 1.001))
        settle(window)
        for page in (0, 1):
            window.show_page(page)
            window.grab()
            settle(window)
    assert [error for error in caught if not issubclass(error[0], PantelosError)] == []
    _Mishap(window)(FileAccessError, FileAccessError(path, "read", "it has become shorter", "Close it."), None)
    assert "has become shorter" in window.notice_bar.text.text()
    assert "unexpected" not in window.notice_bar.text.text()
    assert window.document.evaluation.value("ch1") is not None


def test_the_awkward_export_is_understood_whole(tmp_path):
    found = draft(write_awkward(tmp_path / "brake export.csv"))
    assert found.problems == ()
    assert [(c.name, c.unit, c.range) for _, c in found.dialect.channels] == [
        ("brake", "V", 1500),
        ("brake_2", "mA", 3000),
        ("coil", "°C", 100),
    ]
    assert found.rate_hz == 2000
    assert "is not a scale" in with_scale(found, 1, "much").problems[0]
    assert with_scale(found, 1, "2").dialect.columns[1].scale == 2
    plan = ImportPlan.of((found, found), into_open=False)
    assert plan.settings == ("", "behind")  # the same columns: parts of one recording
    assert plan.with_target(True).settings == ("together", "behind")


def test_the_pace_says_speed_and_what_is_left():
    clock = iter([0.0, 0.1, 2.0, 2.0])
    pace = Pace(lambda: next(clock))
    pace.begin("import", 400_000_000)
    assert pace.text("import", 0.1) == ""
    assert pace.text("import", 0.5) == "100 MB/s, 2.0 s left"
    assert pace.text("open", 0.5) == ""


@pytest.mark.parametrize(("dates", "began"), [("month", "2026-03-04"), ("day", "2026-04-03")])
def test_settings_act_in_the_window_and_on_the_command_line_alike(empty_window, tmp_path, invoke, dates, began):
    change_settings(dates=dates, accuracy="0.5 % + 20 mV")
    rows = "".join(f"03/04/2026 10:00:{k:02d},{k % 7}.5,{k}\n" for k in range(50))
    (tmp_path / "a.csv").write_text(f"time,u1 [V],T [°C]\n{rows}")
    empty_window.imports.run(ImportPlan.of((draft(tmp_path / "a.csv"),), into_open=False))
    settle(empty_window)
    done = invoke("new", tmp_path / "a.pantelos", tmp_path / "a.csv")
    assert done.exception is None, done.output
    made, shown = load_study(tmp_path / "a.pantelos"), empty_window.document.study
    assert made.channels == shown.channels and made.record.files[0].dialect == shown.record.files[0].dialect
    assert made.channels[0].scaling.accuracy.gain_percent == 0.5 and made.channels[0].scaling.accuracy.offset == 0.02
    assert made.channels[1].scaling.accuracy is None  # a limit in volts says nothing of a temperature
    assert record_of(made).began.text().startswith(began)
    assert "your settings say so" in done.output
