"""Power quantities of one element and of a three-phase whole, from means and fundamental phasors.

Source: IEEE 1459, single-phase and three-phase clauses; symbols of ISO 80000-6. The column Q1 is the
fundamental reactive power (signed, inductive positive); N is the non-active power. No sum of reactive
powers over the orders is formed: its terms cancel without meaning.
"""

import cmath
import math
from typing import Any

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
    U1: float = math.nan  # V, rms of the fundamental
    I1: float = math.nan  # A
    phases: int = 1  # 3 where U and I are effective values of three phases

    @property
    def U_H(self) -> float:
        """Rms of all but the fundamental, DC included, V."""
        return rest(self.U, self.U1)

    @property
    def I_H(self) -> float:
        """Rms of all but the fundamental, DC included, A."""
        return rest(self.I, self.I1)

    @property
    def S1(self) -> float:
        """Fundamental apparent power, VA."""
        return self.phases * self.U1 * self.I1

    @property
    def S_N(self) -> float:
        """Non-fundamental apparent power, VA: its square is that of D_I, D_V and S_H together."""
        return rest(self.S, self.S1)

    @property
    def D_I(self) -> float:
        """Current distortion power, var."""
        return self.phases * self.U1 * self.I_H

    @property
    def D_V(self) -> float:
        """Voltage distortion power, var."""
        return self.phases * self.U_H * self.I1

    @property
    def S_H(self) -> float:
        """Harmonic apparent power, VA."""
        return self.phases * self.U_H * self.I_H

    @property
    def P_H(self) -> float:
        """Power of all but the fundamental, DC included, W."""
        return self.P - self.P1

    @property
    def D_H(self) -> float:
        """Harmonic distortion power, var."""
        return rest(self.S_H, self.P_H)

    @property
    def pollution(self) -> float:
        """S_N over S1, a ratio."""
        return self.S_N / self.S1 if self.S1 > 0 and not self.low else math.nan

    @property
    def I_a(self) -> float:
        """Active current P/U, A, signed."""
        return self.P / (self.phases * self.U) if self.U > 0 and not self.low else math.nan

    @property
    def I_na(self) -> float:
        """Non-active current, A."""
        return rest(self.I, self.I_a)

    @property
    def distortion_U(self) -> float:
        """U_H over U1, a ratio: all that is not the fundamental, DC and what lies between the orders included."""
        return self.U_H / self.U1 if self.U1 > 0 and not self.low else math.nan

    @property
    def distortion_I(self) -> float:
        """I_H over I1, a ratio."""
        return self.I_H / self.I1 if self.I1 > 0 and not self.low else math.nan

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


_ROUNDING = 1e-12  # of the square: less is what the difference of two squares leaves


def rest(whole: float, part: float) -> float:
    """Return sqrt(whole² - part²); nothing where the difference is rounding."""
    left = whole**2 - part**2
    return math.nan if math.isnan(left) else math.sqrt(left) if left > _ROUNDING * whole**2 else 0.0


def element_power(
    u: float,
    i: float,
    p: float,
    s1: complex = complex(math.nan, math.nan),
    low: bool = False,
    first: tuple[float, float] = (math.nan, math.nan),
) -> PowerReading:
    """Return the power of one element.

    Parameters
    ----------
    u, i : rms, V and A, mean and all orders included
    p : mean of the product of samples, W; never the product of means
    s1 : U_1 conj(I_1), VA; NaN for DC
    low : u or i is too small against its range for ratios and angles to mean anything
    first : rms of the fundamentals of voltage and current, V and A; NaN for DC
    """
    return PowerReading(U=u, I=i, P=p, S=u * i, P1=s1.real, Q1=s1.imag, low=low, U1=first[0], I1=first[1])


class EffectiveRule(msgspec.Struct, frozen=True):
    """How squares of rms values make U_e² and I_e² of three phases (IEEE 1459 clause 3.2, rho = xi = 1)."""

    phase: float  # share of each phase voltage
    line: float  # of each line voltage
    neutral: float  # of the neutral current; each line current counts a third

    def of(self, phases: Any, lines: Any, currents: Any, neutral: Any = 0.0) -> tuple[Any, Any]:
        """Return U_e and I_e from squares of rms values: three each, numbers or arrays (n,)."""
        u_squared = self.phase * sum(phases) + self.line * sum(lines)
        i_squared = sum(currents) / 3 + self.neutral * neutral
        return u_squared**0.5, i_squared**0.5


FOUR_WIRES = EffectiveRule(3 / 18, 1 / 18, 1 / 3)
THREE_WIRES = EffectiveRule(0.0, 1 / 9, 0.0)


def unbalance_of_lines(u12: float, u23: float, u31: float) -> float:
    """Return negative over positive sequence from three fundamental line voltages alone, rms, a ratio (IEC 61000-4-30, 5.7)."""
    squares = u12**2 + u23**2 + u31**2
    if not squares > 0:
        return math.nan
    beta = (u12**4 + u23**4 + u31**4) / squares**2
    q = math.sqrt(max(3 - 6 * beta, 0.0))
    return math.sqrt((1 - q) / (1 + q))


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
