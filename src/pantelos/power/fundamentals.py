"""Fundamental phasors of a connection, and what three phases come to: symmetrical components and their powers."""

import math
from collections.abc import Callable

import msgspec
import numpy as np

from pantelos.power.quantities import Amount, PowerReading, rest, unbalance_of_lines
from pantelos.power.wirings import Wiring
from pantelos.power.wirings.wiring import Row
from pantelos.signal.arrays import ComplexArray, FloatArray
from pantelos.signal.harmonics.sequences import over, sequences


class SystemPower(msgspec.Struct, frozen=True):
    """What three phases come to by their fundamentals (IEEE 1459 clause 3.2, IEC 61000-4-30 clause 5.7); rms, SI units."""

    voltages: tuple[Amount, Amount, Amount]  # positive, negative, zero sequence, V; zero is NaN where no neutral is measured
    currents: tuple[Amount, Amount, Amount]  # A
    angle_u1: Amount  # of the positive sequence of the voltages against L1, as measured or of the virtual star, rad
    P1_plus: Amount  # W, of the positive sequences
    Q1_plus: Amount  # var
    S_U1: Amount  # unbalance power, VA
    lines: tuple[Amount, Amount, Amount]  # fundamental line voltages, V
    deviation_u: Amount  # largest deviation of a line voltage from their mean, a share of it

    @property
    def S1_plus(self) -> Amount:
        """Positive-sequence apparent power, VA."""
        return 3 * self.voltages[0] * self.currents[0]

    @property
    def PF1_plus(self) -> Amount:
        """P1+ over S1+."""
        return over(self.P1_plus, self.S1_plus)

    @property
    def u2(self) -> Amount:
        """Negative over positive sequence of the voltages, a ratio."""
        return over(self.voltages[1], self.voltages[0])

    @property
    def u0(self) -> Amount:
        """Zero over positive sequence of the voltages, a ratio."""
        return over(self.voltages[2], self.voltages[0])

    @property
    def i2(self) -> Amount:
        """Negative over positive sequence of the currents, a ratio."""
        return over(self.currents[1], self.currents[0])

    @property
    def i0(self) -> Amount:
        """Zero over positive sequence of the currents, a ratio."""
        return over(self.currents[2], self.currents[0])

    @property
    def u2_of_lines(self) -> float:
        """The same as u2 from the three fundamental line voltages alone."""
        return unbalance_of_lines(*self.lines)


class Fundamentals(msgspec.Struct, frozen=True, eq=False):
    """Rms phasors per window of all that elements are made of."""

    names: tuple[str, ...]
    phasors: ComplexArray  # (n_windows, n_names)
    weights: FloatArray  # (n_windows,), cycles
    each: bool = False  # a value per window is wanted, not one over all of them

    def of(self, row: Row) -> ComplexArray:
        """Return the phasor of a linear map per window, (n_windows,); NaN of one that is made of nothing."""
        if not row:
            return np.full(len(self.phasors), np.nan + 0j)
        return np.asarray(sum(share * self.phasors[:, self.names.index(name)] for name, share in row.items()))

    def rms_of(self, row: Row) -> Amount:
        """Return the rms of a linear map."""
        return self._rms(self.of(row))

    def product(self, voltage: str, current: str) -> Amount:
        """Return the mean of U_1 conj(I_1), VA."""
        return self._mean(self.of({voltage: 1.0}) * np.conj(self.of({current: 1.0})))

    def _rms(self, phasors: ComplexArray) -> Amount:
        if self.each:
            return np.abs(phasors)
        return math.sqrt(float(np.average(np.abs(phasors) ** 2, weights=self.weights)))

    def _mean(self, products: ComplexArray) -> Amount:
        if self.each:
            return products
        return complex(np.average(products, weights=self.weights))

    def system(self, wiring: Wiring, total: PowerReading) -> SystemPower:
        """Return what the fundamentals of a three-phase connection come to."""
        lines, phases = [self.of(row) for row in wiring.line_voltages], phase_voltages(wiring, self.of)
        to_neutral = wiring.wires == 4
        amps = [self.of(row) for row in wiring.line_currents]
        u, i = sequences(*phases), sequences(*amps)
        plus = 3 * self._mean(u.positive * np.conj(i.positive))
        sizes = [self._rms(line) for line in lines]
        mean = (sizes[0] + sizes[1] + sizes[2]) / 3
        s1_plus = 3 * self._rms(u.positive) * self._rms(i.positive)
        return SystemPower(
            (self._rms(u.positive), self._rms(u.negative), self._rms(u.zero) if to_neutral else math.nan),
            (self._rms(i.positive), self._rms(i.negative), self._rms(i.zero)),
            np.angle(self._mean(u.positive * np.conj(phases[0]))) if np.isfinite(u.positive).all() else math.nan,
            plus.real,
            plus.imag,
            rest(total.S1, s1_plus),
            (sizes[0], sizes[1], sizes[2]),
            over(np.max(np.abs(np.array(sizes) - mean), axis=0), mean),
        )


def phase_voltages(wiring: Wiring, of: Callable[[Row], ComplexArray]) -> list[ComplexArray]:
    """Return the phasors of the phase voltages: to the neutral, else to the virtual star without zero sequence."""
    if wiring.wires == 4:
        return [of({element.voltage: 1.0}) for element in wiring.elements]
    u12, u23, u31 = (of(row) for row in wiring.line_voltages)
    return [(u12 - u31) / 3, (u23 - u12) / 3, (u31 - u23) / 3]
