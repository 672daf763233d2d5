"""Power quantities of one element and of a three-phase whole, from means and fundamental phasors.

Source: IEEE 1459, single-phase and three-phase clauses; symbols of ISO 80000-6. The column Q1 is the
fundamental reactive power (signed, inductive positive); N is the non-active power. No sum of reactive
powers over the orders is formed: its terms cancel without meaning.
"""

import cmath
import math

import msgspec


class PowerReading(msgspec.Struct, frozen=True):
    """Power of one element or of a whole connection over one window; rms values and SI units."""

    U: float  # V
    I: float  # A
    P: float  # W, positive into the load
    S: float  # VA
    P1: float = math.nan  # W
    Q1: float = math.nan  # var
    low: bool = False  # voltage or current too small against its range for ratios and angles

    @property
    def N(self) -> float:
        """Non-active power sqrt(S^2 - P^2), var, unsigned."""
        return math.sqrt(max(self.S**2 - self.P**2, 0.0))

    @property
    def Q_tot(self) -> float:
        """Non-active power with the sign of Q1 ("signed N"), var."""
        return math.copysign(self.N, self.Q1) if math.isfinite(self.Q1) else math.nan

    @property
    def PF(self) -> float:
        """Power factor P/S with the sign of P; NaN at zero current."""
        return min(max(self.P / self.S, -1.0), 1.0) if self.S > 0 and not self.low else math.nan

    @property
    def DPF(self) -> float:
        """Displacement power factor cos phi1; NaN without a fundamental."""
        s1 = math.hypot(self.P1, self.Q1)
        return self.P1 / s1 if s1 > 0 and not self.low else math.nan

    @property
    def phi1(self) -> float:
        """Phase angle of the fundamental, degrees in (-180, 180], positive when the current lags."""
        if self.low or not math.hypot(self.P1, self.Q1) > 0:
            return math.nan
        return math.degrees(math.atan2(self.Q1, self.P1))


def element_power(u: float, i: float, p: float, s1: complex = complex(math.nan, math.nan), low: bool = False) -> PowerReading:
    """Return the power of one element.

    Parameters
    ----------
    u, i : rms, V and A, mean and all orders included
    p : mean of the product of samples, W; never the product of means
    s1 : U_1 conj(I_1), VA; NaN for DC
    low : u or i is too small against its range for ratios and angles to mean anything
    """
    return PowerReading(U=u, I=i, P=p, S=u * i, P1=s1.real, Q1=s1.imag, low=low)


class Effective(msgspec.Struct, frozen=True):
    """Effective voltage and current of a three-phase connection (IEEE 1459, rho = xi = 1)."""

    U_e: float
    I_e: float

    @property
    def S_e(self) -> float:
        """Effective apparent power, VA."""
        return 3 * self.U_e * self.I_e


def effective_four_wire(u: list[float], u_line: list[float], i: list[float], i_n: float) -> Effective:
    """Return U_e and I_e from rms values: phase and line voltages, phase currents, neutral current."""
    u_e = math.sqrt((3 * sum(x**2 for x in u) + sum(x**2 for x in u_line)) / 18)
    return Effective(u_e, math.sqrt((sum(x**2 for x in i) + i_n**2) / 3))


def effective_three_wire(u_line: list[float], i: list[float]) -> Effective:
    """Return U_e and I_e from rms line voltages and line currents."""
    return Effective(math.sqrt(sum(x**2 for x in u_line) / 9), math.sqrt(sum(x**2 for x in i) / 3))


class Sequence(msgspec.Struct, frozen=True):
    """Symmetrical components of three fundamental phasors, rms."""

    zero: complex
    positive: complex
    negative: complex

    @property
    def unbalance(self) -> float:
        """Negative over positive sequence, ratio; NaN without a positive sequence."""
        return abs(self.negative) / abs(self.positive) if abs(self.positive) > 0 else math.nan

    @property
    def order(self) -> str:
        """`123`, `132` or `undetermined`."""
        if abs(self.positive) > 2 * abs(self.negative):
            return "123"
        return "132" if abs(self.negative) > 2 * abs(self.positive) else "undetermined"


def symmetrical_components(a: complex, b: complex, c: complex) -> Sequence:
    """Return zero, positive and negative sequence of three phasors (IEC 61000-4-30, clause on unbalance)."""
    turn = cmath.exp(2j * math.pi / 3)
    return Sequence((a + b + c) / 3, (a + turn * b + turn**2 * c) / 3, (a + turn**2 * b + turn * c) / 3)
