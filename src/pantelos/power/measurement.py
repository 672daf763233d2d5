"""One pass over the samples of a wired connection: means, fundamental phasors, energy, per interval."""

import math

import msgspec
import numpy as np

from pantelos.power.fundamentals import Fundamentals, SystemPower
from pantelos.power.quantities import PowerReading, element_power
from pantelos.power.wirings import Wiring
from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import CHANGING, Window, evaluation_window, over_all_samples, window_means
from pantelos.signal.harmonics.harmonics import harmonic_orders
from pantelos.signal.harmonics.sequences import plain
from pantelos.signal.sums.integrals import parts_between, totals_between
from pantelos.signal.validity import MIN_COVERAGE, defined_between, given, jointly_valid, too_little


class Energy(msgspec.Struct, frozen=True):
    """Energy over an interval, J: received and returned, both at least 0, by the sign of what `method` says."""

    received: float
    returned: float
    method: str  # "sign of p" or "sign of P per cycle"
    span_s: float
    unmeasured_s: float = 0.0  # of the span: samples are missing there, and nothing is counted


class Closed(msgspec.Struct, frozen=True):
    """What is left of a sum that should be nothing: rms, and its share of the largest channel in it."""

    title: str
    rms: float
    share: float
    says: str


class ConnectionPower(msgspec.Struct, frozen=True):
    """Power and energy of each element and of the whole, and the window they belong to."""

    elements: tuple[PowerReading, ...]
    element_energies: tuple[Energy, ...]
    total: PowerReading
    total_energy: Energy
    S_A: float  # arithmetic apparent power, VA
    S_V: float  # vector apparent power of the fundamentals, VA
    window: Window
    coverage: float  # share of the window in which all channels are valid
    system: SystemPower | None = None  # of three phases
    closings: tuple[Closed, ...] = ()  # sums that should be nothing
    reference: str = ""  # the channel whose cycles count
    why_all: str = ""  # why there are no cycles

    @property
    def remarks(self) -> tuple[str, ...]:
        """What a review should know of these numbers; why they are not given, where they are not."""
        found = []
        if all(np.isnan(e.I) and not np.isnan(e.U) for e in self.elements):
            found.append("no current is placed: only what the voltages tell is given")
        if self.coverage < MIN_COVERAGE:
            found.append(f"not given: {too_little(self.coverage)}")
        elif self.coverage < 1:
            found.append(
                f"{100 * (1 - self.coverage):.3g} % of the samples are missing and left out; energy lacks "
                f"{self.total_energy.unmeasured_s:.6g} s"
            )
        if not self.window.n_cycles and (self.why_all or self.reference):
            found.append(over_all_samples(self.why_all, self.reference))
        if self.window.n_continued:
            found.append(f"{self.window.n_continued} of {self.window.n_cycles} cycles were not seen: the last period goes on")
        if self.window.n_gaps:
            found.append("the reference pauses inside")
        if self.window.change > CHANGING:
            found.append(
                f"the frequency changes by {100 * self.window.change:.0f} % inside: Q1, φ1 are means over cycles of "
                "different length"
            )
        return tuple(found)

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
    reference: tuple[str, str] = ("", ""),
) -> ConnectionPower:
    """Return power over the whole cycles of an interval and energy over all of it.

    Parameters
    ----------
    wiring : kind of connection
    read : callable (start, stop) -> array (n_sockets, n), V and A in the order of the sockets
    cycles : of the reference channel; None for DC
    start, stop : interval in samples
    thresholds : array (n_sockets,), rms below which ratios and angles of a channel are not given
    reference : the channel whose cycles they are, and why there are none
    """
    progress = progress or Progress()
    defined = defined_between(read, start, stop, n_samples)
    if defined[1] - defined[0] >= MIN_COVERAGE * (stop - start):
        start, stop = defined
    window = evaluation_window(cycles if wiring.alternating else None, start, stop)
    products = Products(wiring, read)
    means, shares = window_means(products, window, n_samples, progress.part(0.0, 0.4))
    coverage = float(shares[0])
    means = given(means, np.full_like(means, coverage))
    energies = _energies(products, n_samples, rate_hz, cycles, window, (start, stop), progress.part(0.4, 0.7))
    first = fundamentals_over(wiring, read, n_samples, window, cycles, progress.part(0.7, 1.0))
    elements, total = resolved(wiring, products, means, first, thresholds)
    return ConnectionPower(
        elements,
        energies[:-1],
        total,
        energies[-1],
        S_A=math.fsum(e.S for e in elements),
        S_V=math.hypot(total.P1, total.Q1),
        window=window,
        coverage=coverage,
        system=first.system(wiring, total) if wiring.three_phase else None,
        closings=_closings(wiring, products, np.sqrt(np.maximum(means, 0.0))),
        reference=reference[0],
        why_all=reference[1],
    )


class Products:
    """Serves squares of all voltages and currents that matter and the power of each element, row by row."""

    def __init__(self, wiring: Wiring, read: Reader) -> None:
        self._wiring, self._read = wiring, read
        self._names = wiring.names
        rows = wiring.line_voltages + wiring.line_currents + ((wiring.neutral,) if wiring.neutral else ())
        self._n_derived = len(rows)
        rows += tuple(closing.row for closing in wiring.closings)
        self._map = wiring.matrix(rows) if rows else None
        self.n_squares = len(self._names) + len(rows)

    @property
    def has_powers(self) -> bool:
        """Whether there are currents beside the voltages."""
        return self._wiring.has_currents

    def has(self, socket: str) -> bool:
        """Whether that socket carries a channel."""
        return socket in self._names

    def row(self, name: str) -> int:
        """Row of the square of a socket's channel, or of what is made of some."""
        return self._names.index(name)

    def derived_rows(self) -> slice:
        """Rows of the squares of line voltages, line currents and neutral current, in this order."""
        return slice(len(self._names), len(self._names) + self._n_derived)

    def closing_rows(self) -> slice:
        """Rows of the squares of sums that should be nothing."""
        return slice(len(self._names) + self._n_derived, self.n_squares)

    def power_row(self, element: int) -> int:
        """Row of the power of an element."""
        return self.n_squares + element

    def __call__(self, start: int, stop: int) -> FloatArray:
        """Return all rows of samples start to stop, shape (n_rows, n)."""
        return self.of(jointly_valid(self._read(start, stop)))

    def of(self, x: FloatArray) -> FloatArray:
        """Return all rows of samples of the sockets (n_sockets, n), valid in all of them or in none, shape (n_rows, n)."""
        whole = self._wiring.extended(x)
        parts = [whole * whole]
        if self._map is not None:
            parts.append((self._map @ x) ** 2)
        return np.concatenate([*parts, self._powers(whole)])

    def powers(self, start: int, stop: int) -> FloatArray:
        """Return p of each element and their sum, shape (n_elements + 1, n)."""
        return self._powers(self._wiring.extended(jointly_valid(self._read(start, stop))))

    def _powers(self, x: FloatArray) -> FloatArray:
        p = np.array([x[self.row(e.voltage)] * x[self.row(e.current)] for e in self._wiring.elements])
        return np.concatenate([p, p.sum(axis=0, keepdims=True)])


def _energies(
    products: Products,
    n_samples: int,
    rate_hz: float,
    cycles: Cycles | None,
    window: Window,
    interval: tuple[float, float],
    progress: Progress,
) -> tuple[Energy, ...]:
    """Return the energy over the whole interval of each element and of their sum, not given where too much is missing.

    Broken cycles at the ends go with the whole cycle beside them: alone, the sign of their P says nothing about direction.
    """
    start, stop = max(interval[0], 0.0), min(interval[1], n_samples - 1.0)
    span_s = max(stop - start, 0.0) / rate_hz
    stop = max(stop, start)
    of_all = totals_between(products.powers, np.array([start]), np.array([stop]), n_samples, smooth=False)
    share = float(of_all.shares.min())
    lost_s = (1 - share) * span_s if products.has_powers else 0.0
    crossings, whole = cycles.between(start, stop) if cycles is not None and window.n_cycles else (np.zeros(0), np.zeros(0, bool))
    if not whole.any():
        parts = parts_between(products.powers, np.array([start]), np.array([stop]), n_samples)
        pairs, method = np.stack(parts)[..., 0] / rate_hz, "sign of p"
    else:
        edges = np.concatenate([[start], crossings, [stop]])
        found = totals_between(products.powers, edges[:-1], edges[1:], n_samples, smooth=False, progress=progress)
        steps = found.integrals / rate_hz
        steps[..., 1] += steps[..., 0]
        steps[..., -2] += steps[..., -1]
        steps = steps[..., 1:-1]
        pairs = np.stack([np.maximum(steps, 0).sum(axis=-1), np.maximum(-steps, 0).sum(axis=-1)])
        method = "sign of P per cycle"
    pairs = given(pairs, np.full_like(pairs, share))
    return tuple(Energy(float(a), float(b), method, span_s, lost_s) for a, b in pairs.T)


def resolved(
    wiring: Wiring, products: Products, means: FloatArray, first: Fundamentals, thresholds: FloatArray
) -> tuple[tuple[PowerReading, ...], PowerReading]:
    """Return the powers of each element and of the whole, from the means of `products` (n_rows,) or (n_rows, n_pieces)."""
    rms = np.sqrt(np.maximum(means, 0.0))
    least = np.abs(wiring.extended(np.diag(thresholds))).sum(axis=1)
    elements = []
    for k, e in enumerate(wiring.elements):
        u, i = products.row(e.voltage), products.row(e.current)
        low = (rms[u] < least[u]) | (rms[i] < least[i])
        firsts = first.rms_of({e.voltage: 1.0}), first.rms_of({e.current: 1.0})
        u_rms, i_rms, p = (plain(x) for x in (rms[u], rms[i], means[products.power_row(k)]))
        elements.append(element_power(u_rms, i_rms, p, first.product(e.voltage, e.current), plain(low), firsts))
    return tuple(elements), _total(wiring, products, rms, tuple(elements), first)


def fundamentals_over(
    wiring: Wiring, read: Reader, n_samples: int, window: Window, cycles: Cycles | None, progress: Progress
) -> Fundamentals:
    """Return the fundamental phasors of all that elements are made of; none without cycles."""
    if cycles is None or not window.n_cycles or not wiring.alternating:
        return Fundamentals(wiring.names, np.full((1, len(wiring.names)), np.nan + 0j), np.ones(1))
    orders = harmonic_orders(read, n_samples, window, cycles, 1, progress)
    return Fundamentals(wiring.names, np.asarray(wiring.extended(orders.phasors[:, :, 1].T).T), orders.weights)


def _total(
    wiring: Wiring, products: Products, rms: FloatArray, elements: tuple[PowerReading, ...], first: Fundamentals
) -> PowerReading:
    """Return the total: powers are summed, apparent power is the effective one of IEEE 1459; arithmetic where none is defined."""
    if len(elements) == 1:
        return elements[0]
    p, p1, q1 = (sum(getattr(e, name) for e in elements) for name in ("P", "P1", "Q1"))
    low = np.all([e.low for e in elements], axis=0)
    if wiring.effective is None:
        return PowerReading(U=math.nan, I=math.nan, P=p, S=sum(e.S for e in elements), P1=p1, Q1=q1, low=plain(low))
    derived = [plain(x) ** 2 for x in rms[products.derived_rows()]]
    neutral = plain(rms[products.row("iN")]) ** 2 if products.has("iN") else sum(derived[6:])
    u_e, i_e = wiring.effective.of([e.U**2 for e in elements], derived[:3], derived[3:6], neutral)
    lines = [first.rms_of(row) ** 2 for row in (*wiring.line_voltages, *wiring.line_currents)]
    of_neutral = {"iN": 1.0} if products.has("iN") else wiring.neutral
    neutral = first.rms_of(of_neutral) ** 2 if of_neutral else 0.0
    u_1, i_1 = wiring.effective.of([e.U1**2 for e in elements], lines[:3], lines[3:], neutral)
    return PowerReading(U=u_e, I=i_e, P=p, S=3 * u_e * i_e, P1=p1, Q1=q1, low=plain(low), U1=u_1, I1=i_1, phases=3)


def _closings(wiring: Wiring, products: Products, rms: FloatArray) -> tuple[Closed, ...]:
    """Return what is left of sums that should be nothing."""
    found = []
    for closing, left in zip(wiring.closings, rms[products.closing_rows()].tolist(), strict=True):
        largest = max(float(rms[products.row(name)]) for name in closing.sockets or closing.row)
        found.append(Closed(closing.title, left, left / largest if largest > 0 else math.nan, closing.says))
    return tuple(found)
