"""Filters: Butterworth, moving average, and what is taken off as a whole."""

import math
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from pantelos.formula.derived import Derived, Neighboured, Scalar
from pantelos.formula.functions.function import NUMBERS, SIGNALS, ArgumentRole, Function, GivenArguments, Parameter
from pantelos.formula.functions.running import RUNNING_MEAN
from pantelos.record.waveform import LeftOut, Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.window import Window, window_means
from pantelos.signal.filters.filtering import Kind, butterworth, filtered
from pantelos.signal.sums.integrals import Rule
from pantelos.signal.sums.trend import trend
from pantelos.units import ONE, Unit, unit

_CATEGORY = "filter"
_X = Parameter("x", SIGNALS)
_HERTZ = (unit("Hz"),)
_ORDER = Parameter("order", NUMBERS, (ONE,), Scalar(4.0, ONE))
_CAUSAL = Parameter("causal", NUMBERS, role=ArgumentRole.WORD, words=("causal",))
_BUTTERWORTH = "S. Butterworth 1930; bilinear transform"
_ENDS = (
    "Forward and backward, so without delay and half at its corner (-6 dB); with causal forward only, as a circuit would (-3 dB)."
    " Where the filter is not settled there is no value"
)


def _first(units: Sequence[Unit]) -> Unit:
    return units[0]


def _filter(kind: Kind, n_corners: int) -> Callable[[GivenArguments], Neighboured]:
    def make(given: GivenArguments) -> Neighboured:
        wave: Waveform = given.values[0]
        corners = [given.number(1 + k) for k in range(n_corners)]
        order, word = given.number(1 + n_corners), given.values[2 + n_corners]
        one = butterworth(kind, corners, order, wave.rate_hz, word is not None)
        ends = _end_periods(given, wave) if n_corners == 2 and word is None else (0.0, 0.0)
        return Neighboured(lambda a, b: filtered(wave.read, wave.n_samples, one, a, b, ends), wave, given.unit, one.forgets)

    return make


def _end_periods(given: GivenArguments, wave: Waveform) -> tuple[float, float]:
    """Return the first and last period of a waveform, samples; 0 where it has no cycles up to its ends."""
    cycles = given.asked.cycles(wave, given.names[0])
    if len(cycles.crossings) < 2 or not cycles.whole[[0, -1]].all() or not cycles.covers(0.0, wave.n_samples - 1.0):
        return 0.0, 0.0
    periods = np.diff(cycles.smooth.crossings)
    return float(periods[0]), float(periods[-1])


LOWPASS = Function(
    "lowpass",
    _CATEGORY,
    (_X, Parameter("f", NUMBERS, _HERTZ), _ORDER, _CAUSAL),
    f"What lies below a frequency. {_ENDS}.",
    "lowpass(u1, 500 Hz)",
    _first,
    _filter("lowpass", 1),
    source=_BUTTERWORTH,
    place=40,
)
HIGHPASS = Function(
    "highpass",
    _CATEGORY,
    (_X, Parameter("f", NUMBERS, _HERTZ), _ORDER, _CAUSAL),
    "What lies above a frequency; ends as with lowpass.",
    "highpass(u_dc, 100 Hz)",
    _first,
    _filter("highpass", 1),
    source=_BUTTERWORTH,
    place=41,
)
_BAND = (_X, Parameter("f_low", NUMBERS, _HERTZ), Parameter("f_high", NUMBERS, _HERTZ), _ORDER, _CAUSAL)
BANDPASS = Function(
    "bandpass",
    _CATEGORY,
    _BAND,
    "What lies between two frequencies; ends as with lowpass.",
    "bandpass(i1, 200 Hz, 300 Hz)",
    _first,
    _filter("bandpass", 2),
    source=_BUTTERWORTH,
    place=42,
)
BANDSTOP = Function(
    "bandstop",
    _CATEGORY,
    _BAND,
    "All but what lies between two frequencies; ends as with lowpass.",
    "bandstop(u_dc, 250 Hz, 350 Hz)",
    _first,
    _filter("bandstop", 2),
    source=_BUTTERWORTH,
    place=43,
)
MOVING_AVERAGE = Function(
    "moving_average",
    _CATEGORY,
    (_X, Parameter("T", NUMBERS, (unit("s"), unit("cycles")))),
    "Mean over a time, or whole cycles, around every sample: no delay, zero at every multiple of 1/T.",
    "moving_average(p1, 20 ms)",
    _first,
    RUNNING_MEAN.make,
    place=44,
    placed=True,
)


def _without_mean(given: GivenArguments) -> Derived:
    wave: Waveform = given.values[0]
    whole = Window(0.0, float(wave.n_samples), 0, Rule.RECTANGULAR)
    mean = float(window_means(wave.read, whole, wave.n_samples)[0])
    return Derived(lambda a, b: wave.read(a, b) - mean, given.unit, wave.n_samples, wave.rate_hz, wave.masked)


def _without_trend(given: GivenArguments) -> Derived:
    wave: Waveform = given.values[0]
    line, centre = trend(wave.read, 0, wave.n_samples), 0.5 * (wave.n_samples - 1)

    def compute(start: int, stop: int) -> FloatArray:
        at: Any = np.arange(start, stop)
        return np.asarray(wave.read(start, stop) - (line.middle + line.slope * (at - centre)))

    masked = wave.masked if math.isfinite(line.slope) else LeftOut.SAMPLES
    return Derived(compute, given.unit, wave.n_samples, wave.rate_hz, masked)


MEAN_REMOVED = Function(
    "mean_removed",
    _CATEGORY,
    (_X,),
    "x less its mean over the whole record.",
    "mean_removed(u_dc)",
    _first,
    _without_mean,
    place=45,
)
TREND_REMOVED = Function(
    "trend_removed",
    _CATEGORY,
    (_X,),
    "x less its straight line of least squares over the whole record.",
    "trend_removed(u_dc)",
    _first,
    _without_trend,
    source="least squares",
    place=46,
)
