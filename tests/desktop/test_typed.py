"""What is typed at a wrong place, or wrongly, harms nothing; what is long is made room for."""

import pytest
from PyQt6.QtCore import QPoint, Qt

from pantelos.desktop.help.help_window import HelpWindow
from pantelos.desktop.pictures.screenshots import settle
from pantelos.desktop.traces.panels.entries import PanelEntries
from pantelos.help_pages import help_pages
from pantelos.panels import PANELS, first_panel
from pantelos.study import operations as op
from pantelos.study.model import Interval


@pytest.fixture
def window(imported_window):
    study = op.add_interval(imported_window.document.study, Interval("steady", 0.2, 0.61), imported_window.document.grid)
    study = op.add_panel(study, first_panel(imported_window.document.evaluation, "spectrum", ("u1",)))
    imported_window.document.take(study, "set up")
    imported_window.show_page(1)
    settle(imported_window)
    return imported_window


def test_a_wrong_setting_stays_marked_and_letters_stay_in_the_small_window(window, qtbot):
    frame = window.traces.panels.frames[0]
    before = window.document.study
    entries = PanelEntries(
        "Spectrum", PANELS["spectrum"].entries, frame.panel, lambda panel: frame.changed.emit(0, panel), window
    )
    entries.open_below(frame)
    name, line = next(iter(entries.lines.items()))
    line.clear()
    qtbot.keyClicks(line, "so much")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    assert line.property("wrong") and entries._said.isVisible() and entries._said.text()
    qtbot.keyClick(line, Qt.Key.Key_Return)  # again
    assert line.property("wrong") and window.document.study == before, name
    for widget in (entries, entries.lines[name]):
        qtbot.keyClicks(widget, "s")  # S would snap the edges of the interval to whole cycles
    assert window.document.study == before
    line.clear()
    qtbot.keyClick(line, Qt.Key.Key_Return)
    assert not line.property("wrong") and not entries._said.isVisible()
    entries.close()


def test_help_opens_with_the_heading_at_the_top(qtbot):
    page = next(page for page in help_pages() if page.name == "user-guide")
    heading = [line.lstrip("# ") for line in page.text.splitlines() if line.startswith("## ")][2]
    shown = HelpWindow("")
    qtbot.addWidget(shown)
    shown.open_at("user-guide", heading)
    qtbot.waitUntil(lambda: shown.text.textCursor().block().text() == heading)
    assert shown.text.textCursor().block().text() == heading
    assert 0 <= shown.text.cursorRect().top() < 20


def test_names_have_the_room_they_need_and_as_much_as_is_dragged(window, qtbot):
    lanes, ruler = window.traces.lanes, window.traces.ruler
    short = lanes.places.columns().labels
    long_name = "voltage_between_the_second_and_the_third_conductor"
    window.document.take(op.rename_channel(window.document.study, "u1", long_name), "rename")
    settle(window)
    assert short < lanes.places.columns().labels <= window.width() / 8 + 1
    wanted = lanes.painter.labels(lanes.places.rows()[0], lanes.places.columns())
    place = wanted[0][0].center()
    lanes._hover(place)
    assert lanes.toolTip() == long_name
    border = QPoint(lanes.places.columns().labels, 30)
    qtbot.mousePress(ruler, Qt.MouseButton.LeftButton, pos=border)
    qtbot.mouseMove(ruler, QPoint(420, 30))
    qtbot.mouseRelease(ruler, Qt.MouseButton.LeftButton, pos=QPoint(420, 30))
    settle(window)
    assert lanes.places.columns().labels == 420 and window.document.study.columns.names_width == 420
    assert lanes.places.x_of(window.document.view.start_s) == pytest.approx(420 + 46)
    window.document.undo()
    assert lanes.places.columns().labels != 420


def test_traces_are_drawn_at_the_resolution_of_the_screen(window):
    evaluation, rows = window.document.evaluation, window.traces.lanes.places.rows()
    painter = window.traces.lanes.painter
    columns = window.traces.lanes.places.columns()
    rect = columns.trace(3, rows[0].height - 6)
    fine, _ = painter._picture(rows[0], evaluation, rect, columns, 2.0)
    assert (fine.width(), fine.devicePixelRatio()) == (2 * columns.width, 2.0)
    inside = range(2 * columns.left + 40, 2 * columns.left + 200)
    colours = [[fine.pixel(x, y) for y in range(10, fine.height() - 10)] for x in inside]
    apart = sum(colours[k] != colours[k + 1] for k in range(0, len(colours) - 1, 2))
    assert apart > len(colours) / 8  # not every pixel is there twice
