"""Envelope, phase and frequency of every instant, from the analytic signal."""

import math
from collections.abc import Callable, Sequence

import numpy as np

from pantelos.formula.derived import Neighboured
from pantelos.formula.functions.function import SIGNALS, Function, GivenArguments, Parameter
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import Window, window_means
from pantelos.signal.filters.analytic import analytic
from pantelos.signal.sums.integrals import Rule
from pantelos.signal.validity import defined_between
from pantelos.units import Unit, unit

_CATEGORY = "analytic signal"
_X = (Parameter("x", SIGNALS),)
_MOST_BY_PHASE, _POINTS = 1000, 64  # cycles whose mean is taken over phase, and points of each
_CYCLES = 16  # of the slowest kind, that are looked at either side
_WITHOUT = 1 << 15  # samples, where no cycles are known
_LONGEST = 1 << 22
_ENDS = "The mean is taken off first; the first and last cycle have no value"
_SOURCE = "D. Gabor 1946"


def _of_analytic(kernel: Callable[[ComplexArray, float], FloatArray]) -> Callable[[GivenArguments], Neighboured]:
    """Return what makes a curve of the analytic signal, one sample more at either end, and the sample rate."""

    def make(given: GivenArguments) -> Neighboured:
        wave: Waveform = given.values[0]
        n = wave.n_samples
        cycles = given.asked.cycles(wave, given.names[0])
        periods = np.diff(cycles.crossings)
        ends = (float(periods[0]), float(periods[-1])) if len(periods) else (0.0, 0.0)
        begins, stops = (round(at) for at in defined_between(wave.read, 0.0, float(n), n))
        level = _level(wave, cycles, begins, stops)
        slowest = float(periods.max()) if len(periods) else _WITHOUT / _CYCLES
        margin = min(math.ceil(_CYCLES * slowest), _LONGEST)

        def compute(first: int, last: int) -> FloatArray:
            low, high = max(first - 1, 0), min(last + 1, n)
            z = analytic(wave.read, (begins, stops), level, low, high, margin, ends)
            z = np.pad(z, (1 - (first - low), 1 - (high - last)), constant_values=np.nan)
            at = np.arange(first, last)
            return np.where(
                (at < begins + max(ends[0], 1.0)) | (at >= stops - max(ends[1], 1.0)), np.nan, kernel(z, wave.rate_hz)
            )

        return Neighboured(compute, wave, given.unit, margin)

    return make


def _level(wave: Waveform, cycles: Cycles, begins: int, stops: int) -> float:
    """Return the mean of a waveform, over phase rather than time: where the frequency rises, one half of a cycle lasts longer."""
    inside = cycles.crossings[(cycles.crossings >= begins) & (cycles.crossings <= stops - 1)]
    n = len(inside) - 1
    if n < 1 or n > _MOST_BY_PHASE:
        return float(window_means(wave.read, Window(float(begins), float(stops), 0, Rule.RECTANGULAR), wave.n_samples)[0])
    first, last = float(inside[0]), float(inside[-1])
    places = cycles.positions_between(first, last, _POINTS * n)
    low = int(first)
    x = np.asarray(wave.read(low, int(last) + 2))
    found = np.interp(places - low, np.arange(len(x)), x)
    return float(np.nanmean(found)) if np.isfinite(found).any() else 0.0


def _frequency(z: ComplexArray, rate_hz: float) -> FloatArray:
    return np.asarray(np.angle(z[2:] * np.conj(z[:-2])) * (rate_hz / (4 * np.pi)))


def _same(units: Sequence[Unit]) -> Unit:
    return units[0]


ENVELOPE = Function(
    "envelope",
    _CATEGORY,
    _X,
    f"Amplitude of every instant, of a waveform whose frequency changes little per cycle. {_ENDS}.",
    "envelope(i1)",
    _same,
    _of_analytic(lambda z, rate: np.abs(z[1:-1])),
    formula="|x + j H{x}|",
    source=_SOURCE,
    place=60,
    placed=True,
)
INSTANTANEOUS_FREQUENCY = Function(
    "instantaneous_frequency",
    _CATEGORY,
    _X,
    f"Frequency of every instant, of a waveform close to a sine whose frequency changes little per cycle. {_ENDS}.",
    "instantaneous_frequency(u1)",
    lambda units: unit("Hz"),
    _of_analytic(_frequency),
    formula="arg(z[n+1] conj(z[n-1])) / (4π Ts), z = x + j H{x}",
    source=_SOURCE,
    place=61,
    placed=True,
)
INSTANTANEOUS_PHASE = Function(
    "instantaneous_phase",
    _CATEGORY,
    _X,
    f"Phase of every instant against a cosine, from -180° to 180°. {_ENDS}.",
    "instantaneous_phase(u1)",
    lambda units: unit("rad"),
    _of_analytic(lambda z, rate: np.angle(z[1:-1])),
    formula="arg(x + j H{x})",
    source=_SOURCE,
    place=62,
    placed=True,
)
