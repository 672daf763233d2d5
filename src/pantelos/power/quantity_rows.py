"""The power quantities: one row each, from which tables, explanations and budgets follow."""

import math
from collections.abc import Callable, Sequence
from enum import Enum

import msgspec

from pantelos.power.measurement import ConnectionPower, Energy
from pantelos.power.quantities import PowerReading
from pantelos.registry import Registry
from pantelos.units import Unit, unit


class AddsUp(Enum):
    """How the noise of the elements adds up in the total."""

    AS_SUM = "independent, as the quantity itself is a sum"
    AS_SHARE = "the largest share of any element"
    AS_LARGEST = "the largest amount of any element"


# From a reading, the noise of its voltage and current (rms per sample, SI) and the number of samples to what noise does to it.
Noise = Callable[[PowerReading, float, float, float], float]


class PowerQuantity(msgspec.Struct, frozen=True):
    """One quantity of an element or of a whole connection."""

    id: str
    title: str
    symbol: str  # of its unit; angles of powers are kept in degrees
    help: str
    value: Callable[[PowerReading, Energy], float]
    method: str = ""
    source: str = ""
    noise: Noise | None = None  # None: it has no budget of its own
    adds_up: AddsUp = AddsUp.AS_LARGEST

    @property
    def unit(self) -> Unit:
        """The unit its values are in."""
        return Unit(self.symbol) if self.symbol == "°" else unit(self.symbol or "1")

    def noise_of_total(self, shares: Sequence[tuple[float, float]], total: float) -> float:
        """Return what noise does to the total, from (noise, value) of each element."""
        if self.adds_up is AddsUp.AS_SUM or len(shares) == 1:
            return math.hypot(*(amount for amount, _ in shares))
        if self.adds_up is AddsUp.AS_SHARE:
            return max(amount / own for amount, own in shares) * total if all(own > 0 for _, own in shares) else math.nan
        return max(amount for amount, _ in shares)


def noise_of_rms(rms: float, sigma: float, n: float) -> float:
    """Return what noise does to an rms: its scatter, and what it lifts it by."""
    return math.hypot(sigma / math.sqrt(n), rms - math.sqrt(max(rms**2 - sigma**2, 0.0)))


def _noise_u(of: PowerReading, sigma_u: float, sigma_i: float, n: float) -> float:
    return noise_of_rms(of.U, sigma_u, n)


def _noise_i(of: PowerReading, sigma_u: float, sigma_i: float, n: float) -> float:
    return noise_of_rms(of.I, sigma_i, n)


def noise_of_power(of: PowerReading, sigma_u: float, sigma_i: float, n: float) -> float:
    """Return u² = (σu² I² + σi² U²) / N: noise is uncorrelated with the waveforms."""
    return math.hypot(sigma_u * of.I, sigma_i * of.U) / math.sqrt(n)


def _noise_s(of: PowerReading, sigma_u: float, sigma_i: float, n: float) -> float:
    return math.hypot(noise_of_rms(of.U, sigma_u, n) * of.I, noise_of_rms(of.I, sigma_i, n) * of.U)


def _noise_n(of: PowerReading, sigma_u: float, sigma_i: float, n: float) -> float:
    s, p = _noise_s(of, sigma_u, sigma_i, n), noise_of_power(of, sigma_u, sigma_i, n)
    return math.sqrt((of.N + (of.S * s + abs(of.P) * p) / max(of.N, 1e-300)) ** 2) - of.N if of.N > 0 else s


def _noise_pf(of: PowerReading, sigma_u: float, sigma_i: float, n: float) -> float:
    if not of.S > 0:
        return math.nan
    over_s = _noise_s(of, sigma_u, sigma_i, n) / of.S
    return math.hypot(noise_of_power(of, sigma_u, sigma_i, n) / of.S, of.P / of.S * over_s)


def _noise_angle(of: PowerReading, sigma_u: float, sigma_i: float, n: float) -> float:
    s1 = math.hypot(of.P1, of.Q1)
    return noise_of_power(of, sigma_u, sigma_i, n) / s1 if s1 > 0 else math.nan


def _noise_dpf(of: PowerReading, sigma_u: float, sigma_i: float, n: float) -> float:
    angle = _noise_angle(of, sigma_u, sigma_i, n)
    return abs(math.sin(math.radians(of.phi1))) * angle if math.isfinite(of.phi1) else math.nan


def _noise_phi(of: PowerReading, sigma_u: float, sigma_i: float, n: float) -> float:
    return math.degrees(_noise_angle(of, sigma_u, sigma_i, n))


_RMS, _IEEE = "IEC 60050-103, ISO 80000-6", "IEEE 1459 clause 3.1"
_ROWS = (
    PowerQuantity(
        "U", "U", "V", "rms voltage; for the total the effective voltage of IEEE 1459", lambda p, e: p.U,
        "root of the mean square of u", _RMS, _noise_u, AddsUp.AS_SHARE,
    ),
    PowerQuantity(
        "I", "I", "A", "rms current; for the total the effective current of IEEE 1459", lambda p, e: p.I,
        "root of the mean square of i", _RMS, _noise_i, AddsUp.AS_SHARE,
    ),
    PowerQuantity(
        "P", "P", "W", "active power, positive into the load", lambda p, e: p.P,
        "mean of u · i, sample by sample", "IEEE 1459 clause 3.1, ISO 80000-6", noise_of_power, AddsUp.AS_SUM,
    ),
    PowerQuantity(
        "Q1", "Q1", "var", "fundamental reactive power, inductive positive", lambda p, e: p.Q1,
        "imaginary part of U1 · conj(I1), inductive positive", _IEEE, noise_of_power, AddsUp.AS_SUM,
    ),
    PowerQuantity("Q_tot", "Q tot", "var", "non-active power with the sign of Q1", lambda p, e: p.Q_tot),
    PowerQuantity(
        "N", "N", "var", "non-active power, the root of S² - P²", lambda p, e: p.N,
        "sqrt(S² − P²)", _IEEE, _noise_n, AddsUp.AS_SHARE,
    ),
    PowerQuantity(
        "S", "S", "VA", "apparent power; for the total the effective one of IEEE 1459", lambda p, e: p.S,
        "U · I; of a whole the effective apparent power", "IEEE 1459 clauses 3.1, 3.2", _noise_s, AddsUp.AS_SHARE,
    ),
    PowerQuantity("PF", "PF", "", "power factor P/S", lambda p, e: p.PF, "P / S, with the sign of P", _IEEE, _noise_pf),
    PowerQuantity("DPF", "DPF", "", "displacement power factor cos φ1", lambda p, e: p.DPF, "cos φ1", _IEEE, _noise_dpf),
    PowerQuantity(
        "phi1", "φ1", "°", "angle of the fundamental, positive when the current lags", lambda p, e: p.phi1,
        "angle of U1 against I1, positive when the current lags", "IEC 60050-131", _noise_phi,
    ),
    PowerQuantity(
        "E_received", "E received", "J", "energy into the load over the whole interval", lambda p, e: e.received
    ),
    PowerQuantity(
        "E_returned", "E returned", "J", "energy back to the supply over the whole interval", lambda p, e: e.returned
    ),
)  # fmt: skip
POWER_QUANTITIES = Registry("power quantity", lambda quantity: quantity.id, _ROWS)


def budgeted() -> tuple[PowerQuantity, ...]:
    """Return the quantities that have a budget of their own."""
    return tuple(quantity for quantity in POWER_QUANTITIES if quantity.noise is not None)


def parts_of(power: ConnectionPower, elements: Sequence[str]) -> dict[str, tuple[PowerReading, Energy]]:
    """Return reading and energy of each element by its name, and of the "total"."""
    named = zip(elements, zip(power.elements, power.element_energies, strict=True), strict=True)
    return dict(named) | {"total": (power.total, power.total_energy)}
