"""The cases: what an engineer waits for, against the plainest program that does the same."""

import os
import shutil
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.csv as pacsv

from benchmarks.measuring import Result, in_turn
from pantelos.engine.evaluation import Evaluation
from pantelos.folders import cache_directory
from pantelos.formats.dialect import Dialect
from pantelos.formats.text.preview import preview_text
from pantelos.formats.text.reader import read_text
from pantelos.progress import Progress
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.signal.arrays import BLOCK, AnyArray
from pantelos.signal.sampling.pyramid import build_pyramid, pyramids_of
from pantelos.study import operations as op
from pantelos.study.importing import import_recording
from pantelos.study.model import ChannelSetup, Study
from pantelos.study.opening import preview
from pantelos.study.shown import Lane
from pantelos.units import unit

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage


def _rows(path: Path, n: int) -> Path:
    """Write a CSV file of nine columns, time and eight channels."""
    rng = np.random.default_rng(1)
    head = "t [s]," + ",".join(f"c{k} [V]" for k in range(8)) + "\n"
    with path.open("wb") as file:
        file.write(head.encode())
        for low in range(0, n, 1_000_000):
            part = np.arange(low, min(low + 1_000_000, n))
            table = pa.table({"t": part / 20_000, **{f"c{k}": np.round(rng.normal(0, 100, len(part)), 4) for k in range(8)}})
            pacsv.write_csv(table, file, pacsv.WriteOptions(include_header=False))
    return path


def _import(path: Path) -> None:
    shutil.rmtree(cache_directory(), ignore_errors=True)
    read_text(path, preview_text(path).dialect, Progress())


def csv_import(folder: Path, small: bool) -> Result:
    """Import of rows of nine columns into mapped channels with pyramids and fingerprint, nothing cached."""
    n = 20_000 if small else 5_000_000
    path = _rows(folder / "rows.csv", n)

    def streamed() -> None:
        with pacsv.open_csv(path) as reader:
            for _ in reader:
                pass

    mine, base = in_turn(lambda: _import(path), streamed, 3)
    path.unlink()
    return Result(
        f"CSV import, {n:,} rows × 9 columns, into mapped channels", "pyarrow's streaming CSV reader alone", mine, base, 1.5
    )


def csv_memory(folder: Path, small: bool) -> Result:
    """Peak memory above that before an import of rows of nine columns."""
    n = 20_000 if small else 5_000_000
    path = _rows(folder / "rows.csv", n)
    peak = _peak_of_process(_IMPORT, str(path))
    path.unlink()
    return Result(f"peak memory of a CSV import, {n:,} rows × 9 columns", "1 MB", peak, 1.0, 400.0, "MB")


def csv_memory_twice(folder: Path, small: bool) -> Result:
    """The same peak for a file twice as long, against the one for the first."""
    n = 20_000 if small else 5_000_000
    one, two = _rows(folder / "rows.csv", n), _rows(folder / "twice.csv", 2 * n)
    peaks = [_peak_of_process(_IMPORT, str(path)) for path in (two, one)]
    for path in (one, two):
        path.unlink()
    return Result("peak memory of a CSV import twice as long", f"{n:,} rows", peaks[0], peaks[1], 1.25, "MB")


_IMPORT = """
import os, shutil, sys, threading, time
from pathlib import Path
import pyarrow.csv
from pantelos.formats.text.preview import preview_text
from pantelos.formats.text.reader import read_text
from pantelos.progress import Progress

def own():  # without mapped files, which the system drops when it needs their room
    fields = Path("/proc/self/statm").read_text().split()
    return (int(fields[1]) - int(fields[2])) * os.sysconf("SC_PAGE_SIZE") / 1e6

path = Path(sys.argv[1])
dialect = preview_text(path).dialect
shutil.rmtree(os.environ["PANTELOS_CACHE"], ignore_errors=True)
before, peak, stop = own(), [0.0], threading.Event()
def watch():
    while not stop.is_set():
        peak[0] = max(peak[0], own())
        time.sleep(0.002)
watcher = threading.Thread(target=watch)
watcher.start()
read_text(path, dialect, Progress())
stop.set()
watcher.join()
print(peak[0] - before)
"""


def _peak_of_process(code: str, *args: str) -> float:
    """Return what a process of its own prints: its peak memory above that before the work, MB."""
    found = subprocess.run([sys.executable, "-c", code, *args], check=True, capture_output=True, text=True)
    return max(float(found.stdout.split()[-1]), 0.1)


def pyramid(folder: Path, small: bool) -> Result:
    """The pyramid of whole numbers, against one pass for the lowest and highest of them."""
    n = 1_000_000 if small else 100_000_000
    x = np.random.default_rng(3).integers(-30_000, 30_000, n).astype(np.int16)
    mine, base = in_turn(lambda: pyramids_of([lambda a, b: x[a:b]], n), lambda: (x.min(), x.max()))
    return Result(f"pyramid of {n:,} int16 samples", "NumPy's min and max of them", mine, base, 2.0)


def _wav(path: Path, n: int) -> Path:
    from scipy.io import wavfile

    wavfile.write(path, 1_000_000, (np.arange(n) % 20_011 - 10_000).astype(np.int16))
    return path


def _npy(path: Path, n: int) -> Path:
    rows = np.lib.format.open_memmap(path, "w+", np.int16, (n,))
    rows[:] = np.arange(n) % 20_011 - 10_000
    return path


def _hdf5(path: Path, n: int) -> Path:
    import h5py

    with h5py.File(path, "w") as file:
        file.attrs["sample_rate"] = 1e6
        file.create_dataset("u", data=(np.arange(n) % 20_011 - 10_000).astype(np.int16))
    return path


def _comtrade(path: Path, n: int) -> Path:
    rows = np.memmap(path.with_suffix(".dat"), np.dtype([("n", "<u4"), ("t", "<u4"), ("a", "<i2")]), "w+", shape=(n,))
    rows["n"], rows["t"], rows["a"] = np.arange(1, n + 1), np.arange(n), np.arange(n) % 20_011 - 10_000
    path.write_text(f"bench,made up,2013\n1,1A,0D\n1,u,,,V,0.01,0,0,-32767,32767,1,1,P\n50\n1\n1000000,{n}\n"
                    "01/01/2026,00:00:00.000000\n01/01/2026,00:00:00.000000\nBINARY\n1\n0,x\nF,3\n")  # fmt: skip
    return path


def first_picture(folder: Path, small: bool) -> Result:
    """From the file to the picture of all of it, imported before: the worst of WAV, NPY, HDF5 and COMTRADE."""
    from PyQt6.QtGui import QImage

    from pantelos.desktop.application import make_application

    app = make_application()
    sizes = (1_000_000, 100_000) if small else (100_000_000, 1_000_000)
    image = QImage(1000, 500, QImage.Format.Format_ARGB32_Premultiplied)
    worst = None
    for suffix, write in ((".wav", _wav), (".npy", _npy), (".h5", _hdf5), (".cfg", _comtrade)):
        paths = [write(folder / f"{n}{suffix}", n) for n in sizes]
        dialects = []
        for path in paths:
            found = preview(path).dialect
            dialects.append(found if found.rate_hz else msgspec.structs.replace(found, rate_hz=1e6))
            import_recording(Study(), path, dialects[-1])

        def picture(at: int, paths: list[Path] = paths, dialects: list[Dialect] = dialects) -> None:
            study, recordings = import_recording(Study(), paths[at], dialects[at])
            evaluation = Evaluation(study, recordings.record(study.record))
            _draw(image, evaluation, (study.channels[0].name,), evaluation.record.duration_s)

        times = in_turn(lambda: picture(0), lambda: picture(1), 9)
        if worst is None or times[0] / times[1] > worst[0] / worst[1]:
            worst = times
        for path in paths:
            path.unlink()
    assert worst is not None and app is not None
    return Result(f"first picture of a mapped file of {sizes[0]:,} samples", f"the same with {sizes[1]:,}", *worst, 1.5)


def _study(n: int, names: tuple[str, ...]) -> Evaluation:
    rng = np.random.default_rng(2)
    raws = []
    for name in names:
        x = rng.normal(0, 100, n)
        raws.append(RawChannel(name, x, unit("A" if name[0] == "i" else "V"), build_pyramid(lambda a, b, x=x: x[a:b], n)))  # type: ignore[misc]
    setups = tuple(ChannelSetup(name, name, "A" if name[0] == "i" else "V") for name in names)
    study = Study(channels=setups, lanes=tuple(Lane((name,)) for name in names))
    return Evaluation(study, record_of_arrays(tuple(raws), 20_000.0, Path("made.csv"), "0" * 64))


def formula(folder: Path, small: bool) -> Result:
    """`p = u * i` of whole numbers behind a divider and a clamp, read through block by block."""
    n = 200_000 if small else 100_000_000
    u, i = _whole_numbers(n), _whole_numbers(n)
    evaluation = _evaluation_of({"u": u, "i": i})
    study = op.scale_channel(evaluation.study, "u", "divider 100:1")
    study = op.scale_channel(op.change_channel(study, "i", recorder_unit="V"), "i", "clamp 100 mV/A")
    wave = Evaluation(op.set_formula(study, "p = u * i"), evaluation.record).samples.waveform("p")

    def ours() -> None:
        for low in range(0, n, BLOCK):
            wave.read(low, min(low + BLOCK, n))

    def plain() -> None:
        for low in range(0, n, BLOCK):
            (u[low : low + BLOCK] * 100.0) * (i[low : low + BLOCK] * 10.0)

    mine, base = in_turn(ours, plain, 3)
    return Result(f"p = u * i over {n:,} samples, both scaled", "blocked NumPy, both scaled", mine, base, 1.5)


def formula_memory(folder: Path, small: bool) -> Result:
    """Peak memory above the channels while `p = u * i` gets its pyramid and is read through."""
    n = 200_000 if small else 20_000_000
    evaluation = _study(n, ("u", "i"))
    asked = Evaluation(op.set_formula(evaluation.study, "p = u * i"), evaluation.record)

    def work() -> None:
        asked.drawing.prepare("p")
        wave = asked.samples.waveform("p")
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


def integral(folder: Path, small: bool) -> Result:
    """`integral(p)` of `p = u * i`, read through once, against the same sums of blocks in NumPy."""
    n = 200_000 if small else 100_000_000
    u, i = _whole_numbers(n), _whole_numbers(n)
    made = _evaluation_of({"u": u, "i": i}, gains={"u": 0.02, "i": 0.001})
    made = Evaluation(op.set_formula(op.set_formula(made.study, "p = u * i"), "e = integral(p)"), made.record)

    def ours() -> float:
        wave, last = Evaluation(made.study, made.record).samples.waveform("e"), 0.0
        for low in range(0, n, BLOCK):
            last = float(wave.read(low, min(low + BLOCK, n))[-1])
        return last

    def plain() -> float:
        total, before = 0.0, 0.0
        for low in range(0, n, BLOCK):
            p = (u[low : low + BLOCK] * 0.02) * (i[low : low + BLOCK] * 0.001)
            slices = 0.5 * (p[1:] + p[:-1])
            running = np.concatenate([[0.5 * (before + p[0]) if low else 0.0], slices]).cumsum() / 20_000 + total
            total, before = float(running[-1]), float(p[-1])
        return total

    assert abs(ours() - plain()) <= 1e-9 * abs(plain())
    mine, base = in_turn(ours, plain, 3)
    return Result(f"p = u * i and integral(p) over {n:,} samples", "blocked NumPy, the same sums", mine, base, 1.5)


def _whole_numbers(n: int) -> AnyArray:
    return np.random.default_rng(5).integers(-20_000, 20_000, n, dtype=np.int16)


def _evaluation_of(channels: dict[str, AnyArray], gains: dict[str, float] | None = None) -> Evaluation:
    n = len(next(iter(channels.values())))
    pyramids = pyramids_of([lambda a, b, x=x: x[a:b] for x in channels.values()], n)  # type: ignore[misc]
    raws, setups = [], []
    for (name, x), made in zip(channels.items(), pyramids, strict=True):
        symbol = "A" if name[0] == "i" else "V"
        raws.append(RawChannel(name, x, unit(symbol), made, (gains or {}).get(name, 1.0)))
        setups.append(ChannelSetup(name, name, symbol))
    study = Study(channels=tuple(setups), lanes=tuple(Lane((name,)) for name in channels))
    return Evaluation(study, record_of_arrays(tuple(raws), 20_000.0, Path("made.csv"), "0" * 64))


def _draw(image: "QImage", evaluation: Evaluation, names: tuple[str, ...], length_s: float) -> None:
    from PyQt6.QtCore import QRectF
    from PyQt6.QtGui import QPainter

    from pantelos.desktop.presenter.ledger import LaneAxis
    from pantelos.desktop.presenter.view import TimeView
    from pantelos.desktop.theme import LIGHT
    from pantelos.desktop.traces.lane_picture import draw_traces

    start = (evaluation.record.duration_s - length_s) / 3
    painter = QPainter(image)
    for at, name in enumerate(names):
        view = TimeView(start, start + length_s)
        axis = LaneAxis(evaluation.names.unit(name), (name,), (-25_000.0, 25_000.0))
        draw_traces(painter, QRectF(0, 60 * at, 1000, 56), evaluation, (axis,), view, LIGHT)
    painter.end()


def redraw(folder: Path, small: bool) -> Result:
    """One redraw of eight channels at zooms from all to a tenth of a sample per pixel, long record against short."""
    from PyQt6.QtGui import QImage

    from pantelos.desktop.application import make_application

    app = make_application()
    names = ("u1", "u2", "u3", "u4", "i1", "i2", "i3", "i4")
    sizes = (1_000_000, 100_000) if small else (100_000_000, 1_000_000)
    table = _whole_numbers(sizes[0] * len(names)).reshape(len(names), -1)
    evaluations = [_evaluation_of({name: table[k, :n] for k, name in enumerate(names)}) for n in sizes]
    image = QImage(1000, 500, QImage.Format.Format_ARGB32_Premultiplied)
    worst = None
    for per_pixel in (1e9, 2000.0, 300.0, 200.0, 20.0, 5.0, 2.0, 1.0, 0.5, 0.25, 0.1):
        lengths = [min(e.record.duration_s, per_pixel * image.width() / e.record.rate_hz) for e in evaluations]
        work = [lambda e=e, length=length: _draw(image, e, names, length) for e, length in zip(evaluations, lengths, strict=True)]
        mine, base = in_turn(work[0], work[1], 9)
        if worst is None or mine / base > worst[0] / worst[1]:
            worst = (mine, base)
    assert worst is not None and app is not None
    what = f"redraw of 8 channels × {sizes[0]:,} samples, worst of eleven zooms"
    return Result(what, f"{sizes[1]:,} samples at the same zoom", *worst, 1.5)


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
from pantelos.desktop.pictures.screenshots import wait_until
from pantelos.desktop.theme import LIGHT, apply_theme
from pantelos.desktop.main_window import MainWindow
app = make_application(); apply_theme(app, LIGHT)
window = MainWindow(LIGHT); window.show(); window.files.open_study(Path(sys.argv[1]))
wait_until(lambda: window.document.record is not None and all(
    window.document.evaluation.drawing.can_draw(n) for lane in window.document.study.lanes for n in lane.channels))
app.processEvents(); window.grab()
print(time.perf_counter() - start)
sys.stdout.flush(); os._exit(0)
"""


def start_up(folder: Path, small: bool) -> Result:
    """From nothing to the demo's traces in the window, the demo already written."""
    from pantelos.demo.writing import ensure_demo

    study = ensure_demo()

    def run(code: str, *args: str) -> Callable[[], object]:
        kept = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
        # compiled once, as in any installed program; aside, so that the source tree stays clean
        environment = {
            **kept,
            "QT_QPA_PLATFORM": "offscreen",
            "QT_LOGGING_RULES": "*=false",
            "PYTHONPYCACHEPREFIX": str(folder / "pyc"),
        }
        return lambda: subprocess.run([sys.executable, "-c", code, *args], check=True, env=environment, capture_output=True)

    mine, base = in_turn(run(_OURS, str(study)), run(_BARE), 2 if small else 5)
    return Result("window up with the demo, whole process", "bare PyQt6 + pyqtgraph + NumPy window", mine, base, 3.0)


CASES = (
    csv_import, csv_memory, csv_memory_twice, pyramid, first_picture, redraw, formula, integral, formula_memory, start_up,
)  # fmt: skip
