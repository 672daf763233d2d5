"""Power quantities of one element and of a three-phase whole, from means and fundamental phasors.

One algebra for one window and for many pieces: every value is a number, or an array with a number per piece.

Source: IEEE 1459, single-phase and three-phase clauses; symbols of ISO 80000-6. The column Q1 is the
fundamental reactive power (signed, inductive positive); N is the non-active power. No sum of reactive
powers over the orders is formed: its terms cancel without meaning.
"""

import math
from typing import Any, TypeAlias

import msgspec
import numpy as np

from pantelos.signal.harmonics.sequences import over, plain

Amount: TypeAlias = Any  # a float, or an array (n_pieces,) of them
_ROUNDING = 1e-12  # of the square: less is what the difference of two squares leaves


def rest(whole: Amount, part: Amount) -> Amount:
    """Return sqrt(whole² - part²); nothing where the difference is rounding."""
    left = np.square(whole) - np.square(part)
    kept = np.where(left > _ROUNDING * np.square(whole), left, np.where(np.isnan(left), np.nan, 0.0))
    return plain(np.sqrt(kept))


def unless(low: Amount, value: Amount) -> Amount:
    """Return a value, NaN where its channel is too small for it to mean anything."""
    return plain(np.where(low, np.nan, value))


class PowerReading(msgspec.Struct, frozen=True):
    """Power of one element or of a whole connection; rms values and SI units: numbers of one window, or arrays over pieces."""

    U: Amount  # V
    I: Amount  # A
    P: Amount  # W, positive into the load
    S: Amount  # VA
    P1: Amount = math.nan  # W
    Q1: Amount = math.nan  # var
    low: Any = False  # voltage or current too small against its range for ratios and angles
    U1: Amount = math.nan  # V, rms of the fundamental
    I1: Amount = math.nan  # A
    phases: int = 1  # 3 where U and I are effective values of three phases

    @property
    def U_H(self) -> Amount:
        """Rms of all but the fundamental, DC included, V."""
        return rest(self.U, self.U1)

    @property
    def I_H(self) -> Amount:
        """Rms of all but the fundamental, DC included, A."""
        return rest(self.I, self.I1)

    @property
    def S1(self) -> Amount:
        """Fundamental apparent power, VA."""
        return self.phases * self.U1 * self.I1

    @property
    def S_N(self) -> Amount:
        """Non-fundamental apparent power, VA: its square is that of D_I, D_V and S_H together."""
        return rest(self.S, self.S1)

    @property
    def D_I(self) -> Amount:
        """Current distortion power, var."""
        return self.phases * self.U1 * self.I_H

    @property
    def D_V(self) -> Amount:
        """Voltage distortion power, var."""
        return self.phases * self.U_H * self.I1

    @property
    def S_H(self) -> Amount:
        """Harmonic apparent power, VA."""
        return self.phases * self.U_H * self.I_H

    @property
    def P_H(self) -> Amount:
        """Power of all but the fundamental, DC included, W."""
        return self.P - self.P1

    @property
    def D_H(self) -> Amount:
        """Harmonic distortion power, var."""
        return rest(self.S_H, self.P_H)

    @property
    def pollution(self) -> Amount:
        """S_N over S1, a ratio."""
        return unless(self.low, over(self.S_N, self.S1))

    @property
    def I_a(self) -> Amount:
        """Active current P/U, A, signed."""
        return unless(self.low, over(self.P, self.phases * self.U))

    @property
    def I_na(self) -> Amount:
        """Non-active current, A."""
        return rest(self.I, self.I_a)

    @property
    def distortion_U(self) -> Amount:
        """U_H over U1, a ratio: all that is not the fundamental, DC and what lies between the orders included."""
        return unless(self.low, over(self.U_H, self.U1))

    @property
    def distortion_I(self) -> Amount:
        """I_H over I1, a ratio."""
        return unless(self.low, over(self.I_H, self.I1))

    @property
    def N(self) -> Amount:
        """Non-active power sqrt(S^2 - P^2), var, unsigned."""
        return rest(self.S, self.P)

    @property
    def Q_tot(self) -> Amount:
        """Non-active power with the sign of Q1 ("signed N"), var."""
        return plain(np.copysign(self.N, self.Q1) + 0.0 * np.asarray(self.Q1))

    @property
    def PF(self) -> Amount:
        """Power factor P/S with the sign of P; NaN at zero current."""
        return unless(self.low, np.clip(over(self.P, self.S), -1.0, 1.0))

    @property
    def DPF(self) -> Amount:
        """Displacement power factor cos phi1; NaN without a fundamental."""
        return unless(self.low, over(self.P1, np.hypot(self.P1, self.Q1)))

    @property
    def phi1(self) -> Amount:
        """Phase angle of the fundamental, degrees in (-180, 180], positive when the current lags."""
        nothing = ~(np.hypot(self.P1, self.Q1) > 0)
        return unless(np.asarray(self.low) | nothing, np.degrees(np.arctan2(self.Q1, self.P1)))


def element_power(
    u: Amount,
    i: Amount,
    p: Amount,
    s1: Amount = complex(math.nan, math.nan),
    low: Any = False,
    first: tuple[Amount, Amount] = (math.nan, math.nan),
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
