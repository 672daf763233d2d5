"""Find the cycles of a waveform: mains, ripple on a rail, gates, switched voltages, run-ups.

What is looked for follows the record: from two cycles in all of it to a quarter of the sample rate.

1. A survey of the waveform, its mean and trend removed, tells whether it rests on a few levels.
2. Two levels that come and go without modulation: cycles run from rise to rise through the middle between them.
3. Otherwise the ridge of the frequency over time gives a coarse frequency. Of a switched voltage it is taken below the
   carrier, where the fundamental lies.
4. A steady waveform is filtered around that frequency and crossed at zero. Where the frequency changes, the waveform is first
   drawn over its phase instead of time, which makes it steady, and the phase is made anew from the cycles found.
5. Cycles are given where the waveform stands out of its noise; short interruptions are continued with the last period.

Source: IEC 61000-4-30 asks for the fundamental without harmonics; the way is ours.
"""

import math

import msgspec
import numpy as np

from pantelos.notation import count, with_unit
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader, median, percentiles
from pantelos.signal.cycles.cycles import Cycles, no_cycles
from pantelos.signal.cycles.fundamental import (
    FEW_CYCLES,
    LEAST_PEAK,
    PER_CYCLE,
    Crossed,
    Floor,
    centred_crossings,
    change,
    crossings_over_phase,
    followed,
    gaps_repeated,
    phase_of,
    steady_crossings,
    usual_rate,
    with_onset,
    with_own_crossings,
)
from pantelos.signal.cycles.interruptions import FoundCycles, bridged
from pantelos.signal.cycles.joining import CyclesOfPart, joined
from pantelos.signal.cycles.periodic_fit import PeriodicFit, fit_periodic
from pantelos.signal.cycles.periodicity import period_repeats, true_frequency
from pantelos.signal.cycles.seams import with_own_sides
from pantelos.signal.cycles.survey import Survey, survey
from pantelos.signal.cycles.track import Track
from pantelos.signal.filters.filters import MIXED, decimated
from pantelos.signal.levels.distribution import distribution
from pantelos.signal.levels.level_search import level_crossings
from pantelos.signal.levels.states import States, states_of
from pantelos.units import unit

_NOTHING = "nothing periodic stands out of its noise"
_MOST_HELD = 1 << 22  # points at which cycles are followed: what is held of a record of any length
_FEWEST_POINTS = 16  # of a cycle that is followed
_MOST_EDGES = 1 << 22
_MOST_CYCLES, _FILLED = 1 << 25, 0.8  # of a record, held in all; how far a stretch of it is filled
_SHARED = 200  # cycles that two stretches both see, either side of where they are cut apart
_ENOUGH = 4.0  # times fewer points per cycle than wanted will do, where the survey has them already
_CHANGES = 0.03  # of the frequency over the record: above, the waveform is drawn over its phase
_A_SAMPLE = 1.2  # samples that a period of edges may differ by from one to the next
_IRREGULAR = 0.12  # of one period to the next: more is noise
_LOOKED_AT = 200  # edges that tell how steep they are
_STEEP, _SLOPING = 1 / math.sqrt(12), 0.02  # samples, standard, that an edge may lie beside where it is placed
_ONSET = 0.5  # samples, standard, that the beginning of a waveform may lie beside where it is placed
_FEWEST_MODULATED = 3  # cycles of the fundamental of a switched signal
_MODULATED = 0.008  # of the span of a switched signal: a fundamental below its carrier is larger
_BEATS = 0.8  # samples per period of edges, of a mean that beats with the sampling
_BELOW_CARRIER = 1 / 8  # of the rate of edges
_SPIKE, _AGREES = 2.0, 0.02  # samples of a pulse; share of its cycles by which a ridge may count others
_FEW_TRIED = (1.05, 1.3, 1.6, 2.0, 2.5, 3.0)  # cycles of a record that holds only a few
_FEW_LEAVE, _FEW_UNSURE = 0.02, 2e-3  # of the fundamental, and turns, that a fit to them may leave
_PURE, _REPEATED = 4, 1.25  # coefficients of a fit without orders; cycles from which on orders are believed
_EDGE_BAND = 0.1  # of the span either side of the middle, against noise
_NOISE_BAND = 4.0  # times the scatter on the levels


def find_cycles(read: Reader, n_samples: int, rate_hz: float, progress: Progress | None = None) -> Cycles:
    """Return the cycles of a channel over the whole record, or none and why.

    Parameters
    ----------
    read : callable (start, stop) -> array (stop - start,), any unit; NaN where missing
    n_samples : int
    rate_hz : float, Hz
    """
    progress = progress or Progress()
    try:
        return _of_all(read, n_samples, rate_hz, progress)
    except _TooMany as many:
        return _in_stretches(read, n_samples, rate_hz, many, progress)


class _TooMany(Exception):
    """There are more cycles than are followed at once."""

    def __init__(self, n_cycles: float, most: int) -> None:
        super().__init__(n_cycles, most)
        self.n_cycles, self.most = n_cycles, most


def _in_stretches(read: Reader, n_samples: int, rate_hz: float, many: _TooMany, progress: Progress) -> Cycles:
    """Return the cycles of a record that is followed stretch by stretch, each reaching into the next.

    They are cut apart in the middle between two crossings of what both have seen, away from the ends of either.
    """
    n_cycles = many.n_cycles
    if n_cycles > _MOST_CYCLES:
        followed_s = with_unit(n_samples / rate_hz * _MOST_CYCLES / n_cycles, unit("s"), 2)
        said = f"it makes about {count(n_cycles)} cycles in this record, more than are followed"
        return no_cycles(rate_hz, n_samples, f"{said}: take an interval of up to {followed_s}")
    n_parts = math.ceil(n_cycles / (_FILLED * many.most))
    length = math.ceil(n_samples / n_parts)
    shared = math.ceil(_SHARED * n_samples / n_cycles)
    parts, why = list[CyclesOfPart](), ""
    for k in range(n_parts):
        low, high = max(k * length - shared, 0), min((k + 1) * length + shared, n_samples)
        part = progress.part(k / n_parts, (k + 1) / n_parts)
        one = find_cycles(lambda a, b, low=low: read(low + a, low + b), high - low, rate_hz, part)  # type: ignore[misc]
        why = why or one.why_not
        if len(one.crossings):
            start, stop = max(parts[-1].stop if parts else 0.0, k * length - shared), math.inf
            if k < n_parts - 1:
                at = one.crossings + low
                near = int(np.searchsorted(at, (k + 1) * length))
                stop = float(0.5 * (at[near - 1] + at[near])) if 0 < near < len(at) else float((k + 1) * length)
            parts.append(CyclesOfPart(low, one, start, stop))
    parts = [part for part in parts if part.taken.stop > part.taken.start]
    return joined(parts, rate_hz, n_samples, across=True) if parts else no_cycles(rate_hz, n_samples, why)


def _of_all(read: Reader, n_samples: int, rate_hz: float, progress: Progress) -> Cycles:
    """Return the cycles of a record that is followed at once."""
    seen = survey(read, n_samples, rate_hz, progress.part(0.0, 0.3))
    if seen.why_not:
        return no_cycles(rate_hz, n_samples, seen.why_not)
    band = (1.5 * rate_hz / n_samples, 0.25 * rate_hz)
    states = states_of(distribution(seen.look, 0, seen.n_looked_at, 1000))
    if states is not None:
        return _of_switched(read, seen, states, band, progress)
    found = _of_ridge(read, seen, band, progress)
    return found if found.whole.any() else _of_a_few(seen) or found


def _of_a_few(seen: Survey) -> Cycles | None:
    """Return the cycles of a record of one to three of them, which no filter settles on: a periodic waveform fits all of it.

    They run from where it rises through zero or, where it does so only once, from as far behind the first sample as before the
    last: what lies between samples at their ends is told best there.
    """
    if seen.step > 1 or seen.missing:
        return None
    n = seen.n_samples
    x = np.asarray(seen.slow + seen.line(0, n) - seen.mean, dtype=np.float64)
    best: PeriodicFit | None = None
    for n_cycles in _FEW_TRIED:
        fit = fit_periodic(x, n_cycles / n)
        if fit is None or fit.residual > _FEW_LEAVE or not fit.rate * (n - 1) >= 1 - 1e-9 or fit.turns_u > _FEW_UNSURE:
            continue
        if len(fit.coefficients) > _PURE and fit.rate * n < _REPEATED:
            continue  # as many orders fit anything that does not come twice
        if best is None or len(fit.coefficients) < len(best.coefficients) or fit.residual < 0.5 * best.residual:
            best = fit
    if best is None:
        return None
    crossings, period = best.crossings(0.0, n - 1.0), 1 / best.rate
    if len(crossings) < 2:
        n_whole = math.floor((n - 1) / period + 1e-9)
        left_over = max(n - 1 - n_whole * period, 0.0)
        crossings = np.asarray(0.5 * left_over + period * np.arange(n_whole + 1), dtype=np.float64)
    whole = np.ones(len(crossings) - 1, dtype=bool)
    return Cycles(np.minimum(crossings, n - 1.0), whole, seen.rate_hz, n, placed_within=best.turns_u * period)


def _of_switched(read: Reader, seen: Survey, states: States, band: tuple[float, float], progress: Progress) -> Cycles:
    """Return the cycles of a signal of a few levels: of its fundamental where it is modulated, else of its edges."""
    half_width = min(max(_EDGE_BAND * states.span, _NOISE_BAND * states.scatter), 0.45 * states.span)
    middle = states.levels[0] + (0.25 if len(states.levels) == 3 else 0.5) * states.span
    edge_rate = seen.edge_rate(middle, min(half_width, 0.2 * states.span))
    n_edges = edge_rate * seen.n_samples / seen.rate_hz
    if n_edges > _MOST_EDGES:
        raise _TooMany(n_edges, _MOST_EDGES)
    below = (band[0], min(band[1], _BELOW_CARRIER * edge_rate))
    # Edges lie between samples: their places beat with the sampling, by up to 2/π samples per period.
    least = max(_MODULATED, _BEATS * edge_rate / seen.rate_hz) * states.span
    if below[0] < below[1]:
        sliced = _sliced(read, states)  # hum and ripple on the levels are no modulation
        plain = survey(sliced, seen.n_samples, seen.rate_hz)
        found = _of_ridge(sliced, plain, below, progress, least_peak=least)
        if np.count_nonzero(found.measured) >= max(_FEWEST_MODULATED, len(found.whole) // 2):
            return found
        if len(states.levels) == 3 and _is_modulated(sliced, seen, below[1], least):
            return no_cycles(
                seen.rate_hz, seen.n_samples, "it is switched, and its fundamental makes fewer than three cycles here"
            )
    if len(states.levels) == 3:
        return _of_ridge(read, seen, band, progress)
    edges = level_crossings(read, 0, seen.n_samples, middle, half_width, progress.part(0.3, 1.0)).rises
    if len(edges) < 3:
        return no_cycles(seen.rate_hz, seen.n_samples, f"it rises {len(edges)} times, and three are needed")
    if len(states.levels) == 2 and min(states.shares) * seen.n_samples < _SPIKE * len(edges):
        found = _of_ridge(read, seen, band, progress)  # spikes on a waveform, which itself tells better
        if abs(np.count_nonzero(found.measured) - len(edges)) <= max(2, _AGREES * len(edges)):
            return found
    within = _STEEP if _steep(read, edges, states) else _SLOPING
    cycles = bridged(
        FoundCycles(edges, seen.missing, np.ones(len(edges), dtype=bool)), seen.rate_hz, seen.n_samples, True, within
    )
    return _if_regular(cycles)


def _is_modulated(sliced: Reader, seen: Survey, below_hz: float, least: float) -> bool:
    """Return whether the mean of a switched signal moves, seen below its carrier."""
    slow, _ = decimated(seen.filled(sliced), seen.n_samples, seen.rate_hz, 4 * below_hz)
    low, high = percentiles(slow, 2, 98)
    return bool(high - low > 4 * least)


def _sliced(read: Reader, states: States) -> Reader:
    """Return a reader of the level that each sample is nearest to; NaN where it is missing."""
    levels = np.asarray(states.levels)
    limits = 0.5 * (levels[1:] + levels[:-1])

    def nearest(start: int, stop: int) -> FloatArray:
        x = read(start, stop)
        return np.where(np.isnan(x), np.nan, levels[np.searchsorted(limits, x)])

    return nearest


def _steep(read: Reader, edges: FloatArray, states: States) -> bool:
    """Return whether most edges go from one level to the other between two samples, so that nobody knows where between."""
    some = edges[np.linspace(0, len(edges) - 1, min(len(edges), _LOOKED_AT)).astype(np.intp)]
    pairs = np.array([read(int(at), int(at) + 2) for at in some.tolist()])
    near = max(0.1 * states.span, 3 * states.scatter)
    return bool(np.mean((np.abs(pairs[:, 0] - states.levels[0]) < near) & (np.abs(pairs[:, 1] - states.levels[-1]) < near)) > 0.5)


def _of_ridge(read: Reader, seen: Survey, band: tuple[float, float], progress: Progress, least_peak: float = 0.0) -> Cycles:
    """Return the cycles along the strongest ridge within a band."""
    track = seen.track(band)
    if track is None:
        return no_cycles(seen.rate_hz, seen.n_samples, "the record is too short for a cycle")
    sure = track.sure & (track.amplitudes > max(LEAST_PEAK * track.amplitudes.max(), least_peak))
    if not sure.any():
        return no_cycles(seen.rate_hz, seen.n_samples, _NOTHING)
    wanted = 2.0 * PER_CYCLE * percentiles(track.frequencies_hz[sure], 96)[0]
    if least_peak:
        wanted = min(wanted, 8.0 * band[1])
    affordable = _MOST_HELD * seen.rate_hz / seen.n_samples
    if wanted > affordable:
        usual = median(track.frequencies_hz[sure])
        if affordable < min(_FEWEST_POINTS * usual, seen.rate_hz):
            raise _TooMany(usual * seen.n_samples / seen.rate_hz, _MOST_HELD // _FEWEST_POINTS)
        wanted = affordable
    if seen.step > 1 and wanted / _ENOUGH <= seen.rate_hz / seen.step:
        x, step = seen.slow, seen.step
    else:
        x, step = decimated(seen.filled(read), seen.n_samples, seen.rate_hz, wanted, progress.part(0.3, 0.7))
        x = x - seen.mean
    rate, floor = seen.rate_hz / step, Floor(track.stands_out, least_peak)
    moved = Track(track.positions[sure] * seen.step / step, track.frequencies_hz[sure], track.amplitudes[sure], track.stands_out)
    found, centre = _along(x, rate, moved, band, floor)
    if found is None:
        return no_cycles(seen.rate_hz, seen.n_samples, _NOTHING)
    if seen.missing and found.sure.any():
        x = gaps_repeated(x, [(a / step, b / step) for a, b in seen.missing], 1 / usual_rate(found))
        if math.isfinite(centre):
            found = steady_crossings(x, rate, centre, floor)
    found = with_onset(with_own_crossings(followed(found, x, rate, floor), x), x)
    margin = MIXED if step > 1 else 0
    found = with_own_sides(found, x, rate, floor, [(a / step, b / step) for a, b in seen.missing], margin)
    period = 1 / usual_rate(found)
    within = (2 * math.pi / period) ** 3 * 0.016 / (2 * math.pi) * period * step if math.isfinite(period) else 0.0
    seams, jumps = (np.zeros(0) if some is None else some * step for some in (found.seams, found.jumps))
    told = FoundCycles(found.crossings * step, seen.missing, found.sure, jumps, found.fitted)
    cycles = bridged(told, seen.rate_hz, seen.n_samples, placed_within=max(within, found.within * step))
    cycles = msgspec.structs.replace(cycles, seams=seams if len(seams) else None)
    if np.count_nonzero(cycles.measured) < FEW_CYCLES and not period_repeats(x, cycles.crossings / step):
        return no_cycles(seen.rate_hz, seen.n_samples, "it does not repeat itself within this record")
    return _if_regular(msgspec.structs.replace(cycles, onset_within=_ONSET * step) if found.onset else cycles)


def _along(x: FloatArray, rate_hz: float, track: Track, band: tuple[float, float], floor: Floor) -> tuple[Crossed | None, float]:
    """Return the crossings along a ridge, and the frequency where it is steady (else NaN); None where nothing repeats."""
    frequencies = track.frequencies_hz
    low, high = percentiles(frequencies, 4, 96)
    if high / low - 1 < 2 * _CHANGES + 0.1:
        strongest = float(track.positions[int(np.argmax(track.amplitudes))])
        centre = true_frequency(x, rate_hz, median(frequencies), strongest, band)
        return centred_crossings(x, rate_hz, centre, floor) if math.isfinite(centre) else (None, math.nan)
    knots = np.concatenate([[0.0], track.positions, [float(len(x))]])
    turns = phase_of(knots, np.concatenate([frequencies[:1], frequencies, frequencies[-1:]]) / rate_hz)
    found = crossings_over_phase(x, rate_hz, knots, turns, floor)
    if change(found) < _CHANGES:  # the ridge wandered, the waveform does not
        return centred_crossings(x, rate_hz, usual_rate(found) * rate_hz, floor)
    return found, math.nan


def _if_regular(cycles: Cycles) -> Cycles:
    """Return the cycles, or none where their periods scatter like those of noise."""
    n_measured = int(np.count_nonzero(cycles.measured))
    if not n_measured:
        return no_cycles(cycles.rate_hz, cycles.n_samples, "no whole cycle of it lies in the record")
    allowed = _IRREGULAR
    if cycles.by_edges:  # an edge lies somewhere between two samples
        allowed = max(allowed, _A_SAMPLE / median(np.diff(cycles.crossings)))
    if n_measured >= FEW_CYCLES and cycles.scatter > allowed:
        said = f"its periods differ by {100 * cycles.scatter:.0f} % from one to the next"
        return no_cycles(cycles.rate_hz, cycles.n_samples, said)
    return cycles
