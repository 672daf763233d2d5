"""Values of windows, gathered into 3 s and ten minutes as they come.

Source: IEC 61000-4-30. Windows are resolved ten minutes at a time and only their aggregates are kept, so that a record of a week
needs no more memory than an hour.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from functools import partial

import numpy as np

from pantelos.progress import Progress
from pantelos.quality.half_cycles import rms_between
from pantelos.quality.levels import Declared, MeasuredLevel
from pantelos.quality.parameters import Phases, deviations, distortion, root_mean_square, signalling
from pantelos.quality.spans import IN_THREE_SECONDS, TEN_MINUTES_S, Span, standard_cycles, windows_from
from pantelos.signal.arrays import BoolArray, FloatArray, Reader
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import Window
from pantelos.signal.harmonics.harmonic_windows import harmonic_windows, smoothed
from pantelos.signal.harmonics.window_lines import window_lines
from pantelos.signal.sharing import each

ORDERS_KEPT = 100_000  # values of 3 s of all orders that are kept at most, about 3.5 days
_TOGETHER = 150  # windows at most that are resolved by one of two processors before it looks for other work
_BESIDE = 3  # lines around that of a signal

Rows = Mapping[str, FloatArray]  # values by parameter; rows are stretches, then channels, then orders where there are


class Gathered:
    """Values of one base interval as they come."""

    def __init__(self, base: str) -> None:
        self._base = base
        self._spans, self._coverage = list[Span](), list[FloatArray]()
        self._rows: list[tuple[int, Rows]] = []
        self.n = 0

    def add(self, span: Span, coverage: FloatArray | float, rows: Rows) -> None:
        """Add stretches, the share of each that was measured, and their values."""
        self._spans.append(span)
        self._coverage.append(np.broadcast_to(coverage, len(span)))
        self._rows.append((len(span), rows))
        self.n += len(span)

    def level(self, flagged: Callable[[Span], BoolArray]) -> MeasuredLevel:
        """Return all of them, NaN where a stretch has none."""
        span = Span(*(np.concatenate([getattr(one, name) for one in self._spans]) for name in ("starts", "stops")))
        shapes = {name: of.shape[1:] for _, rows in self._rows for name, of in rows.items()}
        values = {
            name: np.concatenate([rows[name] if name in rows else np.full((n, *shape), np.nan) for n, rows in self._rows])
            for name, shape in shapes.items()
        }
        return MeasuredLevel(self._base, span, np.concatenate(self._coverage), flagged(span), values)


class WindowValues:
    """Values of the windows of voltages and currents that share a reference, ten minutes at a time.

    Parameters
    ----------
    read : callable (start, stop) -> array (n_channels, stop - start); the first `n_voltages` are voltages, V, the others currents
    """

    def __init__(
        self,
        read: Reader,
        n_voltages: int,
        n_samples: int,
        cycles: Cycles,
        declared: Declared,
        highest_order: int,
        phases: Phases | None,
    ) -> None:
        self._read, self._n_voltages, self._n_samples, self._cycles = read, n_voltages, n_samples, cycles
        self._declared, self._highest, self._phases = declared, highest_order, phases
        self._n_cycles = standard_cycles(cycles.frequency_hz if math.isfinite(cycles.frequency_hz) else declared.frequency_hz)
        self._gathered = {base: Gathered(base) for base in ("200 ms", "3 s", "10 min")}
        self._emission = _Emission()

    def take(self, start: float, stop: float, goes_on: bool, beside: Callable[[], None], progress: Progress) -> None:
        """Add ten minutes, samples, while other work is done beside; `goes_on`: what follows may complete the last 3 s."""
        windows = windows_from(self._cycles, start, stop, self._n_cycles)
        span = Span(np.array([start]), np.array([stop]))
        if not windows:
            beside()
            self._gathered["10 min"].add(span, 0.0, {})
            return
        # A sequence of 3 s that the tick cuts goes on behind it, beside the one that begins there (overlap 2 of the standard).
        sequence = [*windows, *(_completing(windows, self._cycles, self._n_cycles) if goes_on else [])]
        rows = self._resolved(sequence, beside, progress)
        own = {name: of[: len(windows)] for name, of in rows.items()}
        short = _span_of(windows)
        self._gathered["200 ms"].add(short, 1.0, {name: own[name] for name in ("U", "I") if name in own})
        self._add_three_seconds(_span_of(sequence), rows)
        known = np.isfinite(own["U"]).all(axis=1)  # windows with missing samples measure nothing
        measured = float((short.stops - short.starts)[known].sum())
        share = min(measured / (TEN_MINUTES_S * self._cycles.rate_hz), 1.0)
        self._gathered["10 min"].add(span, share, _aggregate({name: of[None] for name, of in own.items()}, self._declared))
        if "Ig" in own:
            self._emission.add(own["Ig"])

    def _add_three_seconds(self, span: Span, rows: Rows) -> None:
        """Add sequences of 15 windows that follow each other; those left over are in none."""
        n = len(span) // IN_THREE_SECONDS
        kept = slice(n * IN_THREE_SECONDS)
        inside = {name: of[kept].reshape(n, IN_THREE_SECONDS, *of.shape[1:]) for name, of in rows.items()}
        found = _aggregate(inside, self._declared)
        if self._gathered["3 s"].n > ORDERS_KEPT:
            found = {name: of for name, of in found.items() if of.ndim == found["U"].ndim}
        ends = Span(span.starts[kept][::IN_THREE_SECONDS], span.stops[kept][IN_THREE_SECONDS - 1 :: IN_THREE_SECONDS])
        self._gathered["3 s"].add(ends, 1.0, found)

    def levels(self, flagged: Callable[[Span], BoolArray]) -> dict[str, MeasuredLevel]:
        """Return the levels that there are values of."""
        found = {base: one.level(flagged) for base, one in self._gathered.items() if one.n}
        seen = self._emission.observed()
        if seen:
            whole = Span(np.zeros(1), np.full(1, float(self._n_samples)))
            found["observation"] = MeasuredLevel("observation", whole, np.ones(1), flagged(whole), seen)
        return found

    def _resolved(self, windows: Sequence[Window], beside: Callable[[], None], progress: Progress) -> Rows:
        """Return the values of windows, found on two processors, with the other work."""
        size = min(_TOGETHER, -(-len(windows) // 2))
        parts = [windows[at : at + size] for at in range(0, len(windows), size)]
        found: dict[int, Rows] = {}

        def resolve(k: int) -> None:
            found[k] = self._values(list(parts[k]))
            progress.at(len(found) / len(parts))

        each([beside, *(partial(resolve, k) for k in range(len(parts)))])
        return {name: np.concatenate([found[k][name] for k in range(len(parts))]) for name in found[0]}

    def _values(self, windows: list[Window]) -> Rows:
        """Return values of windows (n_windows, n_channels) and (n_windows, n_channels, orders)."""
        resolved = harmonic_windows(self._read, self._n_samples, windows, self._cycles, self._highest, with_bands=False)
        rms = rms_between(self._read, self._n_samples, resolved.starts, resolved.stops).T
        u, i = slice(0, self._n_voltages), slice(self._n_voltages, None)
        rows = {"U": rms[:, u], "Uh": resolved.groups.subgroup[:, u], "Uih": resolved.groups.centred[:, u]}
        if rms.shape[1] > self._n_voltages:
            rows |= {"I": rms[:, i], "Ih": resolved.groups.subgroup[:, i], "Iih": resolved.groups.centred[:, i]}
            rows["Ig"] = resolved.groups.harmonic[:, i]
        if self._phases is not None:
            found = self._phases.unbalances(resolved.phasors[:, u, 1])
            rows |= {name: of[:, None] for name, of in found.items()}
        if self._declared.signal_hz is not None:
            rows["signal"] = self._signals(windows, self._declared.signal_hz)
        return rows

    def _signals(self, windows: list[Window], signal_hz: float) -> FloatArray:
        voltages: Reader = lambda a, b: self._read(a, b)[: self._n_voltages]  # noqa: E731
        places = [signal_hz * (one.stop - one.start) / self._cycles.rate_hz for one in windows]
        n_lines = math.ceil(max(places)) + _BESIDE
        served = window_lines(voltages, self._n_samples, windows, self._cycles, 1, n_lines)
        sizes = (np.abs(lines) for some in served for lines in some.every(1))
        return np.array([signalling(x, place) for place, x in zip(places, sizes, strict=True)])


class _Emission:
    """Groups of currents through the smoothing of 1.5 s, over all of the observation."""

    def __init__(self) -> None:
        self._last: FloatArray | None = None
        self._largest: FloatArray | float = -math.inf
        self._total: FloatArray | float = 0.0
        self._n = 0

    def add(self, groups: FloatArray) -> None:
        """Go on with groups of windows (n_windows, n_channels, orders)."""
        seen = smoothed(groups, self._last)
        self._last, self._largest = seen[-1], np.maximum(self._largest, seen.max(axis=0))
        self._total = self._total + seen.sum(axis=0)
        self._n += len(seen)

    def observed(self) -> dict[str, FloatArray]:
        """Return what is told of them, one row; nothing of none."""
        if not self._n:
            return {}
        found = observed(np.asarray(self._total / self._n), np.asarray(self._largest))
        return {name: of[None] for name, of in found.items()}


def observed(mean: FloatArray, largest: FloatArray) -> dict[str, FloatArray]:
    """Return what is told of groups of currents (n_channels, orders) over the observation: mean, largest, and THC and PWHC."""
    orders = np.arange(14.0, 41.0)
    return {"Ig": mean, "Ig max": largest, "THC": _root_sum(mean[:, 2:41]), "PWHC": _root_sum(mean[:, 14:41], orders)}


def _span_of(windows: Sequence[Window]) -> Span:
    return Span(*(np.array([getattr(one, name) for one in windows]) for name in ("start", "stop")))


def _completing(windows: Sequence[Window], cycles: Cycles, n_cycles: int) -> list[Window]:
    """Return the windows that follow the last one and complete its sequence of 3 s; none where it is whole or a pause cuts it."""
    missing = -len(windows) % IN_THREE_SECONDS
    if not missing:
        return []
    last = windows[-1]
    found = windows_from(cycles, last.stop, last.stop + (missing - 0.5) * (last.stop - last.start), n_cycles)
    whole = len(found) == missing and found[-1].stop - last.stop < (missing + 0.5) * (last.stop - last.start)
    return found if whole else []


def _aggregate(rows: Rows, declared: Declared) -> dict[str, FloatArray]:
    """Return aggregates over windows (n, n_windows, ...), shape (n, ...), and what is derived of them."""
    found = {name: root_mean_square(of, axis=1) for name, of in rows.items() if name != "Ig"}
    found["under"], found["over"] = deviations(rows["U"], declared.voltage, axis=1)
    return found | distortions(found)


def distortions(found: Rows) -> dict[str, FloatArray]:
    """Return what is derived of subgroups per order."""
    made = {"THD": distortion(found["Uh"]), "THD 50": distortion(found["Uh"], 50)}
    if "Ih" in found:
        made |= {"THD I": distortion(found["Ih"]), "THC 50": _root_sum(found["Ih"][..., 2:51])}
    return made


def _root_sum(orders: FloatArray, weights: FloatArray | float = 1.0) -> FloatArray:
    """Return the root of the weighted sum of squares over orders (..., n); NaN where the rate does not reach one of them."""
    return np.asarray(np.sqrt(np.sum(weights * np.square(orders), axis=-1)))
