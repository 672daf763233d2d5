"""The angle between two waveforms: of their fundamental, or of a component chosen by its frequency."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from pantelos.reading.alternating import of_orders, orders_of, orders_or_why
from pantelos.reading.components import at_frequency, phase_between, stacked
from pantelos.reading.reading import LOW_SIGNAL_SHARE, Divided, Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.signal.cycles.window import CHANGING, Window
from pantelos.signal.harmonics.harmonics import Orders
from pantelos.signal.levels.piecewise import piece_by_piece
from pantelos.signal.spectra.components import Component, component_near
from pantelos.signal.spectra.tones import strongest_other_tone

_LEAK_WORTH_SAYING = 1e-6  # rad
_APART = 3.0  # lines: tones nearer than that may be one that wanders


def phase(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the angle of the first waveform against the second, rad, of their fundamental or at the frequency that is told.

    Over whole cycles with even weights, which is exact for what repeats with them. Where other tones are present, near or far,
    their leakage would turn the angle; then the component is fitted together with them (`signal/spectra/components.py`).
    """
    asked = stretch.numbers[0] if stretch.numbers else math.nan
    if math.isfinite(asked):
        return at_frequency(waves, stretch, asked, phase_between)
    found, window, why_not = orders_or_why(waves, stretch, 1)
    if found is None or stretch.cycles is None:
        return Measured(math.nan, window, why_not=f"{why_not}; at a frequency that is told none is needed: phase(x, y, 50 Hz)")
    rms = found.rms
    small = [k for k, wave in enumerate(waves) if _too_small(wave, float(rms[k, 1])) or not rms[k, 1] > 0]
    if small:
        return Measured(math.nan, window, why_not="one of the channels has no fundamental to speak of")
    wild = window.change > CHANGING or bool(window.n_gaps)
    plain = _angle(complex(np.average(found.phasors[:, 0, 1] * np.conj(found.phasors[:, 1, 1]), weights=found.weights)))
    if wild:
        remark = "where it is another tone that beats with it, name its frequency: phase(x, y, 50 Hz)"
        return Measured(plain, window, method_u=_scatter(found), remarks=(remark,))
    beside = component_near(stacked(waves), window.first, window.end, waves[0].rate_hz, window.frequency_hz)
    tones = [strongest_other_tone(wave.read, window, stretch.cycles) for wave in waves]
    leak = math.hypot(*(tone.leak(window, smooth=False) / float(row[1]) for tone, row in zip(tones, rms, strict=True)))
    if isinstance(beside, str):  # too short for a smooth window, or nothing stands out
        return Measured(plain, window, method_u=leak / math.sqrt(2), remarks=_leaks(leak, max(t.frequency_hz for t in tones)))
    near = _others(beside, window, waves[0].rate_hz)
    angle, method_u = beside.phase_between()
    if near and min(abs(f - beside.frequency_hz) for f in near) < _APART * waves[0].rate_hz / (window.stop - window.start):
        return Measured(plain, window, method_u=math.hypot(method_u, _scatter(found), leak / math.sqrt(2)))
    if not near and leak < _LEAK_WORTH_SAYING:
        return Measured(plain, window, method_u=method_u)
    others = near or [max(tones, key=lambda tone: tone.rms).frequency_hz]
    said = " and ".join(f"{f:.5g} Hz" for f in others[:3])
    remark = f"of {beside.frequency_hz:.6g} Hz, fitted beside another tone at {said} through a smooth window (Blackman-Harris)"
    return Measured(angle, window, method_u=method_u, remarks=(remark,))


def _leaks(leak: float, frequency_hz: float) -> tuple[str, ...]:
    if leak < _LEAK_WORTH_SAYING:
        return ()
    return (f"another tone at {frequency_hz:.5g} Hz leaks by up to {math.degrees(leak):.2g}°: take a longer stretch",)


def _others(beside: Component, window: Window, rate_hz: float) -> list[float]:
    """Return the tones near the fundamental that are no orders of it."""
    spacing, f1 = rate_hz / (window.stop - window.start), beside.frequency_hz
    return [f for f in beside.others_hz if abs(f - max(round(f / f1), 0) * f1) > spacing or abs(f - f1) < 0.5 * f1]


def _scatter(found: Orders) -> float:
    """Return how much the angle differs between the windows, rad."""
    turned = found.phasors[:, 0, 1] * np.conj(found.phasors[:, 1, 1])
    mean = complex(turned.mean())
    return float(np.std(np.angle(turned * np.conj(mean)))) if len(turned) > 1 and abs(mean) > 0 else 0.0


def _too_small(wave: Waveform, rms: float) -> bool:
    """Return whether a channel is too small against its stated range for ratios and angles."""
    return rms < LOW_SIGNAL_SHARE * (wave.full_scale or 0.0)


def _angle(z: complex) -> float:
    return math.atan2(z.imag, z.real) if math.isfinite(abs(z)) and abs(z) > 0 else math.nan


def angle_between(phasors: ComplexArray) -> Any:
    """Return the angle of the highest order of the first waveform against that of the second, of phasors (n, 2, orders), rad."""
    return np.angle(phasors[:, 0, -1] * np.conj(phasors[:, 1, -1]))


_FUNDAMENTAL = of_orders(angle_between, 1)


def piece_phase(divided: Divided) -> FloatArray:
    """Return the angle in each piece, rad: of the fundamental, or at the frequency that is told."""
    asked = divided.numbers[0] if divided.numbers else math.nan
    if not math.isfinite(asked):
        return _FUNDAMENTAL(divided)

    def of_piece(start: float, stop: float) -> float:
        stretch = Stretch(start, stop, None, numbers=(asked,))
        return at_frequency(divided.waves, stretch, asked, phase_between).value

    return piece_by_piece(of_piece, divided.partition)


def phase_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what the noise of each waveform does to the angle: σ / (U1 sqrt(N)), rad, the two independent."""
    found, _ = orders_of(waves, stretch, 1)
    if found is None:
        return math.nan
    n = max(window.stop - window.start, 1.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        return float(np.sqrt(np.sum((np.asarray(sigmas) / found.rms[:, 1]) ** 2) / n))
