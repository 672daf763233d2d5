"""All parameters of a record: half-cycles and what they show, then windows and flicker ten minutes at a time.

Source: IEC 61000-4-30.
"""

import math
from collections.abc import Callable, Sequence
from functools import partial
from itertools import pairwise

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.quality.disturbances import Happened, disturbances, sliding_reference
from pantelos.quality.flicker import IN_TWO_HOURS, Flickermeter, long_term, short_term
from pantelos.quality.gathering import WindowValues, distortions
from pantelos.quality.half_cycles import HalfCycles, half_cycle_edges, half_cycle_rms, own_crossings
from pantelos.quality.levels import Declared, MeasuredLevel
from pantelos.quality.parameters import Phases, root_mean_square
from pantelos.quality.rapid_changes import RapidChange, rapid_changes
from pantelos.quality.spans import (
    TEN_MINUTES_S,
    TEN_SECONDS_S,
    TWO_HOURS_S,
    Span,
    frequencies,
    spans_between,
    standard_cycles,
    ticks,
)
from pantelos.signal.arrays import BoolArray, FloatArray, Reader
from pantelos.signal.cycles.cycles import Cycles

_ON_TICK = 1e-3  # samples
_SHORTEST_FLICKER_S = 60.0
_LOWEST_FLICKER_HZ = 1000.0
_STANDARD_F = 40.0  # above, half-cycles in a second are counted as 100 or 120
_MAINS_WITHIN = 0.15  # of the frequency that the filters of flicker are for


class SupplySurvey(msgspec.Struct, frozen=True, eq=False):
    """Everything found."""

    declared: Declared
    rate_hz: float
    levels: dict[str, MeasuredLevel]
    half_cycles: HalfCycles  # of the voltages
    found: tuple[Happened, ...]
    changes: tuple[RapidChange, ...]
    aligned: bool  # to a clock
    remarks: tuple[str, ...]

    @property
    def cycle_s(self) -> float:
        """How long a cycle is in the middle, s; that of the declared frequency where none was seen."""
        lengths = self.half_cycles.stops - self.half_cycles.starts
        return float(np.median(lengths)) / self.rate_hz if len(lengths) else 1 / self.declared.frequency_hz


def survey(
    read: Reader,
    n_voltages: int,
    n_samples: int,
    cycles: Cycles,
    declared: Declared,
    highest_order: int = 50,
    began_s: float | None = None,
    phases: Phases | None = None,
    progress: Progress | None = None,
    within: tuple[float, float] | None = None,
) -> SupplySurvey:
    """Return the parameters of voltages and currents that share a reference.

    Parameters
    ----------
    read : callable (start, stop) -> array (n_channels, stop - start); the first `n_voltages` are voltages, V, the others currents
    began_s : clock time of the first sample, s since any midnight; None: not known, the record then begins on a tick
    phases : how the voltages make those of three phases; None: they do not, and unbalance has no meaning
    within : samples, on ticks; only what begins there is given, and disturbances that reach into it; None: all
    """
    begin, end = within or (0.0, float(n_samples))
    progress = progress or Progress()
    into_s, rate = began_s or 0.0, cycles.rate_hz
    voltages: Reader = lambda a, b: read(a, b)[:n_voltages]  # noqa: E731
    own = own_crossings(voltages, cycles)
    half = half_cycle_rms(voltages, half_cycle_edges(cycles), n_samples, own, progress.part(0.0, 0.1))
    f = cycles.frequency_hz if math.isfinite(cycles.frequency_hz) else float(declared.frequency_hz)
    per_second = max(round(2 * f / 10) * 10 if f > _STANDARD_F else round(2 * f), 2)
    found = disturbances(half, declared.voltage, declared.thresholds)
    if declared.sliding:
        found = disturbances(half, _sliding(half, declared, found), declared.thresholds)
    changes = rapid_changes(half, declared.voltage, per_second, found, declared.rapid)
    starts, stops = (np.array([getattr(one, name) for one in found]) for name in ("start", "stop"))
    flagged: Callable[[Span], BoolArray] = lambda span: span.touched_by(starts, stops)  # noqa: E731

    every = list(pairwise(ticks(TEN_MINUTES_S, n_samples, rate, into_s).tolist()))
    tens = [(start, stop) for start, stop in every if begin - _ON_TICK <= start < end - _ON_TICK]
    goes_on = bool(tens) and tens[-1] != every[-1]  # behind the last of them
    values = WindowValues(read, n_voltages, n_samples, cycles, declared, highest_order, phases)
    flicker = _Flicker.of(voltages, half, found, declared, f, rate)
    for k, (start, stop) in enumerate(tens):
        part = progress.part(0.1 + 0.9 * k / len(tens), 0.1 + 0.9 * (k + 1) / len(tens))
        values.take(start, stop, k + 1 < len(tens) or goes_on, partial(flicker.through, stop, part.quiet()), part)
    levels = values.levels(flagged)
    short, remarks = flicker.short_term_of(tens)
    if "10 min" in levels:
        levels["10 min"].values["Pst"] = short
        levels["2 h"] = two_hours(levels["10 min"], n_samples, rate, into_s, flagged)
    seconds = spans_between(ticks(TEN_SECONDS_S, n_samples, rate, into_s))
    inside = (seconds.starts >= begin - _ON_TICK) & (seconds.starts < end - _ON_TICK)
    seconds = Span(seconds.starts[inside], seconds.stops[inside])
    hertz, counts = frequencies(cycles, seconds)
    shares = (seconds.stops - seconds.starts) / (TEN_SECONDS_S * rate)
    levels["10 s"] = MeasuredLevel("10 s", seconds, np.where(counts > 0, shares, 0.0), flagged(seconds), {"f": hertz[:, None]})
    found = [one for one in found if one.stop > begin and one.start < end]
    changes = [one for one in changes if begin <= one.start < end]
    return SupplySurvey(declared, rate, levels, half, tuple(found), tuple(changes), began_s is not None, tuple(remarks))


def _sliding(half: HalfCycles, declared: Declared, found: Sequence[Happened]) -> FloatArray:
    """Return the sliding reference at each half-cycle, of the mean of the voltages."""
    per_window = 2 * standard_cycles(declared.frequency_hz)
    n = len(half) // per_window
    if not n:
        return np.full(len(half), declared.voltage)
    grouped = half.rms[:, : n * per_window].reshape(len(half.rms), n, per_window)
    span = Span(half.starts[: n * per_window : per_window], half.stops[per_window - 1 : n * per_window : per_window])
    held = span.touched_by(np.array([one.start for one in found]), np.array([one.stop for one in found]))
    behind = sliding_reference(declared.voltage, root_mean_square(grouped, axis=2).mean(axis=0), held)
    before = np.concatenate([[declared.voltage], behind])  # of the windows before
    return np.asarray(before[np.minimum(np.arange(len(half)) // per_window, n)])


class _Flicker:
    """Flicker of voltages, or why it is not given."""

    def __init__(self, meter: Flickermeter | None, half: HalfCycles, rate_hz: float, why_not: str = "") -> None:
        self._meter, self._half, self._rate_hz, self._why_not = meter, half, rate_hz, why_not

    @classmethod
    def of(
        cls, voltages: Reader, half: HalfCycles, found: Sequence[Happened], declared: Declared, f: float, rate_hz: float
    ) -> "_Flicker":
        """Return that of voltages whose mains have a frequency f, Hz."""
        if rate_hz < _LOWEST_FLICKER_HZ:
            return cls(None, half, rate_hz, f"flicker is not given: it needs 1000 samples per second, the record has {rate_hz:g}")
        if not abs(f - declared.frequency_hz) <= _MAINS_WITHIN * declared.frequency_hz:
            why_not = f"flicker is not given: its filters are defined for mains of 50 and 60 Hz, this one has {f:.4g} Hz"
            return cls(None, half, rate_hz, why_not)
        gone = Span(half.starts, half.stops).touched_by(
            *(np.array([getattr(one, name) for one in found if one.kind == "interruption"]) for name in ("start", "stop"))
        )
        return cls(Flickermeter(voltages, rate_hz, half, gone, declared.lamp, declared.frequency_hz), half, rate_hz)

    def through(self, stop: float, progress: Progress) -> None:
        """Go on up to a place, samples."""
        if self._meter is not None:
            self._meter.through(math.ceil(stop), progress)

    def short_term_of(self, edges: Sequence[tuple[float, float]]) -> tuple[FloatArray, list[str]]:
        """Return P_st of each ten minutes and channel, and what is to be said of it."""
        short = np.full((len(edges), len(self._half.rms)), np.nan)
        if self._meter is None:
            return short, [self._why_not]
        said, seen, half, rate_hz = list[str](), self._meter.seen, self._half, self._rate_hz
        for row, (start, stop) in enumerate(edges):
            begin = max(start, seen.settled)
            if stop - begin < _SHORTEST_FLICKER_S * rate_hz:
                continue
            if stop - begin < TEN_MINUTES_S * rate_hz - 1:
                said.append(f"Pst of value {row + 1} is of {(stop - begin) / rate_hz:.4g} s instead of 600 s")
            inside = (half.stops > begin) & (half.starts < stop)
            for channel, values in enumerate(seen.between(begin, stop)):
                if np.isnan(half.rms[channel, inside]).any():
                    said.append(f"Pst of value {row + 1} of voltage {channel + 1} is not given: samples are missing")
                else:
                    short[row, channel] = short_term(values)
        return short, said


def two_hours(
    ten: MeasuredLevel, n_samples: int, rate_hz: float, into_s: float, flagged: Callable[[Span], BoolArray]
) -> MeasuredLevel:
    """Return the aggregates of twelve values of ten minutes."""
    span = spans_between(ticks(TWO_HOURS_S, n_samples, rate_hz, into_s))
    inside = [
        np.flatnonzero((ten.span.starts >= start - 1) & (ten.span.stops <= stop + 1))
        for start, stop in zip(span.starts.tolist(), span.stops.tolist(), strict=True)
    ]
    coverage = np.array([ten.coverage[rows].sum() / IN_TWO_HOURS for rows in inside])
    values = {
        name: np.array([root_mean_square(of[rows]) for rows in inside])
        for name, of in ten.values.items()
        if name not in ("Pst", "under", "over", "THD", "THD 50", "THD I", "THC 50")
    }
    values["Plt"] = np.array([[long_term(column) for column in ten.values["Pst"][rows].T] for rows in inside])
    return MeasuredLevel("2 h", span, coverage, flagged(span), values | (distortions(values) if "Uh" in values else {}))
