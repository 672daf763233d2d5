"""From crossings to cycles: what is plausible, and how an interruption is gone through."""

import msgspec
import numpy as np

from pantelos.signal.arrays import BoolArray, FloatArray, median, medians
from pantelos.signal.cycles.cycles import Cycles

_PLAUSIBLE = 0.2  # of the usual period
_SAME = 0.1  # periods before and after an interruption differ by less, or it is another supply
_LAST, _ALIKE = 4, 0.05  # periods beside an interruption, and how much they may differ to be continued
_NEAR_GAP = 1.6  # cycles beside missing samples in which a crossing is not trusted
_LOST = 1.3  # cycles behind the last crossing: more than what a record merely ends in
_LONG_GAP = 0.04  # of a cycle: shorter runs of missing samples are bridged by the filter


class FoundCycles(msgspec.Struct, frozen=True, eq=False):
    """Crossings in samples of the record, the runs of missing samples, and which crossings stand out."""

    crossings: FloatArray
    missing: tuple[tuple[int, int], ...]
    sure: BoolArray
    jumps: FloatArray = msgspec.field(default_factory=lambda: np.zeros(0))  # where the phase jumps
    fitted: BoolArray | None = None  # which were placed without what lies beyond missing samples; None: none


def bridged(found: FoundCycles, rate_hz: float, n_samples: int, edges: bool = False, placed_within: float = 0.0) -> Cycles:
    """Return cycles: measured where crossings are sure and their distance plausible, continued through interruptions.

    Between two cycles of about the same period an interruption is filled with the whole number of cycles that fits;
    where none does, the last period goes on as long as it can. After the last cycle it goes on to the end of the record.
    `edges` are the rises of a gate, whose distances may differ and which is not continued.
    """
    at = found.crossings[found.sure]
    fitted = np.zeros(len(at), dtype=bool) if found.fitted is None else found.fitted[found.sure]
    at = at[_away_from(at, found.missing, fitted)]
    if len(at) < 2:
        return Cycles(at[:0], np.zeros(0, dtype=bool), rate_hz, n_samples, why_not="no whole cycle of it lies in the record")
    periods = np.diff(at)
    good = _plausible(periods, 4.0 if edges else _PLAUSIBLE) & ~_holds(at, found.jumps)
    alone = ~np.append(good, False) & ~np.append(False, good)  # a crossing within an interruption, with no cycle beside it
    if good.any() and alone.any() and not edges:
        at = at[~alone]
        periods = np.diff(at)
        good = _plausible(periods, _PLAUSIBLE) & ~_holds(at, found.jumps)
    if not good.any():
        return Cycles(at[:0], np.zeros(0, dtype=bool), rate_hz, n_samples, why_not="its crossings do not come in cycles")
    if edges:
        return Cycles(at, good, rate_hz, n_samples, by_edges=True, placed_within=placed_within)
    parts, whole, continued = [at[:1]], list[bool](), list[bool]()
    jumped = _holds(at, found.jumps)
    for k, is_good in enumerate(good.tolist()):
        filled = [] if is_good or jumped[k] else _filled(at, periods, good, k)
        parts.append(np.array([*filled, at[k + 1]]))
        whole += [True] * len(filled)
        continued += [True] * len(filled)
        joined = is_good or (bool(filled) and abs(at[k + 1] - filled[-1] - (filled[0] - at[k])) < _SAME * (filled[0] - at[k]))
        whole.append(joined)
        continued.append(joined and not is_good)
    tail = _tail(float(at[-1]), _usual(periods, good, len(periods), -1), n_samples) if good[-1] and _steady(periods[good]) else []
    parts.append(np.array(tail))
    whole += [True] * len(tail)
    continued += [True] * len(tail)
    marks = np.array(continued, dtype=bool)
    seen = np.diff(periods[good])
    if len(seen) > 4:  # what the periods themselves scatter by: aliased harmonics and noise move crossings too
        placed_within = max(placed_within, median(np.abs(seen - median(seen))) / (0.6745 * np.sqrt(6.0)))
    return Cycles(
        np.concatenate(parts),
        np.array(whole, dtype=bool),
        rate_hz,
        n_samples,
        marks if marks.any() else None,
        placed_within=placed_within,
    )


def _away_from(at: FloatArray, missing: tuple[tuple[int, int], ...], fitted: BoolArray) -> BoolArray:
    """Return which crossings are not within missing samples, nor beside them where they were not placed from one side alone."""
    kept = np.ones(len(at), dtype=bool)
    if len(at) < 2:
        return kept
    period = median(np.diff(at))
    for start, stop in missing:
        if stop - start > _LONG_GAP * period:
            low, high = np.searchsorted(at, (start - _NEAR_GAP * period, stop + _NEAR_GAP * period)).tolist()
            within = (at[low:high] > start - 1) & (at[low:high] < stop)
            kept[low:high] &= fitted[low:high] & ~within
    return kept


def _holds(at: FloatArray, jumps: FloatArray) -> BoolArray:
    """Return between which neighbouring crossings the phase jumps, (n - 1,)."""
    held = np.zeros(max(len(at) - 1, 0), dtype=bool)
    k = np.searchsorted(at, jumps) - 1
    held[k[(k >= 0) & (k < len(held))]] = True
    return held


def _plausible(periods: FloatArray, within: float) -> BoolArray:
    """Return which periods are near the running median of nine, of five where the frequency changes fast."""
    beside = np.pad(periods, 4, mode="reflect", reflect_type="odd") if len(periods) > 4 else np.pad(periods, 4, mode="edge")
    usual = medians(np.lib.stride_tricks.sliding_window_view(beside, 9))
    if within >= 1:
        return np.asarray((periods <= within * usual) & (periods >= usual / (1 + within)))
    near = np.abs(periods - usual) <= within * usual
    if len(periods) >= 3:  # a run-up: each period between those beside it, or on the line through them
        line = np.interp(np.arange(len(periods)), np.flatnonzero(near), periods[near]) if near.any() else usual
        before, after = np.concatenate([periods[:1], periods[:-1]]), np.concatenate([periods[1:], periods[-1:]])
        steady = (np.abs(periods / before - 1) < 2 * within) & (np.abs(periods / after - 1) < 2 * within)
        between = (periods - before) * (after - periods) >= -1e-3 * periods**2
        near |= steady & between & (np.abs(periods - line) < 3 * within * usual)
    return np.asarray(near)


def _usual(periods: FloatArray, good: BoolArray, k: int, way: int) -> float:
    """Return the usual period on one side of a place; 0 where there is none."""
    side = periods[:k][good[:k]][-5:] if way < 0 else periods[k:][good[k:]][:5]
    return median(side) if len(side) else 0.0


def _steady(periods: FloatArray) -> bool:
    """Return whether the last few periods are alike: a drive that runs down has no period that could go on."""
    last = periods[-_LAST:]
    return bool(len(last) and last.max() < (1 + _ALIKE) * last.min())


def _filled(at: FloatArray, periods: FloatArray, good: BoolArray, k: int) -> list[float]:
    """Return crossings within the interruption between crossing k and the next, at the period before it."""
    before, after = _usual(periods, good, k, -1), _usual(periods, good, k + 1, 1)
    length = float(at[k + 1] - at[k])
    if (
        not before
        or not after
        or abs(after / before - 1) > _SAME
        or not _steady(periods[:k][good[:k]])
        or not _steady(periods[k + 1 :][good[k + 1 :]][::-1])
    ):
        return []
    n = round(2 * length / (before + after))
    if n >= 1 and abs(2 * length / (before + after) - n) < _SAME * min(n, 2):
        return [float(at[k]) + length / n * m for m in range(1, n)]
    return [float(at[k]) + before * m for m in range(1, int(length / before) + 1)]


def _tail(last: float, period: float, n_samples: int) -> list[float]:
    """Return crossings that continue the last period to the end of the record, where at least one cycle is lost there."""
    held = (n_samples - 1 - last) / period if period > 0 else 0.0
    return (last + period * np.arange(1, int(held) + 1)).tolist() if held > _LOST else []
