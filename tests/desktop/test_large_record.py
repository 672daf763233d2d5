"""A long record of eight channels in the real window: what the interface thread does follows pixels, not samples.

How long its pauses are on a hundred million samples is a matter of `make bench` (benchmarks/long_record.py).
"""

import threading
from concurrent.futures import Future

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication

from pantelos.desktop.actions.view_actions import pan, show_whole
from pantelos.desktop.pictures.screenshots import settle
from pantelos.desktop.presenter.import_plan import ImportPlan, draft, with_rate
from pantelos.record.recording import RawChannel
from pantelos.signal.sampling.pyramid import BUCKET
from pantelos.study import operations as op
from pantelos.study.model import Interval, Slope

N, CHANNELS, RATE = 600_000, 8, 150_000


@pytest.fixture(scope="module")
def large_file(tmp_path_factory):
    path = tmp_path_factory.mktemp("large") / "bench.npy"
    rows = np.lib.format.open_memmap(path, "w+", np.int16, (CHANNELS, N))
    period = np.round(20_000 * np.sin(2 * np.pi * np.arange(20_000) / 20_000)).astype(np.int16)
    for k in range(CHANNELS):
        rows[k] = np.tile(np.roll(period, 2500 * k), N // len(period))
    rows.flush()
    yield path


@pytest.fixture
def interface_work(monkeypatch):
    """What the interface thread itself does: lengths of the stretches of samples it reads, and jobs it waits for."""
    reads, waits = [], []
    values, result, main = RawChannel.values, Future.result, threading.main_thread()

    def counted(self, start, stop, gain, zero):
        if threading.current_thread() is main:
            reads.append(stop - start)
        return values(self, start, stop, gain, zero)

    def waited(self, timeout=None):
        if threading.current_thread() is main and not self.done():
            waits.append(self)
        return result(self, timeout)

    monkeypatch.setattr(RawChannel, "values", counted)
    monkeypatch.setattr(Future, "result", waited)
    return reads, waits


def turn(window, lanes, steps):
    """Turn the wheel over the lanes: zoom at the pointer."""
    for _ in range(abs(steps)):
        place = QPointF(lanes.width() / 3, lanes.height() / 2)
        event = QWheelEvent(place, lanes.mapToGlobal(place), QPoint(), QPoint(0, 120 if steps > 0 else -120), Qt.MouseButton.NoButton,
                            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
        QApplication.sendEvent(lanes, event)
        QApplication.processEvents()


NO_BUTTON, LEFT_BUTTON = Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton
DRAG = (QEvent.Type.MouseButtonPress, *[QEvent.Type.MouseMove] * 40, QEvent.Type.MouseButtonRelease)


def move(lanes, x, kind, button):
    """Move, press or release the mouse over the lanes, and let what follows be painted."""
    place = QPointF(x, 60.0)
    QApplication.sendEvent(
        lanes, QMouseEvent(kind, place, lanes.mapToGlobal(place), button, button, Qt.KeyboardModifier.NoModifier)
    )
    QApplication.processEvents()


def use(window):
    """Scroll, zoom, measure, point, drag, find events and compare."""
    lanes = window.traces.lanes
    show_whole(window)
    settle(window)
    turn(window, lanes, 40)
    settle(window)
    for _ in range(20):
        pan(window, 0.25)
        QApplication.processEvents()
    turn(window, lanes, -40)
    settle(window)
    study, grid = window.document.study, window.document.grid
    window.document.take(op.add_interval(study, Interval(op.new_interval_name(study), 0.4, 2.4), grid), "new")
    settle(window)
    for k in range(60):
        move(lanes, 200 + 6 * k, QEvent.Type.MouseMove, NO_BUTTON)
    edge = lanes.places.x_of(2.4)
    for k, kind in enumerate(DRAG):
        move(lanes, edge + 2 * k, kind, LEFT_BUTTON)
    settle(window)
    window.traces.events.look_for(window.traces.events.crossing_of("ch2", Slope.RISING))
    settle(window)
    for _ in range(5):
        window.traces.events.step(1)
        settle(window)
    window.traces.toggle_compare()
    settle(window)
    assert window.traces.selection.at_event is not None


def test_the_interface_thread_reads_by_pixels_and_waits_for_nothing(empty_window, large_file, interface_work):
    window, (reads, waits) = empty_window, interface_work
    window.resize(1280, 800)
    window.imports.run(ImportPlan.of((with_rate(draft(large_file), "150 kHz"),), into_open=False))
    settle(window)
    assert (window.document.record.n_samples, len(window.document.study.channels)) == (N, CHANNELS)
    window.show_page(1)
    settle(window)
    use(window)
    assert reads  # the counter is in the way of what is painted
    assert max(reads) <= window.width() * BUCKET  # below one bucket per column samples are read, above it none
    assert waits == []
    low, high = window.document.evaluation.drawing.extent("ch1")
    assert (low, high) == (-20_000, 20_000)
    assert window.document.evaluation.value("rms(ch1)").value == pytest.approx(20_000 / np.sqrt(2), rel=1e-4)
