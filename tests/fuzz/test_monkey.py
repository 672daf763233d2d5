"""A short run of random gestures; the long one is `make monkey`."""

import os

from monkey import Monkey, opened
from PyQt6.QtWidgets import QApplication

from pantelos.desktop.theme import LIGHT, apply_theme


def test_random_gestures_end_in_no_traceback_and_are_undone(qtbot, tmp_path):
    assert os.environ["QT_QPA_PLATFORM"] == "offscreen"
    apply_theme(QApplication.instance(), LIGHT)
    window = opened(tmp_path)
    played = Monkey(window, seed=20).play(80)
    assert (played.n, played.tracebacks, played.unequal) == (80, [], [])
    assert len(played.kinds) > 9 and played.undos > 0
    window.document.forget_changes()
    window.close()
    window.deleteLater()
