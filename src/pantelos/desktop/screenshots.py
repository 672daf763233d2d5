"""Pictures of every main view, made from the demo data."""

import tempfile
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication, QWidget

from pantelos.demo.awkward import write_awkward
from pantelos.desktop.application import make_application
from pantelos.desktop.importing import ImportDialog
from pantelos.desktop.presenter.importing import draft
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.samples_dialog import SamplesDialog
from pantelos.desktop.theme import DARK, LIGHT, apply_theme
from pantelos.desktop.window import Window
from pantelos.errors import access_error

SIZE = (1280, 800)
_PATIENCE_MS = 60_000


def take_screenshots(study: Path, folder: Path) -> list[Path]:
    """Open the demo study and save a picture of each main view; return their paths.

    Raises
    ------
    FileAccessError
        When the folder cannot be written.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as cause:
        raise access_error(folder, "written", cause) from cause
    app = make_application()
    apply_theme(app, LIGHT)
    window = Window(LIGHT)
    window.resize(*SIZE)
    window.show()
    taken: list[Path] = []

    def shoot(name: str, widget: QWidget | None = None) -> None:
        settle(window)
        path = folder / f"{name}.png"
        (widget or window).grab().save(str(path))
        taken.append(path)

    shoot("start")
    window.files.open_study(study)
    settle(window)
    window.document.show(window.document.whole)
    window.show_page(1)
    shoot("traces-whole-record")
    active = window.document.study.active_interval
    assert active is not None
    window.document.show(TimeView(active.stop_s - 0.06, active.stop_s + 0.04))
    shoot("traces-detail")
    window.show_page(0)
    shoot("wiring")
    window.show_page(2)
    settle(window)
    window.tables.choose_intervals(["steady lift", "mains dip", "lowering, energy returned"])
    for table in ("power", "harmonics", "readings"):
        window.tables.select(table)
        shoot(f"tables-{table}")
    _shoot_dialogs(window, shoot)
    window.set_theme(DARK)
    window.show_page(1)
    shoot("traces-dark")
    window.close()
    return taken


def _shoot_dialogs(window: Window, shoot: Callable[[str, QWidget], None]) -> None:
    record, evaluation = window.document.record, window.document.evaluation
    assert record is not None
    assert evaluation is not None
    with tempfile.TemporaryDirectory() as folder:
        easy, awkward = draft(record.source), draft(write_awkward(Path(folder) / "brake export.csv"))
    several = ImportDialog([awkward, easy], window, may_join=True)
    for name, dialog in (("import", ImportDialog(easy, window)), ("import-difficult", several),
                         ("export-samples", SamplesDialog(evaluation, window))):  # fmt: skip
        dialog.show()
        shoot(name, dialog)
        dialog.close()


def settle(window: Window) -> None:
    """Let events and work run until nothing is on its way."""
    wait_until(lambda: not window.runner.busy())
    for _ in range(3):
        QApplication.processEvents()
    wait_until(lambda: not window.runner.busy())


def wait_until(reached: Callable[[], bool], patience_ms: int = _PATIENCE_MS) -> None:
    """Run the event loop until a condition holds.

    Raises
    ------
    TimeoutError
        When it does not hold in time.
    """
    loop = QEventLoop()
    tick, limit = QTimer(interval=10), QTimer(singleShot=True, interval=patience_ms)
    tick.timeout.connect(lambda: loop.quit() if reached() else None)
    limit.timeout.connect(lambda: loop.exit(1))
    tick.start()
    limit.start()
    if not reached() and loop.exec() == 1:
        raise TimeoutError("the window did not come to rest")
