"""The Campaign page: from a study by hand to a table of many records, in the window."""

from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from pantelos.campaigns.store import Campaign
from pantelos.demo import lifts
from pantelos.desktop.actions.interval_actions import set_edges
from pantelos.desktop.pictures.screenshots import settle
from pantelos.engine.evaluation import Evaluation
from pantelos.study import operations as op
from pantelos.study.model import Interval


@pytest.fixture
def demo(tmp_path, monkeypatch):
    """A few of the forty runs: an odd one, the broken file, the one with another name of a column."""
    monkeypatch.setattr(
        lifts,
        "_paths",
        lambda runs: ((k, runs / f"lift_{k:02d}.csv") for k in (1, 2, 3, 4, 5, 6, lifts.DISTORTED, lifts.BROKEN, lifts.RENAMED)),
    )
    return lifts.ensure_campaign_demo(tmp_path / "demo")


@pytest.fixture
def page(empty_window, demo):
    empty_window.files.open_paths([demo])
    settle(empty_window)
    return empty_window.campaign


def texts(page, row):
    model = page.model
    return [str(model.data(model.index(row, column)) or "") for column in range(model.columnCount())]


def test_rows_come_and_what_is_odd_is_found(page, empty_window):
    assert empty_window._pages.currentWidget() is page and page.model.rowCount() == 9
    QTest.mouseClick(page.start, Qt.MouseButton.LeftButton)
    settle(empty_window)
    names = [known.name for known in page.model.shown]
    distorted, broken = names.index(f"lift_{lifts.DISTORTED}"), names.index(f"lift_{lifts.BROKEN}")
    assert "unlike the others: thd" in texts(page, distorted)[-1]
    assert "no rows of numbers" in texts(page, broken)[1]
    assert page.model.headerData(4, Qt.Orientation.Horizontal) == "thd [%]  ≤ 8 %"
    cell = Campaign(page.campaign.path).records()[0].cells["eta"]
    value, _, within = texts(page, 0)[1].partition(" ± ")
    assert float(value) == pytest.approx(100 * cell.value, abs=0.01) and float(within) == pytest.approx(
        100 * cell.expanded, abs=0.01
    )
    assert "6 done, 2 failed" not in page._counts.text() and "7 done, 2 failed" in page._counts.text()
    page.asked.setText("thd > 8 %")
    page.asked.returnPressed.emit()
    assert [known.name for known in page.model.shown] == [f"lift_{lifts.DISTORTED}"] and page._found.text() == "1 of 9"
    page.asked.setText("nonsense here")
    page.refresh()
    assert "compares nothing" in empty_window.notice_bar.text.text() and page.model.rowCount() == 9


def test_a_row_opens_its_record_and_a_correction_goes_back(page, empty_window, monkeypatch):
    page.run_or_stop()
    settle(empty_window)
    page.open_record(page.model.index(2, 0))
    settle(empty_window)
    window = empty_window
    assert window.document.study.title == "lift_03" and window.document.study.interval("steady").rule
    window.document.take(op.activate(window.document.study, "steady"), "activate")
    set_edges(window, 'from first "n rises through 1300 rpm" + 0.5 s for 1 s, whole cycles')
    settle(window)
    assert window.document.study.interval("steady").length_s == pytest.approx(1.0, abs=1e-3)
    page.take_open_study()
    assert "rows of the former recipe wait" in window.notice_bar.text.text()
    assert page.model.is_stale(page.model.shown[0])
    page.run_or_stop()
    settle(window)
    assert not page.model.is_stale(page.model.shown[0])
    set_edges(window, 'from first "n rises through 9000 rpm" for 1 s')
    settle(window)
    assert "never happens" in window.notice_bar.text.text()
    assert window.document.study.interval("steady").length_s == pytest.approx(1.0, abs=1e-3)  # it stays where it was
    window.document.forget_changes()


def test_from_a_finished_study_to_the_table_of_a_folder_in_six_gestures(empty_window, demo, tmp_path, monkeypatch):
    from pantelos.study.opening import recordings_of
    from pantelos.study.storage import load_study

    window, page = empty_window, empty_window.campaign
    study = op.set_formula(load_study(demo.parent / lifts.RECIPE), "P = mean(u1 * i1) in steady")
    window.files.opened(study, recordings_of(study), None)
    settle(window)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "mine.campaign"), ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a: str(demo.parent / lifts.RUNS))
    window.show_page(4)  # 1: F11
    QTest.mouseClick(page.from_study, Qt.MouseButton.LeftButton)  # 2, and 3: a name
    page.ask_folder()  # 4, and 5: the folder
    page.run_or_stop()  # 6
    settle(window)
    assert [known.state for known in page.model.shown].count("done") == 7
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("thd = thd(i1) in steady", True))
    page.ask_value()
    assert [one.name for one in page.campaign.wanted] == ["P", "thd"]
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("thd <= 8 %", True))
    page.ask_limit()
    for suffix in (".csv", ".html"):
        page.hand_over(tmp_path / f"out{suffix}")
        assert (tmp_path / f"out{suffix}").stat().st_size > 500
    window.document.forget_changes()


def test_the_page_is_drawn_in_both_themes_and_a_click_on_a_point_chooses_its_record(page, empty_window):
    page.run_or_stop()
    settle(empty_window)
    page.show_column(4)
    empty_window.turn_theme()
    settle(empty_window)
    assert not empty_window.grab().isNull()
    course = page.course
    QTest.mouseClick(course, Qt.MouseButton.LeftButton, pos=QPoint(int(course._x(6)), course.height() // 2))
    assert page.model.shown[page.ledger.currentIndex().row()].name == f"lift_{lifts.DISTORTED}"
    assert course.marked == 6
    empty_window.turn_theme()


def test_a_file_that_is_no_campaign_is_said(empty_window, tmp_path):
    (tmp_path / "x.campaign").write_text("hello")
    empty_window.files.open_paths([Path(tmp_path / "x.campaign")])
    assert "no campaign" in empty_window.notice_bar.text.text()


def test_an_interval_that_moves_with_its_rule_says_so(empty_window, demo):
    from pantelos.study.opening import recordings_of
    from pantelos.study.storage import load_study

    study = load_study(demo.parent / lifts.RECIPE)
    record = recordings_of(study).record(study.record)
    found = Evaluation(study, record).times.interval("steady")
    assert isinstance(found, Interval) and found.rule.startswith("from first")
