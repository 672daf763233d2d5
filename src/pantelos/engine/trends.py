"""Imported trends: channels that hold values of a parameter of power quality, one every base interval."""

import math
from collections.abc import Iterable, Sequence

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.quality.levels import OF_CURRENTS, OF_SYSTEM, MeasuredLevel
from pantelos.quality.spans import Span
from pantelos.signal.arrays import FloatArray
from pantelos.study.model import Trend

_BASE_S = {"3 s": 3.0, "10 s": 10.0, "10 min": 600.0, "2 h": 7200.0}
_PER_ORDER = {"U": "Uh", "I": "Ih"}
_ORDERS = 51
_ON_A_TICK = 1e-3  # of the base interval
_ALL_AT_ONCE = 1 << 22  # samples


def trend_levels(evaluation: Evaluation, declared: float) -> tuple[dict[str, MeasuredLevel], tuple[str, ...], tuple[str, ...]]:
    """Return the values of all trends of a study by base interval, and the conductors of their voltages and currents.

    Raises
    ------
    StudyError
        When the record has no value every base interval.
    """
    record, trends = evaluation.record, evaluation.study.quality.trends
    voltages, currents = (
        tuple(dict.fromkeys(t.conductor for t in trends if t.conductor and (_parameter(t)[0] in OF_CURRENTS) is of_currents))
        for of_currents in (False, True)
    )
    levels = {}
    for base in dict.fromkeys(trend.base for trend in trends):
        step = _BASE_S[base] * record.rate_hz
        if abs(step - round(step)) > 1e-6 or step < 1 - 1e-6:
            every = f"a value every {base} or more often; this one has {record.rate_hz:g} a second"
            raise StudyError(f"Trends of {base} need a record with {every}.")
        at = np.arange(0, record.n_samples, round(step))
        some = [trend for trend in trends if trend.base == base]
        values = _values(evaluation, some, {False: voltages, True: currents}, at, declared)
        known = np.any([~np.isnan(v).all(axis=tuple(range(1, v.ndim))) for v in values.values()], axis=0)
        span = Span(at.astype(np.float64), np.asarray(at + step, dtype=np.float64))
        levels[base] = MeasuredLevel(base, span, known.astype(np.float64), np.zeros(len(at), dtype=bool), values)
    return levels, voltages, currents


def on_ticks(began_s: float, bases: Iterable[str]) -> bool:
    """Return whether values of each base interval begin on ticks of the clock, from when into the day a record begins."""
    return all(abs(math.remainder(began_s, _BASE_S[base])) <= _ON_A_TICK * _BASE_S[base] for base in bases)


def _parameter(trend: Trend) -> tuple[str, int | None]:
    """Return parameter and order of a trend: U5 is order 5 of the voltage."""
    name = trend.parameter
    if name[:1] in _PER_ORDER and name[1:].isdigit():
        return _PER_ORDER[name[0]], int(name[1:])
    return name, None


def _values(
    evaluation: Evaluation, trends: Sequence[Trend], conductors: dict[bool, tuple[str, ...]], at: np.ndarray, declared: float
) -> dict[str, FloatArray]:
    """Return values of trends by parameter, (n, n_conductors) or (n, n_conductors, orders); shares of one as per cent."""
    found: dict[str, FloatArray] = {}
    for trend in trends:
        parameter, order = _parameter(trend)
        columns = conductors[parameter in OF_CURRENTS]
        shape = (len(at), 1 if parameter in OF_SYSTEM else max(len(columns), 1))
        x = _at(evaluation, trend.channel, at)
        if evaluation.names.unit(trend.channel).symbol == "%":
            x = x * (declared if order is not None else 100.0)
        column = columns.index(trend.conductor) if trend.conductor else slice(None)
        rows = x if trend.conductor else x[:, None]
        if order is None:
            found.setdefault(parameter, np.full(shape, np.nan))[:, column] = rows
        elif order < _ORDERS:
            found.setdefault(parameter, np.full((*shape, _ORDERS), np.nan))[:, column, order] = rows
    return found


def _at(evaluation: Evaluation, channel: str, at: np.ndarray) -> FloatArray:
    """Return a channel at some samples."""
    wave = evaluation.samples.waveform(channel)
    if wave.n_samples <= _ALL_AT_ONCE:
        return np.asarray(wave.read(0, wave.n_samples)[at])
    return np.array([wave.read(k, k + 1)[0] for k in at.tolist()])
