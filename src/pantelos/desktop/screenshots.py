"""Pictures of every main view, made from the demo data."""

import tempfile
from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QEventLoop, QPoint, QTimer
from PyQt6.QtWidgets import QApplication, QWidget

from pantelos.demo.awkward import write_awkward
from pantelos.demo.small import SMALL_DEMOS, SmallDemo
from pantelos.desktop.application import make_application
from pantelos.desktop.importing import ImportDialog
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.presenter.import_plan import draft
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.samples_dialog import SamplesDialog
from pantelos.desktop.theme import DARK, LIGHT, apply_theme
from pantelos.errors import access_error
from pantelos.study import operations as op
from pantelos.study.model import EventSearch, Level, Panel

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
    window = MainWindow(LIGHT)
    window.resize(*SIZE)
    window.show()
    taken: list[Path] = []

    def shoot(name: str, widget: QWidget | None = None) -> None:
        settle(window)
        path = folder / f"{name}.png"
        if not (widget or window).grab().save(str(path)):
            raise access_error(path, "written", OSError("the picture could not be saved"))
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
    for table in ("power", "harmonics"):
        window.tables.select(table)
        shoot(f"tables-{table}")
    _shoot_dialogs(window, shoot)
    _shoot_placing(window, shoot)
    window.set_theme(DARK)
    shoot("traces-dark")
    window.set_theme(LIGHT)
    for demo in SMALL_DEMOS:
        _shoot_small(window, demo, shoot)
    window.close()
    return taken


def _shoot_placing(window: MainWindow, shoot: Callable[..., None]) -> None:
    """Take pictures of comparing, events, X–Y, explanations and a wiring mistake; the study is left as it was."""
    document, page = window.document, window.traces
    before, active = document.study, document.study.active_interval
    assert active is not None
    window.show_page(1)
    document.show(document.whole)
    page.change_columns("compare", compare="mean")
    shoot("traces-compare")
    document.take(before, "back")
    detail = TimeView(active.start_s + 0.5, active.start_s + 0.6)
    document.show(detail)
    settle(window)
    page.events.look_for(EventSearch("ups", "u1", level=Level(100.0), hysteresis=Level(30.0)))
    panels = (Panel("events", search="ups"), Panel("repeats", ("u1",), search="ups"), Panel("edges"))
    study = op.change_interval(document.study, active.name, rides=("u1", "i1"))
    study = op.move_interval(study, active.name, detail.start_s + 0.012, detail.start_s + 0.083, document.grid)
    document.take(replace(study, panels=panels), "panels")
    settle(window)
    page.events.go_to("ups", 326)
    shoot("traces-events")
    document.show(detail)
    panels = (Panel("xy", ("u1", "i1")), Panel("histogram", ("i1",)), Panel("readout", ("p",), reading="mean"))
    document.take(replace(before, panels=panels), "panels")
    shoot("panels-xy")
    document.take(before, "back")
    settle(window)
    page.explain.emit("p", "mean", None, window.mapToGlobal(QPoint(900, 300)))
    settle(window)
    assert window.explaining.popup is not None
    shoot("explanation", window.explaining.popup)
    window.explaining.popup.close()
    page.explain.emit("n", "frequency", None, window.mapToGlobal(QPoint(900, 300)))
    settle(window)
    shoot("not-given", window.explaining.popup)
    window.explaining.popup.close()
    document.take(op.rewire(before, "mains", {"i2": "i3", "i3": "i2"}), "exchanged")
    window.show_page(0)
    shoot("wiring-mistake")
    window.show_page(1)
    document.take(before, "back")
    document.show(TimeView(active.stop_s - 0.06, active.stop_s + 0.04))


def _shoot_small(window: MainWindow, demo: SmallDemo, shoot: Callable[..., None]) -> None:
    """Take a picture of a small demo, the kiln with the pointer in its traces."""
    window.document.forget_changes()
    window.files.open_demo(demo)
    settle(window)
    window.show_page(1)
    lanes = window.traces.lanes
    if demo.id == "inrush":
        window.document.show(TimeView(-0.03, 0.15))
        settle(window)
        lanes.pointer_s, lanes.pointer_y = 0.0512, 20.0
    shoot(f"demo-{demo.id}")
    lanes.pointer_s = None


def _shoot_dialogs(window: MainWindow, shoot: Callable[[str, QWidget], None]) -> None:
    record, evaluation = window.document.record, window.document.evaluation
    assert record is not None
    assert evaluation is not None
    with tempfile.TemporaryDirectory() as folder:
        easy, awkward = draft(record.source), draft(write_awkward(Path(folder) / "brake export.csv"))
    several = ImportDialog([awkward, easy], window, may_join=True)
    for name, dialog in (
        ("import", ImportDialog(easy, window)),
        ("import-difficult", several),
        ("export-samples", SamplesDialog(evaluation, window)),
    ):
        dialog.show()
        shoot(name, dialog)
        dialog.close()


def settle(window: MainWindow) -> None:
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
