"""The crossings of the fundamental of a waveform: filtered where its frequency is steady, drawn over its phase where it changes.

Source: the filter is a zero-phase Butterworth band-pass (1.5 octaves); drawing over the phase is order tracking, as in the
analysis of rotating machines. Crossings are sure where the waveform itself stands behind them, not only the filter that rings.
"""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray, BoolArray, ComplexArray, FloatArray, median, medians, percentiles
from pantelos.signal.filters.filters import analytic_fundamental
from pantelos.signal.filters.octaves import octaves
from pantelos.signal.levels.crossings import rising_crossings

PER_CYCLE = 128  # points per cycle at which cycles are crossed
FEW_CYCLES = 4  # below, regularity says nothing
LEAST_PEAK = 0.01  # of the largest: below, the waveform is interrupted
_MOST_POINTS = 1 << 23
_DRIFTS = 2e-3  # of the frequency, seen in the cycles found: above, the waveform is drawn over its phase
_OFF_CENTRE = 1e-6  # of the frequency: further off, the filter is set anew
_QUIET = 0.3  # of the rms beside it
_SILENCE = 1.5  # cycles without a crossing at an end of the record
_STILL = 0.02  # of a fifth of the peak: a waveform that is no larger has not begun
_RISING = 0.015  # of a cycle, from zero to a fifth of the peak at the least
_CLEAN = 0.03  # of a cycle, between a crossing of the waveform itself and that of its fundamental
_RUNS_UP = 0.05  # change of the frequency: above, a waveform's own crossings are looked at
_MATCHES = 0.25  # of a cycle, between a crossing of the waveform and that of its fundamental
_SCATTERS = 2e-3  # of a cycle: a waveform that crosses zero less regularly tells nothing
_FURTHER = 5.0  # times the scatter that the filter may be off
_EXACT = 1e-5  # of a cycle
_SUPPORT = 0.3  # of the energy of the fundamental


class Floor(msgspec.Struct, frozen=True, eq=False):
    """What a fundamental must stand out of: noise, as amplitude at 1 Hz that grows with the root of the frequency; and a peak."""

    noise: float
    peak: float

    def at(self, frequency_hz: float) -> float:
        """Return the least peak at a frequency."""
        return max(self.noise * math.sqrt(frequency_hz), self.peak)


class Crossed(msgspec.Struct, frozen=True, eq=False):
    """Crossings in samples of the decimated waveform, and which of them stand out."""

    crossings: FloatArray
    sure: BoolArray
    fitted: BoolArray | None = None  # which were placed by what one side of a seam shows; None: none
    onset: bool = False  # the first one is where the waveform begins, seen in itself
    seams: FloatArray | None = None  # where the waveform does not go on as before
    jumps: FloatArray | None = None  # where its phase jumps, too
    within: float = 0.0  # standard uncertainty of the crossings beside seams


def steady_crossings(x: FloatArray, rate_hz: float, frequency_hz: float, floor: Floor) -> Crossed:
    """Return the rising zero crossings of the fundamental of a steady waveform, samples."""
    z = analytic_fundamental(x, rate_hz, frequency_hz)
    return _rises(x, z, rate_hz / frequency_hz, floor.at(frequency_hz))


def _rises(x: FloatArray, z: ComplexArray, period: float, least: float) -> Crossed:
    """Return where the real part of the fundamental `z` of `x` rises through zero; between samples its angle is linear."""
    real = np.ascontiguousarray(z.real)
    peak = _local_peak(real, max(int(period), 1))
    floor = max(LEAST_PEAK * float(peak.max(initial=0.0)), least)
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
    return Crossed(pair + share, sure)


def _supported(x: FloatArray, fundamental: FloatArray, at: AnyArray, period: float) -> BoolArray:
    """Return at which samples the waveform itself, on either side, is as large as its fundamental says.

    The filter rings on where the waveform has stopped, and before it begins: there is a fundamental then, and nothing behind it.
    """
    whole, n = max(round(period), 2), len(x)
    own, of_filter = (np.concatenate([np.zeros((2, 1)), np.cumsum([y, y * y], axis=1)], axis=1) for y in (x, fundamental))
    before, after = np.maximum(at - whole, 0), np.minimum(at + whole, n)
    kept = np.ones(len(at), dtype=bool)
    for low, high in ((before, at), (at, after)):
        sizes = [
            sums[1, high] - sums[1, low] - (sums[0, high] - sums[0, low]) ** 2 / np.maximum(high - low, 1)
            for sums in (own, of_filter)
        ]
        kept &= (sizes[0] >= _SUPPORT * sizes[1]) | (high - low < 0.5 * whole)
    return kept


def crossings_over_phase(x: FloatArray, rate_hz: float, knots: FloatArray, turns: FloatArray, floor: Floor) -> Crossed:
    """Return the same of a waveform whose phase is about `turns` at positions `knots`: drawn over its phase, it is steady."""
    from scipy.interpolate import PchipInterpolator  # half a second to load

    n_turns = float(turns[-1] - turns[0])
    per_cycle = int(np.clip(_MOST_POINTS / max(n_turns, 1.0), 32, PER_CYCLE))
    phases = turns[0] + np.arange(int(n_turns * per_cycle) + 1) / per_cycle
    positions = np.asarray(PchipInterpolator(turns, knots)(phases), dtype=np.float64)
    inside = (positions >= 0) & (positions <= len(x) - 1)
    positions = positions[inside]
    if len(positions) < 4:
        return Crossed(np.zeros(0), np.zeros(0, dtype=bool))
    local = rate_hz / np.gradient(positions)  # points per second
    levels = octaves(x, rate_hz, float(local.min()))
    drawn = levels.at(positions, np.minimum(0.6 * local, rate_hz))
    z = analytic_fundamental(drawn, per_cycle, 1.0)
    frequency = median(local) / per_cycle
    found = _rises(drawn, z, per_cycle, floor.at(frequency))
    crossings = np.interp(found.crossings, np.arange(len(positions)), positions)
    return Crossed(crossings, found.sure)


def phase_of(knots: FloatArray, per_sample: FloatArray) -> FloatArray:
    """Return the phase at the knots, in turns, from the frequency there in turns per sample."""
    return np.concatenate([[0.0], np.cumsum(0.5 * (per_sample[1:] + per_sample[:-1]) * np.diff(knots))])


def change(found: Crossed) -> float:
    """Return by how much the periods of the sure cycles differ, but for the outermost twentieth either way."""
    periods = np.diff(found.crossings)[found.sure[:-1] & found.sure[1:]]
    if len(periods) < FEW_CYCLES:
        return math.inf
    low, high = percentiles(periods, 5, 95)
    return float(high / low - 1)


def gaps_repeated(x: FloatArray, missing: list[tuple[float, float]], period: float) -> FloatArray:
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


def usual_rate(found: Crossed) -> float:
    """Return the middle frequency of the sure cycles, in turns per sample."""
    periods = np.diff(found.crossings)[found.sure[:-1] & found.sure[1:]]
    return 1 / median(periods) if len(periods) else math.nan


def with_onset(found: Crossed, x: FloatArray) -> Crossed:
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
        return Crossed(np.concatenate([[onset], found.crossings[k:]]), np.concatenate([[True], kept[k:]]), onset=True)
    if _silent(x, first, period, -1):
        kept[k] = False
    return Crossed(found.crossings, kept)


class _Own(msgspec.Struct, frozen=True, eq=False):
    """The rises of a waveform itself beside the crossings of its fundamental."""

    rises: FloatArray
    nearest: AnyArray  # (n_crossings,), which rise is nearest to each crossing
    beside: FloatArray  # (n_crossings,), how much later it lies, in cycles
    matched: BoolArray  # (n_crossings,)
    usual: float  # how much later rises lie in the middle
    scatter: float  # robust standard deviation of that


def with_own_crossings(found: Crossed, x: FloatArray) -> Crossed:
    """Return the crossings with those of the waveform itself where the filter is further off than they scatter.

    At the ends of a run-up the filter sees one side only and mixes slow with quick cycles. Where a waveform rises once per cycle,
    always at the same place of its fundamental, it tells better; its scatter against the fundamental says how well.
    """
    periods = np.diff(found.crossings)
    if len(periods) < FEW_CYCLES or not change(found) > _RUNS_UP:
        return found
    # At the level at which it rises together with its fundamental: a mean over time is none over the phase.
    level = median(np.interp(found.crossings[found.sure], np.arange(len(x)), x)) if found.sure.any() else 0.0
    own = _own_rises(found, x - level, 0.1 * _local_peak(x, max(int(median(periods)), 1)))
    if own is None:
        return found
    off = own.beside - own.usual
    better = own.matched & (np.abs(off) > max(_FURTHER * own.scatter, _EXACT))
    moved = own.rises - own.usual * np.gradient(own.rises)
    crossings = np.where(better, moved[own.nearest], found.crossings)
    before = moved[: own.nearest[0]] if own.matched[0] else moved[:0]
    behind = moved[own.nearest[-1] + 1 :] if own.matched[-1] else moved[:0]
    ends = [part[(part >= 0) & (part <= len(x) - 1)] for part in (before, behind)]
    sure = np.concatenate([np.ones(len(ends[0]), dtype=bool), found.sure | better, np.ones(len(ends[1]), dtype=bool)])
    return msgspec.structs.replace(found, crossings=np.concatenate([ends[0], crossings, ends[1]]), sure=sure)


def _own_rises(found: Crossed, x: FloatArray, hysteresis: FloatArray) -> _Own | None:
    """Return where a waveform rises beside its fundamental; None where it does not rise once per cycle, or too unevenly."""
    rises = _rises_with_ends(x, hysteresis)
    if len(rises) < FEW_CYCLES:
        return None
    at = np.clip(np.searchsorted(rises, found.crossings), 1, len(rises) - 1)
    nearest = np.where(found.crossings - rises[at - 1] < rises[at] - found.crossings, at - 1, at)
    beside = (rises[nearest] - found.crossings) / np.gradient(found.crossings)
    matched = np.abs(beside) < _MATCHES
    once = len(np.unique(nearest[matched])) == np.count_nonzero(matched) and len(rises) <= len(nearest) + 2
    if not once or not matched[1:-1].all():
        return None
    usual = median(beside[found.sure] if found.sure.any() else beside)
    scatter = median(np.abs(beside - usual)) / 0.6745
    return _Own(rises, nearest, beside, matched, usual, scatter) if scatter <= _SCATTERS else None


def _rises_with_ends(x: FloatArray, hysteresis: FloatArray) -> FloatArray:
    """Return the rises of a waveform through zero, those included that an end of the record leaves half: armed, or confirmed."""
    found = rising_crossings(x, 0.0, hysteresis)
    up, down = np.flatnonzero(x >= hysteresis), np.flatnonzero(x <= -hysteresis)
    if not len(found) or not len(up) or not len(down):
        return found
    parts = [found]
    if up[0] < down[0]:  # it begins within the band and leaves it upwards
        rises = np.flatnonzero((x[: up[0]] < 0) & (x[1 : up[0] + 1] >= 0))
        slope = (x[up[0]] - x[0]) / max(up[0], 1)
        if len(rises):
            k = int(rises[-1])
            parts.insert(0, np.array([k + x[k] / (x[k] - x[k + 1])]))
        elif up[0] and slope > 0 and x[0] < 0.5 * slope:  # less than half a sample before the record
            parts.insert(0, np.zeros(1))
    if down[-1] > up[-1]:
        rises = down[-1] + np.flatnonzero((x[down[-1] : -1] < 0) & (x[down[-1] + 1 :] >= 0))
        if len(rises):
            k = int(rises[0])
            parts.append(np.array([k + x[k] / (x[k] - x[k + 1])]))
    return np.concatenate(parts)


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
    rest = median(x[low : low + max(int(reached[0] // 2), 1)])  # what it is before, which need not be nothing
    risen = x[low : low + int(reached[0]) + 1] - rest
    below = np.flatnonzero(risen[:-1] <= _STILL * level)
    if not len(below):
        return math.nan
    at = int(below[-1])
    if int(reached[0]) - at < max(_RISING * period, 2):
        return math.nan
    share = -risen[at] / (risen[at + 1] - risen[at])
    return low + at + float(np.clip(share, 0.0, 1.0))


def _drifting(found: Crossed, n: int) -> tuple[FloatArray, FloatArray] | None:
    """Return knots and phase made of the cycles found, or None where their frequency is steady."""
    at = found.crossings
    periods = np.diff(at)
    good = found.sure[:-1] & found.sure[1:]
    if np.count_nonzero(good) < FEW_CYCLES:
        return None
    usual = _running_median(periods, 5)
    good &= np.abs(periods - usual) <= 0.3 * usual
    middles, rates = 0.5 * (at[1:] + at[:-1])[good], 1 / usual[good]
    if len(rates) < FEW_CYCLES:
        return None
    low, high = percentiles(rates, 2, 98)
    if high / low - 1 < _DRIFTS:
        return None
    reach = min(3, len(rates) - 1)
    first = max(rates[0] - (rates[reach] - rates[0]) / (middles[reach] - middles[0]) * middles[0], 0.2 * rates[0])
    last = rates[-1] + (rates[-1] - rates[-1 - reach]) / (middles[-1] - middles[-1 - reach]) * (n - middles[-1])
    knots = np.concatenate([[0.0], middles, [float(n)]])
    return knots, phase_of(knots, np.concatenate([[first], rates, [max(float(last), 0.2 * rates[-1])]]))


def _running_median(x: FloatArray, width: int) -> FloatArray:
    beside = np.pad(x, width // 2, mode="edge")
    return medians(np.lib.stride_tricks.sliding_window_view(beside, width))


def _local_peak(x: FloatArray, period: int) -> FloatArray:
    """Return the largest magnitude within about a period and a half of each sample, same shape."""
    n_periods = -(-len(x) // period)
    peaks = np.abs(np.pad(x, (0, n_periods * period - len(x)))).reshape(n_periods, period).max(axis=1)
    around = np.maximum(peaks, np.maximum(np.append(peaks[1:], 0), np.append(0, peaks[:-1])))
    return np.asarray(np.repeat(around, period)[: len(x)])


def centred_crossings(x: FloatArray, rate_hz: float, frequency_hz: float, floor: Floor) -> tuple[Crossed, float]:
    """Return the crossings of a steady waveform with the filter set on its own frequency, and that frequency, Hz."""
    found = steady_crossings(x, rate_hz, frequency_hz, floor)
    again = usual_rate(found) * rate_hz
    if not abs(again / frequency_hz - 1) > _OFF_CENTRE:
        return found, frequency_hz
    return steady_crossings(x, rate_hz, again, floor), again


def followed(found: Crossed, x: FloatArray, rate_hz: float, floor: Floor) -> Crossed:
    """Return the crossings of a waveform whose frequency drifts, found anew over the phase that they tell; others as they are."""
    for _ in range(2):
        told = _drifting(found, len(x))
        if told is None:
            break
        found = crossings_over_phase(x, rate_hz, *told, floor)
    return found
