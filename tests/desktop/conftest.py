"""Windows for the tests of the desktop."""

import pytest
from PyQt6.QtWidgets import QApplication
from unknown import write_unknown

from pantelos.desktop.files import study_files
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.parts.questions import Answer
from pantelos.desktop.pictures.screenshots import settle
from pantelos.desktop.presenter.import_plan import ImportPlan, draft
from pantelos.desktop.theme import LIGHT, apply_theme


@pytest.fixture
def empty_window(qtbot, monkeypatch):
    """A window with nothing open; asked about unsaved changes it is told to discard them."""
    monkeypatch.setattr(study_files, "ask", lambda *a: Answer.Discard)
    apply_theme(QApplication.instance(), LIGHT)
    made = MainWindow(LIGHT)
    made.show()
    yield made
    made.close()
    made.deleteLater()


@pytest.fixture
def imported_window(empty_window, csv_file):
    """A window with the recording of one phase, nothing wired."""
    empty_window.imports.run(ImportPlan.of((draft(csv_file),), into_open=False))
    settle(empty_window)
    return empty_window


@pytest.fixture
def unknown_file(tmp_path):
    """A file of three phases that nobody has said anything about."""
    return write_unknown(tmp_path / "versuch 7.csv")
