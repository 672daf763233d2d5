"""The registry of readings: adding one here adds it to formulas, tables, ledger, command line and help."""

import math
from collections.abc import Callable
from itertools import pairwise

import numpy as np

from pantelos.reading.reading import LOW_SIGNAL_SHARE, ReadingKind, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.signal.coherent import coherent_windows
from pantelos.signal.cycles import Cycles
from pantelos.signal.harmonics import harmonic_orders, total_harmonic_distortion, window_phasors
from pantelos.signal.integrals import integral_at
from pantelos.signal.statistics import extremes, window_means
from pantelos.signal.window import Rule, Window
from pantelos.units import Unit, unit

_Measured = tuple[float, Window, float]


def _mean_of(power: int, after: Callable[[float], float]) -> Callable[[list[Waveform], Stretch], _Measured]:
    def measure(waves: list[Waveform], stretch: Stretch) -> _Measured:
        (wave,) = waves
        window = stretch.whole_cycles
        mean, coverage = window_means(lambda a, b: wave.read(a, b) ** power, window, wave.n_samples)
        return after(float(mean)), window, float(coverage)

    return measure


def _ac_rms(waves: list[Waveform], stretch: Stretch) -> _Measured:
    (wave,) = waves
    window = stretch.whole_cycles
    mean, _ = window_means(wave.read, window, wave.n_samples)
    square, coverage = window_means(lambda a, b: (wave.read(a, b) - float(mean)) ** 2, window, wave.n_samples)
    return math.sqrt(float(square)), window, float(coverage)


def _extreme_of(pick: Callable[[float, float], float]) -> Callable[[list[Waveform], Stretch], _Measured]:
    def measure(waves: list[Waveform], stretch: Stretch) -> _Measured:
        (wave,) = waves
        window = stretch.samples
        found = extremes(wave.read, window.first, window.end)
        return pick(found.low, found.high), window, found.coverage

    return measure


def _frequency(waves: list[Waveform], stretch: Stretch) -> _Measured:
    """The stretch must carry the cycles of the channel itself."""
    window = stretch.whole_cycles
    if stretch.cycles is None:
        return math.nan, window, 1.0
    return stretch.cycles.frequency_between(stretch.start, stretch.stop), window, 1.0


def _orders(waves: list[Waveform], stretch: Stretch, highest: int) -> tuple[ComplexArray, FloatArray, FloatArray, Window]:
    """Return phasors and weights per window, the rms per order, and the window used."""
    window = stretch.whole_cycles
    if stretch.cycles is None or not window.n_cycles:
        empty = np.full((1, len(waves), highest + 1), np.nan, dtype=np.complex128)
        return empty, np.ones(1), np.full((len(waves), highest + 1), np.nan), window
    found = harmonic_orders(
        lambda a, b: np.stack([wave.read(a, b) for wave in waves]), waves[0].n_samples, window, stretch.cycles, highest
    )
    return found.phasors, found.weights, found.rms, window


def _too_small(wave: Waveform, rms: float) -> bool:
    """Return whether a channel is too small against its stated range for ratios and angles."""
    return rms < LOW_SIGNAL_SHARE * (getattr(wave, "full_scale", None) or 0.0)


def _phase(waves: list[Waveform], stretch: Stretch) -> _Measured:
    phasors, weights, rms, window = _orders(waves, stretch, 1)
    if any(_too_small(wave, float(own)) for wave, own in zip(waves, rms[:, 1], strict=True)):
        return math.nan, window, 1.0
    turned = np.average(phasors[:, 0, 1] * np.conj(phasors[:, 1, 1]), weights=weights)
    return _angle(complex(turned)), window, 1.0


def _angle(z: complex) -> float:
    return math.atan2(z.imag, z.real) if math.isfinite(abs(z)) and abs(z) > 0 else math.nan


def _thd(waves: list[Waveform], stretch: Stretch) -> _Measured:
    _, _, rms, window = _orders(waves, stretch, stretch.highest_order)
    if _too_small(waves[0], float(rms[0, 1])):
        return math.nan, window, 1.0
    return float(total_harmonic_distortion(rms[0])), window, 1.0


def _cycle_means(power: int, root: bool) -> Callable[[list[Waveform], Cycles], FloatArray]:
    def per_cycle(waves: list[Waveform], cycles: Cycles) -> FloatArray:
        (wave,) = waves
        totals, _ = integral_at(lambda a, b: wave.read(a, b) ** power, cycles.crossings, wave.n_samples)
        means = np.diff(totals) / np.diff(cycles.crossings)
        return np.sqrt(np.maximum(means, 0)) if root else means

    return per_cycle


def _cycle_ac_rms(waves: list[Waveform], cycles: Cycles) -> FloatArray:
    squares = _cycle_means(2, root=False)(waves, cycles)
    return np.asarray(np.sqrt(np.maximum(squares - _cycle_means(1, root=False)(waves, cycles) ** 2, 0)))


def _cycle_extremes(pick: Callable[[float, float], float]) -> Callable[[list[Waveform], Cycles], FloatArray]:
    def per_cycle(waves: list[Waveform], cycles: Cycles) -> FloatArray:
        (wave,) = waves
        edges = np.ceil(cycles.crossings).astype(int)
        found = (extremes(wave.read, int(a), int(b)) for a, b in pairwise(edges))
        return np.array([pick(x.low, x.high) for x in found])

    return per_cycle


def _cycle_frequency(waves: list[Waveform], cycles: Cycles) -> FloatArray:
    return cycles.rate_hz / np.diff(cycles.crossings)


def _cycle_orders(waves: list[Waveform], cycles: Cycles, highest: int) -> ComplexArray:
    """Return phasors per cycle, shape (n_cycles, n_waves, highest + 1)."""
    windows = [Window(float(a), float(b), 1, Rule.TRAPEZOID)
               for a, b in zip(cycles.crossings[:-1], cycles.crossings[1:], strict=True)]  # fmt: skip
    served = coherent_windows(lambda a, b: np.stack([wave.read(a, b) for wave in waves]), waves[0].n_samples, windows, highest)
    found = [window_phasors(x, 1, highest) for x in served]
    return np.array(found) if found else np.zeros((0, len(waves), highest + 1), dtype=np.complex128)


def _cycle_phase(waves: list[Waveform], cycles: Cycles) -> FloatArray:
    first = _cycle_orders(waves, cycles, 1)[:, :, 1]
    return np.asarray(np.angle(first[:, 0] * np.conj(first[:, 1])))


def _cycle_thd(waves: list[Waveform], cycles: Cycles) -> FloatArray:
    return total_harmonic_distortion(np.abs(_cycle_orders(waves, cycles, 50)[:, 0]))


def _same(of: Unit) -> Unit:
    return of


_CYCLE_METHOD = "mean over the whole cycles of the reference inside the interval{rule}"

READINGS: tuple[ReadingKind, ...] = (
    ReadingKind("mean", "mean", ("x",), "Mean value, the DC part.", _CYCLE_METHOD, _same,
                _mean_of(1, float), _cycle_means(1, root=False), "mean(p1)"),
    ReadingKind("rms", "rms", ("x",), "Root of the mean square, DC and all orders included.",
                "root of the " + _CYCLE_METHOD + " of the square", _same,
                _mean_of(2, math.sqrt), _cycle_means(2, root=True), "rms(u1)"),
    ReadingKind("ac_rms", "ac rms", ("x",), "Rms of the part that alternates, the mean removed.",
                "two passes: mean, then rms of the deviation{rule}", _same, _ac_rms, _cycle_ac_rms, "ac_rms(u1)"),
    ReadingKind("min", "min", ("x",), "Smallest sample.", "all samples of the interval", _same,
                _extreme_of(lambda low, high: low), _cycle_extremes(lambda low, high: low), "min(u1)"),
    ReadingKind("max", "max", ("x",), "Largest sample.", "all samples of the interval", _same,
                _extreme_of(lambda low, high: high), _cycle_extremes(lambda low, high: high), "max(i1)"),
    ReadingKind("peak_to_peak", "peak-to-peak", ("x",), "Largest minus smallest sample.", "all samples of the interval",
                _same, _extreme_of(lambda low, high: high - low), _cycle_extremes(lambda low, high: high - low),
                "peak_to_peak(u1)"),
    ReadingKind("frequency", "frequency", ("x",), "Frequency of the fundamental.",
                "whole cycles over their time, between filtered zero crossings", lambda of: unit("Hz"),
                _frequency, _cycle_frequency, "frequency(u1)", own_cycles=True),
    ReadingKind("phase", "phase", ("x", "reference"),
                "Angle of the fundamental of x against that of the reference; positive when x leads.",
                "fundamental phasors over whole cycles", lambda of: unit("°"), _phase, _cycle_phase, "phase(i1, u1)"),
    ReadingKind("thd", "THD", ("x",), "Total harmonic distortion against the fundamental, orders 2 to 50.",
                "IEC 61000-4-7 harmonic components over windows of about 200 ms, root of mean squares",
                lambda of: unit("%"), _thd, _cycle_thd, "thd(i1)"),
)  # fmt: skip


def reading_kind(name: str) -> ReadingKind | None:
    """Return the kind of reading of that name, or None."""
    return next((kind for kind in READINGS if kind.name == name), None)
