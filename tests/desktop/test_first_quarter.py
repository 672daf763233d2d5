"""From a file nobody knows to an exported power table, in the real window: by few gestures, and by keyboard alone."""

import json

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton

from pantelos.desktop.importing.dialog import ImportDialog
from pantelos.desktop.pictures.screenshots import settle, wait_until

MOST_GESTURES, MOST_FOR_A_REPORT = 20, 25
PLAIN, SHIFT, CTRL = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
TRANSDUCER = 3


class Hands:
    """Does what a user does, and counts it: a click, a drag, a key, a word typed."""

    def __init__(self, window):
        self.window, self.n = window, 0

    def _done(self):
        self.n += 1
        settle(self.window)
        if QApplication.activeWindow() is None:  # no window manager gives the window back what a dialog had
            self.window.activateWindow()
            settle(self.window)

    def click(self, widget, place=None, modifier=PLAIN):
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, modifier, place or widget.rect().center())
        self._done()

    def drag(self, widget, start, stop):
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, PLAIN, start)
        QTest.mouseMove(widget, (start + stop) / 2)
        QTest.mouseMove(widget, stop)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, PLAIN, stop)
        self._done()

    def key(self, key, modifier=PLAIN):
        QTest.keyClick(QApplication.focusWidget() or self.window, key, modifier)
        self._done()

    def type(self, text):
        for letter in text:
            QTest.keyClicks(QApplication.focusWidget(), letter)
        self._done()


@pytest.fixture
def hands(empty_window, unknown_file, tmp_path, monkeypatch):
    """Hands on an empty window; in dialogs for files they type a name and press Enter."""
    made = Hands(empty_window)
    empty_window.resize(1280, 800)
    empty_window.activateWindow()

    def named(path):
        made.n += 2
        return str(path), ""

    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a: ([named(unknown_file)[0]], ""))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: named(tmp_path / "power.json"))
    return made


def row_of(window, row):
    table = window.wiring.table
    return table.visualRect(table.chain.index(row, TRANSDUCER)).center()


def check(window, tmp_path):
    settle(window)
    wait_until((tmp_path / "power.json").exists)
    table = next(t for t in json.loads((tmp_path / "power.json").read_text())["tables"] if t["id"] == "power")
    row = table["rows"][3]  # behind the phases, all of them
    assert row["P"] == pytest.approx(3 * 230 * 5 * 0.5, rel=1e-5)
    window.document.forget_changes()


def up_to_an_interval(hands, unknown_file):
    """Open a file nobody knows, wire it, say what its transducers are, mark whole cycles."""
    window = hands.window
    window.files.open_paths([unknown_file])  # dropped on the window
    hands._done()
    hands.key(Qt.Key.Key_Return)  # what was understood is right
    assert window._pages.currentWidget() is window.wiring
    wait_until(lambda: bool(window.wiring.first.uses))
    hands.click(window.wiring.first.uses[0])
    viewport = window.wiring.table.viewport()
    for first, last, transducer in ((0, 2, "200:1"), (3, 5, "10 mV/A")):
        hands.click(viewport, row_of(window, first))
        hands.click(viewport, row_of(window, last), SHIFT)
        hands.type(transducer)
        hands.key(Qt.Key.Key_Return)
    assert not window.wiring._said.text()
    hands.key(Qt.Key.Key_F3)
    places = window.traces.lanes.places
    hands.drag(window.traces.ruler, QPoint(int(places.x_of(0.2)), 20), QPoint(int(places.x_of(0.7)), 20))
    hands.key(Qt.Key.Key_S)
    assert window.header.whole.text() == "whole cycles"


def test_a_power_table_of_an_unknown_file_takes_few_gestures(hands, unknown_file, tmp_path):
    up_to_an_interval(hands, unknown_file)
    hands.key(Qt.Key.Key_E, CTRL)
    check(hands.window, tmp_path)
    print(hands.n)
    assert hands.n <= MOST_GESTURES


def test_a_judged_report_of_an_unknown_file_takes_few_more(hands, unknown_file, tmp_path, monkeypatch):
    up_to_an_interval(hands, unknown_file)
    window, page = hands.window, hands.window.tables

    def named(*_):
        hands.n += 2
        return str(tmp_path / "judged.pdf"), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", named)
    hands.key(Qt.Key.Key_F4)
    kinds = page.contents.kinds
    (item,) = kinds.findItems("Quality of the supply", Qt.MatchFlag.MatchExactly)
    hands.click(kinds.viewport(), kinds.visualItemRect(item).center())
    hands.click(page.supply.voltage)
    hands.type("230 V")
    hands.key(Qt.Key.Key_Return)
    page.supply.sets.menu().aboutToShow.emit()
    next(one for one in page.supply.sets.menu().actions() if "low voltage" in one.text()).trigger()
    hands.n += 1  # the button of the menu, and the set
    hands._done()
    assert "inside" in page.sheet.toPlainText() and "EN 50160" in page.sheet.toPlainText()
    hands.click(next(button for button in page.findChildren(QPushButton) if button.text() == "PDF"))
    wait_until((tmp_path / "judged.pdf").exists)
    settle(window)
    assert (tmp_path / "judged.pdf").read_bytes().startswith(b"%PDF")
    print(hands.n)
    assert hands.n <= MOST_FOR_A_REPORT
    window.document.forget_changes()


def test_the_same_by_keyboard_alone(hands, tmp_path):
    window = hands.window
    hands.key(Qt.Key.Key_R, CTRL)
    dialog = window.findChild(ImportDialog)
    assert dialog is not None
    hands.key(Qt.Key.Key_Return)
    wait_until(lambda: bool(window.wiring.first.uses))
    settle(window)
    hands.key(Qt.Key.Key_Space)
    assert window.document.study.connections[0].wiring == "three-phase-4w"
    for transducer in ("200:1", "10 mV/A"):
        hands.key(Qt.Key.Key_Down, SHIFT)
        hands.key(Qt.Key.Key_Down, SHIFT)
        hands.type(transducer)
        hands.key(Qt.Key.Key_Return)
        hands.key(Qt.Key.Key_Down)
    hands.key(Qt.Key.Key_F3)
    hands.key(Qt.Key.Key_Plus, CTRL)
    hands.key(Qt.Key.Key_I, CTRL)
    hands.key(Qt.Key.Key_S)
    assert window.header.whole.text() == "whole cycles"
    hands.key(Qt.Key.Key_E, CTRL)
    check(window, tmp_path)


def test_what_does_not_fit_stays_in_the_line_and_says_why_there(hands, unknown_file):
    window = hands.window
    window.files.open_paths([unknown_file])
    settle(window)
    hands.key(Qt.Key.Key_Return)
    table = window.wiring.table
    hands.click(table.viewport(), row_of(window, 3))
    hands.type("10 kg")
    editor, said = QApplication.focusWidget(), table.itemDelegateForColumn(TRANSDUCER).said
    heights = [widget.geometry() for widget in (window.wiring.table, window.wiring.drawing)]
    hands.key(Qt.Key.Key_Return)
    assert QApplication.focusWidget() is editor and editor.text() == "10 kg"
    assert "is no transducer" in said.text() and said.isVisible()
    assert [widget.geometry() for widget in (window.wiring.table, window.wiring.drawing)] == heights
    editor.selectAll()
    hands.type("10 mV/A")
    assert said.text() == "I_L1: in A, rms about 5.00 A now"
    hands.key(Qt.Key.Key_Return)
    assert not said.isVisible()
    assert str(window.document.study.channel("I_L1").scaling.transducer) == "clamp 10 mV/A"
    hands.click(table.viewport(), row_of(window, 4))
    hands.key(Qt.Key.Key_Return)
    assert "clamp 10 mV/A" in QApplication.focusWidget().completer().model().stringList()  # the last one used is offered
    hands.key(Qt.Key.Key_Escape)
    window.document.forget_changes()


def test_a_voltage_in_a_current_socket_is_said_at_once_and_channels_find_their_sockets(hands, unknown_file):
    window = hands.window
    window.files.open_paths([unknown_file])
    settle(window)
    hands.key(Qt.Key.Key_Return)
    window.wiring.add("three-phase-4w")
    settle(window)
    for name in ("U_L2", "I_L1", "U_L1"):
        chip = next(rect for chip, rect in window.wiring.scheme.chips() if chip == name)
        hands.click(window.wiring.scheme, chip.center().toPoint())
    assert dict(window.document.study.connections[0].sockets) == {"u2": "U_L2", "i1": "I_L1", "u1": "U_L1"}
    assert window.wiring._said.text() == "I_L1 still reads in mV: state its clamp, shunt or transformer in the table"
    window.wiring.place("i3", "U_L3")
    assert "U_L3 reads in V, but i3 takes a current in A" in window.wiring._said.text() + window.wiring._said.toolTip()
    window.document.forget_changes()
