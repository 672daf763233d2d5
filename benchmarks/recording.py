"""Recording: a stream kept up with, a shot until it is seen, a redraw with an hour behind it."""

import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from functools import cache
from pathlib import Path

import numpy as np
from PyQt6.QtWidgets import QApplication

from benchmarks.measuring import Result
from pantelos.desktop.application import make_application
from pantelos.desktop.document import Document
from pantelos.desktop.recorder.page import RecorderPage
from pantelos.desktop.runner import Runner
from pantelos.desktop.theme import LIGHT
from pantelos.formats.recorded.layout import RecordedChannel, RecordedHeader, RecordedShot
from pantelos.formats.recorded.writer import RecordingWriter
from pantelos.recorder.driver import Recorder, RowsRead, Taken
from pantelos.recorder.live import Live
from pantelos.recorder.order import Order, WantedChannel
from pantelos.recorder.recording import News, record
from pantelos.recorder.waiting import Waiting

_CHANNELS, _RATE_HZ = 8, 1e6
_BEHIND_S, _PICTURE_S, _SPECTRUM_S, _REDRAW_S = 0.5, 0.05, 0.1, 0.016


def stream(folder: Path, small: bool) -> Result:
    """Eight channels at 1 MS/s over loopback into the file: how far the client is behind at worst; nothing may be lost."""
    seconds = 2.0 if small else 60.0
    command = [sys.executable, "-m", "pantelos", "recorder", "mains", "--port", "0", "--hislip", "0"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        lines = [process.stdout.readline() for _ in range(2)]
        recorder = Recorder(lines[1].partition(":")[2].strip())
        taken = recorder.take(Order(tuple(WantedChannel(f"c{k}", k, 5.0) for k in range(1, _CHANNELS + 1)), _RATE_HZ, 0))
        begun, behind, busy = [0.0], [0.0], time.process_time()

        def watch(news: News) -> None:
            if news.n_rows:  # the simulated recorder makes its scene first
                begun[0] = begun[0] or time.monotonic()
            behind[0] = max(behind[0], (news.rows.so_far - news.n_rows) / _RATE_HZ)

        ended: Callable[[], bool] = lambda: bool(begun[0]) and time.monotonic() - begun[0] > seconds  # noqa: E731
        came = record(recorder, taken, folder / "stream.recording", watch, waiting=Waiting(ended))
        share = (time.process_time() - busy) / seconds
        recorder.close()
        process.terminate()
    (folder / "stream.recording").unlink()
    if came.lost or came.n_rows < 0.9 * seconds * _RATE_HZ:
        raise RuntimeError(f"{came.lost} rows lost, {came.n_rows} came")
    what = (
        f"{_CHANNELS} × 1 MS/s × 16 bit into the file for {seconds:.0f} s, none lost, {100 * share:.0f} % of a processor: behind"
    )
    return Result(what, "1 s", behind[0], 1.0, _BEHIND_S)


_application = cache(make_application)  # it lives as long as widgets do


def _page(n_samples: int, rate_hz: float, n_shots: int) -> tuple[RecorderPage, Live]:
    _application()
    page = RecorderPage(Document(), Runner(), LIGHT)
    page.resize(1200, 760)
    page.show()
    channels = tuple(WantedChannel(f"u{k}", k, 10.0) for k in range(1, 5))
    live = Live(Taken(Order(channels, rate_hz, n_samples, n_shots=n_shots), (10 / 32768,) * 4, ()))
    page.live.begin(live)
    page.live.pause()
    return page, live


def _rows(n: int, first: int, rate_hz: float) -> np.ndarray:
    turn = 2 * np.pi * 50 / rate_hz * (first + np.arange(n))
    noise = np.random.default_rng(first).normal(0, 2, (n, 4))
    return np.rint(np.stack([20_000 * np.sin(turn - k) for k in range(4)], axis=1) + noise).astype("<i2")


def _shots_seen(small: bool) -> tuple[float, float]:
    """Return median seconds from the last sample of a shot of 16 k to its waveforms, and to its spectrum, on the screen."""
    n, rate = 16_384, 50_000.0
    page, live = _page(n, rate, 0)
    waveforms, spectra = [], []
    shots: tuple[RecordedShot, ...] = ()
    for k in range(5 if small else 40):
        shots += (RecordedShot(k * n, k * n, float(k)),)
        rows = _rows(n, k * 7, rate)
        start = time.perf_counter()
        live.add(News(RowsRead(k * n, (k + 1) * n, 0, rows, True, False), shots, (k + 1) * n, 0, 0))
        page.live.look()
        page.live.trace.repaint()
        waveforms.append(time.perf_counter() - start)
        while page.live.busy:
            QApplication.processEvents()
            time.sleep(0.001)
        page.live.panel.canvas.repaint()
        spectra.append(time.perf_counter() - start)
        while page.live.reading:  # shots of that length do not come faster
            QApplication.processEvents()
            time.sleep(0.001)
    page.close_down()
    page._runner.close()  # nothing is delivered to a page that is gone
    return statistics.median(waveforms), statistics.median(spectra)


def shot_to_picture(folder: Path, small: bool) -> Result:
    """From the last sample of a shot of 16 k to its waveforms on the screen."""
    return Result("last sample of a shot of 16 k to its waveforms, median", "1 s", _shots_seen(small)[0], 1.0, _PICTURE_S)


def shot_to_spectrum(folder: Path, small: bool) -> Result:
    """From the last sample of a shot of 16 k to its spectrum with tones and THD on the screen."""
    return Result("last sample of a shot of 16 k to its spectrum and THD, median", "1 s", _shots_seen(small)[1], 1.0, _SPECTRUM_S)


def redraw_behind_an_hour(folder: Path, small: bool) -> Result:
    """Draw the waveforms with an hour recorded."""
    rate, block = 10_000.0, 100_000
    page, live = _page(0, rate, 1)
    rows = _rows(block, 0, rate)
    channels = tuple(RecordedChannel(one.name, 10 / 32768, 10.0) for one in live.taken.order.channels)
    writer = RecordingWriter(folder / "hour.recording", RecordedHeader(rate, channels), 1)
    for k in range(36 if small else 360):
        writer.add(rows)
        got, n = RowsRead(k * block, (k + 1) * block, 0, rows, True, False), (k + 1) * block
        live.add(News(got, (RecordedShot(0, 0, 0.0),), n, 0, 0, growing=writer.growing))
    page.live.look()
    while page.live.busy:
        QApplication.processEvents()
    found = []
    for _ in range(20):
        start = time.perf_counter()
        page.live.trace.repaint()
        found.append(time.perf_counter() - start)
    page.close_down()
    page._runner.close()  # nothing is delivered to a page that is gone
    writer.close()
    writer.path.unlink()
    return Result("live redraw of four lanes with an hour recorded, median", "1 s", statistics.median(found), 1.0, _REDRAW_S)


CASES = (stream, shot_to_picture, shot_to_spectrum, redraw_behind_an_hour)
