"""Made-up waveforms off the beaten path, each with what is true of it: the phase of its fundamental, in turns."""

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, eq=False)
class Drive:
    """A waveform and its truth: rising crossings in samples between `first` and `last`, and frequency over the middle."""

    rate_hz: float
    x: np.ndarray
    crossings: np.ndarray  # where the phase passes whole turns, samples
    tolerance: float = 0.02  # of a cycle
    shifted: bool = False  # cycles begin anywhere in the period (a gate has no phase of its own)

    @property
    def periods(self):
        return np.diff(self.crossings) / self.rate_hz


def _crossings(turns):
    """Positions where `turns` (rising) passes whole numbers, linear between samples."""
    whole = np.arange(np.ceil(turns[0] - 1e-9), turns[-1])
    return np.interp(whole, turns, np.arange(len(turns)))


def of_turns(turns, rate_hz, shape=None, **kw):
    x = np.sin(2 * np.pi * turns) if shape is None else shape(turns)
    return Drive(rate_hz, x, _crossings(turns), **kw)


def steady(f, rate_hz, seconds, start=0.1):
    return start + f * np.arange(round(rate_hz * seconds)) / rate_hz


def run(f0, f1, rate_hz, seconds, start=0.1):
    """Turns of a frequency that changes linearly."""
    t = np.arange(round(rate_hz * seconds)) / rate_hz
    return start + f0 * t + 0.5 * (f1 - f0) / seconds * t**2


def carried(turns, rate_hz, carrier_hz, modulation, level=560.0, levels=2):
    """A switched voltage by natural sampling of a sine against a triangle."""
    t = np.arange(len(turns)) / rate_hz
    triangle = 4 * np.abs((t * carrier_hz) % 1 - 0.5) - 1
    wanted = modulation * np.sin(2 * np.pi * turns)
    one = np.where(wanted > triangle, 0.5, -0.5)
    if levels == 2:
        return level * one
    other = np.where(-wanted > triangle, 0.5, -0.5)
    return level * (one - other)


def gate(f, rate_hz, seconds, duty=0.4, low=0.0, high=24.0):
    turns = steady(f, rate_hz, seconds, start=0.3)
    return Drive(rate_hz, np.where(turns % 1 < duty, high, low), _crossings(turns), tolerance=3 * f / rate_hz, shifted=True)


def noise(n, sigma, seed=1):
    return np.random.default_rng(seed).normal(0, sigma, n)


def with_noise(drive, sigma, seed=1):
    return Drive(drive.rate_hz, drive.x + noise(len(drive.x), sigma, seed), drive.crossings, drive.tolerance, drive.shifted)


def with_offset(drive, mean, scale=1.0):
    return Drive(drive.rate_hz, mean + scale * drive.x, drive.crossings, drive.tolerance, drive.shifted)


def cases():
    """Name and drive: everything an engineer of drives records, as far as it has cycles."""
    made = {}
    for f, rate, s in (
        (16.7, 5e3, 2),
        (50, 1e4, 1),
        (60, 2e4, 0.5),
        (400, 5e4, 0.3),
        (1200, 1e5, 0.2),
        (0.5, 1e3, 20),
        (20e3, 1e6, 0.02),
    ):
        made[f"sine {f:g} Hz"] = of_turns(steady(f, rate, s), rate)
    made["ripple 35 mV on 48 V"] = with_offset(with_noise(of_turns(steady(1200, 1e5, 0.5), 1e5), 0.05), 48, 0.035)
    made["ripple with drift"] = Drive(1e5, 48 + 0.035 * np.sin(2 * np.pi * steady(1200, 1e5, 0.5)) + np.linspace(0, 0.2, 50_000),
                                      _crossings(steady(1200, 1e5, 0.5)))  # fmt: skip
    for f, rate, s in ((5e3, 1e6, 0.1), (100e3, 1e7, 0.01), (8e3, 1e6, 0.1), (100e3, 1e6, 0.1), (50, 1e4, 1), (3.7, 1e3, 10)):
        made[f"gate {f:g} Hz"] = gate(f, rate, s)
    for f, duty in ((573.993, 0.51), (828.28, 0.71), (2743.835, 0.68)):  # edges beat with the sampling
        made[f"gate {f:g} Hz between samples"] = gate(f, 2e4, 0.4, duty)
    made["gate with noise"] = with_noise(gate(5e3, 1e6, 0.1), 0.5)
    made["gate 5 % duty"] = gate(2e3, 1e6, 0.1, duty=0.05)
    made["square ±12 V"] = gate(8e3, 1e6, 0.1, duty=0.5, low=-12, high=12)
    for carrier, m, f in ((2e3, 0.9, 50), (4e3, 0.3, 20), (8e3, 0.1, 5), (4e3, 0.05, 3), (16e3, 0.8, 400), (1e3, 0.9, 60)):
        for levels in (2, 3):
            turns = steady(f, 4e5, max(0.2, 8 / f))
            made[f"switched {levels} levels {carrier:g} Hz, m {m:g}, {f:g} Hz"] = Drive(
                4e5, carried(turns, 4e5, carrier, m, levels=levels), _crossings(turns), tolerance=0.06)  # fmt: skip
    for f0, f1, s in ((2, 80, 10), (80, 2, 10), (5, 60, 4), (60, 3, 6), (10, 400, 5), (49, 51, 4), (20, 100, 2)):
        made[f"run {f0:g} to {f1:g} Hz"] = of_turns(run(f0, f1, 1e4, s), 1e4)
    turns = run(2, 80, 1e4, 10)
    made["run with fifth and noise"] = Drive(1e4, np.sin(2 * np.pi * turns) + 0.2 * np.sin(10 * np.pi * turns + 1) + noise(len(turns), 0.1),
                                             _crossings(turns), tolerance=0.06)  # fmt: skip
    ramped = np.sin(2 * np.pi * turns) * np.gradient(turns) * 1e4 / 80
    made["run, amplitude with frequency"] = Drive(1e4, ramped, _crossings(turns), tolerance=0.03)
    turns = run(2, 80, 1e5, 10)
    made["run, switched"] = Drive(
        1e5, carried(turns, 1e5, 4e3, 0.1 + 0.9 * np.gradient(turns) * 1e5 / 80), _crossings(turns), tolerance=0.1
    )
    turns = np.concatenate([run(2, 60, 1e4, 5), 0.1 + 31 * 5 + 60 * np.arange(30_000) / 1e4])
    made["run, then steady"] = of_turns(turns, 1e4)
    quiet = of_turns(steady(50, 1e4, 2), 1e4)
    for name, part in (("late", slice(0, 8000)), ("early end", slice(12_000, 20_000)), ("last block", slice(0, 18_500))):
        x = quiet.x.copy()
        x[part] = 0
        gone = (
            (quiet.crossings >= part.start - 30) & (quiet.crossings < part.stop - 1e-6)
            if name != "early end"
            else quiet.crossings > part.start + 1
        )
        made[f"begins or ends: {name}"] = Drive(1e4, x + noise(len(x), 1e-3), quiet.crossings[~gone], tolerance=0.05)
    for depth, length in ((0.0, 0.19), (0.01, 0.19), (0.4, 0.1), (0.0, 0.05), (0.0, 0.5)):
        x = 325 * quiet.x
        x[7030 : 7030 + round(length * 1e4)] *= depth
        made[f"dip to {depth:g} for {length:g} s"] = Drive(1e4, x, quiet.crossings, tolerance=0.1)
    harmonics = np.sin(2 * np.pi * steady(50, 1e4, 1)) + sum(np.sin(2 * np.pi * h * steady(50, 1e4, 1)) / h for h in (3, 5, 7, 9))
    made["rich in harmonics"] = Drive(1e4, harmonics, _crossings(steady(50, 1e4, 1)), tolerance=0.02)
    t = np.arange(10_000) / 1e4
    pulses = np.where(np.abs(np.sin(2 * np.pi * 50 * t)) > 0.93, np.sign(np.sin(2 * np.pi * 50 * t)), 0.0) * 8
    made["current of a rectifier"] = Drive(1e4, pulses, np.arange(0, 10_000, 200.0), tolerance=0.03, shifted=True)
    return made


def not_periodic():
    """Name, rate and waveform of what has no cycles."""
    n = 50_000
    rng = np.random.default_rng(4)
    return {
        "noise": (1e4, noise(n, 1.0)),
        "constant": (1e4, np.full(n, 24.0)),
        "constant with noise": (1e4, 48 + noise(n, 0.01)),
        "integer noise": (1e4, np.round(100 + noise(n, 0.6))),
        "slow temperature": (10.0, 20 + 5 * np.sin(np.linspace(0, 3, 20_000)) + noise(20_000, 0.01)),
        "random walk": (1e4, np.cumsum(rng.normal(0, 1, n))),
        "speed, a ramp and a level": (1e4, np.minimum(np.linspace(0, 3000, n), 1450.0)),
        "one step": (1e4, np.where(np.arange(n) > 20_000, 24.0, 0.0)),
        "glitch first": (1e4, np.concatenate([[1000.0], np.zeros(n - 1)])),
        "irregular pulses": (1e4, np.where(np.isin(np.arange(n) // 50, rng.choice(1000, 150, replace=False)), 24.0, 0.0)),
        "missing": (1e4, np.full(n, np.nan)),
        "two samples": (1e4, np.array([1.0, -1.0])),
    }
