"""The Tables page in the real window: sheets, declarations, verdicts, events that lead to the traces, files written."""

import pytest
from PyQt6.QtCore import QModelIndex, QPoint, Qt, QUrl
from PyQt6.QtWidgets import QApplication

from pantelos.demo.small import ensure_small_demo, small_demo
from pantelos.desktop.files.study_files import Files
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.pictures.screenshots import settle
from pantelos.desktop.theme import DARK, LIGHT
from pantelos.reading.kinds import READINGS
from pantelos.sheets.blocks import CellGrid
from pantelos.study import operations as op
from pantelos.study.storage import load_study


@pytest.fixture
def window(qtbot, monkeypatch):
    monkeypatch.setattr(Files, "may_leave", lambda self: True)
    window = MainWindow(LIGHT)
    qtbot.addWidget(window)
    window.show()
    return window


@pytest.fixture(scope="module")
def written(tmp_path_factory):
    """The incidents, written once."""
    return ensure_small_demo(small_demo("incidents"), tmp_path_factory.mktemp("incidents"))


@pytest.fixture
def incidents(window, written):
    window.files.open_study(written)
    settle(window)
    window.show_page(2)
    settle(window)
    return window


def shown(window, id_):
    window.tables.select(id_)
    settle(window)
    return window.tables.sheet.toPlainText()


def test_what_is_declared_changes_the_verdicts_and_can_be_undone(incidents):
    window, page = incidents, incidents.tables
    text = shown(window, "quality")
    assert "Magnitude U" in text and "inside" in text and page.supply.isVisible()
    page.supply.voltage.setText("260 V")
    page.supply._take_voltage()
    settle(window)
    assert window.document.study.quality.U_din == 260.0 and "insufficient data" in page.sheet.toPlainText()
    page.supply.more.setText("dip = 60 %, I_L = 20 A")
    page.supply._take_more()
    assert (window.document.study.quality.dip, window.document.study.quality.inputs) == (0.6, {"I_L": 20.0})
    page.supply.more.setText("dip = a")
    page.supply._take_more()
    assert "no number" in window.notice_bar.text.text() and page.supply.more.text() == "dip = a"
    for _ in range(2):
        window.document.undo()
    settle(window)
    assert window.document.study.quality.U_din == 230.0
    page.supply.sets.menu().aboutToShow.emit()
    action = next(a for a in page.supply.sets.menu().actions() if "low voltage" in a.text())
    action.trigger()
    settle(window)
    assert window.document.study.quality.sets == ("own", "en50160-lv") and "EN 50160" in page.sheet.toPlainText()


def test_columns_are_ticked_and_dragged(incidents):
    window, page = incidents, incidents.tables
    assert "class" in shown(window, "disturbances")
    titles = [page.columns.list.item(k).text() for k in range(page.columns.list.count())]
    assert titles[0] == "event" and "class" in titles
    page.columns.list.item(titles.index("class")).setCheckState(Qt.CheckState.Unchecked)
    settle(window)
    assert "columns left out: class" in page.sheet.toPlainText()
    model = page.columns.list.model()
    assert model.moveRow(QModelIndex(), 4, QModelIndex(), 0)
    settle(window)
    choice = window.document.study.report.columns["disturbances"]
    assert choice.order[:2] == (titles[4], "event") and choice.left_out == ("class",)
    assert next(block for block in page.sheet.sheet.blocks if isinstance(block, CellGrid)).columns[1].title == titles[4]
    page.columns.menu().actions()[-1].trigger()
    settle(window)
    assert not window.document.study.report.columns and "left out" not in page.sheet.toPlainText()


def test_a_parameter_stands_as_a_lane_and_comes_back_unchanged(incidents):
    window, page = incidents, incidents.tables
    shown(window, "quality")
    actions = {action.text(): action for action in page.supply.over_time.menu().actions()}
    actions["U of each cycle, every half-cycle"].trigger()
    settle(window)
    lane = window.document.study.lanes[-1].channels
    assert [name.removesuffix("_half") for name in lane] == ["u1", "u2", "u3"] and window.traces.isVisible()
    dip = window.document.evaluation.reading(READINGS["min"], (lane[0],), "whole record").value
    assert 0 <= dip < 0.9 * 230
    n_formulas = len(window.document.study.formulas)
    page._show_course("half")
    assert len(window.document.study.formulas) == n_formulas and window.document.study.lanes[-1].channels == lane
    window.document.take(op.set_formula(window.document.study, "u1_pst = u1 * 2"), "a formula of that name")
    page._show_course("pst")
    assert "another formula already" in window.notice_bar.text.text()


def test_an_event_leads_to_the_traces_and_a_number_explains_itself(incidents):
    window, view = incidents, incidents.tables.sheet
    assert "interruption" in shown(window, "disturbances")
    link = next(part for part in view.toHtml().split('"') if part.startswith("at:"))
    view.anchorClicked.emit(QUrl(link))
    settle(window)
    seen = window.document.view
    assert window.traces.isVisible() and seen.start_s < 20 < seen.stop_s < 21
    window.show_page(2)
    shown(window, "quality")
    window.tables.explain.emit(view._abouts[0], QPoint(10, 10))
    settle(window)
    assert "verdict" in window.explaining.popup.text.text()


def test_sheets_are_arranged_left_out_and_written(incidents, tmp_path):
    window, page = incidents, incidents.tables
    first = page.contents.kinds.item(0)
    first.setCheckState(Qt.CheckState.Unchecked)
    page.accuracy.setChecked(False)
    page.worst.setChecked(False)
    report = window.document.study.report
    assert not report.sheets[0].on and not report.accuracy and not report.worst_first
    for suffix in (".html", ".pdf", ".xlsx", ".pantelos-bundle"):
        path = tmp_path / f"made{suffix}"
        page.write(path)
        settle(window)
        assert path.stat().st_size > 2000 and window.notice_bar.text.text().startswith(f"{path}: ")
        assert [window.notice_bar.offers.itemAt(k).widget().text() for k in range(2)] == ["Open", "Show folder"]
    assert "Channels" not in (tmp_path / "made.html").read_text()
    page.accuracy.setChecked(True)  # what was written is no longer what the study says
    assert not window.notice_bar.isVisible()
    window.document.undo()
    shown(window, "disturbances")
    page.sheet.copy()
    copied = QApplication.clipboard().mimeData()
    assert copied.hasHtml() and "\t" in copied.text()
    window.set_theme(DARK)
    settle(window)
    window.document.forget_changes()
    window.files.open_paths([tmp_path / "made.pantelos-bundle"])
    settle(window)
    assert window.document.path == tmp_path / "made" / "made.pantelos" and load_study(window.document.path).report == report


def test_a_number_is_put_on_the_users_own_sheet_and_what_cannot_be_filled_says_why(window, tmp_path):
    window.files.open_study(ensure_small_demo(small_demo("inrush"), tmp_path / "kiln"))
    settle(window)
    window.show_page(2)
    settle(window)
    assert "connection" in shown(window, "power").lower()
    assert "No limit set is chosen" in shown(window, "quality")
    shown(window, "readings")
    window.tables.sheet.chosen.emit(window.tables.sheet._abouts[0])
    settle(window)
    (formula,) = window.document.study.report.own
    assert formula.startswith("rms(") or "(" in formula
    assert formula in shown(window, "own")
    window.tables.show_grid()
    settle(window)
    assert window.tables.sheet.isVisible() and not window.tables.as_grid.isEnabled()  # own values are a sheet only
    window.tables.select("readings")
    settle(window)
    assert window.tables.grid.isVisible() and window.tables.grid.model.rowCount() > 1


def test_the_title_page_says_what_is_typed_beside_it_and_what_keeps_it_from_being_signed(incidents):
    window, page = incidents, incidents.tables
    shown(window, "title")
    panel = page.title
    assert panel.isVisible() and "not stated: object, customer, order, place, tester" in panel.points.text()
    assert "no equipment is stated" in panel.points.text()
    for label, text in (("customer", "joinery works"), ("date", "2026-11-26"), ("tester", "M. K.")):
        panel.facts[label].setText(text)
        panel.facts[label].editingFinished.emit()
    panel.lines.setFocus()
    panel.lines.setPlainText("clamp 100 mV/A; serial CL-207; calibrated 2024-12-03; due 2025-12-03\n\nrecorder; due 2027-01-01")
    panel.facts["ambient"].setFocus()  # it is taken where it is left
    settle(window)
    text = page.sheet.toPlainText()
    assert all(
        said in text
        for said in ("joinery works", "CL-207", "2025-12-03, overdue", "Decision rule", "± on both sides", "Verdicts")
    )
    assert "clamp 100 mV/A CL-207 is overdue" in panel.points.text() and "not stated: object, order, place" in panel.points.text()
    assert [one.due for one in window.document.study.report.equipment] == ["2025-12-03", "2027-01-01"]
    study = window.document.study
    panel.facts["customer"].editingFinished.emit()  # left as it is: no step
    assert window.document.study is study
    panel.lines.setPlainText("clamp; due tomorrow")
    panel.take_equipment()
    assert "is no date" in window.notice_bar.text.text() and len(window.document.study.report.equipment) == 2
    assert panel.lines.toPlainText() == "clamp; due tomorrow"  # to be mended
    guarded = next(button for button in panel.rules.buttons() if "only with its" in button.text())
    guarded.click()
    settle(window)
    assert window.document.study.quality.rule == "guarded" and "w = U" in page.sheet.toPlainText()
    assert [label.text() for label in panel._counts["guarded"]] == ["1", "0", "0"]
    shown(window, "power")
    assert not panel.isVisible()


def test_a_logo_and_a_closed_version_are_made_beside_the_title_page(incidents, tmp_path):
    window, title = incidents, incidents.tables.title
    assert "version" not in shown(window, "title") and not title.versions.isVisible() and not title.without_logo.isVisible()
    title.close_report.click()
    assert not window.document.study.sealed and "day of issue" in window.notice_bar.text.text()
    title.fact.emit("issued", "2026-12-01")
    title.close_report.click()
    (tmp_path / "a.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 3"><rect width="9" height="3"/></svg>'
    )
    settle(window)
    assert "version" in window.tables.sheet.toPlainText() and "draft" not in window.tables.sheet.toPlainText()
    title.logo.emit(tmp_path / "a.svg")
    settle(window)
    assert "draft, after version 1 of 2026-12-01" in window.tables.sheet.toPlainText() and title.without_logo.isVisible()
    assert title.versions.text() == "version 1 closed, issued 2026-12-01"
    for _ in range(3):
        window._actions["edit.undo"].trigger()
    assert not window.document.study.sealed and not window.document.study.report.logo
