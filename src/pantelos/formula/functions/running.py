"""Functions whose value at a sample rests on those before it, or on its neighbours."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from pantelos.errors import StudyError
from pantelos.formula.derived import Derived, Neighboured, RunningIntegral
from pantelos.formula.functions.function import NUMBERS, SIGNALS, ArgumentRole, Function, GivenArguments, Parameter, Place
from pantelos.record.waveform import LeftOut, Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.sums.integrals import totals_between
from pantelos.signal.sums.sliding import around, around_in_cycles, window_extremes, window_means
from pantelos.units import unit

_CATEGORY = "running"
_ENERGY = "trapezoidal rule, a trapezoid that crosses zero is split there; the sign is that of every instant"


def _above_zero(y0: FloatArray, y1: FloatArray) -> Any:
    """Return twice the area of each trapezoid that lies above zero, per sample interval; split where it crosses.

    Source: the zero of the straight line between two samples lies the share y0 / (y0 - y1) from the first.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        crossing = np.where(y0 > y1, y0 * y0 / (y0 - y1), y1 * y1 / (y1 - y0))
    return np.where((y0 >= 0) & (y1 >= 0), y0 + y1, np.where((y0 <= 0) & (y1 <= 0), 0.0, crossing))


def _below_zero(y0: FloatArray, y1: FloatArray) -> Any:
    return _above_zero(-y0, -y1)


def _integral(given: GivenArguments) -> Any:
    wave, begins = given.values
    running = RunningIntegral(wave, given.unit)
    if begins is None:
        return running
    at = begins.start if isinstance(begins, Place) else (begins.value - given.asked.origin_s) * wave.rate_hz
    if not 0 <= at <= wave.n_samples - 1:
        raise StudyError("The integral would begin outside the record. Begin it within.")
    found = totals_between(wave.read, np.zeros(1), np.array([at]), wave.n_samples, smooth=False)
    before = float(found.integrals[0]) / wave.rate_hz

    def compute(start: int, stop: int) -> FloatArray:
        return np.where(np.arange(start, stop) >= at, running.read(start, stop) - before, np.nan)

    return Derived(compute, given.unit, wave.n_samples, wave.rate_hz, masked=LeftOut.SAMPLES)


INTEGRAL = Function(
    "integral",
    _CATEGORY,
    (Parameter("x"), Parameter("from", NUMBERS, (unit("s"),), role=ArgumentRole.MOMENT, left_out=True)),
    "Running integral from the start of the record, or of an interval, of the first event, from a time on; W becomes J.",
    "integral(p1)",
    lambda units: units[0] * unit("s"),
    _integral,
    formula="E[k] = E[k-1] + Ts (x[k-1] + x[k]) / 2",
    source="trapezoidal rule",
    place=1,
    placed=True,
)
RECEIVED = Function(
    "received",
    _CATEGORY,
    (Parameter("p"),),
    f"Running integral of what is above zero: energy received; {_ENERGY}.",
    "received(p1)",
    lambda units: units[0] * unit("s"),
    lambda given: RunningIntegral(given.values[0], given.unit, _above_zero),
    place=20,
)
RETURNED = Function(
    "returned",
    _CATEGORY,
    (Parameter("p"),),
    f"Running integral of what is below zero, counted positive: energy returned; {_ENERGY}.",
    "returned(p1)",
    lambda units: units[0] * unit("s"),
    lambda given: RunningIntegral(given.values[0], given.unit, _below_zero),
    place=21,
)


def _slope(given: GivenArguments) -> Derived:
    wave: Waveform = given.values[0]

    def compute(start: int, stop: int) -> FloatArray:
        first, last = max(start - 1, 0), min(stop + 1, wave.n_samples)
        x = wave.read(first, last)
        if len(x) < 2:
            return np.full(stop - start, np.nan)
        return np.asarray(np.gradient(x)[start - first : stop - first] * wave.rate_hz)

    return Derived(compute, given.unit, wave.n_samples, wave.rate_hz, wave.masked)


DERIVATIVE = Function(
    "derivative",
    _CATEGORY,
    (Parameter("x", SIGNALS),),
    "Slope at every sample, from the samples beside it (central difference); one-sided at the ends of the record.",
    "derivative(u1)",
    lambda units: units[0] / unit("s"),
    _slope,
    place=22,
)


_WINDOW = (unit("s"), unit("cycles"))


def _windows(given: GivenArguments) -> tuple[Callable[[int, int], tuple[FloatArray, FloatArray]], int]:
    """Return what gives the windows around samples first to last, and how far they reach; of a time, or of whole cycles."""
    wave, length = given.values
    if length.unit.like(unit("cycles")):
        cycles, why = given.asked.reference(given.used)
        if cycles is None or len(cycles.crossings) < 2:
            raise StudyError(f"A window of cycles needs a reference: {why}. Give a time, such as 20 ms.")
        reach = math.ceil(length.value * float(np.diff(cycles.crossings).max())) + 2
        return (lambda first, last: around_in_cycles(first, last, cycles.crossings, length.value)), reach
    long = length.value * wave.rate_hz
    if not 1 <= long <= wave.n_samples:
        raise StudyError("The window is as long as a sample or more, and no longer than the record. Choose another length.")
    return (lambda first, last: around(first, last, long)), math.ceil(0.5 * long) + 2


def _sliding(kernel: Callable[[FloatArray, FloatArray, FloatArray], FloatArray]) -> Callable[[GivenArguments], Neighboured]:
    def make(given: GivenArguments) -> Neighboured:
        wave = given.values[0]
        windows, reach = _windows(given)

        def compute(first: int, last: int) -> FloatArray:
            low, high = max(first - reach, 0), min(last + reach, wave.n_samples)
            lows, highs = windows(first, last)
            return kernel(np.asarray(wave.read(low, high)), lows - low, highs - low)

        return Neighboured(compute, wave, given.unit, reach)

    return make


def _extreme(largest: bool) -> Callable[[FloatArray, FloatArray, FloatArray], FloatArray]:
    return lambda x, lows, highs: window_extremes(x, np.ceil(lows), np.floor(highs), largest)


def _running(name: str, what: str, kernel: Callable[[FloatArray, FloatArray, FloatArray], FloatArray], place: int) -> Function:
    return Function(
        name,
        _CATEGORY,
        (Parameter("x"), Parameter("window", NUMBERS, _WINDOW)),
        f"{what} over a window around every sample, of a time or of whole cycles; none where it reaches beyond the record.",
        f"{name}(u1, 1 cycles)" if name == "running_rms" else f"{name}(u1, 20 ms)",
        lambda units: units[0],
        _sliding(kernel),
        place=place,
        placed=True,
    )


RUNNING_MEAN = _running("running_mean", "Mean", window_means, 30)
RUNNING_RMS = _running("running_rms", "Rms", lambda x, lows, highs: np.sqrt(window_means(x * x, lows, highs)), 31)
RUNNING_MIN = _running("running_min", "Smallest sample", _extreme(False), 32)
RUNNING_MAX = _running("running_max", "Largest sample", _extreme(True), 33)
