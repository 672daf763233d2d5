"""Random gestures on the window: nothing may end in a traceback, and as many undos lead back to where it began.

`make monkey` plays ten thousand; the seed is printed, and the same seed plays the same gestures.
"""

import argparse
import os
import random
import sys
import tempfile
import time
import traceback
from collections import Counter
from contextlib import ExitStack
from pathlib import Path
from unittest.mock import patch

import msgspec
import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QContextMenuEvent, QDrag, QKeyEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QMenu,
    QMessageBox,
    QWidget,
)

from pantelos.desktop.files import study_files
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.parts.questions import Answer
from pantelos.desktop.pictures.screenshots import settle
from pantelos.desktop.presenter.import_plan import ImportPlan, draft
from pantelos.desktop.theme import LIGHT, apply_theme
from pantelos.study.history import KEPT
from pantelos.study.model import Study

LEAVING = ("demo.", "study.open", "study.save", "record.open", "record.join", "record.relink", "window.close", "help.about")
LEAVING_TITLES = ("Open", "Close", "Save", "Quit", "Import", "Join", "Relink", "About")
TYPED = (
    "p2 = u1 * i1", "mean(p2) in part", "q = u1 * * 2", "r = u1 / i1", "x = lowpass(u1, 100 Hz)", "f = frequency(u1) over cycles",
    "1 .. 2", "0.5", "2 s", "-1 s", "u1 rises through 100 V", "the last 1 s", "every 0.5 s", "name", "Ä ß", "", "1e999", "ch1 V",
    "rms(u1)", 'mean(u1) in "whole record"', "100:1", "10 mV/A", "±10 V", "0.5 % + 20 mA", "reversed", "7",
)  # fmt: skip
KEYS = "abcdefghijklmnopqrstuvwxyz0123456789+-.,"
PRESSED = (
    Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down,
    Qt.Key.Key_Delete, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_F1, Qt.Key.Key_Space,
)  # fmt: skip
MODIFIERS = (
    *(Qt.KeyboardModifier.NoModifier,) * 5,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
)
LONG_S = 0.3
UNDO_EVERY = 250


class Played(msgspec.Struct):
    """What a run has seen."""

    n: int = 0
    kinds: Counter[str] = msgspec.field(default_factory=Counter)
    tracebacks: list[str] = msgspec.field(default_factory=list)
    long: list[tuple[float, str]] = msgspec.field(default_factory=list)  # s, which gesture
    undos: int = 0
    unequal: list[str] = msgspec.field(default_factory=list)


class Monkey:
    """Plays gestures on a window that has a record open."""

    def __init__(self, window: MainWindow, seed: int) -> None:
        self.window, self.random, self.played = window, random.Random(seed), Played()
        self.last = ""
        self._menus = QTimer(interval=5)  # a button opens its menu in a loop of its own, which somebody has to end
        self._menus.timeout.connect(self._close_menu)
        self._menus.start()

    def _close_menu(self) -> None:
        menu = QApplication.activePopupWidget()
        if isinstance(menu, QMenu):
            menu.close()
            self._choose_from(menu)
        waiting = QApplication.activeModalWidget()
        if isinstance(waiting, QDialog):
            self.last += f" > {waiting.windowTitle()}"
            (waiting.accept if self.random.random() < 0.5 else waiting.reject)()

    def _choose_from(self, menu: QMenu) -> None:
        menu.aboutToShow.emit()
        entries = [one for one in _entries(menu) if one.isEnabled()]
        if entries and self.random.random() < 0.8:
            entry = self.random.choice(entries)
            self.last += f" > {entry.text()}"
            if not entry.text().replace("&", "").startswith(LEAVING_TITLES):
                entry.trigger()

    def play(self, n: int) -> Played:
        """Play gestures, and go back over all of them from time to time."""
        gestures = [
            (self.page, 2), (self.command, 6), (self.press, 8), (self.drag, 8), (self.double, 2), (self.turn, 3),
            (self.menu, 4), (self.key, 5), (self.write, 4), (self.button, 6), (self.choose, 2), (self.back, 3), (self.size, 1),
        ]  # fmt: skip
        kinds, weights = zip(*gestures, strict=True)
        with self._answers():
            for at in range(n):
                gesture = self.random.choices(kinds, weights)[0]
                self.played.kinds[gesture.__name__] += 1
                self.last = gesture.__name__
                started = time.perf_counter()
                gesture()
                QApplication.processEvents()
                passed = time.perf_counter() - started
                if passed > LONG_S:
                    self.played.long.append((passed, self.last))
                self.played.n += 1
                if self.random.random() < 0.1:
                    settle(self.window)
                if (at + 1) % UNDO_EVERY == 0 or at + 1 == n:
                    self._there_and_back()
        settle(self.window)
        self._menus.stop()  # or it would play in whatever comes after
        return self.played

    def _answers(self) -> ExitStack:
        """Answer every question at random; nothing may wait for somebody."""
        stack = ExitStack()
        said = self.random

        def answered(dialog: QDialog, *_: object) -> int:
            dialog.show()
            for line in dialog.findChildren(QLineEdit):
                if said.random() < 0.5:
                    line.setText(said.choice(TYPED))
            QApplication.processEvents()
            (dialog.accept if said.random() < 0.6 else dialog.reject)()
            dialog.hide()
            return dialog.result()

        def chosen(menu: QMenu, *_: object) -> None:
            self._choose_from(menu)

        def line(*_: object, **__: object) -> tuple[str, bool]:
            return said.choice(TYPED), said.random() < 0.7

        patches = (
            (QDialog, "exec", answered), (QMessageBox, "exec", lambda *_: QMessageBox.StandardButton.Cancel),
            (QMenu, "exec", chosen), (QMenu, "popup", chosen), (QDrag, "exec", lambda *_: Qt.DropAction.IgnoreAction),
            (QInputDialog, "getText", line), (QInputDialog, "getItem", line), (QInputDialog, "getMultiLineText", line),
            (QFileDialog, "getOpenFileName", lambda *_, **__: ("", "")), (QFileDialog, "getSaveFileName", lambda *_, **__: ("", "")),
            (QFileDialog, "getOpenFileNames", lambda *_, **__: ([], "")), (QFileDialog, "getExistingDirectory", lambda *_, **__: ""),
            (study_files, "ask", lambda *_: Answer.Cancel), (sys, "excepthook", self._failed),
        )  # fmt: skip
        for target, name, instead in patches:
            stack.enter_context(patch.object(target, name, instead))
        return stack

    def _failed(self, kind: type[BaseException], error: BaseException, trace: object) -> None:
        told = "".join(traceback.format_exception(kind, error, trace))  # type: ignore[arg-type]
        self.played.tracebacks.append(f"{self.played.n}: {self.last}\n{told}")

    def _there_and_back(self) -> None:
        """Undo everything, and do it again: both ends are what they were."""
        settle(self.window)
        document = self.window.document
        now, steps = document.study, 0
        while document.history.undo_step is not None:
            document.undo()
            steps += 1
        first = document.study
        settle(self.window)
        for _ in range(steps):
            document.redo()
        settle(self.window)
        if document.study != now:
            self.played.unequal.append(f"{self.played.n}: {steps} steps forth again lead elsewhere")
        if getattr(self, "_first", first) != first and steps < KEPT:
            self.played.unequal.append(f"{self.played.n}: {steps} steps back lead elsewhere than at first")
        self._first = first
        self.played.undos += steps

    # gestures

    def page(self) -> None:
        self.window.show_page(self.random.randrange(5))

    def command(self) -> None:
        known = [id_ for id_, action in self.window._actions.items() if action.isEnabled() and not id_.startswith(LEAVING)]
        id_ = self.random.choice(known)
        self.last += f" {id_}"
        self.window._actions[id_].trigger()

    def back(self) -> None:
        self.window._actions[self.random.choice(("edit.undo", "edit.undo", "edit.redo"))].trigger()

    def size(self) -> None:
        self.window.resize(self.random.randrange(960, 1600), self.random.randrange(540, 1000))

    def _place(self) -> tuple[QWidget, QPoint]:
        inside = QPoint(self.random.randrange(self.window.width()), self.random.randrange(24, self.window.height()))
        top = QApplication.activePopupWidget() or self.window
        inside = QPoint(inside.x() % max(top.width(), 1), inside.y() % max(top.height(), 1))
        widget = top.childAt(inside) or top
        self.last += f" {type(widget).__name__}"
        return widget, widget.mapFrom(top, inside) if widget is not top else inside

    def _mouse(self, widget: QWidget, kind: QEvent.Type, at: QPoint, button: Qt.MouseButton, keys: Qt.KeyboardModifier) -> None:
        held = Qt.MouseButton.NoButton if kind is QEvent.Type.MouseButtonRelease else button
        pressed = Qt.MouseButton.NoButton if kind is QEvent.Type.MouseMove else button
        event = QMouseEvent(kind, QPointF(at), QPointF(widget.mapToGlobal(at)), pressed, held, keys)
        QApplication.sendEvent(widget, event)

    def press(self) -> None:
        widget, at = self._place()
        if isinstance(widget, QAbstractButton) and _leads_out(widget):
            return
        keys = self.random.choice(MODIFIERS)
        for kind in (QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonRelease):
            self._mouse(widget, kind, at, Qt.MouseButton.LeftButton, keys)

    def double(self) -> None:
        widget, at = self._place()
        self._mouse(widget, QEvent.Type.MouseButtonDblClick, at, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)

    def drag(self) -> None:
        widget, at = self._place()
        if isinstance(widget, QAbstractButton):
            return
        button = self.random.choice((*(Qt.MouseButton.LeftButton,) * 4, Qt.MouseButton.MiddleButton))
        keys, goal = self.random.choice(MODIFIERS), at
        self._mouse(widget, QEvent.Type.MouseButtonPress, at, button, keys)
        for _ in range(self.random.randrange(1, 5)):
            goal = QPoint(goal.x() + self.random.randrange(-120, 121), goal.y() + self.random.randrange(-60, 61))
            self._mouse(widget, QEvent.Type.MouseMove, goal, button, keys)
        self._mouse(widget, QEvent.Type.MouseButtonRelease, goal, button, keys)

    def turn(self) -> None:
        widget, at = self._place()
        by = self.random.choice((-360, -120, 120, 360))
        keys, phase = self.random.choice(MODIFIERS), Qt.ScrollPhase.NoScrollPhase
        where = QPointF(widget.mapToGlobal(at))
        event = QWheelEvent(QPointF(at), where, QPoint(), QPoint(0, by), Qt.MouseButton.NoButton, keys, phase, False)
        QApplication.sendEvent(widget, event)

    def menu(self) -> None:
        widget, at = self._place()
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))
        QApplication.sendEvent(widget, event)

    def key(self) -> None:
        widget = QApplication.focusWidget() or self.window
        plain = self.random.random() < 0.5
        code, text = (self.random.choice(PRESSED), "") if not plain else (0, self.random.choice(KEYS))
        for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
            number = code if not plain else ord(text.upper())
            QApplication.sendEvent(widget, QKeyEvent(kind, int(number), Qt.KeyboardModifier.NoModifier, text))

    def write(self) -> None:
        lines = [one for one in self.window.findChildren(QLineEdit) if one.isVisible() and one.isEnabled()]
        if not lines:
            return
        line, text = self.random.choice(lines), self.random.choice(TYPED)
        self.last += f" {text!r} into {line.accessibleName()}"
        line.setFocus()
        line.setText(text)
        line.setModified(True)
        line.textEdited.emit(text)
        if self.random.random() < 0.7:
            QApplication.sendEvent(line, QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Return, Qt.KeyboardModifier.NoModifier))

    def button(self) -> None:
        known = [one for one in self.window.findChildren(QAbstractButton) if one.isVisible() and one.isEnabled()]
        known = [one for one in known if not _leads_out(one)]
        if known:
            one = self.random.choice(known)
            self.last += f" {one.accessibleName() or one.text()}"
            menu = one.menu() if hasattr(one, "menu") else None
            if menu is not None:
                menu.exec()
            else:
                one.click()

    def choose(self) -> None:
        known = [one for one in self.window.findChildren(QComboBox) if one.isVisible() and one.isEnabled() and one.count()]
        if known:
            one = self.random.choice(known)
            at = self.random.randrange(one.count())
            one.setCurrentIndex(at)
            one.activated.emit(at)


def _entries(menu: QMenu) -> list:
    found = []
    for one in menu.actions():
        inner = one.menu()
        if inner is not None:
            inner.aboutToShow.emit()
            found += _entries(inner)
        elif not one.isSeparator():
            found.append(one)
    return found


def _leads_out(button: QAbstractButton) -> bool:
    """Return whether a button starts other programs, records, or closes: that is not played."""
    told = f"{button.text()} {button.accessibleName()}"
    return any(word in told for word in ("Simulate", "Connect", "Find", "Open the demo", "Show folder", "Close", "Quit"))


def bench(folder: Path) -> Path:
    """Write a record of a small drive and return where."""
    t = np.arange(20_000) / 5000
    turns = [2 * np.pi * 50 * t - 2 * np.pi / 3 * k for k in range(3)]
    noise = np.random.default_rng(1)
    columns = [t, *(325 * np.sin(x) for x in turns), *(8 * (1 + (t > 2)) * np.sin(x - 0.4) for x in turns)]
    columns.append(24 + 0.05 * noise.normal(size=len(t)))
    path = folder / "bench.csv"
    head = "t [s],u1 [V],u2 [V],u3 [V],i1 [A],i2 [A],i3 [A],u_rail [V]"
    np.savetxt(path, np.column_stack(columns), fmt="%.6g", delimiter=",", header=head, comments="")
    return path


def opened(folder: Path) -> MainWindow:
    """Return a window with the bench open and its proposal taken."""
    window = MainWindow(LIGHT)
    window.resize(1280, 800)
    window.show()
    window.imports.run(ImportPlan.of((draft(bench(folder)),), into_open=False))
    settle(window)
    window.wiring.first.uses[0].click()
    settle(window)
    return window


def main() -> int:
    """Play, and say what was seen."""
    arguments = argparse.ArgumentParser(description=__doc__)
    arguments.add_argument("--gestures", type=int, default=10_000)
    arguments.add_argument("--seed", type=int, default=random.SystemRandom().randrange(1 << 30))
    given = arguments.parse_args()
    print(f"seed {given.seed}", flush=True)
    own = tempfile.mkdtemp(prefix="monkey")
    os.environ |= dict.fromkeys(("PANTELOS_SETTINGS", "PANTELOS_STATE", "PANTELOS_RECORDINGS", "PANTELOS_CACHE"), own)
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    application = QApplication.instance() or QApplication(sys.argv)
    apply_theme(application, LIGHT)
    window = opened(Path(own))
    played = Monkey(window, given.seed).play(given.gestures)
    print(f"{played.n} gestures: {dict(played.kinds)}")
    print(f"{len(played.tracebacks)} tracebacks, {played.undos} steps undone and done again, {len(played.unequal)} unequal")
    print(f"{len(played.long)} longer than {1000 * LONG_S:.0f} ms; the longest: {sorted(played.long, reverse=True)[:8]}")
    print("\n".join([*played.tracebacks[:20], *played.unequal]))
    assert isinstance(window.document.study, Study)
    sys.stdout.flush()
    os._exit(1 if played.tracebacks or played.unequal else 0)


if __name__ == "__main__":
    main()
