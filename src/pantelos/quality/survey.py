"""All parameters of a record in one pass: values of windows, gathered into 3 s, 10 min and 2 h as they come.

Source: IEC 61000-4-30. Windows are resolved ten minutes at a time and only their aggregates are kept, so that a record of a week
needs no more memory than an hour.
"""

import math
from collections.abc import Callable, Sequence
from itertools import pairwise

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.quality.disturbances import Happened, Thresholds, disturbances, sliding_reference
from pantelos.quality.flicker import IN_TWO_HOURS, Lamp, instantaneous_flicker, long_term, short_term
from pantelos.quality.half_cycles import HalfCycles, half_cycle_edges, half_cycle_rms, rms_between
from pantelos.quality.parameters import deviations, distortion, root_mean_square, signalling, unbalances
from pantelos.quality.rapid_changes import RapidChange, rapid_changes
from pantelos.quality.spans import (
    IN_THREE_SECONDS,
    TEN_MINUTES_S,
    TEN_SECONDS_S,
    TWO_HOURS_S,
    Span,
    frequencies,
    spans_between,
    standard_cycles,
    ticks,
    windows_from,
)
from pantelos.signal.arrays import BoolArray, FloatArray, Reader
from pantelos.signal.cycles import Cycles
from pantelos.signal.harmonic_windows import harmonic_windows, smoothed
from pantelos.signal.sharing import both
from pantelos.signal.window import Window
from pantelos.signal.window_lines import window_lines

OF_CURRENTS = frozenset({"I", "Ih", "Iih", "Ig", "Ig max", "THD I", "THC 50", "THC", "PWHC"})
OF_SYSTEM = frozenset({"f", "u2", "u0"})
ORDERS_KEPT = 100_000  # values of 3 s of all orders that are kept at most, about 3.5 days
_ON_TICK = 1e-3  # samples
_SHORTEST_FLICKER_S = 60.0
_LOWEST_FLICKER_HZ = 1000.0
_STANDARD_F = 40.0  # above, half-cycles in a second are counted as 100 or 120
_MAINS_WITHIN = 0.15  # of the frequency that the filters of flicker are for


class Declared(msgspec.Struct, frozen=True):
    """What is declared of the supply, and how parameters are taken."""

    voltage: float  # V, between the conductors of a voltage socket
    frequency_hz: int = 50  # 50 or 60: of the filters of flicker and the values in a second
    lamp: Lamp = 230
    thresholds: Thresholds = Thresholds()
    sliding: bool = False  # disturbances against the sliding reference
    rapid: float = 0.05  # threshold of rapid changes, of the declared voltage
    signal_hz: float | None = None  # of mains signalling


class Level(msgspec.Struct, frozen=True, eq=False):
    """Values of one base interval: rows are stretches, then channels, then orders where there are."""

    base: str  # 200 ms, 3 s, 10 s, 10 min, 2 h, observation
    span: Span
    coverage: FloatArray  # (n,), the share of each stretch that was measured
    flagged: BoolArray  # (n,), a dip, swell or interruption lies in it
    values: dict[str, FloatArray]  # by parameter


class Survey(msgspec.Struct, frozen=True, eq=False):
    """Everything found."""

    declared: Declared
    rate_hz: float
    levels: dict[str, Level]
    half_cycles: HalfCycles  # of the voltages
    found: tuple[Happened, ...]
    changes: tuple[RapidChange, ...]
    aligned: bool  # to a clock
    remarks: tuple[str, ...]


class _Gathered:
    """Aggregates of one base as they come."""

    def __init__(self) -> None:
        self.edges: list[tuple[float, float]] = []
        self.coverage: list[float] = []
        self.rows: list[dict[str, FloatArray]] = []

    def add(self, start: float, stop: float, coverage: float, row: dict[str, FloatArray]) -> None:
        self.edges.append((start, stop))
        self.coverage.append(coverage)
        self.rows.append(row)

    def level(self, base: str, flagged: Callable[[Span], BoolArray]) -> Level:
        """Return all of them, NaN where a stretch has none."""
        edges = np.array(self.edges).reshape(-1, 2)
        span = Span(edges[:, 0], edges[:, 1])
        nothing = {name: np.full(value.shape, np.nan) for row in self.rows for name, value in row.items()}
        values = {name: np.array([row.get(name, none) for row in self.rows]) for name, none in nothing.items()}
        return Level(base, span, np.array(self.coverage), flagged(span), values)


def survey(
    read: Reader,
    n_voltages: int,
    n_samples: int,
    cycles: Cycles,
    declared: Declared,
    highest_order: int = 50,
    began_s: float | None = None,
    three_phase: bool = False,
    progress: Progress | None = None,
    within: tuple[float, float] | None = None,
) -> Survey:
    """Return the parameters of voltages and currents that share a reference.

    Parameters
    ----------
    read : callable (start, stop) -> array (n_channels, stop - start); the first `n_voltages` are voltages, V, the others currents
    began_s : clock time of the first sample, s since any midnight; None: not known, the record then begins on a tick
    three_phase : the voltages are those of three phases, so that unbalance has a meaning
    within : samples, on ticks; only what begins there is given, and disturbances that reach into it; None: all
    """
    begin, end = within or (0.0, float(n_samples))
    progress = progress or Progress()
    into_s, rate = began_s or 0.0, cycles.rate_hz
    voltages: Reader = lambda a, b: read(a, b)[:n_voltages]  # noqa: E731
    half = half_cycle_rms(voltages, half_cycle_edges(cycles), progress.part(0.0, 0.1))
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
    part = progress.part(0.1, 1.0)
    gathered, (short, remarks) = both(
        lambda: _windows_gathered(read, n_voltages, n_samples, cycles, declared, highest_order, tens, goes_on, three_phase, part),
        lambda: _flicker(voltages, n_samples, half, found, declared, f, rate, tens, part.quiet()),
    )
    levels = {base: one.level(base, flagged) for base, one in gathered.items() if one.edges}
    if "10 min" in levels:
        levels["10 min"].values["Pst"] = short
        levels["2 h"] = two_hours(levels["10 min"], n_samples, rate, into_s, flagged)
    seconds = spans_between(ticks(TEN_SECONDS_S, n_samples, rate, into_s))
    inside = (seconds.starts >= begin - _ON_TICK) & (seconds.starts < end - _ON_TICK)
    seconds = Span(seconds.starts[inside], seconds.stops[inside])
    hertz, counts = frequencies(cycles, seconds)
    shares = (seconds.stops - seconds.starts) / (TEN_SECONDS_S * rate)
    levels["10 s"] = Level("10 s", seconds, np.where(counts > 0, shares, 0.0), flagged(seconds), {"f": hertz[:, None]})
    found = [one for one in found if one.stop > begin and one.start < end]
    changes = [one for one in changes if begin <= one.start < end]
    return Survey(declared, rate, levels, half, tuple(found), tuple(changes), began_s is not None, tuple(remarks))


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


def _windows_gathered(
    read: Reader,
    n_voltages: int,
    n_samples: int,
    cycles: Cycles,
    declared: Declared,
    highest: int,
    tens: Sequence[tuple[float, float]],
    goes_on: bool,
    three_phase: bool,
    progress: Progress,
) -> dict[str, _Gathered]:
    """Return aggregates of windows over 3 s and the ten minutes given, samples, one of these at a time.

    `goes_on`: others follow, into which the last 3 s may reach.
    """
    gathered = {"200 ms": _Gathered(), "3 s": _Gathered(), "10 min": _Gathered(), "observation": _Gathered()}
    rate = cycles.rate_hz
    n_cycles = standard_cycles(cycles.frequency_hz if math.isfinite(cycles.frequency_hz) else declared.frequency_hz)
    smoothing, largest, means, n_means = None, None, None, 0

    def of_windows(some: list[Window], said: Progress) -> dict[str, FloatArray]:
        return _of_windows(read, n_voltages, n_samples, some, cycles, declared, highest, three_phase, said)

    for k, (start, stop) in enumerate(tens):
        part = progress.part(k / len(tens), (k + 1) / len(tens))
        windows = windows_from(cycles, start, stop, n_cycles)
        if not windows:
            gathered["10 min"].add(start, stop, 0.0, {})
            continue
        rows = of_windows(windows, part)
        for at, window in enumerate(windows):
            gathered["200 ms"].add(window.start, window.stop, 1.0, {name: rows[name][at] for name in ("U", "I") if name in rows})
        # A sequence of 3 s that the tick cuts goes on behind it, beside the one that begins there (overlap 2 of the standard).
        beyond = _completing(windows, cycles, n_cycles) if k + 1 < len(tens) or goes_on else []
        rest = of_windows(beyond, part.quiet()) if beyond else {}
        longer = {name: np.concatenate([of, rest[name]]) if beyond else of for name, of in rows.items()}
        sequence = [*windows, *beyond]
        for at in range(0, len(sequence) - IN_THREE_SECONDS + 1, IN_THREE_SECONDS):
            inside = slice(at, at + IN_THREE_SECONDS)
            row = _aggregate({name: values[inside] for name, values in longer.items()}, declared)
            if len(gathered["3 s"].edges) > ORDERS_KEPT:
                row = {name: value for name, value in row.items() if value.ndim == 1}
            gathered["3 s"].add(sequence[at].start, sequence[at + IN_THREE_SECONDS - 1].stop, 1.0, row)
        known: BoolArray = np.asarray(np.isfinite(rows["U"]).all(axis=1))  # windows with missing samples measure nothing
        measured = sum(w.stop - w.start for w, there in zip(windows, known.tolist(), strict=True) if there)
        gathered["10 min"].add(start, stop, min(measured / (TEN_MINUTES_S * rate), 1.0), _aggregate(rows, declared))
        if "Ig" in rows:
            seen = smoothed(rows["Ig"], smoothing)
            smoothing, peak, total = seen[-1], seen.max(axis=0), seen.sum(axis=0)
            largest = peak if largest is None else np.maximum(largest, peak)
            means, n_means = total if means is None else means + total, n_means + len(seen)
    if means is not None and largest is not None:
        gathered["observation"].add(0.0, float(n_samples), 1.0, observed(means / n_means, largest))
    return gathered


def observed(mean: FloatArray, largest: FloatArray) -> dict[str, FloatArray]:
    """Return what is told of groups of currents (n_channels, orders) over the observation: mean, largest, and THC and PWHC."""
    orders = np.arange(14.0, 41.0)
    return {"Ig": mean, "Ig max": largest, "THC": _root_sum(mean[:, 2:41]), "PWHC": _root_sum(mean[:, 14:41], orders)}


def _completing(windows: Sequence[Window], cycles: Cycles, n_cycles: int) -> list[Window]:
    """Return the windows that follow the last one and complete its sequence of 3 s; none where it is whole or a pause cuts it."""
    missing = -len(windows) % IN_THREE_SECONDS
    if not missing:
        return []
    last = windows[-1]
    found = windows_from(cycles, last.stop, last.stop + (missing - 0.5) * (last.stop - last.start), n_cycles)
    whole = len(found) == missing and found[-1].stop - last.stop < (missing + 0.5) * (last.stop - last.start)
    return found if whole else []


def _of_windows(
    read: Reader,
    n_voltages: int,
    n_samples: int,
    windows: list[Window],
    cycles: Cycles,
    declared: Declared,
    highest: int,
    three_phase: bool,
    progress: Progress,
) -> dict[str, FloatArray]:
    """Return values of windows (n_windows, n_channels) and (n_windows, n_channels, orders)."""
    resolved = harmonic_windows(read, n_samples, windows, cycles, highest, progress)
    rms = rms_between(read, n_samples, resolved.starts, resolved.stops).T
    u, i = slice(0, n_voltages), slice(n_voltages, None)
    rows = {"U": rms[:, u], "Uh": resolved.groups.subgroup[:, u], "Uih": resolved.groups.centred[:, u]}
    if rms.shape[1] > n_voltages:
        rows |= {"I": rms[:, i], "Ih": resolved.groups.subgroup[:, i], "Iih": resolved.groups.centred[:, i]}
        rows["Ig"] = resolved.groups.harmonic[:, i]
    if three_phase:
        negative, zero = unbalances(resolved.phasors[:, :3, 1])
        rows |= {"u2": negative[:, None], "u0": zero[:, None]}
    if declared.signal_hz is not None:
        rows["signal"] = _signals(read, n_voltages, n_samples, windows, cycles, declared.signal_hz)
    return rows


def _signals(
    read: Reader, n_voltages: int, n_samples: int, windows: list[Window], cycles: Cycles, signal_hz: float
) -> FloatArray:
    voltages: Reader = lambda a, b: read(a, b)[:n_voltages]  # noqa: E731
    served = window_lines(voltages, n_samples, windows, cycles, 1)
    sizes = (np.abs(lines) for some in served for lines in some.every(1))
    pairs = zip(windows, sizes, strict=True)
    return np.array([signalling(x, signal_hz * (w.stop - w.start) / cycles.rate_hz) for w, x in pairs])


def _aggregate(rows: dict[str, FloatArray], declared: Declared) -> dict[str, FloatArray]:
    """Return aggregates over windows, and what is derived of them."""
    found = {name: root_mean_square(values) for name, values in rows.items() if name != "Ig"}
    found["under"], found["over"] = deviations(rows["U"], declared.voltage)
    return found | _distortions(found)


def _distortions(found: dict[str, FloatArray]) -> dict[str, FloatArray]:
    """Return what is derived of subgroups per order."""
    made = {"THD": distortion(found["Uh"]), "THD 50": distortion(found["Uh"], 50)}
    if "Ih" in found:
        made |= {"THD I": distortion(found["Ih"]), "THC 50": _root_sum(found["Ih"][..., 2:51])}
    return made


def _root_sum(orders: FloatArray, weights: FloatArray | float = 1.0) -> FloatArray:
    """Return the root of the weighted sum of squares over orders (..., n); NaN where the rate does not reach one of them."""
    return np.asarray(np.sqrt(np.sum(weights * np.square(orders), axis=-1)))


def _flicker(
    voltages: Reader,
    n_samples: int,
    half: HalfCycles,
    found: Sequence[Happened],
    declared: Declared,
    f: float,
    rate_hz: float,
    edges: Sequence[tuple[float, float]],
    progress: Progress,
) -> tuple[FloatArray, list[str]]:
    """Return P_st of each ten minutes and channel, and what is to be said of it."""
    n_channels = len(half.rms)
    short = np.full((len(edges), n_channels), np.nan)
    if rate_hz < _LOWEST_FLICKER_HZ:
        return short, [f"flicker is not given: it needs 1000 samples per second, the record has {rate_hz:g}"]
    if not abs(f - declared.frequency_hz) <= _MAINS_WITHIN * declared.frequency_hz:
        return short, [f"flicker is not given: its filters are defined for mains of 50 and 60 Hz, this one has {f:.4g} Hz"]
    gone = Span(half.starts, half.stops).touched_by(
        *(np.array([getattr(one, name) for one in found if one.kind == "interruption"]) for name in ("start", "stop"))
    )
    said = []
    seen = instantaneous_flicker(voltages, n_samples, rate_hz, half, gone, declared.lamp, declared.frequency_hz, progress)
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


def two_hours(ten: Level, n_samples: int, rate_hz: float, into_s: float, flagged: Callable[[Span], BoolArray]) -> Level:
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
    return Level("2 h", span, coverage, flagged(span), values | (_distortions(values) if "Uh" in values else {}))
