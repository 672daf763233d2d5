"""Spectra, spectrograms, harmonics in windows, powers per cycle: against the transforms and products that they need."""

import math
import tracemalloc
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy import fft

from benchmarks.measuring import Result, in_turn
from pantelos.power.over_time import power_over_time
from pantelos.power.wirings import wiring
from pantelos.signal.cycles.coherent import windows_of
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import Window
from pantelos.signal.harmonics.harmonic_windows import harmonic_windows
from pantelos.signal.spectra.spectral_windows import SpectralWindow, window_weights
from pantelos.signal.spectra.spectrogram import spectrogram
from pantelos.signal.spectra.spectrum import Plan, spectrum_of
from pantelos.signal.sums.integrals import Rule

_LONG, _SHORT = 100_000_000, 1_000_000
_BLOCK = 65_536


def spectrum_of_one_block(folder: Path, small: bool) -> Result:
    """One transform with window, scaling and magnitude."""
    n = 1 << (18 if small else 24)
    x = np.random.default_rng(1).normal(size=n)
    plan = Plan(SpectralWindow.HANN, n)
    mine, base = in_turn(lambda: spectrum_of(lambda a, b: x[a:b], 0, n, 1e5, plan), lambda: fft.rfft(x), 3)
    return Result(f"spectrum of {n:,} samples in one block", "scipy.fft.rfft of them", mine, base, 1.3)


def _numbers(n: int) -> np.ndarray:
    rng = np.random.default_rng(2)
    part = rng.integers(-20_000, 20_000, 1 << 20).astype(np.int16)
    return np.tile(part, n // len(part) + 1)[:n]


def averaged_spectrum(folder: Path, small: bool) -> Result:
    """A mean over blocks of 65,536 with half overlap, of whole numbers as recorded."""
    n = _SHORT if small else _LONG
    numbers = _numbers(n)
    plan, weights = Plan(SpectralWindow.HANN, _BLOCK, 0.5), window_weights(SpectralWindow.HANN, _BLOCK)

    def plain() -> None:
        for low in range(0, n - _BLOCK + 1, _BLOCK // 2):
            fft.rfft(numbers[low : low + _BLOCK] * weights)

    ours = lambda: spectrum_of(lambda a, b: numbers[a:b] * 1e-3, 0, n, 1e5, plan)  # noqa: E731
    mine, base = in_turn(ours, plain, 1)
    return Result(f"averaged spectrum of {n:,} samples, reading included", "rfft of the same segments", mine, base, 1.5)


def long_spectrogram(folder: Path, small: bool) -> Result:
    """A thousand columns."""
    n = _SHORT if small else _LONG
    numbers, length = _numbers(n), 8192
    plan, weights = Plan(SpectralWindow.HANN, length, 0.5), window_weights(SpectralWindow.HANN, length)

    def plain() -> None:
        for low in range(0, n - length + 1, length // 2):
            fft.rfft(numbers[low : low + length] * weights)

    ours = lambda: spectrogram(lambda a, b: numbers[a:b] * 1e-3, 0, n, 1e5, plan, 1000)  # noqa: E731
    mine, base = in_turn(ours, plain, 1)
    return Result(f"spectrogram of {n:,} samples in 1,000 columns", "rfft of the same segments", mine, base, 1.5)


def _six(n: int, rate: float, f: float) -> np.ndarray:
    turn = 2 * np.pi * f / rate * np.arange(n)
    return np.stack([np.sin(turn - k * 2 * np.pi / 3) + 0.05 * np.sin(5 * turn) for k in range(3)] * 2)


def _windows_of_six(small: bool) -> tuple[int, Callable[[], object], Callable[[], object]]:
    """Return seconds of six channels at 50 kS/s, their harmonic windows, and the plain transforms of these windows."""
    rate, f, seconds = 50_000.0, 49.97, 6 if small else 60
    n = round(rate * seconds)
    x = _six(n, rate, f)
    crossings = np.arange(0.0, n - 1, rate / f)
    cycles = Cycles(crossings, np.ones(len(crossings) - 1, dtype=bool), rate, n)
    windows = windows_of(10, Window(0.0, float(crossings[-1]), len(crossings) - 1, Rule.TRAPEZOID, f), cycles)

    def plain() -> None:
        for window in windows:
            fft.rfft(x[:, round(window.start) : round(window.start) + 10_000])

    return seconds, lambda: harmonic_windows(lambda a, b: x[:, a:b], n, windows, cycles, 50), plain


def harmonics_of_ten_minutes(folder: Path, small: bool) -> Result:
    """Orders, groups and bands of six channels at 50 kS/s; ten minutes are ten of these."""
    seconds, resolved, plain = _windows_of_six(small)
    mine, base = in_turn(resolved, plain, 2)
    return Result(f"harmonic windows of {seconds} s × 6 channels at 50 kS/s", "rfft of the same windows", mine, base, 3.0)


def memory_of_harmonics(folder: Path, small: bool) -> Result:
    """Peak memory above the samples."""
    seconds, resolved, _ = _windows_of_six(small)
    tracemalloc.start()
    resolved()
    peak = tracemalloc.get_traced_memory()[1] / 1e6
    tracemalloc.stop()
    return Result(f"peak memory above the samples for {seconds} s of them", "1 MB", peak, 1.0, 30.0, "MB")


def powers_per_cycle(folder: Path, small: bool) -> Result:
    """Everything of IEEE 1459 per cycle of six channels, against the products alone."""
    n = 300_000 if small else 16_000_000
    rate, f = 50_000.0, 49.97
    x = _six(n, rate, f)
    kind = wiring("three-phase-4w").with_sockets(("u1", "u2", "u3", "i1", "i2", "i3"))
    crossings = np.arange(0.0, n - 1, rate / f)
    cycles = Cycles(crossings, np.ones(len(crossings) - 1, dtype=bool), rate, n)
    held = np.ones(len(crossings) - 1)
    window = Window(float(crossings[0]), float(crossings[-1]), len(held), Rule.TRAPEZOID, f)
    edges = crossings.astype(np.intp)
    rows = [(a, b) for a in range(6) for b in range(6) if a == b or b == a + 3]

    def plain() -> None:
        for low in range(0, n, _BLOCK):
            part = x[:, low : low + _BLOCK]
            for a, b in rows:
                np.multiply(part[a], part[b])
            for a, b in ((0, 1), (1, 2), (2, 0)):
                np.square(part[a] - part[b])
            np.square(part[3] + part[4] + part[5])
            turn = np.arange(low, low + part.shape[1]) * (2 * math.pi * f / rate)
            cosine, sine = np.cos(turn), np.sin(turn)
            for row in part:
                np.multiply(row, cosine)
                np.multiply(row, sine)
        np.add.reduceat(x[0], edges)

    read = lambda a, b: x[:, a:b]  # noqa: E731
    mine, base = in_turn(lambda: power_over_time(kind, read, n, cycles, window, crossings, held, np.zeros(6)), plain, 1)
    return Result(f"IEEE 1459 per cycle of {n:,} samples × 6 channels", "the products alone, blocked NumPy", mine, base, 3.0)


CASES = (
    spectrum_of_one_block,
    averaged_spectrum,
    long_spectrogram,
    harmonics_of_ten_minutes,
    memory_of_harmonics,
    powers_per_cycle,
)
