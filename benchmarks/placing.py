"""Cases of looking and placing: finding events, and how soon an edge or the pointer is drawn."""

import statistics
import time
from pathlib import Path

import numpy as np

from benchmarks.measuring import Result, in_turn
from pantelos.engine.evaluation import Evaluation
from pantelos.record.record import Record, record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.signal.arrays import AnyArray
from pantelos.signal.sampling.pyramid import pyramids_of
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, Interval, RecordSource, Study
from pantelos.study.recordings import Recordings
from pantelos.study.shown import Lane
from pantelos.units import unit

_FRAME_MS = 1000.0 / 60.0
_CYCLE = 20_000  # samples: mains at 1 MS/s


def _mains(n: int) -> AnyArray:
    """Return mains with a fifth harmonic as a recorder of 16 bit puts it down."""
    turn = 2 * np.pi * np.arange(_CYCLE) / _CYCLE
    cycle = np.round(22_000 * np.sin(turn) + 1_500 * np.sin(5 * turn + 1.0)).astype(np.int16)
    return np.tile(cycle, -(-n // _CYCLE))[:n]


def _record(columns: dict[str, AnyArray], rate_hz: float) -> Record:
    n = len(next(iter(columns.values())))
    made = pyramids_of([lambda a, b, x=x: x[a:b] for x in columns.values()], n)  # type: ignore[misc]
    raws = tuple(RawChannel(name, x, unit("V"), p, 0.01) for (name, x), p in zip(columns.items(), made, strict=True))
    return record_of_arrays(raws, rate_hz, Path("made.csv"), "0" * 64)


def event_search(folder: Path, small: bool) -> Result:
    """Rising crossings of a level with 5 % hysteresis over a long recorded channel."""
    n = 1_000_000 if small else 100_000_000
    x = _mains(n)
    record = _record({"u": x}, 1e6)
    channel = Evaluation(Study(channels=(ChannelSetup("u", "u", "V"),)), record).samples.waveform("u")

    def ours() -> int:
        return len(channel.crossings(100.0, 22.0, 0, n).rises)  # type: ignore[attr-defined]

    assert abs(ours() - n / _CYCLE) <= 1
    mine, base = in_turn(ours, lambda: x >= 10_000, 7)
    return Result(f"rising crossings with hysteresis in {n:,} samples", "one NumPy comparison of them all", mine, base, 3.0)


class _Fixed(Recordings):
    """One record, whatever the study says."""

    def __init__(self, record: Record) -> None:
        super().__init__()
        self._record = record

    def record(self, source: RecordSource | None) -> Record:
        return self._record


def pointer(folder: Path, small: bool) -> Result:
    """From a move of the mouse to the picture: the worse of hairline with values and dragged edge, medians, eight channels."""
    from PyQt6.QtCore import QEvent, QPointF, Qt
    from PyQt6.QtGui import QMouseEvent
    from PyQt6.QtWidgets import QApplication

    from pantelos.desktop.application import make_application
    from pantelos.desktop.main_window import MainWindow
    from pantelos.desktop.pictures.screenshots import settle
    from pantelos.desktop.theme import LIGHT, apply_theme

    n = 1_000_000 if small else 100_000_000
    app = make_application()
    apply_theme(app, LIGHT)
    x = _mains(n)
    record = _record({f"u{k}": x for k in range(1, 9)}, 1e6)
    names = tuple(f"u{k}" for k in range(1, 9))
    study = Study(channels=tuple(ChannelSetup(name, name, "V") for name in names), lanes=tuple(Lane((name,)) for name in names),
                  record=RecordSource(()))  # fmt: skip
    study = op.add_interval(study, Interval("part", 0.2 * n / 1e6, 0.5 * n / 1e6), record.grid)
    window = MainWindow(LIGHT)
    window.resize(1280, 800)
    window.show()
    window.document.open(study, _Fixed(record), None)
    window.show_page(1)
    settle(window)
    lanes = window.traces.lanes
    none, left = Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton

    def send(kind: QEvent.Type, at: float, button: Qt.MouseButton) -> float:
        place = QPointF(at, 120.0)
        start = time.perf_counter()
        QApplication.sendEvent(
            lanes, QMouseEvent(kind, place, lanes.mapToGlobal(place), button, button, Qt.KeyboardModifier.NoModifier)
        )
        QApplication.processEvents()
        return 1000 * (time.perf_counter() - start)

    hovering = [send(QEvent.Type.MouseMove, 200 + 4 * k, none) for k in range(100)]
    edge = lanes.places.x_of(window.document.study.intervals[0].stop_s)
    send(QEvent.Type.MouseButtonPress, edge, left)
    dragging = [send(QEvent.Type.MouseMove, edge + 3 * k, left) for k in range(1, 100)]
    send(QEvent.Type.MouseButtonRelease, edge + 30, left)
    settle(window)
    window.document.forget_changes()
    window.close()
    worse = max(statistics.median(hovering), statistics.median(dragging))
    what = f"pointer to hairline ({statistics.median(hovering):.1f} ms) or edge ({statistics.median(dragging):.1f} ms), 8 × {n:,}"
    return Result(what, "a millisecond", worse, 1.0, _FRAME_MS, "ms")


CASES = (event_search, pointer)
