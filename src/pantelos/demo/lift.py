"""The acceptance run of a goods lift drive: mains, converter, machine, in 24 s at 20 kS/s.

All parameters are here; docs/demo.md states them in words. Results on the record can be checked
against `expected_phase_power` and the constants.
"""

import math

import msgspec
import numpy as np

from pantelos.signal.arrays import FloatArray

SEED = 20240517
RATE_HZ = 20_000.0
DURATION_S = 24.0
MAINS_HZ = 50.02
U_RMS = (230.0, 229.4, 230.9)  # fundamental, V
U_ANGLE_DEG = (0.0, -120.2, 119.9)
U_ORDERS = {5: (0.018, 12.0), 7: (0.011, -40.0), 11: (0.005, 75.0)}  # order: (share, angle against h times the phase)
# Six-pulse currents: order: (share of the fundamental, angle against h times the current's own phase)
I_ORDERS = {
    5: (0.30, 180.0),
    7: (0.14, 180.0),
    11: (0.085, 0.0),
    13: (0.060, 0.0),
    17: (0.042, 180.0),
    19: (0.035, 180.0),
    23: (0.030, 0.0),
    25: (0.025, 0.0),
}
I_SHARE = (1.0, 0.985, 1.012)  # of the phases
PHASES_S = {
    "idle": (0.0, 2.0),
    "pre-charge": (2.0, 4.0),
    "lift": (4.0, 12.0),
    "hold": (12.0, 14.0),
    "lowering": (14.0, 22.0),
    "standstill": (22.0, 24.0),
}
RAMP_S = 1.0  # at both ends of lift and lowering
DIP_S = (9.0, 9.2)
DIP_RESIDUAL = 0.6
LIFT_A, HOLD_A, LOWER_A = 16.0, 1.5, 8.3  # fundamental rms of the mains current
LIFT_PHI_DEG, LOWER_PHI_DEG = 19.5, 155.0  # current behind voltage; beyond 90 degrees power is returned
INRUSH_A, INRUSH_TAU_S = 38.0, 0.12
SPEED_RPM = 1450.0
LIFT_NM, HOLD_NM, LOWER_NM = 62.0, 48.0, 40.0
POLE_PAIRS = 2
SLIP_RPM, SLIP_AT_NM = 20.0, 62.0  # the field turns that much ahead of the shaft, in the sense of the torque
A_PER_NM = 0.33  # machine current, rms
STATOR_OHM = 0.09
REACTIVE_SHARE = 0.55  # of the machine voltage that stands across its current
INVERTER_SHARE, BRAKING_SHARE, STANDBY_W = 0.97, 0.94, 60.0
INTERHARMONIC_HZ, INTERHARMONIC_A = 178.0, 0.08  # on L3 while lifting, rms
NOISE_V = 0.001  # rms, at the recorder input
STEP_V = 0.0005  # resolution of the recorder
RANGE_V = 10.0


class DemoChannel(msgspec.Struct, frozen=True):
    """One channel as the recorder saw it."""

    name: str
    scaling: str  # the chain that leads back to the quantity
    volts_per_unit: float  # what the transducer made of it


RECORDED: tuple[DemoChannel, ...] = (
    *(DemoChannel(f"u{k}", "divider 100:1, range 10 V, accuracy 0.1 % + 0.3 V, phase 0.05 deg", 0.01) for k in (1, 2, 3)),
    DemoChannel("i1", "clamp 100 mV/A, range 10 V, accuracy 0.5 % + 20 mA, phase 0.5 deg", 0.1),
    DemoChannel("i2", "clamp 100 mV/A, reversed, range 10 V, accuracy 0.5 % + 20 mA, phase 0.5 deg", -0.1),
    DemoChannel("i3", "clamp 100 mV/A, range 10 V, accuracy 0.5 % + 20 mA, phase 0.5 deg", 0.1),
    DemoChannel("u_dc", "divider 100:1, range 10 V, accuracy 0.2 % + 1 V", 0.01),
    DemoChannel("i_dc", "shunt 50 mohm, range 10 V, accuracy 0.5 % + 20 mA", 0.05),
    DemoChannel("iU", "clamp 100 mV/A, range 10 V, accuracy 1 % + 50 mA, phase 1 deg", 0.1),
    DemoChannel("iV", "clamp 100 mV/A, range 10 V, accuracy 1 % + 50 mA, phase 1 deg", 0.1),
    DemoChannel("iW", "clamp 10 mV/A, range 10 V, accuracy 1 % + 50 mA, phase 1 deg", 0.01),
    DemoChannel("uUW", "divider 100:1, range 10 V, accuracy 0.2 % + 0.3 V, phase 0.05 deg", 0.01),
    DemoChannel("uVW", "divider 100:1, range 10 V, accuracy 0.2 % + 0.3 V, phase 0.05 deg", 0.01),
    DemoChannel("n", "factor 300 rpm/V, range 10 V, accuracy 0.2 %", 1 / 300),
    DemoChannel("M", "factor 20 N*m/V, range 10 V, accuracy 0.5 %", 0.05),
    DemoChannel("spare", "direct, range 10 V", 1.0),
)


def profile(t: FloatArray, phase: str, ramp_s: float = RAMP_S) -> FloatArray:
    """Return 0 to 1 to 0: how far a phase of the run is in force at `t` (s), with linear ramps inside it."""
    start, stop = PHASES_S[phase]
    return np.asarray(np.clip(np.minimum((t - start) / ramp_s, (stop - t) / ramp_s), 0.0, 1.0))


def quantities(t: FloatArray) -> dict[str, FloatArray]:
    """Return every quantity of the run at the instants `t` (s), SI but for n in 1/min, without noise."""
    lift, lower = profile(t, "lift"), profile(t, "lowering")
    hold = profile(t, "hold", 0.05)
    dipped = np.where((t >= DIP_S[0]) & (t < DIP_S[1]), DIP_RESIDUAL, 1.0)
    theta = 2 * math.pi * MAINS_HZ * t
    found: dict[str, FloatArray] = {}
    inrush = np.where(t >= 2.0, INRUSH_A * np.exp(-np.maximum(t - 2.0, 0) / INRUSH_TAU_S), 0.0)
    amplitude = (LIFT_A * lift + HOLD_A * hold + LOWER_A * lower) / dipped
    phi = np.radians(np.where(lower > 0, LOWER_PHI_DEG, LIFT_PHI_DEG))
    for k in range(3):
        own = theta + math.radians(U_ANGLE_DEG[k])
        u = math.sqrt(2) * U_RMS[k] * dipped
        shape = np.sin(own)
        for h, (share, angle) in U_ORDERS.items():
            shape = shape + share * np.sin(h * own + math.radians(angle))
        found[f"u{k + 1}"] = u * shape
        lagging = own - phi
        pulse = np.sin(lagging)
        for h, (share, angle) in I_ORDERS.items():
            pulse = pulse + share * np.sin(h * lagging + math.radians(angle))
        found[f"i{k + 1}"] = math.sqrt(2) * I_SHARE[k] * (amplitude + inrush / math.sqrt(2) * 0.5) * pulse
    found["i3"] = found["i3"] + math.sqrt(2) * INTERHARMONIC_A * lift * np.sin(2 * math.pi * INTERHARMONIC_HZ * t)
    machine, electrical = _machine(t, lift, hold, lower)
    found |= machine
    charged = 1 - np.exp(-np.maximum(t - 2.0, 0) / INRUSH_TAU_S)
    level = 541.0 - 9.0 * lift + 38.0 * lower - 120.0 * (1 - dipped)
    ripple = (1.0 + 5.0 * lift + 3.0 * lower) * np.sin(6 * theta)
    found["u_dc"] = np.where(t >= 2.0, charged * (level + ripple), 0.0)
    p_dc = dc_power(electrical, lift + hold + lower)
    found["i_dc"] = np.where(found["u_dc"] > 50, p_dc / np.maximum(found["u_dc"], 50.0), 0.0)
    burst = np.where((t >= 18.0) & (t < 18.5), 14.0, 3.0)
    found["spare"] = np.clip(burst * np.sin(2 * math.pi * 7.0 * t), -RANGE_V, RANGE_V)
    return found


def dc_power(electrical: FloatArray, running: FloatArray) -> FloatArray:
    """Return the power of the DC link, W, of that of the machine: the inverter loses a share, and what it needs itself."""
    return np.where(electrical >= 0, electrical / INVERTER_SHARE, electrical * BRAKING_SHARE) + STANDBY_W * running


def machine_power(torque: FloatArray, n_rpm: FloatArray) -> FloatArray:
    """Return the electrical power of the machine, W: torque times the speed of its field, and the loss in its stator."""
    field = math.pi / 30 * (n_rpm + SLIP_RPM * torque / SLIP_AT_NM)
    return np.asarray(torque * field + 3 * STATOR_OHM * (A_PER_NM * torque) ** 2)


def _machine(t: FloatArray, lift: FloatArray, hold: FloatArray, lower: FloatArray) -> tuple[dict[str, FloatArray], FloatArray]:
    """Return speed (1/min), torque (N·m), machine currents (A) and line voltages (V); and the electrical power, W."""
    n = SPEED_RPM * (lift - lower)
    torque = LIFT_NM * np.minimum(4 * lift, 1) + HOLD_NM * hold + LOWER_NM * np.minimum(4 * lower, 1)
    step = float(t[1] - t[0]) if len(t) > 1 else 1 / RATE_HZ
    field = n + SLIP_RPM * torque / SLIP_AT_NM
    electrical = 2 * math.pi * np.cumsum(field / 60 * POLE_PAIRS) * step
    current = A_PER_NM * torque
    along = field * math.pi / 30 / (3 * A_PER_NM) + STATOR_OHM * current  # rms; torque over current is constant
    across = REACTIVE_SHARE * np.abs(along)
    amps, volts = {}, {}
    for name, shift in (("U", 0.0), ("V", -2 * math.pi / 3), ("W", 2 * math.pi / 3)):
        angle = electrical + shift
        amps[f"i{name}"] = math.sqrt(2) * current * np.sin(angle)
        volts[name] = math.sqrt(2) * (along * np.sin(angle) + across * np.cos(angle))
    lines = {"uUW": volts["U"] - volts["W"], "uVW": volts["V"] - volts["W"]}
    return {"n": n, "M": torque, **amps, **lines}, machine_power(torque, n)


def recorded_volts() -> dict[str, FloatArray]:
    """Return what the recorder put down: volts at its inputs, with noise, in its steps; fixed seed."""
    t = np.arange(round(RATE_HZ * DURATION_S)) / RATE_HZ
    found = quantities(t)
    noise = np.random.default_rng(SEED)
    volts = {}
    for channel in RECORDED:
        clean = found[channel.name] * channel.volts_per_unit
        noisy = clean + noise.normal(0.0, NOISE_V, len(t))
        steps = np.round(np.clip(noisy, -RANGE_V, RANGE_V) / STEP_V)
        volts[channel.name] = steps / round(1 / STEP_V) + 0.0  # no negative zeros in the file
    return volts


def expected_phase_power(phase: int, current_a: float, phi_deg: float) -> tuple[float, float]:
    """Return (P in W, Q1 in var) of mains phase 1, 2 or 3 at a steady fundamental current, from the parameters alone."""
    u, i = U_RMS[phase - 1], I_SHARE[phase - 1] * current_a
    phi = math.radians(phi_deg)
    p = u * i * math.cos(phi)
    for h, (share, angle) in U_ORDERS.items():
        i_share, i_angle = I_ORDERS[h]
        p += u * share * i * i_share * math.cos(math.radians(angle - i_angle) + h * phi)
    return p, u * i * math.sin(phi)


def expected_thd() -> float:
    """Return the THD of the mains currents in steady running, as a ratio."""
    return math.sqrt(sum(share**2 for share, _ in I_ORDERS.values()))


def expected_chain(current_a: float, phi_deg: float, torque_nm: float, n_rpm: float) -> tuple[float, float, float, float]:
    """Return the powers of mains, DC link, machine and shaft in steady running, W, from the parameters alone."""
    mains = sum(expected_phase_power(k, current_a, phi_deg)[0] for k in (1, 2, 3))
    machine = machine_power(np.array(torque_nm), np.array(n_rpm))
    return mains, float(dc_power(machine, np.array(1.0))), float(machine), torque_nm * n_rpm * math.pi / 30
