"""Fundamental phasors of a connection, and what three phases come to: symmetrical components and their powers."""

import math
from collections.abc import Callable

import msgspec
import numpy as np

from pantelos.power.quantities import PowerReading, rest, unbalance_of_lines
from pantelos.power.wirings import Wiring
from pantelos.power.wirings.wiring import Row
from pantelos.signal.arrays import ComplexArray, FloatArray

_TURN = np.exp(2j * math.pi / 3)


class SystemPower(msgspec.Struct, frozen=True):
    """What three phases come to by their fundamentals (IEEE 1459 clause 3.2, IEC 61000-4-30 clause 5.7); rms, SI units."""

    voltages: tuple[float, float, float]  # positive, negative, zero sequence, V; zero is NaN where no neutral is measured
    currents: tuple[float, float, float]  # A
    angle_u1: float  # of the positive sequence of the voltages against L1, as measured or of the virtual star, rad
    P1_plus: float  # W, of the positive sequences
    Q1_plus: float  # var
    S_U1: float  # unbalance power, VA
    lines: tuple[float, float, float]  # fundamental line voltages, V
    deviation_u: float  # largest deviation of a line voltage from their mean, a share of it

    @property
    def S1_plus(self) -> float:
        """Positive-sequence apparent power, VA."""
        return 3 * self.voltages[0] * self.currents[0]

    @property
    def PF1_plus(self) -> float:
        """P1+ over S1+."""
        return self.P1_plus / self.S1_plus if self.S1_plus > 0 else math.nan

    @property
    def u2(self) -> float:
        """Negative over positive sequence of the voltages, a ratio."""
        return self.voltages[1] / self.voltages[0] if self.voltages[0] > 0 else math.nan

    @property
    def u0(self) -> float:
        """Zero over positive sequence of the voltages, a ratio."""
        return self.voltages[2] / self.voltages[0] if self.voltages[0] > 0 else math.nan

    @property
    def i2(self) -> float:
        """Negative over positive sequence of the currents, a ratio."""
        return self.currents[1] / self.currents[0] if self.currents[0] > 0 else math.nan

    @property
    def i0(self) -> float:
        """Zero over positive sequence of the currents, a ratio."""
        return self.currents[2] / self.currents[0] if self.currents[0] > 0 else math.nan

    @property
    def u2_of_lines(self) -> float:
        """The same as u2 from the three fundamental line voltages alone."""
        return unbalance_of_lines(*self.lines)


class Fundamentals(msgspec.Struct, frozen=True, eq=False):
    """Rms phasors per window of all that elements are made of."""

    names: tuple[str, ...]
    phasors: ComplexArray  # (n_windows, n_names)
    weights: FloatArray  # (n_windows,), cycles

    def of(self, row: Row) -> ComplexArray:
        """Return the phasor of a linear map per window, (n_windows,)."""
        return np.asarray(sum(share * self.phasors[:, self.names.index(name)] for name, share in row.items()))

    def rms_of(self, row: Row) -> float:
        """Return the rms of a linear map over all windows."""
        return self._rms(self.of(row))

    def product(self, voltage: str, current: str) -> complex:
        """Return the mean of U_1 conj(I_1), VA."""
        return self._mean(self.of({voltage: 1.0}) * np.conj(self.of({current: 1.0})))

    def _rms(self, phasors: ComplexArray) -> float:
        return math.sqrt(float(np.average(np.abs(phasors) ** 2, weights=self.weights)))

    def _mean(self, products: ComplexArray) -> complex:
        return complex(np.average(products, weights=self.weights))

    def system(self, wiring: Wiring, total: PowerReading) -> SystemPower:
        """Return what the fundamentals of a three-phase connection come to."""
        lines, phases = [self.of(row) for row in wiring.line_voltages], phase_voltages(wiring, self.of)
        to_neutral = wiring.wires == 4
        amps = [self.of(row) for row in wiring.line_currents]
        u, i = sequences(phases), sequences(amps)
        plus = 3 * self._mean(u[0] * np.conj(i[0]))
        sizes = [self._rms(line) for line in lines]
        mean = sum(sizes) / 3
        s1_plus = 3 * self._rms(u[0]) * self._rms(i[0])
        return SystemPower(
            (self._rms(u[0]), self._rms(u[1]), self._rms(u[2]) if to_neutral else math.nan),
            (self._rms(i[0]), self._rms(i[1]), self._rms(i[2])),
            float(np.angle(self._mean(u[0] * np.conj(phases[0])))) if np.isfinite(u[0]).all() else math.nan,
            plus.real,
            plus.imag,
            rest(total.S1, s1_plus),
            (sizes[0], sizes[1], sizes[2]),
            max(abs(size - mean) for size in sizes) / mean if mean > 0 else math.nan,
        )


def phase_voltages(wiring: Wiring, of: Callable[[Row], ComplexArray]) -> list[ComplexArray]:
    """Return the phasors of the phase voltages: to the neutral, else to the virtual star without zero sequence."""
    if wiring.wires == 4:
        return [of({element.voltage: 1.0}) for element in wiring.elements]
    u12, u23, u31 = (of(row) for row in wiring.line_voltages)
    return [(u12 - u31) / 3, (u23 - u12) / 3, (u31 - u23) / 3]


def sequences(phases: list[ComplexArray]) -> tuple[ComplexArray, ComplexArray, ComplexArray]:
    """Return positive, negative and zero sequence of three phasors, (n,) each (C. L. Fortescue 1918)."""
    a, b, c = phases
    return (a + _TURN * b + _TURN**2 * c) / 3, (a + _TURN**2 * b + _TURN * c) / 3, (a + b + c) / 3
