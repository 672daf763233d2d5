"""Readings bound to the fundamental: frequency, phase, distortion."""

import math

import numpy as np

from pantelos.reading.amplitude import ac_rms
from pantelos.reading.reading import LOW_SIGNAL_SHARE, Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.signal.coherent import coherent_windows
from pantelos.signal.cycles import Cycles
from pantelos.signal.harmonics import harmonic_orders, total_harmonic_distortion, window_phasors
from pantelos.signal.window import Rule, Window


def frequency(waves: list[Waveform], stretch: Stretch) -> Measured:
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


def phase(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the angle of the fundamental of the first waveform against that of the second, rad."""
    phasors, weights, rms, window = _orders(waves, stretch, 1)
    if any(_too_small(wave, float(own)) for wave, own in zip(waves, rms[:, 1], strict=True)):
        return math.nan, window, 1.0
    turned = np.average(phasors[:, 0, 1] * np.conj(phasors[:, 1, 1]), weights=weights)
    return _angle(complex(turned)), window, 1.0


def _angle(z: complex) -> float:
    return math.atan2(z.imag, z.real) if math.isfinite(abs(z)) and abs(z) > 0 else math.nan


def thd(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the total harmonic distortion against the fundamental, as a ratio."""
    _, _, rms, window = _orders(waves, stretch, stretch.highest_order)
    if _too_small(waves[0], float(rms[0, 1])):
        return math.nan, window, 1.0
    return float(total_harmonic_distortion(rms[0])), window, 1.0


def frequency_noise(value: float, sigma: float, waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to a frequency between two crossings: f sqrt(2) σ_tc / T, σ_tc = σ / (2πf sqrt(2) U1)."""
    rms, _, _ = ac_rms(waves, stretch)
    seconds = (window.stop - window.start) / waves[0].rate_hz
    if not rms > 0 or not value > 0:
        return math.nan
    at_crossing = sigma / (2 * math.pi * value * math.sqrt(2) * rms)
    return math.sqrt(2) * at_crossing / seconds * value


def _noise_angle(sigma: float, rms: float, window: Window) -> float:
    return sigma / rms / math.sqrt(max(window.stop - window.start, 1.0)) if rms > 0 else math.nan


def phase_noise(value: float, sigma: float, waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise of the first waveform does to its angle: σ / (U1 sqrt(N)), rad."""
    return _noise_angle(sigma, ac_rms(waves[:1], stretch)[0], window)


def distortion_noise(value: float, sigma: float, waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to THD: to first order that of one line against the fundamental."""
    return _noise_angle(sigma, ac_rms(waves, stretch)[0], window)


def cycle_frequency(waves: list[Waveform], cycles: Cycles) -> FloatArray:
    """Return the frequency of each cycle, Hz."""
    return cycles.rate_hz / np.diff(cycles.crossings)


def _cycle_orders(waves: list[Waveform], cycles: Cycles, highest: int) -> ComplexArray:
    """Return phasors per cycle, shape (n_cycles, n_waves, highest + 1)."""
    windows = [Window(float(a), float(b), 1, Rule.TRAPEZOID)
               for a, b in zip(cycles.crossings[:-1], cycles.crossings[1:], strict=True)]  # fmt: skip
    served = coherent_windows(lambda a, b: np.stack([wave.read(a, b) for wave in waves]), waves[0].n_samples, windows, highest)
    found = [window_phasors(x, 1, highest) for x in served]
    return np.array(found) if found else np.zeros((0, len(waves), highest + 1), dtype=np.complex128)


def cycle_phase(waves: list[Waveform], cycles: Cycles) -> FloatArray:
    """Return the angle per cycle, rad."""
    first = _cycle_orders(waves, cycles, 1)[:, :, 1]
    return np.asarray(np.angle(first[:, 0] * np.conj(first[:, 1])))


def cycle_thd(waves: list[Waveform], cycles: Cycles) -> FloatArray:
    """Return the distortion per cycle, as a ratio."""
    return total_harmonic_distortion(np.abs(_cycle_orders(waves, cycles, 50)[:, 0]))
