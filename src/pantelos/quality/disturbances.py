"""Dips, swells and interruptions, read from the rms of each cycle refreshed every half-cycle.

Source: IEC 61000-4-30 (thresholds with hysteresis, rule for several phases, sliding reference). Time stamps are the start of the
one-cycle window of the first value beyond the threshold and of the first value back, of the channel that begins or ends it: so a
disturbance lasts as long as there are values of it, half a cycle each.
"""

from enum import StrEnum

import msgspec
import numpy as np

from pantelos.quality.half_cycles import HalfCycles
from pantelos.signal.arrays import BoolArray, FloatArray

_SLIDING = 0.9967  # of the former reference in the next one, every 10 or 12 cycles


class Disturbance(StrEnum):
    """What happened to the voltage."""

    DIP = "dip"
    SWELL = "swell"
    INTERRUPTION = "interruption"


class Thresholds(msgspec.Struct, frozen=True):
    """Where disturbances begin, as shares of the reference voltage; they end by the hysteresis away from there."""

    dip: float = 0.9
    swell: float = 1.1
    interruption: float = 0.05
    hysteresis: float = 0.02


class Happened(msgspec.Struct, frozen=True):
    """One disturbance."""

    kind: Disturbance
    start: float  # samples
    stop: float
    extreme: float  # lowest or highest rms, as a share of the reference
    worst: int  # the channel of that rms
    channels: tuple[int, ...]  # those beyond the threshold at some time
    ended: bool = True  # False: the record ends first
    begun: bool = True  # False: it was there when the record began

    @property
    def depth(self) -> float:
        """How far the extreme lies from the reference, as a share of it."""
        return abs(1 - self.extreme)


def disturbances(values: HalfCycles, reference: float | FloatArray, thresholds: Thresholds | None = None) -> list[Happened]:
    """Return dips, swells and interruptions in the order in which they begin.

    Several channels: a dip or swell begins with the first one beyond and ends when all are back; an interruption begins when all
    are below and ends with the first one back. Missing values neither begin nor end anything.

    Parameters
    ----------
    reference : the declared voltage, or one value per half-cycle (n,), unit of the values
    """
    limits = thresholds or Thresholds()
    r = values.rms / np.asarray(reference)
    with np.errstate(invalid="ignore"):
        below, above, gone = r < limits.dip, r > limits.swell, r < limits.interruption
        still_below, still_above = r < limits.dip + limits.hysteresis, r > limits.swell - limits.hysteresis
        still_gone = r < limits.interruption + limits.hysteresis
        found = [
            *_spans(Disturbance.DIP, r, below, still_below, values),
            *_spans(Disturbance.SWELL, r, above, still_above, values),
            *_spans(Disturbance.INTERRUPTION, r, gone, still_gone, values),
        ]
    return sorted(found, key=lambda one: one.start)


def _spans(kind: Disturbance, r: FloatArray, beyond: BoolArray, still: BoolArray, values: HalfCycles) -> list[Happened]:
    """Return what begins where channels are `beyond` and goes on while they are `still`, (n_channels, n): one, or all of them."""
    together = kind is Disturbance.INTERRUPTION
    begins, lasts = (np.asarray(some.all(axis=0) if together else some.any(axis=0)) for some in (beyond, still))
    starts, ends = np.flatnonzero(begins), np.flatnonzero(~lasts)
    found: list[Happened] = []
    at = 0
    while (k := int(np.searchsorted(starts, at))) < len(starts):
        first = int(starts[k])
        e = int(np.searchsorted(ends, first))
        at = int(ends[e]) if e < len(ends) else len(values)
        inside = r[:, first:at]
        extremes = np.nanmax(inside, axis=1) if kind is Disturbance.SWELL else np.nanmin(inside, axis=1)
        worst = int(np.nanargmax(extremes) if kind is Disturbance.SWELL else np.nanargmin(extremes))
        over = at >= len(values)
        began = beyond[:, first] & ~(beyond[:, first - 1] & begins[first - 1] if first else np.zeros(len(r), dtype=bool))
        start = _instant(values, first, began, last=together)
        stop = float(values.stops[-1]) if over else _instant(values, at, still[:, at - 1] & ~still[:, at], last=not together)
        touched = tuple(np.flatnonzero(beyond[:, first:at].any(axis=1)).tolist())
        found.append(Happened(kind, start, stop, float(extremes[worst]), worst, touched, not over, first > 0))
    return found


def _instant(values: HalfCycles, k: int, channels: BoolArray, last: bool) -> float:
    """Return where the k-th cycle begins of those channels that decide, the first or the last of them, samples."""
    own = values.shifts[channels if channels.any() else slice(None), k]
    return float(values.starts[k] + (own.max() if last else own.min()))


def without_interrupted(found: list[Happened]) -> list[Happened]:
    """Return disturbances without the dips that turn into an interruption, which are counted as that."""
    gone = [one for one in found if one.kind is Disturbance.INTERRUPTION]
    return [
        one
        for one in found
        if one.kind is not Disturbance.DIP or not any(i.start < one.stop and one.start < i.stop for i in gone)
    ]


def sliding_reference(declared: float, windows: FloatArray, flagged: BoolArray) -> FloatArray:
    """Return the sliding reference voltage behind each window of 10 or 12 cycles (n,), begun at the declared one.

    U_sr(n) = 0.9967 U_sr(n-1) + 0.0033 U(n); it stays where it is while windows are flagged or missing.
    """
    found, now = np.empty(len(windows)), declared
    for k, (value, held) in enumerate(zip(windows.tolist(), (flagged | np.isnan(windows)).tolist(), strict=True)):
        if not held:
            now = _SLIDING * now + (1 - _SLIDING) * value
        found[k] = now
    return found
