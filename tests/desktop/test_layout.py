"""Nothing is cut and nothing lies over anything else, whatever the window measures and however long names are."""

import functools
import gc
import os
import re
import subprocess
import sys
from collections import Counter

import msgspec
import numpy as np
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from layout import faults, words_of
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QApplication, QLabel, QScrollBar, QToolButton, QWidget
from unknown import write_unknown

from pantelos.desktop.files import study_files
from pantelos.desktop.formulas.shelf import FORMULAS
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.parts.questions import Answer
from pantelos.desktop.pictures.screenshots import settle
from pantelos.desktop.presenter.import_plan import ImportPlan, draft
from pantelos.desktop.presenter.reading_columns import ReadingColumn, narrower
from pantelos.desktop.theme import LIGHT, apply_theme
from pantelos.panels import PANELS, first_panel
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.study.sentences import search_from
from pantelos.tables.kinds import TABLES

SIZES = [(1100, 700), (1280, 800), (1920, 1080)]
FIGURES = ("phasors", "harmonics", "readout", "histogram")
SMALLEST = (960, 540)  # of a common screen with a scale factor of 2


@pytest.fixture(scope="module")
def full_window(tmp_path_factory):
    """Three phases with a panel of every kind."""
    patch = pytest.MonkeyPatch()
    patch.setenv("PANTELOS_SETTINGS", str(tmp_path_factory.mktemp("settings")))
    patch.setenv("PANTELOS_STATE", str(tmp_path_factory.mktemp("state")))  # what a crash left behind is listed on the first page
    patch.setattr(study_files, "ask", lambda *a: Answer.Discard)
    application = QApplication.instance() or QApplication(sys.argv)
    apply_theme(application, LIGHT)
    window = MainWindow(LIGHT)
    window.show()
    path = write_unknown(tmp_path_factory.mktemp("layout") / "versuch 7.csv")
    window.imports.run(ImportPlan.of((draft(path),), into_open=False))
    settle(window)
    window.wiring.first.uses[0].click()
    study = op.set_formula(window.document.study, "p1 = U_L1 * I_L1")
    study = op.add_interval(study, Interval("steady lift", 0.2, 0.6), window.document.grid)
    study = op.set_search(study, search_from("U_L1 rises through 0 V", window.document.evaluation.names.types, "rises"))
    window.document.take(study, "set up")
    for kind in PANELS:
        study = op.add_panel(study, first_panel(window.document.evaluation, kind.id, ("I_L1",)))
    window.document.take(study, "panels")
    window.show_page(1)
    settle(window)
    yield window
    window.document.forget_changes()
    window.close()
    window.deleteLater()
    patch.undo()


def named(study, length):
    """Return the study with names of that many letters, as different as they can be."""
    for at, name in enumerate(list(study.names)):
        new = (chr(ord("a") + at) * length)[:length] if length > 1 else chr(ord("A") + at)
        study = op.rename_channel(study, name, new)
    return study


def parts_of(window, page):
    wiring, traces, tables = window.wiring, window.traces, window.tables
    return [window.header, *{
        0: [wiring.scheme, wiring.notices, wiring.first],
        1: [traces.ruler, traces.lanes, traces.strip, traces.derive, *traces.panels.frames],
        2: [tables.contents.kinds, tables.grid.title, tables.grid.subtitle],
    }[page]]  # fmt: skip


@given(length=st.integers(1, 60), size=st.sampled_from(SIZES))
@example(length=60, size=SIZES[0])
@example(length=9, size=SMALLEST)
@settings(max_examples=5, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
def test_every_page_and_panel_keeps_its_words_apart(full_window, length, size):
    window = full_window
    before = window.document.study
    window.document.take(named(before, length), "rename")
    window.resize(*size)
    for page in range(3):
        window.show_page(page)
        window.tables.show_grid(page == 2)
        if page == 1:
            window.traces.lanes.pointer_s = 0.3
        settle(window)
        assert (window.width(), window.height()) == size  # it never grows beyond what it is given
        for part in parts_of(window, page):
            assert faults(part) == []
            assert [word.text for word in words_of(part) if re.search(r"(^|[\s(])-\d", word.text)] == []  # a minus is a minus
    window.show_page(1)
    settle(window)
    figures = [word.text for frame in window.traces.panels.frames if frame.panel.kind in FIGURES for word in words_of(frame.body)]
    assert length > 20 or not [text for text in figures if "…" in text]  # digits are never what is left out
    left = window.traces.lanes.places.columns().left
    names = [word for word in words_of(window.traces.lanes) if word.left < left and word.top > 0]
    assert names and all(word.right <= left for word in names)  # names stay off the traces and the numbers of the axis
    window.document.undo()


def undisturbed(look):
    """Look at thousands of widgets: what earlier windows left is collected before they are wrapped, and not in between."""

    @functools.wraps(look)
    def looked(window):
        gc.collect()
        gc.disable()
        try:
            return look(window)
        finally:
            gc.enable()

    return looked


@undisturbed
def _cut(window):
    """Return labels and buttons that have less room than their words need."""
    labels = [label for label in window.findChildren(QLabel) if label.isVisible() and label.text() and label.height()]
    found = [label.text() for label in labels if label.wordWrap() and label.heightForWidth(label.width()) > label.height() + 1]
    found += [label.text() for label in labels if not label.wordWrap() and label.sizeHint().width() > label.width() + 1]
    buttons = [one for one in window.findChildren(QAbstractButton) if one.isVisible() and one.text()]
    return found + [one.text() for one in buttons if one.sizeHint().width() > one.width() + 2]


@undisturbed
def _unnamed(window):
    """Return what the keyboard reaches and a screen reader has no name for, or the same name as for another."""
    silent = (QLabel, QScrollBar)  # a label is its own name; what is scrolled is told, not the bar
    reached = [one for one in window.findChildren(QWidget) if one.isVisible() and one.focusPolicy() is not Qt.FocusPolicy.NoFocus]
    named = [
        (type(one).__name__, one.accessibleName() or getattr(one, "text", str)())
        for one in reached
        if not isinstance(one, silent)
    ]
    return [name for name, n in Counter(named).items() if n > 1 or not name[1]]


def test_every_control_is_told_by_a_name_of_its_own(full_window):
    for page in range(5):
        full_window.show_page(page)
        settle(full_window)
        assert _unnamed(full_window) == []
    full_window.show_page(1)
    settle(full_window)
    told = full_window.traces.lanes.accessibleDescription()
    assert "U_L1: rms" in told and " V" in told  # the numbers beside the lanes, with their units
    assert full_window.traces.ruler.accessibleDescription() and "steady lift" in full_window.traces.strip.accessibleDescription()


@pytest.mark.parametrize(("n", "letters"), [(6, 3), (6, 40), (64, 40)])
def test_nothing_is_cut_just_after_an_import(empty_window, tmp_path, n, letters):
    """With proposals, hints and messages shown, before anything is wired."""
    t = np.arange(4000) / 10_000
    waves = [(325 if k < 3 else 2) * np.sin(100 * np.pi * t - 2 * np.pi / 3 * (k % 3) - (0.5 if k > 2 else 0)) for k in range(6)]
    waves += [np.random.default_rng(k).normal(size=len(t)) for k in range(6, n)]
    names = [f"c{k:02d} Umrichter Ausgang Spannung Phase gegen Nulleiter"[:letters] for k in range(n)]
    path = tmp_path / "frisch.csv"
    rows = "\n".join(";".join(f"{value:.6g}" for value in row) for row in zip(t, *waves, strict=True))
    path.write_text("t [s];" + ";".join(f"{name} [V]" for name in names) + "\n" + rows + "\n")
    empty_window.imports.run(ImportPlan.of((draft(path),), into_open=False))
    settle(empty_window)
    assert empty_window.wiring.first.uses  # the proposal is there
    for size in SIZES:
        empty_window.resize(*size)
        for page in range(4):
            empty_window.show_page(page)
            settle(empty_window)
            assert (empty_window.width(), empty_window.height()) == size
            assert _cut(empty_window) == [] and _unnamed(empty_window) == []
    assert empty_window.traces.panels.height() < 60  # no panels yet: one line
    empty_window.wiring.first.uses[0].click()
    settle(empty_window)
    assert len(empty_window.document.study.connections) == 1
    empty_window.document.undo()
    assert not empty_window.document.study.connections
    empty_window.document.forget_changes()


def test_headings_of_tables_are_read_in_full(full_window):
    window = full_window
    window.resize(1280, 800)
    window.show_page(2)
    window.tables.show_grid()
    window.tables.contents.tick_places(["steady lift"])
    settle(window)
    tables, cut = window.tables, []
    header = tables.grid.view.horizontalHeader()
    for kind in TABLES:
        tables.select(kind.id)
        settle(window)
        for column in range(tables.grid.model.columnCount()):
            text = str(tables.grid.model.headerData(column, Qt.Orientation.Horizontal, Qt.ItemDataRole.DisplayRole))
            words = text.replace("\u200b", " ").split()  # where long words may be broken
            longest = max((header.fontMetrics().horizontalAdvance(word) for word in words), default=0)
            room = header.sectionSize(column) - 10
            lines = header.fontMetrics().boundingRect(0, 0, room, 1000, Qt.TextFlag.TextWordWrap, text).height()
            if longest > room or lines > header.height():
                cut.append((kind.title, text))
    assert cut == []


def test_many_columns_of_long_small_numbers_stay_apart(full_window):
    window = full_window
    before = window.document.study
    columns = tuple(ReadingColumn(name) for name in ("rms", "mean", "max", "min", "ac_rms", "peak_to_peak", "crest", "frequency"))
    wide = msgspec.structs.replace(before.columns, readings=tuple(c.reading for c in columns), accuracy=False)
    window.document.take(msgspec.structs.replace(before, columns=wide), "columns")
    window.resize(1100, 700)
    window.show_page(1)
    settle(window)
    lanes, places = window.traces.lanes, window.traces.lanes.places.columns()
    assert faults(lanes) == []
    for word in words_of(lanes):
        if word.left > places.readings_left:
            assert places.column_at(word.left) == places.column_at(word.right - 1), word
    window.document.undo()


@pytest.mark.parametrize(
    ("text", "shown"), [("−0.00087209", "−0.0008721"), ("9.96 V", "10.0 V"), ("−0.04", "0.0"), ("12 V", None), ("—", None)]
)
def test_a_number_loses_digits_before_its_size(text, shown):
    assert narrower(text) == shown


def test_a_filled_panel_shows_its_way_back(full_window):
    window = full_window
    window.show_page(1)
    settle(window)
    frame = window.traces.panels.frames[0]
    frame.fill_wanted.emit(0)
    settle(window)
    assert frame._back.isVisible() and not window.traces.lanes.isVisible()
    assert faults(frame) == []
    frame._back.click()
    settle(window)
    assert window.traces.lanes.isVisible() and not frame._back.isVisible()


@pytest.mark.parametrize("factor", ["2"])
def test_with_a_scale_factor_the_window_fits_the_screen(factor):
    asked = """
import sys
from PyQt6.QtWidgets import QAbstractButton, QApplication, QLabel, QToolButton
from pantelos.demo.small import SMALL_DEMOS
from pantelos.desktop.formulas.shelf import FORMULAS
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.presenter.import_plan import ImportPlan, draft
from pantelos.desktop.pictures.screenshots import settle
from pantelos.desktop.theme import LIGHT
app = QApplication(sys.argv)
window = MainWindow(LIGHT)
window.show()
window.files.open_demo(SMALL_DEMOS[0])
settle(window)
window.resize(960, 540)
for page in range(3):
    window.show_page(page)
    app.processEvents()
    print(window.width(), window.height(), window.devicePixelRatioF())
"""
    environment = {**os.environ, "QT_SCALE_FACTOR": factor, "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True, env=environment)
    assert done.stdout.split("\n")[:3] == ["960 540 2.0"] * 3


def test_without_panels_as_many_are_offered_as_there_is_room_for(full_window):
    window, study = full_window, full_window.document.study
    window.document.take(msgspec.structs.replace(study, panels=()), "no panels")
    window.show_page(1)
    window.traces.shelf.open_at(FORMULAS)
    shown = {}
    for size in SIZES:
        window.resize(*size)
        settle(window)
        assert (window.width(), window.height()) == size
        offers = [b for b in window.traces.panels._empty.findChildren(QToolButton) if b.isVisible()]
        assert all(b.geometry().right() < window.traces.panels._empty.width() for b in offers)
        shown[size] = len(offers)
    assert 0 < shown[SIZES[0]] < shown[SIZES[-1]]
    offered = lambda: [b for b in window.traces.panels._empty.findChildren(QToolButton) if b.isVisible()]  # noqa: E731
    offered()[0].click()  # power is one gesture away after wiring
    settle(window)
    assert window.document.study.formula("p").expression == "U_L1 * I_L1 + U_L2 * I_L2 + U_L3 * I_L3"
    offered()[0].click()
    settle(window)
    assert [panel.kind for panel in window.document.study.panels] == ["phasors"]
    window.traces.shelf.hide()
    window.document.take(study, "back")
    settle(window)
