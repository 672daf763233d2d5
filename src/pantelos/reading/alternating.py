"""Readings bound to the fundamental: frequency, phase, distortion."""

import math
from collections.abc import Callable, Iterator, Sequence
from typing import Any

import numpy as np

from pantelos.reading.reading import LOW_SIGNAL_SHARE, Divided, Measured, Stretch
from pantelos.reading.shape import edge_jitter
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.signal.coherent import coherent_windows
from pantelos.signal.cycles import Cycles
from pantelos.signal.harmonics import Orders, harmonic_orders, window_phasors, with_reached_only
from pantelos.signal.integrals import blocks
from pantelos.signal.piecewise import piece_by_piece
from pantelos.signal.tones import fundamental_beside_tones, strongest_other_tone
from pantelos.signal.window import Rule, Window, evaluation_window

NO_CYCLE = "the interval holds no whole cycle"
_MISSING = "samples are missing, and a spectrum needs every one"
_AT_ONCE = 1024  # pieces whose phasors are held
_BEYOND = 0.05  # cycles beyond the first and last crossing that a piece may reach
_LEAK_WORTH_SAYING = 1e-6  # rad


def frequency(waves: list[Waveform], stretch: Stretch) -> Measured:
    """The stretch must carry the cycles of the channel itself."""
    window = stretch.whole_cycles
    if stretch.cycles is None:
        return Measured(math.nan, window, why_not=stretch.why_all)
    value = stretch.cycles.frequency_between(stretch.start, stretch.stop)
    if not math.isfinite(value):
        return Measured(math.nan, window, why_not=NO_CYCLE)
    return Measured(value, window, method_u=_frequency_error(stretch.cycles, window, value))


def _frequency_error(cycles: Cycles, window: Window, value: float) -> float:
    """Return what placing crossings between samples does to a frequency, Hz: that of the first and of the last one (class A3)."""
    at_one = cycles.placed_within * value / cycles.rate_hz  # of a cycle
    return math.sqrt(2) * at_one / max(window.n_cycles, 1) * value


def orders_of(waves: list[Waveform], stretch: Stretch, highest: int) -> tuple[Orders | None, Window]:
    """Return phasors per window, or None without a whole cycle, and the window used."""
    return phasors_in(waves, stretch.whole_cycles, stretch.cycles, highest)


def orders_or_why(waves: list[Waveform], stretch: Stretch, highest: int) -> tuple[Orders | None, Window, str]:
    """Return the same, and why there are none: no whole cycle, or samples that are missing."""
    found, window = orders_of(waves, stretch, highest)
    if found is None:
        return None, window, stretch.why_all or NO_CYCLE
    return (found, window, "") if np.isfinite(found.rms[:, 1]).all() else (None, window, _MISSING)


def phasors_in(waves: list[Waveform], window: Window, cycles: Cycles | None, highest: int) -> tuple[Orders | None, Window]:
    """Return phasors per part of a window of whole cycles, or None where it holds none, and the window."""
    if cycles is None or not window.n_cycles:
        return None, window
    return harmonic_orders(_stacked(waves), waves[0].n_samples, window, cycles, highest), window


def mean_phasors(found: Orders) -> ComplexArray:
    """Return one phasor per waveform and order, (n_waves, orders): rms over the windows, angles against the first waveform.

    Windows begin at different phases: each is turned by the fundamental of the first waveform, as an order turns with it.
    """
    start = np.angle(found.phasors[:, :1, 1:2])
    order = np.arange(found.highest + 1)
    turned = found.phasors * np.exp(-1j * order * start)
    mean = np.average(turned, axis=0, weights=found.weights)
    size = found.rms
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(np.where(np.abs(mean) > 0, mean / np.abs(mean) * size, mean))


def _stacked(waves: list[Waveform]):  # type: ignore[no-untyped-def]
    return lambda a, b: np.stack([wave.read(a, b) for wave in waves])


def angle_between(phasors: ComplexArray) -> Any:
    """Return the angle of the fundamental of the first waveform against that of the second, of phasors (n, 2, orders), rad."""
    return np.angle(phasors[:, 0, 1] * np.conj(phasors[:, 1, 1]))


def _too_small(wave: Waveform, rms: float) -> bool:
    """Return whether a channel is too small against its stated range for ratios and angles."""
    return rms < LOW_SIGNAL_SHARE * (wave.full_scale or 0.0)


def phase(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return the angle of the fundamental of the first waveform against that of the second, rad.

    Over whole cycles with even weights, which is exact for what repeats with them. Where another tone is present, its leakage
    would turn the angle; then a smooth window over the same stretch is used, and what leaks through it is told.
    """
    found, window, why_not = orders_or_why(waves, stretch, 1)
    if found is None or stretch.cycles is None:
        return Measured(math.nan, window, why_not=why_not)
    phasors, rms = found.phasors, found.rms
    small = [k for k, wave in enumerate(waves) if _too_small(wave, float(rms[k, 1])) or not rms[k, 1] > 0]
    if small:
        return Measured(math.nan, window, why_not="one of the channels has no fundamental to speak of")
    turned = np.average(phasors[:, 0, 1] * np.conj(phasors[:, 1, 1]), weights=found.weights)
    tones = [strongest_other_tone(wave.read, window, stretch.cycles) for wave in waves]
    leaks = [tone.leak(window, smooth=False) / float(row[1]) for tone, row in zip(tones, rms, strict=True)]
    if max(leaks) < _LEAK_WORTH_SAYING:
        return Measured(_angle(complex(turned)), window)
    smooth = fundamental_beside_tones(_stacked(waves), window, stretch.cycles)
    left = [tone.leak(window, smooth=True) / float(row[1]) for tone, row in zip(tones, rms, strict=True)]
    tone = max(tones, key=lambda t: t.rms)
    said = f"another tone at {tone.frequency_hz:.5g} Hz"
    if smooth is None or math.hypot(*left) >= math.hypot(*leaks):
        remark = f"{said} leaks by up to {math.degrees(math.hypot(*leaks)):.2g}°: take a longer stretch"
        return Measured(_angle(complex(turned)), window, method_u=math.hypot(*leaks) / math.sqrt(2), remarks=(remark,))
    remark = f"beside {said} a smooth window (Blackman-Harris) over the same cycles is used"
    angle = _angle(complex(smooth[0] * np.conj(smooth[1])))
    return Measured(angle, window, method_u=math.hypot(*left) / math.sqrt(2), remarks=(remark,))


def _angle(z: complex) -> float:
    return math.atan2(z.imag, z.real) if math.isfinite(abs(z)) and abs(z) > 0 else math.nan


def frequency_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to a frequency between two crossings: f sqrt(2) σ_tc / T, σ_tc = σ_b / (2πf sqrt(2) U1).

    σ_b is the noise left in the band around the fundamental in which cycles are found: about f of half the sample rate.
    """
    seconds = (window.stop - window.start) / waves[0].rate_hz
    if stretch.cycles is not None and stretch.cycles.by_edges:
        at_one = edge_jitter(waves[0], stretch.samples, sigmas[0]) / waves[0].rate_hz
        return math.sqrt(2) * at_one / seconds * value if seconds > 0 else math.nan
    found, _ = orders_of(waves, stretch, 1)
    rms = float(found.rms[0, 1]) if found is not None else math.nan
    if not rms > 0 or not value > 0 or not seconds > 0:
        return math.nan
    in_band = sigmas[0] * math.sqrt(min(_BAND * value / (0.5 * waves[0].rate_hz), 1.0))
    at_crossing = in_band / (2 * math.pi * value * math.sqrt(2) * rms)
    return math.sqrt(2) * at_crossing / seconds * value


_BAND = 1.5  # equivalent noise bandwidth of the band-pass in multiples of the fundamental, the ends of a record included


def phase_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what the noise of each waveform does to the angle: σ / (U1 sqrt(N)), rad, the two independent."""
    found, _ = orders_of(waves, stretch, 1)
    if found is None:
        return math.nan
    n = max(window.stop - window.start, 1.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        return float(np.sqrt(np.sum((np.asarray(sigmas) / found.rms[:, 1]) ** 2) / n))


def distortion_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to THD: that of one line against the fundamental, and what it lifts the sum of lines by."""
    found, _ = orders_of(waves, stretch, stretch.highest_order)
    if found is None or not found.rms[0, 1] > 0:
        return math.nan
    n = max(window.stop - window.start, 1.0)
    per_line = sigmas[0] / math.sqrt(n) / float(found.rms[0, 1])
    return math.hypot(per_line, _thd_lift(value, per_line, found))


def _thd_lift(value: float, per_line: float, found: Orders) -> float:
    """Return what noise, as a share of the fundamental per line of the whole stretch, adds to a distortion."""
    lines = int(np.isfinite(found.rms[0, 2:]).sum())
    power = lines * per_line**2 * len(found.weights)
    return value - math.sqrt(max(value**2 - power, 0.0)) if value**2 > power else math.sqrt(value**2 + power) - value


def distortion_lift(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise adds to THD: the power it puts into the lines that are summed."""
    found, _ = orders_of(waves, stretch, stretch.highest_order)
    if found is None or not found.rms[0, 1] > 0:
        return math.nan
    n = max(window.stop - window.start, 1.0)
    return _thd_lift(value, sigmas[0] / math.sqrt(n) / float(found.rms[0, 1]), found)


def piece_frequency(divided: Divided) -> FloatArray:
    """Return the frequency that a channel has in each piece by its own cycles, Hz; NaN where it shows none."""
    own, over = divided.cycles(), divided.partition
    if len(own.crossings) < 2:
        return np.full(len(over), np.nan)
    turns = [own.turns(at) for at in (over.starts, over.stops)]
    last = len(own.crossings) - 1 + _BEYOND
    seen = (turns[0] >= -_BEYOND) & (turns[1] <= last)
    return np.where(seen, (turns[1] - turns[0]) / over.lengths * over.rate_hz, np.nan)


def frequency_errors(values: FloatArray, divided: Divided) -> FloatArray:
    """Return the standard uncertainty of frequencies per piece that placing the crossings leaves, Hz, shape of `values`."""
    own, over = divided.cycles(), divided.partition
    at = np.full(len(over), own.placed_within)
    first = np.where(over.starts <= own.crossings[0], max(own.onset_within, own.placed_within), at) if len(own.crossings) else at
    return np.asarray(
        np.abs(values) * np.hypot(at, first) / over.lengths / np.maximum(np.abs(values) * over.lengths / over.rate_hz, 1.0)
    )


def _piece_orders(divided: Divided, highest: int) -> Iterator[tuple[slice, ComplexArray]]:
    """Yield phasors of some pieces at a time, shape (n, n_waves, highest + 1), and which pieces they are of."""
    over, waves = divided.partition, divided.waves
    for low, high in blocks(0, len(over), _AT_ONCE):
        edges = zip(over.starts[low:high].tolist(), over.stops[low:high].tolist(), strict=True)
        windows = [Window(a, b, over.n_cycles, Rule.TRAPEZOID) for a, b in edges]
        served = coherent_windows(_stacked(waves), waves[0].n_samples, windows, highest)
        found = [window_phasors(x, over.n_cycles, highest) for x in served]
        lengths = (over.stops[low:high] - over.starts[low:high]) / over.n_cycles
        yield slice(low, high), np.array([with_reached_only(*one) for one in zip(found, lengths.tolist(), strict=True)])


def of_orders(pick: Callable[[ComplexArray], Any], highest: int | None = None) -> Callable[[Divided], FloatArray]:
    """Return a reading of the phasors of each piece, (n_pieces, n_waves, orders), as one value each.

    Pieces that are whole cycles have theirs from them; others from the whole cycles of the reference inside each.
    """

    def per_piece(divided: Divided) -> FloatArray:
        order = highest if highest is not None else int(divided.numbers[0]) if divided.numbers else divided.highest_order
        if divided.partition.n_cycles:
            found = np.full(len(divided.partition), np.nan)
            with np.errstate(invalid="ignore", divide="ignore"):
                for some, phasors in _piece_orders(divided, order):
                    found[some] = pick(phasors)
            return found
        reference, over = divided.reference(), divided.partition
        if reference is None:
            return np.full(len(over), np.nan)

        def of_piece(start: float, stop: float) -> float:
            orders, _ = phasors_in(divided.waves, evaluation_window(reference, start, stop), reference, order)
            return float(pick(mean_phasors(orders)[None])[0]) if orders is not None else math.nan

        return piece_by_piece(of_piece, over)

    return per_piece
