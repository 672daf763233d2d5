"""How often the stated ± covers the truth: random records whose errors are drawn from the inputs that are stated.

`python tests/accuracy/truth_coverage.py` (make coverage) runs the long form and writes the table of docs/accuracy.md. The truth of every
quantity comes from the formula of the waveform or from the waveform without errors on a grid twenty times finer, never from ours.
"""

import argparse
import math
import sys
from collections import defaultdict
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import power_accuracy, reading_accuracy, value_accuracy
from pantelos.errors import PantelosError
from pantelos.reading.kinds import reading_kind
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, Interval, Study
from pantelos.units import unit

RATE, N, FINE = 20_000.0, 8_000, 20
LEAST, WIDEST = 0.90, 3.0
TABLE = ("<!-- coverage: made by `make coverage` -->", "<!-- end of coverage -->")


@dataclass(frozen=True)
class Errors:
    """What is stated of a channel, in its own unit."""

    gain_percent: float
    offset: float
    noise: float
    resolution: float
    phase: float = 0.0  # degrees, of the fundamental

    def chain(self, unit="V"):
        said = f", phase {self.phase:.6g} deg" if self.phase else ""
        return self._bare(unit) + said

    def turned(self, rng):
        """A phase error drawn from what is stated, rad."""
        return math.radians(rng.uniform(-1, 1) * self.phase)

    def _bare(self, unit):
        return f"accuracy {self.gain_percent:.6g} % + {self.offset:.6g} {unit}, noise {self.noise:.6g} V, resolution {self.resolution:.6g} V"

    def drawn(self, x, rng):
        """The waveform with errors drawn from what is stated."""
        y = x * (1 + rng.uniform(-1, 1) * self.gain_percent / 100) + rng.uniform(-1, 1) * self.offset
        y = y + rng.normal(0, self.noise, len(x)) if self.noise else y
        return np.round(y / self.resolution) * self.resolution if self.resolution else y


def some_errors(rng, size):
    return Errors(
        rng.uniform(0.05, 0.5),
        rng.uniform(0, 0.004) * size,
        10 ** rng.uniform(-4, -2) * size,
        rng.choice([0, 1e-4, 1e-3, 1e-2]) * size,
    )


def evaluation_of(**channels):
    """An evaluation of u (V) and i (A) as recorded, with the chains of their errors."""
    raws, setups = [], []
    for name, x in channels.items():
        raws.append(RawChannel(name, x, unit("V"), build_pyramid(lambda a, b, x=x: x[a:b], len(x))))
        setups.append(ChannelSetup(name, name, "V"))
    return Evaluation(Study(channels=tuple(setups)), record_of_arrays(tuple(raws), RATE, Path("made.csv"), "0" * 64))


def with_chains(evaluation, chains):
    study = evaluation.study
    for name, text in chains.items():
        study = op.scale_channel(study, name, text)
    return Evaluation(study, evaluation.record)


class Alternating:
    """A distorted sine on a mean, given by its formula."""

    def __init__(self, rng, size=10.0):
        self.f = rng.uniform(40, 400)
        self.mean = rng.uniform(-0.3, 0.3) * size
        self.orders = {
            1: (size, rng.uniform(-np.pi, np.pi)),
            **{h: (rng.uniform(0, 0.15) * size, rng.uniform(-np.pi, np.pi)) for h in (3, 5, 7)},
        }

    def at(self, t):
        return self.mean + sum(a * np.sin(2 * np.pi * h * self.f * t + b) for h, (a, b) in self.orders.items())

    def truths(self, n):
        fine = self.at(np.arange(200_000) / 200_000 / self.f)
        squares = sum(a * a / 2 for a, _ in self.orders.values())
        rms = math.sqrt(self.mean**2 + squares)
        harmonics = math.sqrt(sum(a * a / 2 for h, (a, _) in self.orders.items() if h > 1))
        low, high = float(fine.min()), float(fine.max())
        rectified = float(np.abs(fine).mean())
        return {"mean": self.mean, "rms": rms, "ac_rms": math.sqrt(squares), "rectified": rectified, "min": low, "max": high,
                "peak_to_peak": high - low, "crest": max(abs(low), abs(high)) / rms, "form": rms / rectified, "frequency": self.f,
                "thd": harmonics / (self.orders[1][0] / math.sqrt(2)), "fundamental": self.orders[1][0] / math.sqrt(2),
                "median": float(np.median(self.at(np.arange(n * FINE) / (RATE * FINE))))}  # fmt: skip


class Rail:
    """A large level with a small ripple."""

    def __init__(self, rng, size=48.0):
        self.level, self.f, self.ripple = size, rng.uniform(100, 900), rng.uniform(0.002, 0.02) * size

    def at(self, t):
        return self.level + self.ripple * np.sin(2 * np.pi * self.f * t + 1)

    def truths(self, n):
        t = np.arange(n * FINE) / (RATE * FINE)
        slope = float(np.polyfit(t - t.mean(), self.at(t), 1)[0])
        return {"mean": self.level, "rms": math.hypot(self.level, self.ripple / math.sqrt(2)), "ac_rms": self.ripple / math.sqrt(2),
                "ripple": self.ripple / math.sqrt(2) / self.level, "peak_ripple": 2 * self.ripple / self.level, "frequency": self.f,
                "min": self.level - self.ripple, "max": self.level + self.ripple, "slope": slope}  # fmt: skip


class Gate:
    """Pulses with edges that take some samples, or none."""

    def __init__(self, rng, size=24.0):
        self.size, self.f, self.duty = size, rng.uniform(60, 900), rng.uniform(0.15, 0.85)
        shortest = min(self.duty, 1 - self.duty) / self.f
        self.edge = rng.choice([1e-7, min(rng.uniform(3, 10) / RATE, 0.5 * shortest)])
        self.start = rng.uniform(0, 1)

    def at(self, t):
        turn = (t * self.f + self.start) % 1
        edge = self.edge * self.f
        up = np.clip(turn / edge + 0.5, 0, 1) * (turn < 0.5) + np.clip((turn - 1) / edge + 0.5, 0, 1) * (turn >= 0.5)
        down = np.clip((turn - self.duty) / edge + 0.5, 0, 1)
        return self.size * np.where(
            turn < 0.5 * (1 + self.duty), np.where(turn < 0.5 * self.duty, np.clip(turn / edge + 0.5, 0, 1), 1 - down), up
        )

    def truths(self, n):
        found = {"top": self.size, "base": 0.0, "edge_frequency": self.f, "carrier": self.f, "period": 1 / self.f, "duty": self.duty,
                 "width": self.duty / self.f, "frequency": self.f}  # fmt: skip
        if self.edge > 1e-6:
            found |= {"rise_time": 0.8 * self.edge, "fall_time": 0.8 * self.edge}
        return found


class Settling:
    """An exponential step from edge a on."""

    def __init__(self, rng, size=10.0):
        self.size, self.tau = size, rng.uniform(0.01, 0.03)

    def at(self, t):
        return self.size * (1 - np.exp(-t / self.tau))

    def truths(self, n):
        return {"settling_time": self.tau * math.log(50.0)}


WAVEFORMS = (Alternating, Rail, Gate, Settling)


def draw_readings(rng):
    """Yield (what, value, truth, U) of one random record of one channel."""
    made = WAVEFORMS[rng.integers(len(WAVEFORMS))](rng)
    n = round(rng.uniform(2.2, 8) * RATE / made.f) if isinstance(made, Alternating) and rng.random() < 0.4 else N
    x = made.at(np.arange(n) / RATE)
    errors = some_errors(rng, float(np.abs(x).max()))
    if isinstance(made, Gate):
        errors = replace(errors, resolution=min(errors.resolution, 1e-3 * made.size))
    if isinstance(made, Settling):
        errors = Errors(errors.gain_percent, errors.offset, min(errors.noise, 3e-4 * made.size), 0)
    evaluation = with_chains(evaluation_of(u=errors.drawn(x, rng)), {"u": errors.chain()})
    for name, truth in made.truths(n).items():
        kind = reading_kind(name)
        value = evaluation.reading(kind, ["u"]).value
        if math.isfinite(value):
            yield f"{name}, {type(made).__name__.lower()}", value, truth, reading_accuracy(evaluation, kind, ["u"]).expanded


def draw_powers(rng):
    """Yield the same of powers and of formulas of one random record of voltage and current."""
    f, phi = rng.uniform(45, 65), rng.uniform(-1.4, 1.4)
    fifth, n = rng.uniform(0, 0.2), N if rng.random() < 0.6 else round(rng.uniform(2.2, 8) * RATE / f)
    stepped = rng.random() < 0.4  # the interval stops at a step of both
    t = np.arange(n * (2 if stepped else 1)) / RATE
    size = np.where(np.arange(len(t)) < n, 1.0, 0.4)
    phases = rng.choice([0.02, 0.2, 1.0], 2)
    eu, ei = (replace(some_errors(rng, of), phase=p) for of, p in ((300.0, phases[0]), (10.0, phases[1])))
    at_u, at_i = (2 * np.pi * f * t + e.turned(rng) for e in (eu, ei))
    u = size * 300 * np.sin(at_u)
    i = size * (10 * np.sin(at_i - phi) + 10 * fifth * np.sin(5 * at_i + 1))
    evaluation = with_chains(
        evaluation_of(u=eu.drawn(u, rng), i=ei.drawn(i, rng)), {"u": eu.chain(), "i": ei.chain("A") + ", factor 1 A/V"}
    )
    study = evaluation.study
    if stepped:
        study = op.activate(op.add_interval(study, Interval("before", 0.0, n / RATE), evaluation.record.grid), "before")
    study = op.add_connection(study, "c", "single-phase")
    study = op.place_channel(op.place_channel(study, "c", "u", "u"), "c", "i", "i")
    for text in (
        "p = u * i",
        "r = mean(p) / rms(i) / rms(i)",
        "U = rms(u) over cycles(u)",
        "most = max(U)",
        "fs = frequency(u) over cycles(u)",
        *(f"v_{name} = {call}" for name, (call, _) in values_of(f, phi, fifth, 0.0).items()),
        "Ps = active(u, i) over cycles(u)",
        "Qs = reactive(u, i) over blocks(1 cycles)",
    ):
        study = op.set_formula(study, text)
    evaluation = Evaluation(study, evaluation.record)
    p, rms_i = 1500 * math.cos(phi), 10 / math.sqrt(2) * math.hypot(1, fifth)
    s, q = 300 / math.sqrt(2) * rms_i, 1500 * math.sin(phi)
    truths = {"U": 300 / math.sqrt(2), "I": rms_i, "P": p, "S": s, "Q1": q, "PF": p / s, "DPF": math.cos(phi), "phi1": math.degrees(phi),
              "N": math.sqrt(s * s - p * p), "S1": 1500.0, "I1": 10 / math.sqrt(2), "I_H": 10 * fifth / math.sqrt(2),
              "D_I": 1500 * fifth, "S_N": 1500 * fifth, "I_a": p / (300 / math.sqrt(2))}  # fmt: skip
    connection = study.connections[0]
    total, stated = evaluation.power(connection, None).total, power_accuracy(evaluation, connection, None)
    for name, truth in truths.items():
        yield f"{name}, power", float(getattr(total, name)), truth, stated["total", name].expanded
    yield "P/I², formula", evaluation.samples.scalar("r").value, p / rms_i**2, value_accuracy(evaluation, "r").expanded
    if not stepped:
        value, expanded = evaluation.samples.scalar("most").value, value_accuracy(evaluation, "most").expanded
        yield "largest rms per cycle, formula", value, 300 / math.sqrt(2), expanded
    fine = np.percentile(300 * np.sin(at_u[0] + 2 * np.pi * f * np.arange(n * FINE) / (RATE * FINE)), 75)
    for name, (call, truth) in values_of(f, phi, fifth, float(fine)).items():
        if stepped and name in _OF_CURVES:
            continue  # what a filter or a cycle takes from behind the step is part of what was asked for
        value = evaluation.samples.scalar(f"v_{name}").value
        if not math.isfinite(value):
            continue  # not given of so few cycles
        yield f"{call}, formula", value, truth, value_accuracy(evaluation, f"v_{name}").expanded
    kind = reading_kind("phase")
    yield "phase", evaluation.reading(kind, ["i", "u"]).value, -phi, reading_accuracy(evaluation, kind, ["i", "u"]).expanded
    for name, series, truth in (
        ("mean", "fs", f), ("max", "fs", f), ("mean", "U", 300 / math.sqrt(2)), ("mean", "Ps", p), ("min", "Ps", p), ("mean", "Qs", q),
    ):  # fmt: skip
        if stepped:
            continue  # the cycle at the step is one of them
        kind = reading_kind(name)
        accuracy = reading_accuracy(evaluation, kind, [series]).expanded
        yield f"{name} of {series} per cycle", evaluation.reading(kind, [series]).value, truth, accuracy


def draw_components(rng):
    """Yield the same of a component of two channels beside a tone of nine tenths to twice its size, near or far."""
    f, turn = rng.uniform(45, 65), rng.uniform(-3, 3)
    away = rng.choice([-1, 1]) * rng.choice([rng.uniform(2.5, 10), rng.uniform(10, 40)])  # Hz; lines are 2.5 Hz apart
    other, size = f + away if f + away > 15 else f - away, rng.uniform(0.9, 2.0)
    t = np.arange(N) / RATE

    def made(rms, angle):
        beside = size * np.sin(2 * np.pi * other * t + rng.uniform(-3, 3))
        return math.sqrt(2) * rms * (np.sin(2 * np.pi * f * t + angle) + beside)

    u, i = made(230.0, 0.7), made(5.0, 0.7 + turn)
    eu, ei = some_errors(rng, 300.0), some_errors(rng, 10.0)
    evaluation = with_chains(
        evaluation_of(u=eu.drawn(u, rng), i=ei.drawn(i, rng)), {"u": eu.chain(), "i": ei.chain("A") + ", factor 1 A/V"}
    )
    hertz = f"{f + rng.uniform(-1, 1):.6g} Hz"
    truths = {
        f"tone(u, {hertz})": ("tone(u, f)", 230.0),
        f"tone_frequency(u, {hertz})": ("tone_frequency(u, f)", f),
        f"gain(i, u, {hertz})": ("gain(i, u, f)", 5 / 230),
    }
    study = evaluation.study
    for k, text in enumerate((*truths, f"phase(i, u, {hertz})")):
        study = op.set_formula(study, f"v{k} = {text}")
    evaluation = Evaluation(study, evaluation.record)
    for k, (said, truth) in enumerate(truths.values()):
        yield (
            f"{said}, beside a tone",
            evaluation.samples.scalar(f"v{k}").value,
            truth,
            value_accuracy(evaluation, f"v{k}").expanded,
        )
    value = evaluation.samples.scalar("v3").value
    off = math.remainder(value - turn, 2 * math.pi)
    yield "phase(i, u, f), beside a tone", turn + off, turn, value_accuracy(evaluation, "v3").expanded


_OF_CURVES = ("slow", "later", "running", "size", "top")


def values_of(f, phi, fifth, top):
    """Calls on u = 300 V sin and i = 10 A sin(- φ) with a fifth, and what they are on paper."""
    rms_i = 10 / math.sqrt(2) * math.hypot(1, fifth)
    p, s = 1500 * math.cos(phi), 300 / math.sqrt(2) * rms_i
    return {
        "active": ("active(u, i)", p), "apparent": ("apparent(u, i)", s), "reactive": ("reactive(u, i)", 1500 * math.sin(phi)),
        "pf": ("power_factor(u, i)", p / s), "dpf": ("displacement_factor(u, i)", math.cos(phi)), "R": ("resistance(u, i)", p / rms_i**2),
        "u1": ("fundamental(u)", 300 / math.sqrt(2)), "i5": ("harmonic(i, 5)", 10 * fifth / math.sqrt(2)),
        "top": ("percentile(u, 75)", top), "like": ("correlation(u, i)", p / s),
        "slow": ("rms(lowpass(u, 6 kHz, 2))", 300 / math.sqrt(2)), "later": ("rms(delayed(u, 12.3 us))", 300 / math.sqrt(2)),
        "running": ("mean(running_rms(u, 1 cycles))", 300 / math.sqrt(2)), "size": ("mean(envelope(u))", 300.0),
    }  # fmt: skip


def covered(n_records, seed, draws=(draw_readings, draw_powers, draw_components), report=None):
    """Return what -> (times, share covered, U over the 95th percentile of the error), of `n_records` of each kind."""
    found = defaultdict(list)
    for draw, count in zip(draws, (n_records, *[max(n_records // 4, 1)] * 2), strict=True):
        for k in range(count):
            rng = np.random.default_rng((seed, k))
            try:
                for what, value, truth, expanded in draw(rng):
                    found[what].append((abs(value - truth), expanded))
            except PantelosError as error:
                raise AssertionError(f"record {k}: {error}") from error
            if report is not None:
                report(k)
    rows = {}
    for what, pairs in sorted(found.items()):
        errors, limits = np.array(pairs).T
        given = np.isfinite(limits)
        share = float(np.mean(errors[given] <= limits[given])) if given.any() else math.nan
        relative = errors[given] / limits[given]
        width = 1 / float(np.percentile(relative, 95)) if given.any() and np.percentile(relative, 95) > 0 else math.inf
        rows[what] = (len(pairs), int(given.sum()), share, width)
    return rows


def table_of(rows):
    lines = ["| value | records | ± stated | truth within ± | ± over what 95 % need |", "|---|---|---|---|---|"]
    lines += [
        f"| {what} | {n} | {given} | {100 * share:.1f} % | {width:.2f} |" for what, (n, given, share, width) in rows.items()
    ]
    return "\n".join(lines)


def main():
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--records", type=int, default=1200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--record", type=Path, help="write the table between its marks into this page")
    chosen = parser.parse_args()
    rows = covered(chosen.records, chosen.seed)
    print(table_of(rows))
    if chosen.record is not None:
        page = chosen.record.read_text(encoding="utf-8")
        head, tail = page.split(TABLE[0])[0], page.split(TABLE[1])[-1]
        chosen.record.write_text(f"{head}{TABLE[0]}\n\n{table_of(rows)}\n\n{TABLE[1]}{tail}", encoding="utf-8")
    bad = [what for what, (n, given, share, width) in rows.items() if not share >= LEAST or width > WIDEST or given < n]
    for what in bad:
        print(f"not as promised: {what}: {rows[what]}", file=sys.stderr)
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
