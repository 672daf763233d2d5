"""The reference cases of power quality: dips, rapid changes, aggregation, signalling, flicker."""

import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from pantelos.quality.disturbances import disturbances
from pantelos.quality.flicker import Instantaneous, Lamp, instantaneous_flicker, long_term, short_term
from pantelos.quality.half_cycles import HalfCycles, half_cycle_edges, half_cycle_rms
from pantelos.quality.parameters import root_mean_square, signalling
from pantelos.quality.rapid_changes import rapid_changes
from pantelos.quality.spans import Span, frequencies
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.signal.cycles.cycles import Cycles

# Changes per minute and their size in % at which P_st is 1: 230 V 50 Hz, 120 V 60 Hz, 230 V 60 Hz, 120 V 50 Hz.
JUST_ONE = (
    (1, (2.715, 3.181, 2.719, 3.178)), (2, (2.191, 2.564, 2.194, 2.561)), (7, (1.450, 1.694, 1.450, 1.694)),
    (39, (0.894, 1.040, 0.895, 1.045)), (110, (0.722, 0.844, 0.723, 0.844)), (1620, (0.407, 0.548, 0.409, 0.545)),
)  # fmt: skip
SYSTEMS: tuple[tuple[Lamp, int], ...] = ((230, 50), (120, 60), (230, 60), (120, 50))
JUST_SEEN = {
    0.5: 2.325,
    1: 1.397,
    2: 0.879,
    4: 0.497,
    6: 0.325,
    8.8: 0.250,
    12: 0.314,
    15: 0.438,
    20: 0.704,
    25: 1.037,
    100 / 3: 2.128,
}


class Number(NamedTuple):
    id: str
    what: str
    expected: float
    computed: float
    tolerance: float


def steady_cycles(n: int, rate: float, f: float) -> Cycles:
    at = np.arange(0.0, n, rate / f)
    return Cycles(at, np.ones(len(at) - 1, dtype=bool), rate, n)


def half_cycles(u: np.ndarray, rate: float, f: float) -> HalfCycles:
    return half_cycle_rms(lambda a, b: u[None, a:b], half_cycle_edges(steady_cycles(len(u), rate, f)), len(u))


def seen_by(u: np.ndarray, rate: float, lamp: Lamp, f: int) -> Instantaneous:
    return instantaneous_flicker(lambda a, b: u[None, a:b], len(u), rate, half_cycles(u, rate, f), None, lamp, f)


def modulated(per_minute: int, percent: float, lamp: Lamp, f: int, rate: float = 4000.0) -> float:
    """Return P_st of rectangular modulation over 600 s behind the settling."""
    settling = 120 if per_minute <= 2 else 60
    t = np.arange(round(rate * (600 + settling))) / rate
    sign = np.where(np.floor(t * per_minute / 60 + 1e-9) % 2 == 0, 1, -1)
    u = math.sqrt(2) * lamp * np.sin(2 * np.pi * f * t) * (1 + percent / 200 * sign)
    return short_term(seen_by(u, rate, lamp, f).between(settling * rate, len(u))[0])


def fluttering(hz: float, percent: float, lamp: Lamp = 230, f: int = 50, rate: float = 4000.0) -> float:
    """Return the largest instantaneous flicker of sinusoidal modulation."""
    t = np.arange(round(rate * 60)) / rate
    u = math.sqrt(2) * lamp * np.sin(2 * np.pi * f * t) * (1 + percent / 200 * np.sin(2 * np.pi * hz * t))
    return float(seen_by(u, rate, lamp, f).between(40 * rate, 60 * rate)[0].max())


def numbers() -> Iterator[Number]:
    rate = 10_000.0
    t = np.arange(10_000) / rate
    during, clean = (t >= 0.3 - 1e-9) & (t < 0.4 - 1e-9), math.sqrt(2) * 230 * np.sin(2 * np.pi * 50 * t)
    dipped, swollen = (half_cycles(np.where(during, g, 1.0) * clean, rate, 50) for g in (0.4, 1.15))
    (dip,), (swell,) = disturbances(dipped, 230.0), disturbances(swollen, 230.0)
    at = lambda values, s: float(100 * values.rms[0][np.argmin(np.abs(values.starts / rate - s))] / 230)  # noqa: E731
    yield Number("32.1", "U rms(1/2) before a dip, %", 100, at(dipped, 0.1), 1e-9)
    yield Number("32.2", "half inside, %", 76.15773105864, at(dipped, 0.29), 1e-9)
    yield Number("32.3", "residual voltage, %", 40, 100 * dip.extreme, 1e-9)
    yield Number("32.4", "start of the dip, s", 0.29, dip.start / rate, 1e-9)
    yield Number("32.5", "duration of the dip, s", 0.11, (dip.stop - dip.start) / rate, 1e-9)
    yield Number("32.6", "depth, %", 60, 100 * dip.depth, 1e-9)
    yield Number("32.7", "highest of a swell, %", 115, 100 * swell.extreme, 1e-9)
    yield Number("32.8", "half inside the swell, %", 107.7613103113, at(swollen, 0.29), 1e-9)
    yield Number("32.9", "duration of the swell, s", 0.09, (swell.stop - swell.start) / rate, 1e-9)
    t = np.arange(60_000) / rate
    u = np.where(t < 3 - 1e-9, 230, np.where(t < 3.2 - 1e-9, 215, 220)) * math.sqrt(2) * np.sin(2 * np.pi * 50 * t)
    (change,) = rapid_changes(half_cycles(u, rate, 50), 230.0, 100, (), 0.02)
    yield Number("33.1", "rapid change, steady, V", 10, change.steady, 1e-8)
    yield Number("33.2", "rapid change, largest, V", 15, change.largest, 1e-8)
    yield Number("33.3", "of the declared voltage, %", 6.521739130435, 100 * change.largest / 230, 1e-8)
    x = math.sqrt(2) * 230 * np.sin(2 * np.pi * 49.7 * np.arange(100_000) / rate + 0.3)
    found, counts = frequencies(find_cycles(lambda a, b: x[a:b], len(x), rate), Span(np.zeros(1), np.array([100_000.0])))
    yield Number("34.1", "frequency of 10 s, Hz", 49.7, float(found[0]), 1e-6)
    yield Number("34.2", "cycles in it", 496, float(counts[0]), 0)
    halves = np.repeat([230.0, 240.0], 1500)
    yield Number("34.3", "1500 × 230 V and 1500 × 240 V, V", 235.0531854709, float(root_mean_square(halves)), 1e-10)
    yield Number("34.4", "P_lt of 11 × 0.5 and 2", 0.9210078746601, long_term(np.array([0.5] * 11 + [2.0])), 1e-12)
    t = np.arange(2000) / rate
    for k, hz, expected, within in ((1, 183, 4.387917380672, 0.06), (2, 175, 4.6, 1e-10)):
        u = 230 * np.sin(2 * np.pi * 50 * t) + 4.6 * np.sin(2 * np.pi * hz * t + math.radians(25))
        lines = np.abs(np.fft.rfft(math.sqrt(2) * u)) * math.sqrt(2) / len(u)
        yield Number(f"35.{k}", f"signalling at {hz} Hz, V", expected, float(signalling(lines, hz / 5)), within)
    for case, column in ((36, 0), (37, 1)):
        lamp, f = SYSTEMS[column]
        for k, (per_minute, sizes) in enumerate(JUST_ONE, start=1):
            what = f"P_st, {per_minute} changes/min of {sizes[column]} %, {lamp} V {f} Hz"
            yield Number(f"{case}.{k}", what, 1, modulated(per_minute, sizes[column], lamp, f), 0.05)
        yield Number(
            f"{case}.7", f"P_st of three times the size, {lamp} V", 3, modulated(7, 3 * JUST_ONE[2][1][column], lamp, f), 0.15
        )
        size = (0.250, 0.321)[column]
        yield Number(f"{case}.8", f"P_inst, 8.8 Hz, {size} %, {lamp} V", 1, fluttering(8.8, size, lamp, f), 0.08)
