"""One pass over the samples of a wired connection: means, fundamental phasors, energy, per interval."""

import math
from dataclasses import dataclass

import numpy as np

from pantelos.power.quantities import Effective, PowerReading, effective_four_wire, effective_three_wire, element_power
from pantelos.power.wiring import Wiring
from pantelos.progress import Progress
from pantelos.signal.arrays import ComplexArray, FloatArray, Reader
from pantelos.signal.cycles import Cycles
from pantelos.signal.harmonics import harmonic_orders
from pantelos.signal.integrals import integral_at, received_and_returned
from pantelos.signal.statistics import window_means
from pantelos.signal.window import Window, evaluation_window

# Below this share of valid samples a mean is not given (our choice, no standard).
MIN_COVERAGE = 0.95


@dataclass(frozen=True, slots=True)
class Energy:
    """Energy over an interval, J: received and returned, both at least 0, by the sign of what `method` says."""

    received: float
    returned: float
    method: str  # "sign of p" or "sign of P per cycle"
    span_s: float


@dataclass(frozen=True, slots=True)
class ConnectionPower:
    """Power and energy of each element and of the whole, and the window they belong to."""

    elements: tuple[PowerReading, ...]
    element_energies: tuple[Energy, ...]
    total: PowerReading
    total_energy: Energy
    S_A: float  # arithmetic apparent power, VA
    S_V: float  # vector apparent power of the fundamentals, VA
    window: Window
    coverage: float  # share of the window in which all channels are valid

    @property
    def several(self) -> bool:
        """Whether a total over several elements exists."""
        return len(self.elements) > 1


def measure_connection(
    wiring: Wiring,
    read: Reader,
    n_samples: int,
    rate_hz: float,
    cycles: Cycles | None,
    start: float,
    stop: float,
    thresholds: FloatArray,
    progress: Progress | None = None,
) -> ConnectionPower:
    """Return power over the whole cycles of an interval and energy over all of it.

    Parameters
    ----------
    wiring : kind of connection
    read : callable (start, stop) -> array (n_sockets, n), V and A in the order of the sockets
    cycles : of the reference channel; None for DC
    start, stop : interval in samples
    thresholds : array (n_sockets,), rms below which ratios and angles of a channel are not given
    """
    progress = progress or Progress()
    window = evaluation_window(cycles if wiring.alternating else None, start, stop)
    products = _Products(wiring, read)
    means, shares = window_means(products, window, n_samples, progress.part(0.0, 0.4))
    coverage = float(shares[0])
    if not coverage >= MIN_COVERAGE:
        means = np.full_like(means, math.nan)
    energies = _energies(products, n_samples, rate_hz, cycles, window, (start, stop), progress.part(0.4, 0.7))
    fundamentals = _fundamental_products(wiring, read, n_samples, window, cycles, progress.part(0.7, 1.0))
    rms = np.sqrt(np.maximum(means, 0.0))
    elements = tuple(
        element_power(float(rms[products.row(e.voltage)]), float(rms[products.row(e.current)]),
                      float(means[products.power_row(k)]), complex(fundamentals[k]),
                      any(rms[products.row(s)] < thresholds[products.row(s)] for s in (e.voltage, e.current)))
        for k, e in enumerate(wiring.elements)
    )  # fmt: skip
    total = _total(wiring, products, rms, elements)
    return ConnectionPower(
        elements, energies[:-1], total, energies[-1],
        S_A=math.fsum(e.S for e in elements), S_V=math.hypot(total.P1, total.Q1), window=window,
        coverage=coverage,
    )  # fmt: skip


class _Products:
    """Serves squares of all voltages and currents that matter and the power of each element, row by row."""

    def __init__(self, wiring: Wiring, read: Reader) -> None:
        self._wiring, self._read = wiring, read
        self._sockets = [socket.name for socket in wiring.sockets]
        rows = wiring.line_voltages + wiring.line_currents + ((wiring.neutral,) if wiring.neutral else ())
        self._map = wiring.matrix(rows) if rows else None
        self.n_squares = len(self._sockets) + len(rows)

    def has(self, socket: str) -> bool:
        """Whether that socket carries a channel."""
        return socket in self._sockets

    def row(self, socket: str) -> int:
        """Row of the square of a socket's channel."""
        return self._sockets.index(socket)

    def derived_rows(self) -> slice:
        """Rows of the squares of line voltages, line currents and neutral current, in this order."""
        return slice(len(self._sockets), self.n_squares)

    def power_row(self, element: int) -> int:
        """Row of the power of an element."""
        return self.n_squares + element

    def __call__(self, start: int, stop: int) -> FloatArray:
        x = self._read(start, stop)
        missing = np.isnan(x.sum(axis=0))
        if missing.any():  # an instant counts only where every channel of the connection is valid
            x = np.where(missing, np.nan, x)
        parts = [x * x]
        if self._map is not None:
            parts.append((self._map @ x) ** 2)
        return np.concatenate([*parts, self._powers(x)])

    def powers(self, start: int, stop: int) -> FloatArray:
        """Return p of each element and their sum, shape (n_elements + 1, n)."""
        return self._powers(self._read(start, stop))

    def _powers(self, x: FloatArray) -> FloatArray:
        p = np.array([x[self.row(e.voltage)] * x[self.row(e.current)] for e in self._wiring.elements])
        return np.concatenate([p, p.sum(axis=0, keepdims=True)])


def _energies(
    products: _Products,
    n_samples: int,
    rate_hz: float,
    cycles: Cycles | None,
    window: Window,
    interval: tuple[float, float],
    progress: Progress,
) -> tuple[Energy, ...]:
    """Return the energy over the whole interval of each element and of their sum."""
    start, stop = interval
    span_s = (min(stop, n_samples - 1) - start) / rate_hz
    if not window.n_cycles or cycles is None:
        first, end = window.first, min(window.end + 1, n_samples)
        received, returned = received_and_returned(products.powers, first, end)
        return tuple(Energy(float(a), float(b), "sign of p", span_s)
                     for a, b in zip(received / rate_hz, returned / rate_hz, strict=True))  # fmt: skip
    positions = np.unique(np.concatenate([[start, stop], cycles.between(start, stop)[0]]))
    totals, _ = integral_at(products.powers, positions, n_samples, progress)
    steps = np.diff(totals / rate_hz, axis=-1)  # one per cycle, and the broken ones at the ends
    return tuple(
        Energy(float(row[row > 0].sum()), abs(float(row[row < 0].sum())), "sign of P per cycle", span_s) for row in steps
    )


def _fundamental_products(
    wiring: Wiring, read: Reader, n_samples: int, window: Window, cycles: Cycles | None, progress: Progress
) -> ComplexArray:
    """Return U_1 conj(I_1) of each element, VA; NaN without cycles."""
    if cycles is None or not window.n_cycles or not wiring.alternating:
        return np.full(len(wiring.elements), complex(math.nan, math.nan))
    names = [socket.name for socket in wiring.sockets]
    orders = harmonic_orders(read, n_samples, window, cycles, 1, progress)
    first = orders.phasors[:, :, 1]
    return np.array([orders.mean_product(first[:, names.index(e.voltage)], first[:, names.index(e.current)])
                     for e in wiring.elements])  # fmt: skip


def _total(wiring: Wiring, products: _Products, rms: FloatArray, elements: tuple[PowerReading, ...]) -> PowerReading:
    """Return the total: powers are summed, apparent power is the effective one of IEEE 1459."""
    if not wiring.three_phase:
        return elements[0]
    derived = [float(x) for x in rms[products.derived_rows()]]
    u_line, i_line = derived[:3], derived[3:6]
    effective: Effective
    if wiring.wires == 4:
        i_n = float(rms[products.row("iN")]) if products.has("iN") else derived[6]
        effective = effective_four_wire([e.U for e in elements], u_line, i_line, i_n)
    else:
        effective = effective_three_wire(u_line, i_line)
    return PowerReading(
        U=effective.U_e, I=effective.I_e, S=effective.S_e,
        P=math.fsum(e.P for e in elements), P1=math.fsum(e.P1 for e in elements), Q1=math.fsum(e.Q1 for e in elements),
        low=all(e.low for e in elements),
    )  # fmt: skip
