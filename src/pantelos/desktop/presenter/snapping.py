"""Where an edge goes that is dragged near something: a crossing, an extremum, a sample, an event, a whole cycle."""

import math
from enum import StrEnum

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.formula.compiled import Kind
from pantelos.signal.arrays import AnyArray

_MOST_SAMPLES = 1 << 16  # looked at around the pointer; a view further out shows no single crossing anyway


class Snap(StrEnum):
    """What edges snap to."""

    NONE = "nothing"
    SAMPLE = "samples"
    CROSSING = "crossings"
    EXTREMUM = "extremes"
    EVENT = "events"
    CYCLE = "whole cycles"


def snapped(evaluation: Evaluation, snap: Snap, channel: str | None, search: str | None, t_s: float, reach_s: float) -> float:
    """Return the instant near `t_s` that an edge goes to, at most `reach_s` away; `t_s` itself where there is none."""
    places = _places(evaluation, snap, channel, search, t_s, reach_s)
    if not len(places):
        return t_s
    (position,) = evaluation.times.positions(t_s)
    nearest = float(places[np.argmin(np.abs(places - position))])
    found = evaluation.times.instant(nearest)
    return found if abs(found - t_s) <= max(reach_s, 0.5 / evaluation.record.rate_hz) else t_s


def _places(evaluation: Evaluation, snap: Snap, channel: str | None, search: str | None, t_s: float, reach_s: float) -> AnyArray:
    low, position, high = evaluation.times.positions(t_s - reach_s, t_s, t_s + reach_s)
    match snap:
        case Snap.SAMPLE:
            return np.array([min(max(round(position), 0), evaluation.record.n_samples)], dtype=np.float64)
        case Snap.CYCLE if evaluation.references.overall_known() and (cycles := evaluation.references.overall.cycles) is not None:
            return cycles.crossings
        case Snap.EVENT if search is not None:
            wanted = evaluation.study.search(search)
            return evaluation.events.find(wanted).positions if evaluation.events.known(wanted) else np.zeros(0)
        case Snap.CROSSING | Snap.EXTREMUM if channel is not None and high - low <= _MOST_SAMPLES:
            return _in_waveform(evaluation, snap, channel, math.floor(low), math.ceil(high) + 1)
    return np.zeros(0)


def _in_waveform(evaluation: Evaluation, snap: Snap, channel: str, first: int, end: int) -> AnyArray:
    if (
        channel not in evaluation.names.types
        or evaluation.names.kind(channel) is Kind.SCALAR
        or not evaluation.drawing.can_draw(channel)
    ):
        return np.zeros(0)
    wave = evaluation.samples.waveform(channel)
    first, end = max(first - 1, 0), min(end + 1, wave.n_samples)
    x = np.asarray(wave.read(first, end))
    if len(x) < 3 or np.isnan(x).all():
        return np.zeros(0)
    if snap is Snap.EXTREMUM:
        inner = x[1:-1]
        turns = np.flatnonzero(((inner >= x[:-2]) & (inner > x[2:])) | ((inner <= x[:-2]) & (inner < x[2:]))) + 1
        return np.asarray(first + turns, dtype=np.float64)
    low, high = evaluation.drawing.extent(channel)
    level = 0.0 if low < 0 < high else 0.5 * (low + high)
    pairs = np.flatnonzero((x[:-1] < level) != (x[1:] < level))
    return np.asarray(first + pairs + (level - x[pairs]) / (x[pairs + 1] - x[pairs]))
