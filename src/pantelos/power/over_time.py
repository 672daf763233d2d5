"""Powers of a connection piece by piece: per cycle, per 200 ms, per block of whole cycles, all of IEEE 1459 in one pass."""

import math
from collections.abc import Mapping
from typing import Annotated, TypeAlias

import msgspec
import numpy as np

from pantelos.amounts import amount, figure
from pantelos.errors import StudyError, clipped
from pantelos.power.fundamentals import Fundamentals, SystemPower
from pantelos.power.measurement import Products, fundamentals_over, resolved
from pantelos.power.quantities import PowerReading
from pantelos.power.wirings import Wiring
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.cycles.cycles import Cycles, unbroken
from pantelos.signal.cycles.window import Window, window_means
from pantelos.signal.sums.fractional_ends import REACH
from pantelos.signal.sums.integrals import totals_between
from pantelos.signal.validity import given, jointly_valid

_OF_SUMS = {name: name for name in ("P", "S", "P1", "Q1", "PF")}  # what of a whole without effective values is defined
_OF_ELEMENTS = {
    name: name
    for name in (
        "U", "I", "P", "S", "PF", "N", "U1", "I1", "P1", "Q1", "S1", "P_H", "S_N", "D_I", "D_V", "S_H", "D_H", "phi1", "DPF",
    )
} | {"distortion_u": "distortion_U", "distortion_i": "distortion_I"}  # fmt: skip
_OF_SYSTEMS = {name: name for name in ("P1_plus", "Q1_plus", "S_U1", "u2", "i2")}


Step: TypeAlias = Annotated[str, "cycle, or a time"]


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
    window: Window,
    edges: FloatArray,
    n_cycles: FloatArray,
    thresholds: FloatArray,
    progress: Progress | None = None,
) -> PowerOverTime:
    """Return the powers between edges (n_pieces + 1,), samples, that hold `n_cycles` (n_pieces,) whole cycles each.

    Means by trapezoids with fractional ends; fundamentals against the phase of the reference, from crossing to crossing.
    `window` is what they all lie in; `thresholds` (n_sockets,) are rms below which ratios and angles of a channel are not given.
    """
    progress = progress or Progress()
    kept = n_cycles > 0  # in a pause there is no cycle to give powers of
    if len(n_cycles) == 1:  # the window itself
        products = Products(wiring, read)
        of_window, share = window_means(products, window, n_samples, progress.part(0.0, 0.7))
        means = given(of_window, share)
        first = fundamentals_over(wiring, read, n_samples, window, cycles, progress.part(0.7, 1.0))
    else:
        read, n_samples = going_on(read, n_samples, window)
        rows = _Rows(wiring, read, cycles.smooth.beside(window.start, window.stop))
        products = rows.products
        found = totals_between(rows, edges[:-1], edges[1:], n_samples, within=window.within, progress=progress)
        means = given(found.means, found.shares)[:, kept]
        first = rows.fundamentals(means)
    elements, total = resolved(wiring, products, means, first, thresholds)
    system = first.system(wiring, total) if wiring.three_phase else None
    whole = _named(total, _OF_ELEMENTS if len(elements) == 1 or wiring.effective is not None else _OF_SUMS)
    if system is not None:
        whole |= _named(system, _OF_SYSTEMS)
    return PowerOverTime(
        edges[:-1][kept], edges[1:][kept], n_cycles[kept], whole, tuple(_named(e, _OF_ELEMENTS) for e in elements)
    )


def _named(of: PowerReading | SystemPower, names: Mapping[str, str]) -> dict[str, FloatArray]:
    return {name: np.atleast_1d(getattr(of, field)) for name, field in names.items()}


def cycles_of_step(every: Step, frequency_hz: float) -> int:
    """Return how many whole cycles a piece holds: of `cycle`, or those nearest to a time such as `200 ms`.

    Raises
    ------
    StudyError
        When it is neither.
    """
    if every.strip() == "cycle":
        return 1
    refused = "is no step; write cycle, or a time such as 200 ms."
    long = amount(every, "s", refused)
    if not long > 0 or not math.isnan(figure(every)):  # a figure alone may be meant in cycles
        raise StudyError(f'"{clipped(every)}" {refused}')
    return max(round(long * frequency_hz), 1)


def check_step(every: str) -> None:
    """Check that a step is one; raises `StudyError` where it is neither `cycle` nor a time."""
    cycles_of_step(every, 1.0)


def going_on(read: Reader, n_samples: int, window: Window) -> tuple[Reader, int]:
    """Return a reader, and how many samples it serves, of a record that goes on as it was one window earlier.

    Only behind a window of whole cycles that ends with the last sample period of the record: its last piece does, too.
    """
    if window.stop <= n_samples - 1 or not window.on_samples:
        return read, n_samples
    length, more = round(window.stop - window.start), 4 * REACH

    def served(start: int, stop: int) -> FloatArray:
        if stop <= n_samples:
            return read(start, stop)
        before = read(min(start, n_samples), n_samples)
        behind = read(max(start, n_samples) - length, stop - length)
        return np.concatenate([before, behind], axis=-1)

    return served, n_samples + min(more, length)


def every_cycles(cycles: Cycles, window: Window, n_cycles: int) -> tuple[FloatArray, FloatArray]:
    """Return edges (n + 1,), samples, and whole cycles (n,) of pieces within a window; the last one takes what is left over.

    Where the reference pauses, a piece of no cycle stands between the pieces of either side.
    """
    cycles = cycles.smooth.beside(window.start, window.stop)
    if window.n_gaps:
        return _between_pauses(cycles, window, n_cycles)
    count = max(window.n_cycles // n_cycles, 1)
    held = np.full(count, float(n_cycles))
    held[-1] = window.n_cycles - n_cycles * (count - 1)
    turns = np.concatenate([[0.0], np.cumsum(held)])
    edges = cycles.positions_after(window.start, turns)
    edges[0], edges[-1] = window.start, window.stop
    return edges, held


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

    def fundamentals(self, means: FloatArray) -> Fundamentals:
        """Return the phasors of each piece from its means, (n_rows, n_pieces)."""
        parts, n = means[self.first_real :], self.n_sockets
        phasors = self._wiring.extended(math.sqrt(2) * (parts[:n] - 1j * parts[n:]))
        return Fundamentals(self._wiring.names, np.asarray(phasors).T, np.ones(means.shape[1]), each=True)

    def __call__(self, start: int, stop: int) -> FloatArray:
        x = jointly_valid(self._read(start, stop))
        products = self.products.of(x)
        turn = (2 * math.pi) * self._cycles.turns(np.arange(start, stop, dtype=np.float64))
        found = np.empty((self.n_rows, stop - start))
        found[: self.first_real] = products
        np.multiply(x, np.cos(turn), out=found[self.first_real : self.first_real + self.n_sockets])
        np.multiply(x, np.sin(turn), out=found[self.first_real + self.n_sockets :])
        return found
