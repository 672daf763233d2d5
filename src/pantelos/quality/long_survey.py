"""All parameters of a record that is too long to be surveyed at once: an hour at a time, put together behind each other.

Each hour is surveyed with ten minutes before it, in which filters and sliding reference settle, and some seconds behind it, in
which the last values of 3 s are completed. What is seen from two hours is one disturbance.
"""

import math
from collections.abc import Iterable, Sequence
from itertools import pairwise

import numpy as np
from msgspec.structs import replace

from pantelos.progress import Progress
from pantelos.quality.disturbances import Disturbance, Happened
from pantelos.quality.gathering import observed
from pantelos.quality.half_cycles import no_half_cycles
from pantelos.quality.levels import Declared, MeasuredLevel
from pantelos.quality.parameters import Phases
from pantelos.quality.spans import TEN_MINUTES_S, Span, ticks
from pantelos.quality.survey import SupplySurvey, survey, two_hours
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.signal.cycles.cycles import Cycles

_HOUR_S = 3600.0
_BEFORE_S, _BEHIND_S = TEN_MINUTES_S, 5.0
_LOOKED_AT_S = 60.0  # for the frequency
_LIKE = 0.15  # of the frequency, by which that of an hour may differ from the one before
_ALL_ORDERS = 3  # dimensions of values per order
_ORDERS = ("Uh", "Ih")  # kept of 3 s
_THREE_S = 3.0
_MOST_BYTES = 280 << 20  # of the orders of all 3 s: more than a week of three voltages and three currents


def mains_frequency(read: Reader, n_voltages: int, n_samples: int, rate_hz: float) -> float:
    """Return the frequency of voltages in the first hour that has one, Hz; NaN where none has."""
    length = int(_LOOKED_AT_S * rate_hz)
    for low in range(0, n_samples, int(_HOUR_S * rate_hz)):
        high = min(low + length, n_samples)
        cycles = _seen(lambda a, b, low=low: read(low + a, low + b), n_voltages, high - low, rate_hz)  # type: ignore[misc]
        if cycles is not None:
            return cycles.frequency_hz
    return math.nan


def survey_by_hours(
    read: Reader,
    n_voltages: int,
    n_samples: int,
    rate_hz: float,
    frequency_hz: float,
    declared: Declared,
    highest_order: int = 50,
    began_s: float | None = None,
    phases: Phases | None = None,
    progress: Progress | None = None,
) -> SupplySurvey:
    """Return the parameters of voltages and currents, as `survey`; cycles are those of the first voltage that has some.

    Memory does not follow the length, but for the values that are kept: neither half-cycles, nor 200 ms, nor interharmonics
    of 3 s.
    """
    progress, into_s = progress or Progress(), began_s or 0.0
    parts: list[tuple[int, SupplySurvey]] = []
    remarks: list[str] = []
    n_values = n_samples / rate_hz / _THREE_S * len(read(0, 0)) * (highest_order + 1)
    with_orders = n_values * np.dtype(np.float32).itemsize <= _MOST_BYTES
    if not with_orders:
        remarks.append("orders are kept of 10 min, not of 3 s: the record is too long for them")
    hours = list(pairwise(ticks(_HOUR_S, n_samples, rate_hz, into_s).tolist()))
    for k, (start, stop) in enumerate(hours):
        low = max(math.floor(start - _BEFORE_S * rate_hz), 0)
        n = min(math.ceil(stop + _BEHIND_S * rate_hz), n_samples) - low

        def part(a: int, b: int, low: int = low) -> FloatArray:
            return read(low + a, low + b)

        cycles = _seen(part, n_voltages, n, rate_hz, frequency_hz)
        if cycles is None:
            remarks.append(
                f"no voltage shows cycles of {frequency_hz:.4g} Hz from {start / rate_hz:.6g} s to {stop / rate_hz:.6g} s"
            )
            cycles = _continued(n, rate_hz, frequency_hz)
        else:
            frequency_hz, cycles = cycles.frequency_hz, _to_the_ends(cycles, before=low > 0, behind=low + n < n_samples)
        own = progress.part(k / len(hours), (k + 1) / len(hours))
        clock_s = into_s + low / rate_hz
        found = survey(part, n_voltages, n, cycles, declared, highest_order, clock_s, phases, own, (start - low, stop - low))
        parts.append((low, _lean(found, with_orders)))
        remarks += [f"{said} (hour {k + 1})" for said in found.remarks]
    happened = _joined(replace(one, start=one.start + low, stop=one.stop + low) for low, of in parts for one in of.found)
    starts, stops = (np.array([getattr(one, name) for one in happened]) for name in ("start", "stop"))
    bases = dict.fromkeys(base for _, of in parts for base in of.levels if base not in ("2 h", "observation"))
    levels = {base: _level(base, [(low, of.levels[base]) for low, of in parts if base in of.levels]) for base in bases}
    levels = {base: replace(level, flagged=level.span.touched_by(starts, stops)) for base, level in levels.items()}
    if "10 min" in levels:
        levels["2 h"] = two_hours(levels["10 min"], n_samples, rate_hz, into_s, lambda span: span.touched_by(starts, stops))
    seen = [(of.levels["10 min"].coverage.sum(), of.levels["observation"]) for _, of in parts if "observation" in of.levels]
    if seen:
        row = _observed([share for share, _ in seen], [level for _, level in seen])
        whole = Span(np.zeros(1), np.full(1, float(n_samples)))
        levels["observation"] = MeasuredLevel("observation", whole, np.ones(1), whole.touched_by(starts, stops), row)
    changes = [
        replace(one, start=one.start + low, stop=one.stop + low, settled=one.settled + low)
        for low, of in parts
        for one in of.changes
    ]
    none = parts[0][1].half_cycles
    return SupplySurvey(declared, rate_hz, levels, none, tuple(happened), tuple(changes), began_s is not None, tuple(remarks))


def _seen(read: Reader, n_voltages: int, n_samples: int, rate_hz: float, like_hz: float = math.nan) -> Cycles | None:
    """Return the cycles of the first voltage that has some, of about that frequency where it is known; None: none has."""
    for k in range(n_voltages):
        cycles = find_cycles(lambda a, b, k=k: read(a, b)[k], n_samples, rate_hz)  # type: ignore[misc]
        if cycles.whole.any() and not abs(cycles.frequency_hz / like_hz - 1) > _LIKE:
            return cycles
    return None


def _continued(n_samples: int, rate_hz: float, frequency_hz: float) -> Cycles:
    """Return cycles none of which was seen: what voltage is left is measured by them, no frequency is."""
    at = np.arange(0.0, n_samples - 1, rate_hz / frequency_hz)
    unseen = np.ones(len(at) - 1, dtype=bool)
    return Cycles(at, unseen, rate_hz, n_samples, unseen)


def _to_the_ends(cycles: Cycles, before: bool, behind: bool) -> Cycles:
    """Return cycles that go on unseen to the ends of a part, where more of the record lies: an interruption goes on there."""
    period, at = cycles.rate_hz / cycles.frequency_hz, cycles.crossings
    first = int(at[0] / period) if before else 0
    last = int((cycles.n_samples - 1 - at[-1]) / period) if behind else 0
    known = np.zeros(len(cycles.whole), dtype=bool) if cycles.continued is None else cycles.continued
    crossings = np.concatenate([at[0] - period * np.arange(first, 0, -1), at, at[-1] + period * np.arange(1, last + 1)])
    return replace(
        cycles, crossings=crossings, whole=np.pad(cycles.whole, (first, last), constant_values=True),
        continued=np.pad(known, (first, last), constant_values=True),
    )  # fmt: skip


def _lean(found: SupplySurvey, with_orders: bool) -> SupplySurvey:
    """Return what is kept of an hour: no half-cycles, no 200 ms; of 3 s no interharmonics, and orders in single precision."""
    levels = {base: level for base, level in found.levels.items() if base != "200 ms"}
    if "3 s" in levels:
        plain = {name: of for name, of in levels["3 s"].values.items() if of.ndim < _ALL_ORDERS}
        orders = {name: levels["3 s"].values[name].astype(np.float32) for name in _ORDERS if name in levels["3 s"].values}
        levels["3 s"] = replace(levels["3 s"], values=plain | orders if with_orders else plain)
    none = no_half_cycles(len(found.half_cycles.rms))
    return replace(found, half_cycles=none, levels=levels)


def _level(base: str, parts: Sequence[tuple[int, MeasuredLevel]]) -> MeasuredLevel:
    """Return values of the hours behind each other."""
    starts, stops = (np.concatenate([getattr(level.span, name) + low for low, level in parts]) for name in ("starts", "stops"))
    values = {}
    for name in dict.fromkeys(name for _, level in parts for name in level.values):
        like = next(level.values[name] for _, level in parts if name in level.values)
        nothing = (np.full((len(level.span), *like.shape[1:]), np.nan, like.dtype) for _, level in parts)
        values[name] = np.concatenate([level.values.get(name, no) for (_, level), no in zip(parts, nothing, strict=True)])
    coverage, flagged = (np.concatenate([getattr(level, name) for _, level in parts]) for name in ("coverage", "flagged"))
    return MeasuredLevel(base, Span(starts, stops), coverage, flagged, values)


def _observed(shares: Sequence[float], levels: Sequence[MeasuredLevel]) -> dict[str, FloatArray]:
    """Return the means of groups of the currents over the whole observation, and the largest."""
    weights = np.array(shares) / max(sum(shares), 1e-12)
    mean = np.sum([w * level.values["Ig"][0] for w, level in zip(weights, levels, strict=True)], axis=0)
    largest = np.max([level.values["Ig max"][0] for level in levels], axis=0)
    return {name: value[None] for name, value in observed(mean, largest).items()}


def _joined(found: Iterable[Happened]) -> list[Happened]:
    """Return disturbances in the order in which they begin; those of a kind that overlap are one."""
    kept: list[Happened] = []
    for one in sorted(found, key=lambda one: (one.kind, one.start)):
        last = kept[-1] if kept else None
        if last is None or last.kind != one.kind or one.start >= last.stop:
            kept.append(one)
            continue
        further = one.extreme > last.extreme if one.kind is Disturbance.SWELL else one.extreme < last.extreme
        worse, later = (one if further else last), (one if one.stop > last.stop else last)
        kept[-1] = replace(
            last,
            stop=later.stop,
            extreme=worse.extreme,
            worst=worse.worst,
            channels=tuple(sorted({*last.channels, *one.channels})),
            ended=later.ended,
        )
    return sorted(kept, key=lambda one: one.start)
