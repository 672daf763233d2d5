"""Flicker, half-cycles, all parameters of quality, a report, a week of trends: against the passes that they need."""

import time
import tracemalloc
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy import fft, signal

from benchmarks.measuring import Result, in_turn
from pantelos.checks import run_checks
from pantelos.demo.small import ensure_small_demo, small_demo
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.quality import judged_sets
from pantelos.quality.flicker import instantaneous_flicker, weighting_filters
from pantelos.quality.half_cycles import half_cycle_edges, half_cycle_rms
from pantelos.quality.levels import Declared
from pantelos.quality.parameters import TO_NEUTRAL
from pantelos.quality.survey import survey
from pantelos.sheets.blocks import Composition, Sheet
from pantelos.sheets.pdf import pdf
from pantelos.signal.cycles.cycles import Cycles
from pantelos.study.opening import record_of
from pantelos.study.storage import load_study
from pantelos.tables.composition import compose

_RATE, _F = 10_000.0, 50.0
_REPORT_S, _WEEK_S = 10.0, 2.0


def _steady(n: int) -> Cycles:
    at = np.arange(0.0, n - 1, _RATE / _F)
    return Cycles(at, np.ones(len(at) - 1, dtype=bool), _RATE, n)


def _mains(n: int) -> np.ndarray:
    return np.asarray(325 * np.sin(2 * np.pi * _F / _RATE * np.arange(n)))


def flicker_of_ten_minutes(folder: Path, small: bool) -> Result:
    """Instantaneous flicker of a voltage at 10 kS/s."""
    n = int(_RATE * (60 if small else 600))
    u = _mains(n)
    values = half_cycle_rms(lambda a, b: u[None, a:b], half_cycle_edges(_steady(n)), n)
    sections, lag = weighting_filters(_RATE, 230, 50), np.array([[0.001, 0, 0, 1, -0.999, 0]])

    def plain() -> None:
        signal.sosfilt(lag, np.square(signal.sosfilt(sections, u)))

    mine, base = in_turn(lambda: instantaneous_flicker(lambda a, b: u[None, a:b], n, _RATE, values), plain, 2)
    return Result(f"flicker of {n / _RATE:.0f} s at 10 kS/s", "sosfilt passes", mine, base, 3.0)


def half_cycles_of_a_long_record(folder: Path, small: bool) -> Result:
    """The rms of each cycle, refreshed every half-cycle."""
    n = 5_000_000 if small else 100_000_000
    u = np.tile(_mains(200 * 500).astype(np.float32), n // 100_000)
    edges = half_cycle_edges(_steady(n))
    block = 1 << 20

    def plain() -> None:
        for low in range(0, n, block):
            np.cumsum(np.square(u[low : low + block].astype(np.float64)))

    mine, base = in_turn(lambda: half_cycle_rms(lambda a, b: u[None, a:b].astype(np.float64), edges, len(u)), plain, 1)
    return Result(f"U rms(1/2) of {n:,} samples", "squares and cumulative sums", mine, base, 2.0)


def _three_voltages(small: bool) -> tuple[np.ndarray, int, Cycles]:
    n = int(_RATE * (120 if small else 7200))
    turn = 2 * np.pi * 49.97 / _RATE * np.arange(int(_RATE * 60))
    minute = np.stack([325 * np.sin(turn - k * 2 * np.pi / 3) + 10 * np.sin(5 * turn) for k in range(3)]).astype(np.float32)
    at = np.arange(0.0, n - 1, _RATE / 49.97)
    return np.tile(minute, (1, n // minute.shape[1])), n, Cycles(at, np.ones(len(at) - 1, dtype=bool), _RATE, n)


def all_parameters(folder: Path, small: bool) -> Result:
    """Every parameter of three voltages over two hours."""
    x, n, cycles = _three_voltages(small)

    def plain() -> None:
        for low in range(0, n - 2000, 2000):
            fft.rfft(x[:, low : low + 2000].astype(np.float64))

    read: Callable[[int, int], np.ndarray] = lambda a, b: x[:, a:b].astype(np.float64)  # noqa: E731
    mine, base = in_turn(lambda: survey(read, 3, n, cycles, Declared(230.0), phases=TO_NEUTRAL), plain, 1)
    return Result(f"quality of {n / _RATE:.0f} s × 3 voltages at 10 kS/s", "rfft of its windows", mine, base, 4.0)


def memory_of_parameters(folder: Path, small: bool) -> Result:
    """Peak memory above the samples."""
    x, n, cycles = _three_voltages(small)
    tracemalloc.start()
    survey(lambda a, b: x[:, a:b].astype(np.float64), 3, n, cycles, Declared(230.0), phases=TO_NEUTRAL)
    peak = tracemalloc.get_traced_memory()[1] / 1e6
    tracemalloc.stop()
    return Result(f"peak memory above the samples for {n / _RATE:.0f} s of them", "1 MB", peak, 1.0, 400.0, "MB")


def report_of_thirty_pages(folder: Path, small: bool) -> Result:
    """Compose and set a report; its pages are repeated until there are thirty."""
    path = ensure_small_demo(small_demo("incidents"), folder / "incidents")
    study = load_study(path)
    record = record_of(study)
    start = time.perf_counter()
    evaluation = Evaluation(study, record)
    made = compose(evaluation, run_checks(evaluation))
    sheets = [sheet for _ in range(2 if small else 5) for sheet in made.sheets]
    pdf(Composition(made.title, made.program, tuple(Sheet(s.id, s.title, s.subtitle, s.blocks) for s in sheets)))
    return Result(f"a report of {len(sheets)} sheets", "1 s", time.perf_counter() - start, 1.0, _REPORT_S, "s")


def week_of_trends(folder: Path, small: bool) -> Result:
    """Open a week of trends and judge it."""
    path = ensure_small_demo(small_demo("week"), folder / "week")
    record_of(load_study(path))
    start = time.perf_counter()
    study = load_study(path)
    judged_sets(Evaluation(study, record_of(study)))
    return Result("a week of trends opened and judged", "1 s", time.perf_counter() - start, 1.0, _WEEK_S, "s")


CASES = (
    flicker_of_ten_minutes,
    half_cycles_of_a_long_record,
    all_parameters,
    memory_of_parameters,
    report_of_thirty_pages,
    week_of_trends,
)
