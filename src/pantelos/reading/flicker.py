"""Flicker of a channel: what is seen of a stretch, and P_st of an interval, by the standard of ten minutes."""

import math

import msgspec
import numpy as np

from pantelos.quality.disturbances import Disturbance, Thresholds, disturbances
from pantelos.quality.flicker import SETTLING_S, Instantaneous, Lamp, instantaneous_flicker, short_term
from pantelos.quality.half_cycles import HalfCycles, half_cycle_edges, half_cycle_rms
from pantelos.quality.spans import Span
from pantelos.reading.alternating import NO_CYCLE
from pantelos.reading.reading import Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import BoolArray, FloatArray, median
from pantelos.signal.cycles.cycles import Cycles

_SHORTEST_S, _WHOLE_S = 60.0, 600.0
_LOWEST_HZ = 1000.0
_MAINS = {50: (42.5, 57.5), 60: (51.0, 69.0)}
_OFF = 0.005  # standard uncertainty of the method, of the value: how far it lies from 1 at the points of the standard


class Seen(msgspec.Struct, frozen=True, eq=False):
    """The instantaneous flicker of a stretch, positions from its start on, and the half-cycles that it rests on."""

    flicker: Instantaneous
    half: HalfCycles
    gone: BoolArray  # the half-cycles that an interruption touches


def short_term_flicker(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return P_st; the 60 s before the interval settle the filters, or its first 60 s where the record begins with it."""
    wave, window, cycles = waves[0], stretch.samples, stretch.cycles
    rate = wave.rate_hz
    why_not = why_no_flicker(cycles, rate, stretch.numbers[0]) if cycles is not None else stretch.why_all or NO_CYCLE
    if cycles is None or why_not:
        return Measured(math.nan, window, why_not=why_not)
    first = max(math.floor(stretch.start - SETTLING_S * rate), 0)
    begin, end = max(stretch.start, first + SETTLING_S * rate), min(math.ceil(stretch.stop), wave.n_samples)
    if end - begin < _SHORTEST_S * rate:
        return Measured(math.nan, window, why_not="flicker needs 60 s behind the 60 s that settle its filters")
    seen = seen_between(wave, cycles, first, end, stretch.numbers[0])
    inside = seen.half.starts >= begin - first
    if np.isnan(seen.half.rms[0, inside]).any():
        return Measured(math.nan, window, why_not="samples are missing, and flicker needs every one")
    value = short_term(seen.flicker.between(begin - first, end - first)[0])
    said = [] if end - begin >= _WHOLE_S * rate - 1 else [f"of {(end - begin) / rate:.4g} s instead of 600 s"]
    if seen.gone[inside].any():
        seconds = 0.5 * float((seen.half.stops - seen.half.starts)[seen.gone & inside].sum()) / rate
        said.append(f"the voltage is interrupted for {seconds:.3g} s, which is in the value: it is flagged (IEC 61000-4-30)")
    return Measured(value, window, remarks=tuple(said), method_u=_OFF * value)


def why_no_flicker(cycles: Cycles, rate_hz: float, lamp_v: float) -> str:
    """Return why a voltage of such cycles has no flicker; empty where it has."""
    if len(cycles.crossings) < 2:
        return NO_CYCLE
    f = cycles.frequency_hz
    low, high = _MAINS[_mains(f)]
    if not low <= f <= high:
        return f"flicker is defined for mains of 50 and 60 Hz, here are {f:.4g} Hz"
    if round(lamp_v) not in (230, 120):
        return "flicker knows lamps of 230 V and 120 V"
    return "" if rate_hz >= _LOWEST_HZ else f"flicker needs 1000 samples per second, here are {rate_hz:g}"


def seen_between(wave: Waveform, cycles: Cycles, first: int, end: int, lamp_v: float) -> Seen:
    """Return what is seen of a voltage from one sample to another, its filters begun at the first."""

    def read(start: int, stop: int) -> FloatArray:
        return wave.read(first + start, first + stop)[None]

    edges = half_cycle_edges(cycles)
    edges = edges[(edges >= first) & (edges < end - 1)] - first
    half = half_cycle_rms(read, edges, end - first)
    gone = _interrupted(half)
    lamp: Lamp = 230 if round(lamp_v) == 230 else 120
    mains = _mains(cycles.frequency_hz)
    return Seen(instantaneous_flicker(read, end - first, wave.rate_hz, half, gone, lamp, mains), half, gone)


def _mains(f: float) -> int:
    return 50 if abs(f - 50) <= abs(f - 60) else 60


def _interrupted(half: HalfCycles) -> BoolArray:
    """Return which half-cycles an interruption touches: by the limit of the standard, of what is usual."""
    rms = half.rms[0]
    there = rms[rms > Thresholds().interruption * np.nanmax(rms, initial=0.0)]
    found = disturbances(half, median(there), Thresholds()) if len(there) else []
    gone = [one for one in found if one.kind is Disturbance.INTERRUPTION]
    starts, stops = (np.array([getattr(one, name) for one in gone]) for name in ("start", "stop"))
    return Span(half.starts, half.stops).touched_by(starts, stops)
