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
from dataclasses import dataclass

import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import AnyArray, BoolArray, ComplexArray, FloatArray, Reader
from pantelos.signal.crossings import rising_crossings
from pantelos.signal.cycles import Cycles, no_cycles
from pantelos.signal.distribution import distribution
from pantelos.signal.filters import analytic_fundamental, decimated
from pantelos.signal.interruptions import Found, bridged
from pantelos.signal.level_search import level_crossings
from pantelos.signal.octaves import octaves
from pantelos.signal.periodicity import period_repeats, true_frequency
from pantelos.signal.states import States, states_of
from pantelos.signal.survey import Survey, survey

_PER_CYCLE = 128  # points per cycle at which cycles are crossed
_MOST_POINTS = 1 << 23
_CHANGES = 0.03  # of the frequency over the record: above, the waveform is drawn over its phase
_DRIFTS = 2e-3  # the same, seen in the cycles found
_OFF_CENTRE = 1e-6  # of the frequency: further off, the filter is set anew
_QUIET = 0.3  # of the rms beside it
_SILENCE = 1.5  # cycles without a crossing at an end of the record
_RISING = 0.015  # of a cycle, from zero to a fifth of the peak at the least
_CLEAN = 0.03  # of a cycle, between a crossing of the waveform itself and that of its fundamental
_LEAST_PEAK = 0.01  # of the largest: below, the waveform is interrupted
_SUPPORT = 0.3  # of the energy of the fundamental
_IRREGULAR = 0.12  # of one period to the next: more is noise
_FEW_CYCLES = 4  # below, regularity says nothing and the waveform must repeat itself
_LOOKED_AT = 200  # edges that tell how steep they are
_STEEP, _SLOPING = 1 / math.sqrt(12), 0.02  # samples, standard, that an edge may lie beside where it is placed
_FEWEST_MODULATED = 3  # cycles of the fundamental of a switched signal
_MODULATED = 0.02  # of the span of a switched signal: a fundamental below its carrier is larger
_BELOW_CARRIER = 1 / 8  # of the rate of edges
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
    seen = survey(read, n_samples, rate_hz, progress.part(0.0, 0.3))
    if seen.why_not:
        return no_cycles(rate_hz, n_samples, seen.why_not)
    band = (1.5 * rate_hz / n_samples, 0.25 * rate_hz)
    states = states_of(distribution(seen.look, 0, seen.n_looked_at, 1000))
    if states is not None:
        return _of_switched(read, seen, states, band, progress)
    return _of_ridge(read, seen, band, progress)


def _of_switched(read: Reader, seen: Survey, states: States, band: tuple[float, float], progress: Progress) -> Cycles:
    """Return the cycles of a signal of a few levels: of its fundamental where it is modulated, else of its edges."""
    half_width = min(max(_EDGE_BAND * states.span, _NOISE_BAND * states.scatter), 0.45 * states.span)
    middle = states.levels[0] + (0.25 if len(states.levels) == 3 else 0.5) * states.span
    edge_rate = seen.edge_rate(middle, min(half_width, 0.2 * states.span))
    below = (band[0], min(band[1], _BELOW_CARRIER * edge_rate))
    if below[0] < below[1]:
        found = _of_ridge(read, seen, below, progress, least_peak=_MODULATED * states.span)
        if np.count_nonzero(found.measured) >= max(_FEWEST_MODULATED, len(found.whole) // 2):
            return found
    if len(states.levels) == 3:
        return _of_ridge(read, seen, band, progress)
    edges = level_crossings(read, 0, seen.n_samples, middle, half_width, progress.part(0.3, 1.0)).rises
    if len(edges) < 3:
        return no_cycles(seen.rate_hz, seen.n_samples, f"it rises {len(edges)} times, and three are needed")
    within = _STEEP if _steep(read, edges, states) else _SLOPING
    cycles = bridged(Found(edges, seen.missing, np.ones(len(edges), dtype=bool)), seen.rate_hz, seen.n_samples, True, within)
    return _if_regular(cycles)


def _steep(read: Reader, edges: FloatArray, states: States) -> bool:
    """Return whether most edges go from one level to the other between two samples, so that nobody knows where between."""
    some = edges[np.linspace(0, len(edges) - 1, min(len(edges), _LOOKED_AT)).astype(np.intp)]
    pairs = np.array([read(int(at), int(at) + 2) for at in some.tolist() if int(at) + 2 <= edges[-1] + 2])
    near = max(0.1 * states.span, 3 * states.scatter)
    return bool(np.mean((np.abs(pairs[:, 0] - states.levels[0]) < near) & (np.abs(pairs[:, 1] - states.levels[-1]) < near)) > 0.5)


def _of_ridge(read: Reader, seen: Survey, band: tuple[float, float], progress: Progress, least_peak: float = 0.0) -> Cycles:
    """Return the cycles along the strongest ridge within a band."""
    track = seen.track(band)
    if track is None:
        return no_cycles(seen.rate_hz, seen.n_samples, "the record is too short for a cycle")
    sure = track.sure & (track.amplitudes > max(_LEAST_PEAK * track.amplitudes.max(), least_peak))
    if not sure.any():
        return no_cycles(seen.rate_hz, seen.n_samples, "nothing periodic stands out of its noise")
    low, high = np.percentile(track.frequencies_hz[sure], (4, 96)).tolist()
    wanted = 2.0 * _PER_CYCLE * high
    if least_peak:
        wanted = min(wanted, 8.0 * band[1])
    x, step = decimated(seen.filled(read), seen.n_samples, seen.rate_hz, wanted, progress.part(0.3, 0.7))
    rate = seen.rate_hz / step
    x = x - seen.mean
    positions, frequencies = track.positions[sure] * seen.step / step, track.frequencies_hz[sure]
    strongest = int(np.argmax(track.amplitudes * sure))
    centre = float(np.median(frequencies))
    if high / low - 1 < 2 * _CHANGES + 0.1:
        centre = true_frequency(x, rate, centre, track.positions[strongest] * seen.step / step, band)
        if not math.isfinite(centre):
            return no_cycles(seen.rate_hz, seen.n_samples, "nothing periodic stands out of its noise")
        found = _crossed(x, rate, centre, track.stands_out, least_peak)
        again = _usual_rate(found) * rate
        if abs(again / centre - 1) > _OFF_CENTRE:
            centre = again
            found = _crossed(x, rate, centre, track.stands_out, least_peak)
    else:
        centre = math.nan
        knots = np.concatenate([[0.0], positions, [float(len(x))]])
        turns = _integrated(knots, np.concatenate([frequencies[:1], frequencies, frequencies[-1:]]) / rate)
        found = _crossed_over_phase(x, rate, knots, turns, track.stands_out, least_peak)
        if _change(found) < _CHANGES:  # the ridge wandered, the waveform does not
            centre = _usual_rate(found) * rate
            found = _crossed(x, rate, centre, track.stands_out, least_peak)
    if seen.missing and found.sure.any():
        x = _gaps_repeated(x, [(a / step, b / step) for a, b in seen.missing], 1 / _usual_rate(found))
        if math.isfinite(centre):
            found = _crossed(x, rate, centre, track.stands_out, least_peak)
    for _ in range(2):
        knots_turns = _drifting(found, len(x))
        if knots_turns is None:
            break
        found = _crossed_over_phase(x, rate, *knots_turns, track.stands_out, least_peak)
    found = _with_onset(found, x)
    period = 1 / _usual_rate(found)
    within = (2 * math.pi / period) ** 3 * 0.016 / (2 * math.pi) * period * step if math.isfinite(period) else 0.0
    cycles = bridged(Found(found.crossings * step, seen.missing, found.sure), seen.rate_hz, seen.n_samples, placed_within=within)
    if np.count_nonzero(cycles.measured) < _FEW_CYCLES and not period_repeats(x, cycles.crossings / step):
        return no_cycles(seen.rate_hz, seen.n_samples, "it does not repeat itself within this record")
    return _if_regular(cycles)


def _if_regular(cycles: Cycles) -> Cycles:
    """Return the cycles, or none where their periods scatter like those of noise."""
    n_measured = int(np.count_nonzero(cycles.measured))
    if not n_measured:
        return no_cycles(cycles.rate_hz, cycles.n_samples, "no whole cycle of it lies in the record")
    if n_measured >= _FEW_CYCLES and cycles.scatter > _IRREGULAR:
        said = f"its periods differ by {100 * cycles.scatter:.0f} % from one to the next"
        return no_cycles(cycles.rate_hz, cycles.n_samples, said)
    return cycles


@dataclass(frozen=True, eq=False, slots=True)
class _Crossed:
    """Crossings in samples of the decimated waveform, and which of them stand out."""

    crossings: FloatArray
    sure: BoolArray


def _crossed(x: FloatArray, rate_hz: float, frequency_hz: float, stands_out: float, least_peak: float) -> _Crossed:
    """Return the rising zero crossings of the fundamental of a steady waveform."""
    z = analytic_fundamental(x, rate_hz, frequency_hz)
    return _rises(x, z, rate_hz / frequency_hz, max(stands_out * math.sqrt(frequency_hz), least_peak))


def _rises(x: FloatArray, z: ComplexArray, period: float, least: float) -> _Crossed:
    """Return where the real part of the fundamental `z` of `x` rises through zero; between samples its angle is linear."""
    real = np.ascontiguousarray(z.real)
    peak = _local_peak(real, max(int(period), 1))
    floor = max(_LEAST_PEAK * float(peak.max(initial=0.0)), least)
    at = rising_crossings(real, 0.0, np.maximum(0.1 * peak, 1e-300))
    pair = np.minimum(at.astype(np.intp), len(real) - 2)
    before, after = (np.angle(1j * z[pair + k]) for k in (0, 1))  # 0 where the real part rises through 0
    turn = after - before
    good = (turn > 0) & (turn < math.pi)
    share = np.where(good, np.clip(-before / np.where(good, turn, 1.0), 0.0, 1.0), at - pair)
    sure = (peak[pair] >= floor) & _supported(x, real, pair, period)
    inside = np.flatnonzero(sure)
    if len(inside):  # beside an interruption the filter mixes both sides
        gone = np.flatnonzero(~sure[inside[0] : inside[-1] + 1]) + inside[0]
        sure[np.concatenate([gone - 1, gone + 1])] = False
    return _Crossed(pair + share, sure)


def _supported(x: FloatArray, fundamental: FloatArray, at: AnyArray, period: float) -> BoolArray:
    """Return at which samples the waveform itself, on either side, is as large as its fundamental says.

    The filter rings on where the waveform has stopped, and before it begins: there is a fundamental then, and nothing behind it.
    """
    whole, n = max(round(period), 2), len(x)
    own, of_filter = (np.concatenate([np.zeros((2, 1)), np.cumsum([y, y * y], axis=1)], axis=1) for y in (x, fundamental))
    before, after = np.maximum(at - whole, 0), np.minimum(at + whole, n)
    kept = np.ones(len(at), dtype=bool)
    for low, high in ((before, at), (at, after)):
        sizes = [sums[1, high] - sums[1, low] - (sums[0, high] - sums[0, low]) ** 2 / np.maximum(high - low, 1)
                 for sums in (own, of_filter)]  # fmt: skip
        kept &= (sizes[0] >= _SUPPORT * sizes[1]) | (high - low < 0.5 * whole)
    return kept


def _crossed_over_phase(
    x: FloatArray, rate_hz: float, knots: FloatArray, turns: FloatArray, stands_out: float, least_peak: float
) -> _Crossed:
    """Return the same of a waveform whose phase is about `turns` at positions `knots`: drawn over its phase, it is steady."""
    from scipy.interpolate import PchipInterpolator  # half a second to load

    n_turns = float(turns[-1] - turns[0])
    per_cycle = int(np.clip(_MOST_POINTS / max(n_turns, 1.0), 32, _PER_CYCLE))
    phases = turns[0] + np.arange(int(n_turns * per_cycle) + 1) / per_cycle
    positions = np.asarray(PchipInterpolator(turns, knots)(phases), dtype=np.float64)
    inside = (positions >= 0) & (positions <= len(x) - 1)
    positions = positions[inside]
    if len(positions) < 4:
        return _Crossed(np.zeros(0), np.zeros(0, dtype=bool))
    local = rate_hz / np.gradient(positions)  # points per second
    levels = octaves(x, rate_hz, float(local.min()))
    drawn = levels.at(positions, np.minimum(0.6 * local, rate_hz))
    z = analytic_fundamental(drawn, per_cycle, 1.0)
    frequency = float(np.median(local)) / per_cycle
    found = _rises(drawn, z, per_cycle, max(stands_out * math.sqrt(frequency), least_peak))
    crossings = np.interp(found.crossings, np.arange(len(positions)), positions)
    return _Crossed(crossings, found.sure)


def _integrated(knots: FloatArray, per_sample: FloatArray) -> FloatArray:
    """Return the phase at the knots, in turns, from the frequency there in turns per sample."""
    return np.concatenate([[0.0], np.cumsum(0.5 * (per_sample[1:] + per_sample[:-1]) * np.diff(knots))])


def _change(found: _Crossed) -> float:
    """Return by how much the periods of the sure cycles differ, but for the outermost twentieth either way."""
    periods = np.diff(found.crossings)[found.sure[:-1] & found.sure[1:]]
    if len(periods) < _FEW_CYCLES:
        return math.inf
    low, high = np.percentile(periods, (5, 95))
    return float(high / low - 1)


def _gaps_repeated(x: FloatArray, missing: list[tuple[float, float]], period: float) -> FloatArray:
    """Return a waveform whose gaps hold what it was some whole periods before (or behind), so that the filter sees no break."""
    if not math.isfinite(period) or period >= len(x) / 2:
        return x
    x = x.copy()
    for start, stop in missing:
        low, high = max(math.floor(start) - 1, 0), min(math.ceil(stop) + 1, len(x))
        shifts = (math.ceil((high - low) / period) + np.arange(8)) * period
        shift = round(float(shifts[np.argmin(np.abs(shifts - np.round(shifts)))]))
        if low >= shift:
            x[low:high] = x[low - shift : high - shift]
        elif high + shift <= len(x):
            x[low:high] = x[low + shift : high + shift]
    return x


def _usual_rate(found: _Crossed) -> float:
    """Return the middle frequency of the sure cycles, in turns per sample."""
    periods = np.diff(found.crossings)[found.sure[:-1] & found.sure[1:]]
    return float(1 / np.median(periods)) if len(periods) else math.nan


def _with_onset(found: _Crossed, x: FloatArray) -> _Crossed:
    """Return the crossings with that at which a waveform begins out of silence, where it can be seen in the waveform itself.

    The filter places it badly, for it mixes the silence before with the cycle behind. Where it cannot be seen, the first
    crossing after a silence and the last before one are not sure.
    """
    sure = np.flatnonzero(found.sure[:-1] & found.sure[1:])
    if not len(sure):
        return found
    k, kept = int(sure[0]), found.sure.copy()
    last = int(np.flatnonzero(found.sure)[-1])
    if _silent(x, float(found.crossings[last]), float(found.crossings[last] - found.crossings[last - 1]), 1):
        kept[last] = False
    first, period = float(found.crossings[k]), float(found.crossings[k + 1] - found.crossings[k])
    seen = [_seen_rise(x, float(found.crossings[at]), 0.25 * period) for at in (k, k + 1)]
    clean = first > _SILENCE * period and all(
        abs(a - b) < _CLEAN * period for a, b in zip(seen, found.crossings[k : k + 2], strict=True)
    )
    peak = float(np.abs(x[int(first) : int(first + period) + 1]).max())
    onset = _seen_onset(x, first - 1.5 * period, first - 0.6 * period, 0.2 * peak, period) if clean else math.nan
    if math.isfinite(onset):
        return _Crossed(np.concatenate([[onset], found.crossings[k:]]), np.concatenate([[True], kept[k:]]))
    if _silent(x, first, period, -1):
        kept[k] = False
    return _Crossed(found.crossings, kept)


def _silent(x: FloatArray, at: float, period: float, way: int) -> bool:
    """Return whether a waveform is silent behind (way 1) or before (way -1) a crossing, up to the end of the record."""
    beyond = x[int(at + _SILENCE * period) :] if way > 0 else x[: max(int(at - _SILENCE * period), 0)]
    own = x[max(int(at - period), 0) : int(at)] if way > 0 else x[int(at) : int(at + period)]
    return bool(len(beyond) > 0.5 * period and len(own) and np.std(beyond) < _QUIET * np.std(own))


def _seen_rise(x: FloatArray, near: float, within: float) -> float:
    """Return where the waveform itself rises through zero nearest to a position; NaN where it does not."""
    low = max(int(near - within), 0)
    found = rising_crossings(x[low : int(near + within) + 2])
    return float(low + found[np.argmin(np.abs(low + found - near))]) if len(found) else math.nan


def _seen_onset(x: FloatArray, start: float, stop: float, level: float, period: float) -> float:
    """Return the last rise through zero before the waveform first reaches a level in a stretch, after silence; else NaN.

    One that jumps to the level does not begin with a cycle.
    """
    low, high = max(int(start), 0), max(int(stop), 0)
    reached = np.flatnonzero(x[low:high] >= level)
    if not len(reached) or reached[0] == 0 or np.abs(x[low : low + reached[0]]).max() > level:
        return math.nan
    below = np.flatnonzero(x[low : low + reached[0]] < 0)
    if not len(below):
        return math.nan
    at = low + int(below[-1])
    if low + int(reached[0]) - at < max(_RISING * period, 2):
        return math.nan
    return at + float(x[at] / (x[at] - x[at + 1]))


def _drifting(found: _Crossed, n: int) -> tuple[FloatArray, FloatArray] | None:
    """Return knots and phase made of the cycles found, or None where their frequency is steady."""
    at = found.crossings
    periods = np.diff(at)
    good = found.sure[:-1] & found.sure[1:]
    if np.count_nonzero(good) < _FEW_CYCLES:
        return None
    usual = _running_median(periods, 5)
    good &= np.abs(periods - usual) <= 0.3 * usual
    middles, rates = 0.5 * (at[1:] + at[:-1])[good], 1 / usual[good]
    if len(rates) < _FEW_CYCLES:
        return None
    low, high = np.percentile(rates, (2, 98))
    if high / low - 1 < _DRIFTS:
        return None
    reach = min(3, len(rates) - 1)
    first = max(rates[0] - (rates[reach] - rates[0]) / (middles[reach] - middles[0]) * middles[0], 0.2 * rates[0])
    last = rates[-1] + (rates[-1] - rates[-1 - reach]) / (middles[-1] - middles[-1 - reach]) * (n - middles[-1])
    knots = np.concatenate([[0.0], middles, [float(n)]])
    return knots, _integrated(knots, np.concatenate([[first], rates, [max(float(last), 0.2 * rates[-1])]]))


def _running_median(x: FloatArray, width: int) -> FloatArray:
    beside = np.pad(x, width // 2, mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(beside, width), axis=1))


def _local_peak(x: FloatArray, period: int) -> FloatArray:
    """Return the largest magnitude within about a period and a half of each sample, same shape."""
    n_periods = -(-len(x) // period)
    peaks = np.abs(np.pad(x, (0, n_periods * period - len(x)))).reshape(n_periods, period).max(axis=1)
    around = np.maximum(peaks, np.maximum(np.append(peaks[1:], 0), np.append(0, peaks[:-1])))
    return np.asarray(np.repeat(around, period)[: len(x)])
