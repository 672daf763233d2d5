"""What a user expects of any program of the desktop: help, hints, settings, recent files, a log, facts for a report."""

import logging
import stat

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from pantelos.desktop.actions.find_action import FindAction, findables
from pantelos.desktop.help.help_desk import help_place
from pantelos.desktop.help.logbook import begin_log
from pantelos.desktop.help.settings_dialog import SettingsDialog
from pantelos.desktop.importing.dialog import ImportDialog
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.pictures.screenshots import settle
from pantelos.desktop.presenter.import_plan import ImportPlan, draft
from pantelos.desktop.theme import DARK, LIGHT
from pantelos.help_pages import help_pages, search_pages
from pantelos.paper import hues
from pantelos.progress import Progress
from pantelos.settings import change_settings, load_settings
from pantelos.study import operations as op
from pantelos.study.importing import import_recording
from pantelos.study.model import ChannelSetup, Interval, Study
from pantelos.study.shown import Lane


def test_the_documentation_is_read_and_searched_in_the_window(imported_window):
    window = imported_window
    window.show_page(1)
    settle(window)
    panels = window.traces.panels
    assert help_place(window, panels.mapTo(window, QPoint(20, 10))) == "user-guide#Panels"
    window.help_desk.show()
    help_window = window.help_desk.shown
    assert help_window.isVisible() and "Traces (F3)" in help_window.text.toPlainText()
    help_window.search.setText("hysteresis")
    found = [help_window.list.item(row).text() for row in range(help_window.list.count())]
    assert len(found) > 3 and all("hysteresis" in text.lower() for text in found)
    assert help_window.text.textCursor().selectedText()  # it stands at the place
    window._actions["help.keys"].trigger()
    assert "Ctrl+K" in help_window.text.toPlainText()
    assert search_pages(help_pages(), "no such words as these") == []
    help_window.close()


def test_a_hint_is_shown_once_per_page_and_goes_for_good(imported_window):
    window = imported_window
    window.show_page(0)
    assert window.hint.isVisible()
    window.hint.put_away()
    window.show_page(1)
    assert window.hint.isVisible()  # that of another page
    window.show_page(0)
    assert not window.hint.isVisible()
    assert load_settings().hints_seen == ("wiring",)


def test_recent_files_are_offered_and_forgotten(imported_window, csv_file, tmp_path):
    window = imported_window
    window.document.save(tmp_path / "mine.pantelos")
    window.files.open_study(tmp_path / "mine.pantelos")
    settle(window)
    window.recent.fill()
    assert [action.text() for action in window.recent.actions()] == [str(tmp_path / "mine.pantelos"), str(csv_file)]
    after = MainWindow(LIGHT)
    after.show()
    names = [after.start._recent.itemAt(at).widget().text() for at in range(after.start._recent.count())]
    assert names[0] == "Opened last" and names[1].startswith("mine.pantelos")
    dialog = SettingsDialog(after.settings_changed, after)
    assert str(csv_file)[-12:] in dialog.remembered.text().replace("\u200b", "")
    dialog.forget.click()
    assert (dialog.remembered.text(), load_settings().recent, after.start._recent.count()) == ("nothing", (), 0)
    dialog.close()
    after.close()
    after.deleteLater()


def test_settings_are_taken_at_once_and_hold(empty_window, csv_file, tmp_path, qtbot):
    dialog = SettingsDialog(empty_window.settings_changed, empty_window)
    dialog.theme.setCurrentIndex(2)
    dialog.theme.activated.emit(2)
    assert empty_window.theme is DARK and load_settings().theme == "dark"
    dialog.theme.setCurrentIndex(1)
    dialog.theme.activated.emit(1)
    dialog.accuracy.setText("often")
    dialog.accuracy.editingFinished.emit()
    assert "is not a part of a scaling chain" in dialog._said.text() and load_settings().accuracy == ""
    dialog.accuracy.setText("0.5 %")
    dialog.accuracy.editingFinished.emit()
    dialog.numbers.setCurrentIndex(1)
    dialog.numbers.activated.emit(1)
    dialog.close()
    empty_window.imports.run(ImportPlan.of((draft(csv_file),), into_open=False))
    settle(empty_window)
    assert {c.scaling.accuracy.gain_percent for c in empty_window.document.study.channels} == {0.5}  # and it is seen in the table
    empty_window.show_page(2)
    empty_window.tables.show_grid()
    settle(empty_window)
    empty_window.tables.select("readings")
    empty_window.tables.export(tmp_path / "t.csv", alone=True)
    settle(empty_window)
    text = (tmp_path / "t.csv").read_text()
    assert text.count("# table ") == 1 and "# table readings;" in text.replace('"', "")
    assert any(cell.replace(",", "", 1).isdigit() and "," in cell for line in text.splitlines() for cell in line.split(";"))
    (tmp_path / "settings").mkdir()
    change_settings(theme="")


@pytest.mark.parametrize(("setting", "month"), [("", 4), ("day", 4), ("month", 3)])
def test_dates_that_may_be_read_both_ways_follow_the_settings_and_say_so(setting, month, tmp_path):
    path = tmp_path / "dated.csv"
    path.write_text("when,u [V]\n" + "\n".join(f"03/04/2026 10:00:0{k},{k}" for k in range(9)) + "\n")
    change_settings(dates=setting)
    found = draft(path)
    notice = next(notice for notice in found.preview.told if "are read with" in notice.text)
    assert ("your settings say so" in notice.detail) == bool(setting)
    study, recordings = import_recording(Study(), path, found.dialect, Progress(), found.preview)
    assert np.datetime64(recordings.record(study.record).began.ns, "ns").astype(str)[:10] == f"2026-{month:02}-{7 - month:02}"


def test_the_facts_of_a_report_hold_errors_and_no_data(imported_window):
    handlers = begin_log()
    logging.getLogger("pantelos").error("something of ours broke")
    for handler in handlers:
        logging.getLogger().removeHandler(handler)
        handler.close()
    imported_window._actions["help.facts"].trigger()
    text = QApplication.clipboard().text()
    assert text.startswith("Pantelos ") and "10000 samples at 10000 Hz" in text and "something of ours broke" in text
    assert "u1" not in text and imported_window.document.record.source.name not in text


def test_the_desktop_learns_of_the_program(invoke, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    printed = invoke("desktop-entry").stdout
    assert "MimeType=application/x-pantelos-study;" in printed and "Exec=" in printed and "open %f" in printed
    written = [tmp_path / p for p in ("applications/pantelos.desktop", "mime/packages/pantelos.xml",
                                      "icons/hicolor/scalable/apps/pantelos.svg")]  # fmt: skip
    assert invoke("desktop-entry", "--install").exit_code == 0
    assert all(path.exists() for path in written)
    assert written[0].read_text() == printed
    assert b"<svg" in written[2].read_bytes() and written[0].stat().st_mode & stat.S_IRUSR
    assert invoke("desktop-entry", "--remove").exit_code == 0
    assert not any(path.exists() for path in written)


@pytest.fixture
def finder(imported_window):
    window = imported_window
    window.document.take(op.add_interval(window.document.study, Interval("idle", 0.1, 0.4), window.document.grid), "interval")
    things = findables(window, [(command, window._actions[command.id]) for command in window._commands])
    made = FindAction(window, things, window)
    yield made
    made.close()


@pytest.mark.parametrize(
    ("typed", "first"),
    [
        ("event", "Next event"), ("fft", "Add spectrum"), ("thd", "Add harmonics"), ("xy", "Add x–y"), ("bode", "Add output against input"),
        ("lissajous", "Add x–y"), ("cursor", "Edge a"), ("filter", "Functions"), ("average", "Functions"), ("annotation", "Note"),
        ("delete idle", "Delete · interval idle"), ("trigger", "Next event"), ("print", "Hand over: PDF"), ("bundle", "Hand over: bundle"),
        ("u1", "Channel u1"), ("interval idle", "Interval idle"), ("spektrum", "Add spectrum"), ("settings", "Settings"),
    ],
)  # fmt: skip
def test_what_is_meant_is_found_by_the_words_of_the_trade(finder, typed, first):
    finder.edit.setText(typed)
    shown = [finder.list.item(k).text() for k in range(min(finder.list.count(), 4))]
    assert any(text.lower().startswith(first.lower()) for text in shown), shown


def test_what_nothing_is_called_leads_to_help_or_a_word(finder):
    finder.edit.setText("hysteresis")
    assert finder.list.item(0).text().startswith("Help: ")
    finder.edit.setText("qqqqzzz")
    assert "Nothing is called that" in finder.list.item(0).text()
    finder._run()  # nothing happens


def test_a_study_that_cannot_be_opened_asks_nothing(imported_window, tmp_path, monkeypatch):
    asked = []
    monkeypatch.setattr(type(imported_window.files), "may_leave", lambda self: asked.append(1) or True)
    (tmp_path / "broken.pantelos").write_text("{")
    before = imported_window.document.study
    imported_window.files.open_study(tmp_path / "broken.pantelos")
    settle(imported_window)
    assert not asked and imported_window.document.study is before
    assert "broken.pantelos" in imported_window.notice_bar.text.text()


def test_several_cells_of_the_preview_are_edited_at_once(empty_window, tmp_path, qtbot):
    path = tmp_path / "plain.csv"
    rows = "\n".join(f"{np.sin(k / 9):.4f},{np.cos(k / 9):.4f},{k % 7}" for k in range(200))
    path.write_text("a,b,c\n" + rows + "\n")
    empty_window.files.open_paths([path])
    settle(empty_window)
    dialog = empty_window.findChild(ImportDialog)
    assert QApplication.focusWidget() is dialog.rate  # what is missing
    QTest.keyClicks(dialog.rate, "1 kHz")
    grid = dialog.grid
    grid.setRangeSelected(grid_range(1, 0, 1), True)
    grid.item(1, 0).setText("mA")
    assert [column.unit for column in dialog.draft.dialect.columns] == ["mA", "mA", "1"]
    QTest.keyClick(grid, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    settle(empty_window)
    assert [channel.recorder_unit for channel in empty_window.document.study.channels] == ["mA", "mA", "1"]


def grid_range(row, first, last):
    from PyQt6.QtWidgets import QTableWidgetSelectionRange

    return QTableWidgetSelectionRange(row, first, row, last)


def test_a_formula_is_edited_from_its_label(imported_window, qtbot):
    window = imported_window
    window.document.take(op.show_alone(op.set_formula(window.document.study, "p1 = u1 * i1"), "p1", 0), "derive")
    window.show_page(1)
    settle(window)
    lanes = window.traces.lanes
    row = lanes.places.rows()[0]
    label = next(rect for rect, name in lanes.painter.labels(row, lanes.places.columns()) if name == "p1")
    qtbot.mouseDClick(lanes, Qt.MouseButton.LeftButton, pos=label.center().toPoint())
    assert window.traces.derive.edit.text() == "p1 = u1 * i1"
    assert not window.document.study.lanes[0].collapsed


@pytest.mark.parametrize("n", [2, 6, 64])
def test_channels_without_a_conductor_are_told_apart(n):
    names = tuple(f"x{k}" for k in range(n))
    together = Study(channels=tuple(ChannelSetup(name, name) for name in names), lanes=(Lane(names),))
    assert len({hues.conductor(together, name) for name in names}) == min(n, len(hues.APART))
    assert {LIGHT.conductor(hues.conductor(together, name)).name() for name in names[:6]} != {LIGHT.conductor("").name()}
    alone = Study(channels=together.channels, lanes=tuple(Lane((name,)) for name in names))
    assert {hues.conductor(alone, name) for name in names} == {""}


def test_formulas_and_intervals_are_applied_in_whatever_order(invoke, csv_file, tmp_path):
    study = tmp_path / "any.pantelos"
    made = invoke("new", study, csv_file, "--formula", "p2 = p1 * 2", "--formula", 's = mean(p1) in "late"', "--formula",
                  "p1 = u1 * i1", "--connection", "c=dc: u=u1, i=i1", "--interval", "late=0.2..0.6")  # fmt: skip
    assert made.exit_code == 0
    assert invoke("value", study, 'mean(p2) in "late"').exit_code == 0
