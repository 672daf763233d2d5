"""Apparent power resolved after IEEE 1459, a row each: of an element by its own values, of a whole by effective ones."""

import math
from collections.abc import Callable

from msgspec.structs import replace

from pantelos.power.quantities import PowerReading
from pantelos.power.quantity_rows import AddsUp, Noise, PowerQuantity, noise_of_power, noise_of_rms
from pantelos.registry import Registry

_SOURCE = "IEEE 1459 clauses 3.1.2, 3.2"


def _noise_by_parts(value: Callable[[PowerReading], float]) -> Noise:
    """Return what noise does to a quantity through each value that it is made of, taken as independent."""

    def noise(of: PowerReading, sigma_u: float, sigma_i: float, n: float) -> float:
        first = math.sqrt(max(n, 1.0))
        moved = (
            _with(of, U=of.U + noise_of_rms(of.U, sigma_u, n)),
            _with(of, I=of.I + noise_of_rms(of.I, sigma_i, n)),
            _with(of, U1=of.U1 + sigma_u / first),
            _with(of, I1=of.I1 + sigma_i / first),
            replace(of, P=of.P + noise_of_power(of, sigma_u, sigma_i, n)),
        )
        present = value(of)
        return math.hypot(*(value(other) - present for other in moved))

    return noise


def _with(of: PowerReading, **changes: float) -> PowerReading:
    changed = replace(of, **changes)
    return replace(changed, S=changed.phases * changed.U * changed.I)


def _row(id_: str, title: str, symbol: str, help_: str, value: Callable[[PowerReading], float], method: str) -> PowerQuantity:
    return PowerQuantity(
        id_, title, symbol, help_, lambda p, e: value(p), method, _SOURCE, _noise_by_parts(value), AddsUp.AS_LARGEST
    )


RESOLVED_QUANTITIES = Registry(
    "resolved quantity",
    lambda quantity: quantity.id,
    (
        _row("U1", "U1", "V", "rms of the fundamental; effective for the total", lambda p: p.U1, "phasor over whole cycles"),
        _row("I1", "I1", "A", "rms of the fundamental; effective for the total", lambda p: p.I1, "phasor over whole cycles"),
        _row("U_H", "U_H", "V", "all but the fundamental, DC and what lies between orders included", lambda p: p.U_H,
             "sqrt(U² − U1²)"),
        _row("I_H", "I_H", "A", "all but the fundamental, DC and what lies between orders included", lambda p: p.I_H,
             "sqrt(I² − I1²)"),
        _row("S1", "S1", "VA", "fundamental apparent power", lambda p: p.S1, "U1 · I1, three times for the total"),
        _row("P1", "P1", "W", "fundamental active power", lambda p: p.P1, "real part of U1 · conj(I1)"),
        _row("P_H", "P_H", "W", "power of all but the fundamental, DC included", lambda p: p.P_H, "P − P1"),
        _row("S_N", "S_N", "VA", "non-fundamental apparent power", lambda p: p.S_N, "sqrt(S² − S1²)"),
        _row("D_I", "D_I", "var", "current distortion power", lambda p: p.D_I, "U1 · I_H"),
        _row("D_V", "D_V", "var", "voltage distortion power", lambda p: p.D_V, "U_H · I1"),
        _row("S_H", "S_H", "VA", "harmonic apparent power", lambda p: p.S_H, "U_H · I_H"),
        _row("D_H", "D_H", "var", "harmonic distortion power", lambda p: p.D_H, "sqrt(S_H² − P_H²)"),
        _row("pollution", "S_N/S1", "%", "harmonic pollution", lambda p: p.pollution, "S_N over S1"),
        _row("I_a", "I_a", "A", "active current", lambda p: p.I_a, "P over U, over 3 U_e for the total"),
        _row("I_na", "I_na", "A", "non-active current", lambda p: p.I_na, "sqrt(I² − I_a²)"),
        _row("distortion_u", "U_H/U1", "%", "total distortion of the voltage, beyond all orders too", lambda p: p.distortion_U,
             "U_H over U1; THD of the effective voltage for the total"),
        _row("distortion_i", "I_H/I1", "%", "total distortion of the current, beyond all orders too", lambda p: p.distortion_I,
             "I_H over I1; THD of the effective current for the total"),
    ),
)  # fmt: skip
