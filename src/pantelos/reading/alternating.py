"""Readings bound to the fundamental: frequency, phase, distortion."""

import math
from collections.abc import Callable, Iterator, Sequence
from typing import Any

import numpy as np

from pantelos.reading.components import stacked
from pantelos.reading.reading import Divided, Measured, Stretch, where_defined
from pantelos.reading.shape import edge_jitter
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.signal.cycles.coherent import coherent_windows
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import Window, evaluation_window
from pantelos.signal.harmonics.harmonics import Orders, harmonic_orders, window_phasors, with_reached_only
from pantelos.signal.levels.piecewise import piece_by_piece
from pantelos.signal.sums.integrals import Rule, blocks

NO_CYCLE = "the interval holds no whole cycle"
_MISSING = "samples are missing, and a spectrum needs every one"
_AT_ONCE = 1024  # pieces whose phasors are held
_BEYOND = 0.05  # cycles beyond the first and last crossing that a piece may reach


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
    return phasors_in(waves, where_defined(waves, stretch).whole_cycles, stretch.cycles, highest)


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
    return harmonic_orders(stacked(waves), waves[0].n_samples, window, cycles, highest), window


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


def distortion_noise(value: float, sigmas: Sequence[float], waves: list[Waveform], stretch: Stretch, window: Window) -> float:
    """Return what noise does to THD: that of one line against the fundamental, and what it lifts the sum of lines by."""
    found, _ = orders_of(waves, stretch, stretch.highest_order)
    if found is None or not found.rms[0, 1] > 0:
        return math.nan
    n = max(window.stop - window.start, 1.0)
    per_line = sigmas[0] / math.sqrt(n) / float(found.rms[0, 1])
    return math.hypot(per_line, _thd_lift(value, per_line, found))


def rounded_distortion(value: float, sigma: float, rested_on: float, waves: list[Waveform], stretch: Stretch) -> float:
    """Return the rounding of THD: rounding that repeats from cycle to cycle lies in the orders that are summed."""
    found, _ = orders_of(waves, stretch, stretch.highest_order)
    if found is None or not found.rms[0, 1] > 0:
        return math.nan
    share = sigma / float(found.rms[0, 1])
    return math.hypot(value, share) - value + share / math.sqrt(stretch.highest_order)


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
    found = np.where(seen, (turns[1] - turns[0]) / over.lengths * over.rate_hz, np.nan)
    beyond = np.flatnonzero(~seen & over.whole)  # at an end of the record: the whole cycles inside tell, as of an interval
    for k in beyond[:_AT_ONCE].tolist():
        found[k] = own.frequency_between(float(over.starts[k]), float(over.stops[k]))
    return found


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
        served = coherent_windows(stacked(waves), waves[0].n_samples, windows, highest)
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
