"""Pictures of every main view, made from the demo data."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QEventLoop, QPoint, QTimer
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QApplication, QWidget

from pantelos.campaigns import Campaign
from pantelos.campaigns.running import run
from pantelos.demo.lifts import ensure_campaign_demo
from pantelos.demo.small import ensure_small_demo, small_demo
from pantelos.desktop.application import make_application
from pantelos.desktop.formulas.shelf import FORMULAS
from pantelos.desktop.importing import ImportDialog
from pantelos.desktop.main_window import MainWindow
from pantelos.desktop.presenter.import_plan import draft
from pantelos.desktop.presenter.view import TimeView
from pantelos.desktop.theme import DARK, LIGHT, apply_theme
from pantelos.errors import access_error
from pantelos.settings import change_settings
from pantelos.signal.levels.levels import Level
from pantelos.study import operations as op
from pantelos.study.model import EventSearch
from pantelos.study.shown import OrdersShown, Panel, Spectral

SIZE = (1280, 800)


def take_screenshots(study: Path, folder: Path, others: bool = True) -> list[Path]:
    """Open the demo study and save a picture of each main view; return their paths.

    Without `others` only views of that study, none of the other demos, which take their time.

    Raises
    ------
    FileAccessError
        When the folder cannot be written.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as cause:
        raise access_error(folder, "written", cause) from cause
    names = ("PANTELOS_SETTINGS", "PANTELOS_STATE", "PANTELOS_RECORDINGS")
    before = {name: os.environ.get(name) for name in names}
    with tempfile.TemporaryDirectory() as own:  # pictures show the program, not what somebody did with it
        os.environ |= dict.fromkeys(names, own)
        try:
            return _taken(study, folder, others)
        finally:
            for name, value in before.items():
                os.environ.pop(name)
                if value is not None:
                    os.environ[name] = value


def _taken(study: Path, folder: Path, others: bool) -> list[Path]:
    app = make_application()
    apply_theme(app, LIGHT)
    window = MainWindow(LIGHT)
    window.resize(*SIZE)
    window.show()
    taken: list[Path] = []

    def shoot(name: str, widget: QWidget | None = None, above: QWidget | None = None) -> None:
        settle(window)
        path = folder / f"{name}.png"
        picture = (widget or window).grab()
        if above is not None:  # a list that hangs below a line is a window of its own
            painter = QPainter(picture)
            painter.drawPixmap(window.mapFromGlobal(above.mapToGlobal(QPoint(0, 0))), above.grab())
            painter.end()
        if not picture.save(str(path)):
            raise access_error(path, "written", OSError("the picture could not be saved"))
        taken.append(path)

    shoot("start")
    change_settings(hints_seen=("traces", "tables"))  # that of the first page is seen once
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
    _shoot_sheets(window, shoot)
    _shoot_dialogs(window, shoot)
    _shoot_placing(window, shoot)
    window.set_theme(DARK)
    shoot("traces-dark")
    window.set_theme(LIGHT)
    window.document.forget_changes()
    of_other_demos = (_shoot_spectra, _shoot_formulas, _shoot_quality, _shoot_recorder, _shoot_campaign)
    for shoot_demo in of_other_demos if others else ():
        shoot_demo(window, shoot)
    window.document.forget_changes()
    window.close()
    return taken


def _shoot_sheets(window: MainWindow, shoot: Callable[..., None]) -> None:
    """Take pictures of the report of the lift: power, and harmonics with limits."""
    before = window.document.study
    chosen = op.set_report(before, intervals=("steady lift", "mains dip", "lowering, energy returned"))
    window.document.take(chosen, "intervals")
    window.tables.select("power")
    shoot("tables-power")
    declared = op.set_quality(chosen, U_din=230.0, sets=("en50160-lv",))
    window.document.take(declared, "limits")
    window.tables.select("harmonics")
    shoot("sheet-harmonics")
    window.document.take(before, "back")


_TESTED = {
    "report": "2026-0417",
    "object": "supply of hall 2",
    "customer": "a joinery",
    "order": "O-2026-318",
    "place": "main distribution",
    "date": "2026-11-26",
    "tester": "the test engineer",
    "ambient": "21.4 °C, 43 %",
}
_EQUIPMENT = (
    "recorder, 12 inputs; serial RE-0311; calibrated 2026-03-14; due 2027-03-14",
    "dividers 100:1; serial DV-118; calibrated 2025-10-02; due 2026-10-02",
)


def _shoot_quality(window: MainWindow, shoot: Callable[..., None]) -> None:
    """Take pictures of a week judged, and of incidents by depth and duration."""
    for demo, sheet in (("week", "quality"), ("incidents", "disturbances")):
        window.document.forget_changes()
        window.files.open_study(ensure_small_demo(small_demo(demo)))
        settle(window)
        window.show_page(2)
        window.tables.select(sheet)
        shoot(f"sheet-{sheet}")
    study = window.document.study
    for label, text in _TESTED.items():
        study = op.set_fact(study, label, text)
    window.document.take(op.set_equipment(study, _EQUIPMENT), "title page")
    window.tables.select("title")
    shoot("sheet-title")


def _shoot_recorder(window: MainWindow, shoot: Callable[..., None]) -> None:
    """Take a picture of ten shots on an edge, the simulated recorder behind them."""
    page = window.recorder
    window.show_page(3)
    window.hint.put_away()
    page.connecting.simulate()
    wait_until(lambda: page.table.rowCount() > 0)
    for row in range(3):
        page.table.set_chain(row, "divider 100")
        page.table.set_chain(3 + row, "clamp 100 mV/A")
    page.form.length.setText("5000 samples")
    page.form.before.setText("20 ms")
    page.form.start.setText("u1 rises through 100 V, hysteresis 10 V")
    page.form.shots.setText("10")
    page.begin()
    wait_until(page.live.open.isVisible)
    wait_until(lambda: page.live.trace.readings_are_of_what_is_shown)
    page.connecting.address.setText("127.0.0.1")  # its port differs from run to run
    shoot("recorder")


def _shoot_campaign(window: MainWindow, shoot: Callable[..., None]) -> None:
    """Take a picture of forty runs by one study, one of them chosen."""
    path = ensure_campaign_demo()
    made = Campaign(path)
    run(made)
    made.close()
    window.open_campaign(path)
    window.hint.put_away()
    window.campaign.show_column(4)
    window.campaign.ledger.selectRow(11)
    shoot("campaign")


def _shoot_formulas(window: MainWindow, shoot: Callable[..., None]) -> None:
    """Take pictures of the conveyor: stacked plots, the derive line while typing."""
    window.files.open_study(ensure_small_demo(small_demo("conveyor")))
    settle(window)
    window.document.forget_changes()
    document, line, shelf = window.document, window.traces.derive, window.traces.shelf
    whole = document.study
    document.take(replace(whole, panels=(), lanes=whole.lanes[:3]), "three lanes")
    window.show_page(1)
    document.show(TimeView(0.58, 0.60))
    shelf.open_at(FORMULAS)
    shelf.formulas.choose("D")
    settle(window)
    document.take(whole, "back")
    document.show(document.whole)
    line.edit.setText("r = running_rms(u")
    line.edit.textEdited.emit(line.edit.text())
    settle(window)
    shoot("formulas-derive", above=line.offers.list)
    line.offers.hide()
    line.put("")
    shelf.hide()


def _shoot_spectra(window: MainWindow, shoot: Callable[..., None]) -> None:
    """Take pictures of spectra that fill the page, of a spectrogram beside groups, and of where the power goes."""
    document, panels = window.document, window.traces.panels
    before = document.study
    window.show_page(1)
    lift = Spectral(resolution=("spacing", 5.0), traces=("present", "mean", "highest"), span_hz=(0, 2500), edges_hz=(50.0, 250.0))
    beside = Spectral(span_hz=(100.0, 260.0), decibels="dBc", peaks=8)
    four = (
        Panel("spectrum", ("i1",), spectral=lift),
        Panel("spectrum", ("i3",), window="blackman-harris", spectral=beside),
        Panel("spectrum", ("u_dc",), window="flat-top", spectral=Spectral(resolution=("spacing", 5.0), span_hz=(0, 1000))),
        Panel("spectrum", ("iU", "iV"), spectral=Spectral(scale="density", logarithmic=True, span_hz=(10, 10_000))),
    )
    document.take(replace(before, panels=four), "spectra")
    settle(window)
    panels.fill_page()
    shoot("spectra")
    run = Spectral(span_hz=(0, 1500), cursor=(10.0, 250.0))
    some = (
        Panel("spectrogram", ("i1",), stretch_s=(0.0, 24.0), spectral=run),
        Panel("harmonics", ("i1",), orders=OrdersShown("subgroup", "dB", "p95")),
        Panel("transfer", ("u1", "i1"), spectral=Spectral(resolution=("spacing", 10.0), span_hz=(10, 1400))),
    )
    document.take(replace(before, panels=some), "spectrogram")
    shoot("spectrogram")
    document.take(replace(op.activate(before, "lowering, energy returned"), panels=(Panel("flow"),)), "flow")
    shoot("power-chain")
    panels.fill_page()
    document.take(before, "back")


def _shoot_placing(window: MainWindow, shoot: Callable[..., None]) -> None:
    """Take pictures of events, X–Y, explanations and a wiring mistake; the study is left as it was."""
    document, page = window.document, window.traces
    before, active = document.study, document.study.active_interval
    assert active is not None
    window.show_page(1)
    document.show(document.whole)
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
    document.take(before, "back")
    settle(window)
    page.explain.emit("p", "mean", None, window.mapToGlobal(QPoint(900, 300)))
    settle(window)
    assert window.explaining.popup is not None
    shoot("explanation", window.explaining.popup)
    window.explaining.popup.close()
    document.show(TimeView(active.stop_s - 0.06, active.stop_s + 0.04))


def _shoot_dialogs(window: MainWindow, shoot: Callable[[str, QWidget], None]) -> None:
    record = window.document.record
    assert record is not None
    dialog = ImportDialog(draft(record.source), window)
    dialog.show()
    shoot("import", dialog)
    dialog.close()


def settle(window: MainWindow) -> None:
    """Let events and work run until nothing is on its way."""
    wait_until(lambda: not window.runner.busy())
    for _ in range(3):
        QApplication.processEvents()
    wait_until(lambda: not window.runner.busy())


def wait_until(reached: Callable[[], bool]) -> None:
    """Run the event loop until a condition holds, however long a busy machine takes; who waits for ever is ended from outside."""
    loop, tick = QEventLoop(), QTimer(interval=10)
    tick.timeout.connect(lambda: loop.quit() if reached() else None)
    tick.start()
    if not reached():
        loop.exec()
