"""Powers of a connection piece by piece: per cycle, per 200 ms, per block of whole cycles, all of IEEE 1459 in one pass."""

import math
import re

import msgspec
import numpy as np

from pantelos.errors import StudyError, UnitError, clipped
from pantelos.power.fundamentals import phase_voltages, sequences
from pantelos.power.measurement import Products
from pantelos.power.wirings import Wiring
from pantelos.power.wirings.wiring import Row
from pantelos.progress import Progress
from pantelos.signal.arrays import ComplexArray, FloatArray, Reader
from pantelos.signal.cycles import Cycles, unbroken
from pantelos.signal.integrals import totals_between
from pantelos.signal.validity import given, jointly_valid
from pantelos.signal.window import Window
from pantelos.units import unit

_ROUNDING = 1e-9  # of a square: less is what trapezoids leave


class PowerOverTime(msgspec.Struct, frozen=True, eq=False):
    """Powers per piece, (n_pieces,) each, SI; NaN where samples are missing. For a whole of three phases effective values."""

    starts: FloatArray  # samples
    stops: FloatArray
    n_cycles: FloatArray
    quantities: dict[str, FloatArray]  # of the whole
    elements: tuple[dict[str, FloatArray], ...]


def power_over_time(
    wiring: Wiring,
    read: Reader,
    n_samples: int,
    cycles: Cycles,
    edges: FloatArray,
    n_cycles: FloatArray,
    progress: Progress | None = None,
) -> PowerOverTime:
    """Return the powers between edges (n_pieces + 1,), samples, that hold `n_cycles` (n_pieces,) whole cycles each.

    Means by trapezoids with fractional ends; fundamentals against the phase of the reference, from crossing to crossing.
    """
    rows = _Rows(wiring, read, cycles.smooth)
    found = totals_between(rows, edges[:-1], edges[1:], n_samples, progress=progress)
    means = given(found.means, found.shares)
    kept = n_cycles > 0  # in a pause there is no cycle to give powers of
    return PowerOverTime(edges[:-1][kept], edges[1:][kept], n_cycles[kept], *_resolved(wiring, rows, means[:, kept]))


def cycles_of_step(every: str, frequency_hz: float) -> int:
    """Return how many whole cycles a piece holds: of `cycle`, or those nearest to a time such as `200 ms`.

    Raises
    ------
    StudyError
        When it is neither.
    """
    if every.strip() == "cycle":
        return 1
    found = re.fullmatch(r"([\d.]+(?:[eE][-+]?\d+)?)\s*(\S+)", every.strip())
    try:
        long = float(found[1]) * unit(found[2]).factor if found and unit(found[2]).like(unit("s")) else 0.0
    except (UnitError, ValueError):
        long = 0.0
    if not 0 < long < math.inf:
        raise StudyError(f'"{clipped(every)}" is no step; write cycle, or a time such as 200 ms.')
    return max(round(long * frequency_hz), 1)


def check_step(every: str) -> None:
    """Check that a step is one; raises `StudyError` where it is neither `cycle` nor a time."""
    cycles_of_step(every, 1.0)


def every_cycles(cycles: Cycles, window: Window, n_cycles: int) -> tuple[FloatArray, FloatArray]:
    """Return edges (n + 1,), samples, and whole cycles (n,) of pieces within a window; the last one takes what is left over.

    Where the reference pauses, a piece of no cycle stands between the pieces of either side.
    """
    cycles = cycles.smooth
    if window.n_gaps:
        return _between_pauses(cycles, window, n_cycles)
    count = max(window.n_cycles // n_cycles, 1)
    held = np.full(count, float(n_cycles))
    held[-1] = window.n_cycles - n_cycles * (count - 1)
    turns = np.concatenate([[0.0], np.cumsum(held)])
    at, knots = cycles.crossings, np.arange(len(cycles.crossings), dtype=np.float64)
    first = float(cycles.turns(np.array([window.start]))[0])
    edges = np.interp(first + turns, knots, at)
    edges[0], edges[-1] = window.start, window.stop
    return np.asarray(edges), held


def _between_pauses(cycles: Cycles, window: Window, n_cycles: int) -> tuple[FloatArray, FloatArray]:
    """Return the same of a window in which the reference pauses."""
    crossings, whole = cycles.between(window.start, window.stop)
    edges, held = list[float](), list[float]()
    for start, stop in unbroken(whole):
        if edges:
            held.append(0.0)
        cuts = [*range(start, max(stop - n_cycles, start) + 1, n_cycles)]
        edges += [*crossings[cuts].tolist(), float(crossings[stop])]
        held += np.diff([*cuts, stop]).tolist()
    return np.array(edges), np.array(held, dtype=np.float64)


class _Rows:
    """Serves squares, powers and, for every voltage and current, both parts against the fundamental."""

    def __init__(self, wiring: Wiring, read: Reader, cycles: Cycles) -> None:
        self.products = Products(wiring, read)
        self._wiring, self._read, self._cycles = wiring, read, cycles
        self.first_real = self.products.power_row(len(wiring.elements)) + 1
        self.n_sockets = len(wiring.sockets)
        self.n_rows = self.first_real + 2 * self.n_sockets

    def __call__(self, start: int, stop: int) -> FloatArray:
        x = jointly_valid(self._read(start, stop))
        products = self.products.of(x)
        turn = (2 * math.pi) * self._cycles.turns(np.arange(start, stop, dtype=np.float64))
        found = np.empty((self.n_rows, stop - start))
        found[: self.first_real] = products
        np.multiply(x, np.cos(turn), out=found[self.first_real : self.first_real + self.n_sockets])
        np.multiply(x, np.sin(turn), out=found[self.first_real + self.n_sockets :])
        return found


def _resolved(wiring: Wiring, rows: _Rows, means: FloatArray) -> tuple[dict[str, FloatArray], tuple[dict[str, FloatArray], ...]]:
    """Return the quantities of the whole and of each element."""
    products, n = rows.products, rows.n_sockets
    parts = means[rows.first_real :]
    phasors = np.asarray(wiring.extended(math.sqrt(2) * (parts[:n] - 1j * parts[n:])))
    names = wiring.names

    def first(row: Row) -> ComplexArray:
        return np.asarray(sum(share * phasors[names.index(name)] for name, share in row.items()))

    elements = []
    for k, e in enumerate(wiring.elements):
        u1, i1 = first({e.voltage: 1.0}), first({e.current: 1.0})
        made = _quantities(
            np.sqrt(means[products.row(e.voltage)]), np.sqrt(means[products.row(e.current)]), means[products.power_row(k)],
            np.abs(u1), np.abs(i1), u1 * np.conj(i1), 1,
        )  # fmt: skip
        elements.append(made)
    if len(elements) == 1:
        return elements[0], tuple(elements)
    p, s1 = np.sum([e["P"] for e in elements], axis=0), np.sum([e["P1"] + 1j * e["Q1"] for e in elements], axis=0)
    if wiring.effective is None:
        s = np.sum([e["S"] for e in elements], axis=0)
        return {"P": p, "S": s, "P1": s1.real, "Q1": s1.imag, "PF": _ratio(p, s)}, tuple(elements)
    derived = means[products.derived_rows()]
    neutral = means[products.row("iN")] if products.has("iN") else derived[6] if len(derived) > 6 else 0.0
    u_e, i_e = wiring.effective.of([e["U"] ** 2 for e in elements], derived[:3], derived[3:6], neutral)
    lines = [first(row) for row in wiring.line_voltages]
    amps = [first(row) for row in wiring.line_currents]
    of_neutral = {"iN": 1.0} if products.has("iN") else wiring.neutral
    i_n = np.abs(first(of_neutral)) ** 2 if of_neutral else 0.0
    u_lines, i_lines = ([np.abs(x) ** 2 for x in some] for some in (lines, amps))
    u_1, i_1 = wiring.effective.of([e["U1"] ** 2 for e in elements], u_lines, i_lines, i_n)
    total = _quantities(u_e, i_e, p, u_1, i_1, s1, 3)
    u_plus, u_minus, _ = sequences(phase_voltages(wiring, first))
    i_plus, i_minus, _ = sequences(amps)
    plus = 3 * u_plus * np.conj(i_plus)
    total |= {
        "P1_plus": plus.real,
        "Q1_plus": plus.imag,
        "S_U1": _rest(total["S1"], np.abs(plus)),
        "u2": _ratio(np.abs(u_minus), np.abs(u_plus)),
        "i2": _ratio(np.abs(i_minus), np.abs(i_plus)),
    }
    return total, tuple(elements)


def _quantities(
    u: FloatArray, i: FloatArray, p: FloatArray, u1: FloatArray, i1: FloatArray, s1: ComplexArray, phases: int
) -> dict[str, FloatArray]:
    """Return the resolution of apparent power, single-phase or effective."""
    s, first = phases * u * i, phases * u1 * i1
    u_h, i_h = _rest(u, u1), _rest(i, i1)
    s_h, p_h = phases * u_h * i_h, p - s1.real
    return {
        "U": u, "I": i, "P": p, "S": s, "PF": _ratio(p, s), "N": _rest(s, p), "U1": u1, "I1": i1, "P1": s1.real, "Q1": s1.imag,
        "S1": first, "P_H": p_h, "S_N": _rest(s, first), "D_I": phases * u1 * i_h, "D_V": phases * u_h * i1, "S_H": s_h,
        "D_H": _rest(s_h, p_h), "distortion_u": _ratio(u_h, u1), "distortion_i": _ratio(i_h, i1),
    }  # fmt: skip


def _rest(whole: FloatArray, part: FloatArray) -> FloatArray:
    left = whole**2 - part**2
    return np.asarray(np.sqrt(np.where(left > _ROUNDING * whole**2, left, np.where(np.isnan(left), np.nan, 0.0))))


def _ratio(a: FloatArray, b: FloatArray) -> FloatArray:
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(np.where(b > 0, a / b, np.nan))
