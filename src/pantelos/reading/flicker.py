"""Flicker as a reading: P_st of an interval, by the standard of ten minutes."""

import math

import numpy as np

from pantelos.quality.disturbances import Disturbance, Thresholds, disturbances
from pantelos.quality.flicker import SETTLING_S, instantaneous_flicker, short_term
from pantelos.quality.half_cycles import HalfCycles, half_cycle_edges, half_cycle_rms
from pantelos.quality.spans import Span
from pantelos.reading.alternating import NO_CYCLE
from pantelos.reading.reading import Measured, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import BoolArray, median

_SHORTEST_S, _WHOLE_S = 60.0, 600.0
_LOWEST_HZ = 1000.0
_MAINS = {50: (42.5, 57.5), 60: (51.0, 69.0)}
_OFF = 0.005  # standard uncertainty of the method, of the value: how far it lies from 1 at the points of the standard


def short_term_flicker(waves: list[Waveform], stretch: Stretch) -> Measured:
    """Return P_st; the 60 s before the interval settle the filters, or its first 60 s where the record begins with it."""
    wave, window, cycles = waves[0], stretch.samples, stretch.cycles
    rate = wave.rate_hz
    if cycles is None or len(cycles.crossings) < 2:
        return Measured(math.nan, window, why_not=stretch.why_all or NO_CYCLE)
    f, lamp = cycles.frequency_hz, round(stretch.numbers[0])
    mains = 50 if abs(f - 50) <= abs(f - 60) else 60
    low, high = _MAINS[mains]
    if not low <= f <= high:
        return Measured(math.nan, window, why_not=f"flicker is defined for mains of 50 and 60 Hz, here are {f:.4g} Hz")
    if lamp not in (230, 120):
        return Measured(math.nan, window, why_not="flicker knows lamps of 230 V and 120 V")
    if rate < _LOWEST_HZ:
        return Measured(math.nan, window, why_not=f"flicker needs 1000 samples per second, here are {rate:g}")
    first = max(math.floor(stretch.start - SETTLING_S * rate), 0)
    begin, end = max(stretch.start, first + SETTLING_S * rate), min(math.ceil(stretch.stop), wave.n_samples)
    if end - begin < _SHORTEST_S * rate:
        return Measured(math.nan, window, why_not="flicker needs 60 s behind the 60 s that settle its filters")
    edges = half_cycle_edges(cycles)
    edges = edges[(edges >= first) & (edges < end - 1)] - first
    own = half_cycle_rms(lambda a, b: wave.read(first + a, first + b)[None], edges, end - first)
    gone, inside = _interrupted(own), own.starts >= begin - first
    if np.isnan(own.rms[0, inside]).any():
        return Measured(math.nan, window, why_not="samples are missing, and flicker needs every one")
    seen = instantaneous_flicker(
        lambda a, b: wave.read(first + a, first + b)[None], end - first, rate, own, gone, 230 if lamp == 230 else 120, mains
    )
    value = short_term(seen.between(begin - first, end - first)[0])
    said = [] if end - begin >= _WHOLE_S * rate - 1 else [f"of {(end - begin) / rate:.4g} s instead of 600 s"]
    if gone[inside].any():
        seconds = 0.5 * float((own.stops - own.starts)[gone & inside].sum()) / rate
        said.append(f"the voltage is interrupted for {seconds:.3g} s, which is in the value: it is flagged (IEC 61000-4-30)")
    return Measured(value, window, remarks=tuple(said), method_u=_OFF * value)


def _interrupted(half: HalfCycles) -> BoolArray:
    """Return which half-cycles an interruption touches: by the limit of the standard, of what is usual."""
    rms = half.rms[0]
    there = rms[rms > Thresholds().interruption * np.nanmax(rms, initial=0.0)]
    found = disturbances(half, median(there), Thresholds()) if len(there) else []
    gone = [one for one in found if one.kind is Disturbance.INTERRUPTION]
    starts, stops = (np.array([getattr(one, name) for one in gone]) for name in ("start", "stop"))
    return Span(half.starts, half.stops).touched_by(starts, stops)
