"""The cases: what an engineer waits for, against the plainest program that does the same."""

import os
import shutil
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as pacsv

from benchmarks.measuring import Result, in_turn
from pantelos.formats.text.preview import preview_text
from pantelos.formats.text.reader import read_text
from pantelos.progress import Progress
from pantelos.record.cache import cache_directory
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.signal.arrays import BLOCK
from pantelos.signal.pyramid import build_pyramid
from pantelos.study import operations as op
from pantelos.study.evaluation import Evaluation
from pantelos.study.model import ChannelSetup, Lane, Study
from pantelos.units import unit


def csv_import(folder: Path, small: bool) -> Result:
    """Import of rows of nine columns into mapped channels with pyramids and fingerprint, nothing cached."""
    n = 20_000 if small else 1_000_000
    path = folder / "rows.csv"
    rng = np.random.default_rng(1)
    table = pa.table({"t": np.arange(n) / 20_000, **{f"c{k}": np.round(rng.normal(0, 100, n), 4) for k in range(8)}})
    with path.open("wb") as file:
        file.write(("t [s]," + ",".join(f"c{k} [V]" for k in range(8)) + "\n").encode())
        pacsv.write_csv(table, file, pacsv.WriteOptions(include_header=False))
    dialect = preview_text(path).dialect

    def ours() -> None:
        shutil.rmtree(cache_directory(), ignore_errors=True)
        read_text(path, dialect, Progress())

    mine, base = in_turn(ours, lambda: pacsv.read_csv(path))
    return Result(f"CSV import, {n:,} rows × 9 columns, into mapped channels", "pyarrow.csv.read_csv", mine, base, 2.0)


def _study(n: int, names: tuple[str, ...]) -> Evaluation:
    rng = np.random.default_rng(2)
    raws = []
    for name in names:
        x = rng.normal(0, 100, n)
        raws.append(RawChannel(name, x, unit("A" if name[0] == "i" else "V"), build_pyramid(lambda a, b, x=x: x[a:b], n)))
    setups = tuple(ChannelSetup(name, name, "A" if name[0] == "i" else "V") for name in names)
    study = Study(channels=setups, lanes=tuple(Lane((name,)) for name in names))
    return Evaluation(study, record_of_arrays(tuple(raws), 20_000.0, Path("made.csv"), "0" * 64))


def formula(folder: Path, small: bool) -> Result:
    """`p = u * i` of channels behind a divider and a clamp, as one array of all samples."""
    n = 200_000 if small else 20_000_000
    evaluation = _study(n, ("u", "i"))
    u, i = (np.asarray(column.parts[0].raw.samples) for column in evaluation.record.columns)
    study = op.scale_channel(evaluation.study, "u", "divider 100:1")
    study = op.scale_channel(op.change_channel(study, "i", recorder_unit="V"), "i", "clamp 100 mV/A")
    wave = Evaluation(op.set_formula(study, "p = u * i"), evaluation.record).waveform("p")
    mine, plain = in_turn(lambda: wave.read(0, n), lambda: u * i)
    return Result(f"p = u * i over {n:,} samples, both scaled", "NumPy on scaled arrays in memory", mine, plain, 2.0)


def formula_memory(folder: Path, small: bool) -> Result:
    """Peak memory above the channels while `p = u * i` gets its pyramid and is read through."""
    n = 200_000 if small else 20_000_000
    evaluation = _study(n, ("u", "i"))
    asked = Evaluation(op.set_formula(evaluation.study, "p = u * i"), evaluation.record)

    def work() -> None:
        asked.prepare_drawing("p")
        wave = asked.waveform("p")
        for low in range(0, n, BLOCK):
            wave.read(low, min(low + BLOCK, n))

    return Result("peak memory above the arrays for p = u * i", "1 MB", _peak_above_mb(work), 1.0, 200.0, "MB")


def _peak_above_mb(work: Callable[[], None]) -> float:
    """Return by how much the resident memory of this process rises at most while `work` runs, MB."""
    page = os.sysconf("SC_PAGE_SIZE")

    def resident() -> float:
        return int(Path("/proc/self/statm").read_text().split()[1]) * page / 1e6

    start, peak, stop = resident(), [0.0], threading.Event()

    def watch() -> None:
        while not stop.is_set():
            peak[0] = max(peak[0], resident())
            time.sleep(0.002)

    watcher = threading.Thread(target=watch)
    watcher.start()
    work()
    stop.set()
    watcher.join()
    return max(peak[0] - start, 0.1)


def redraw(folder: Path, small: bool) -> Result:
    """One redraw of six channels at zooms from all to a tenth of a sample per pixel, long record against short."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from PyQt6.QtCore import QRectF
    from PyQt6.QtGui import QImage, QPainter

    from pantelos.desktop.application import make_application
    from pantelos.desktop.presenter.view import TimeView
    from pantelos.desktop.theme import LIGHT
    from pantelos.desktop.traces.lane_picture import draw_traces

    app = make_application()
    names = ("u1", "u2", "u3", "i1", "i2", "i3")
    sizes = (100_000 if small else 20_000_000, 20_000)
    evaluations = [_study(n, names) for n in sizes]
    image = QImage(1000, 500, QImage.Format.Format_ARGB32_Premultiplied)

    def drawing(evaluation: Evaluation, per_pixel: float) -> Callable[[], None]:
        length = min(evaluation.record.duration_s, per_pixel * image.width() / evaluation.record.rate_hz)
        start = (evaluation.record.duration_s - length) / 3
        view = TimeView(start, start + length)

        def draw() -> None:
            painter = QPainter(image)
            for at, name in enumerate(names):
                draw_traces(painter, QRectF(0, 80 * at, 1000, 75), evaluation, (name,), view, (-500.0, 500.0), LIGHT)
            painter.end()

        return draw

    worst = None
    for per_pixel in (1e9, 2000.0, 200.0, 20.0, 5.0, 2.0, 1.0, 0.5, 0.25, 0.1):
        mine, base = in_turn(drawing(evaluations[0], per_pixel), drawing(evaluations[1], 1e9), 9)
        if worst is None or mine / base > worst[0] / worst[1]:
            worst = (mine, base)
    assert worst is not None and app is not None
    return Result(f"redraw of 6 channels × {sizes[0]:,} samples, worst of ten zooms", "20,000 samples, all of them", *worst, 3.0)


_BARE = """
import sys, time, os
start = time.perf_counter()
import numpy, pyqtgraph
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow(); plot = pyqtgraph.PlotWidget(); window.setCentralWidget(plot)
plot.plot(numpy.sin(numpy.arange(1000) / 10)); window.resize(1280, 800); window.show()
app.processEvents(); window.grab()
print(time.perf_counter() - start)
"""
_OURS = """
import sys, time, os
start = time.perf_counter()
from pathlib import Path
from pantelos.desktop.application import make_application
from pantelos.desktop.screenshots import wait_until
from pantelos.desktop.theme import LIGHT, apply_theme
from pantelos.desktop.window import Window
app = make_application(); apply_theme(app, LIGHT)
window = Window(LIGHT); window.show(); window.files.open_study(Path(sys.argv[1]))
wait_until(lambda: window.document.record is not None and all(
    window.document.evaluation.can_draw(n) for lane in window.document.study.lanes for n in lane.channels))
app.processEvents(); window.grab()
print(time.perf_counter() - start)
sys.stdout.flush(); os._exit(0)
"""


def start_up(folder: Path, small: bool) -> Result:
    """From nothing to the demo's traces in the window, the demo already written."""
    from pantelos.demo.files import ensure_demo

    study = ensure_demo()

    def run(code: str, *args: str) -> Callable[[], object]:
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "QT_LOGGING_RULES": "*=false"}
        return lambda: subprocess.run([sys.executable, "-c", code, *args], check=True, env=environment, capture_output=True)

    mine, base = in_turn(run(_OURS, str(study)), run(_BARE), 2 if small else 5)
    return Result("window up with the demo, whole process", "bare PyQt6 + pyqtgraph + NumPy window", mine, base, 3.0)


CASES = (csv_import, formula, formula_memory, redraw, start_up)
