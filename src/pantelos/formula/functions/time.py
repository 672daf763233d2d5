"""Functions that move a waveform in time, or make one of a series."""

import math
from collections.abc import Sequence

import numpy as np

from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Blocks, Derived, Neighboured
from pantelos.formula.functions.function import NUMBERS, SIGNALS, Function, GivenArguments, Parameter
from pantelos.record.waveform import LeftOut, Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.sampling.interpolation import MARGIN, between_samples
from pantelos.units import Unit, unit

_CATEGORY = "time"


def _first(units: Sequence[Unit]) -> Unit:
    return units[0]


def _delayed(given: GivenArguments) -> Neighboured | Derived:
    wave: Waveform = given.values[0]
    shift = given.number(1) * wave.rate_hz
    n = wave.n_samples
    if abs(shift) >= n:
        raise StudyError("The delay is longer than the record. Make it shorter.")
    if abs(shift - round(shift)) < 1e-9:
        whole = round(shift)

        def moved(start: int, stop: int) -> FloatArray:
            found = np.full(stop - start, np.nan)
            low, high = max(start - whole, 0), min(stop - whole, n)
            if low < high:
                found[low + whole - start : high + whole - start] = wave.read(low, high)
            return found

        return Derived(moved, given.unit, n, wave.rate_hz, masked=max(wave.masked, LeftOut.ENDS))

    def between(first: int, last: int) -> FloatArray:
        low = max(math.floor(first - shift) - MARGIN, 0)
        high = min(math.ceil(last - shift) + MARGIN, n)
        if high - low < 2:
            return np.full(last - first, np.nan)
        return between_samples(
            np.asarray(wave.read(low, high)), np.asarray(np.arange(first, last) - shift - low, dtype=np.float64)
        )

    return Neighboured(between, wave, given.unit, math.ceil(abs(shift)) + MARGIN)


def _interpolated(given: GivenArguments) -> Derived:
    series = given.values[0]
    if not isinstance(series, Blocks):
        raise StudyError("Only a series over one kind of pieces is interpolated. Give the parts names and interpolate each.")
    pieces = series.partition
    kept = pieces.whole
    centres, values = (0.5 * (pieces.starts + pieces.stops))[kept], series.values[kept]
    if len(values) < 2:
        raise StudyError("A series of fewer than two pieces cannot be interpolated.")
    edges = pieces.starts[kept][0], pieces.stops[kept][-1]

    def compute(start: int, stop: int) -> FloatArray:
        at = np.arange(start, stop, dtype=np.float64)
        found = np.interp(at, centres, values)  # beside a piece without a value there is none either
        return np.where((at >= edges[0]) & (at < edges[1]), found, np.nan)

    return Derived(compute, given.unit, series.n_samples, series.rate_hz, masked=LeftOut.ENDS)


DELAYED = Function(
    "delayed",
    _CATEGORY,
    (Parameter("x", SIGNALS), Parameter("T", NUMBERS, (unit("s"),))),
    "x as much later as told, also by parts of a sample; earlier where T is negative.",
    "delayed(u1, 137 us)",
    _first,
    _delayed,
    formula="y(t) = x(t - T), quintic spline between samples",
    place=50,
)
INTERPOLATED = Function(
    "interpolated",
    _CATEGORY,
    (Parameter("f", frozenset({Kind.SERIES})),),
    "A series as a curve: straight lines between the middles of its pieces, instead of a value held over each.",
    "interpolated(frequency(u1) over cycles(u1))",
    _first,
    _interpolated,
    place=51,
)
