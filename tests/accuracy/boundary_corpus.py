"""Numbers at boundaries: ends of records, intervals that begin or end at a step, records of a cycle or two, tones beside the fundamental.

`python tests/accuracy/boundary_corpus.py` (make boundaries) draws random waveforms whose truth is a formula, takes every quantity at a
boundary, and sorts the values: right, not given, doubted (± or a remark covers the difference), or silently wrong.
"""

import argparse
import math
import sys
from collections import defaultdict
from pathlib import Path

import numpy as np

from pantelos.engine.evaluation import Evaluation, power_series
from pantelos.errors import PantelosError
from pantelos.reading.kinds import reading_kind
from pantelos.record.record import record_of_arrays
from pantelos.record.recording import RawChannel
from pantelos.signal.sampling.pyramid import build_pyramid
from pantelos.study import operations as op
from pantelos.study.model import ChannelSetup, Interval, Study
from pantelos.units import unit

TABLE = ("<!-- boundaries: made by `make boundaries` -->", "<!-- end of boundaries -->")
CLEAN, NOISY = 1e-6, 6.0  # of the size of a value; times the standard deviation that noise must cause at least
LINES = 7.0  # times as much in THD: the noise of 49 lines, which belongs to the waveform, adds up in it


class Tone:
    """A voltage or current by its formula: mean, fundamental, orders; all may change at an instant."""

    def __init__(self, f, size, orders=(), mean=0.0, phase=0.0):
        self.f, self.size, self.orders, self.mean, self.phase = f, size, tuple(orders), mean, phase

    def at(self, t):
        turn = 2 * np.pi * self.f * t + self.phase
        x = np.sin(turn) + sum(a * np.sin(h * turn + b) for h, a, b in self.orders)
        return self.mean + self.size * x

    @property
    def rms(self):
        return math.sqrt(self.mean**2 + 0.5 * self.size**2 * (1 + sum(a * a for _, a, _ in self.orders)))

    @property
    def ac_rms(self):
        return math.sqrt(0.5) * self.size * math.sqrt(1 + sum(a * a for _, a, _ in self.orders))

    @property
    def thd(self):
        return math.sqrt(sum(a * a for _, a, _ in self.orders))


def truths_of(u, i):
    """Value and size of the powers of a voltage and a current of the same frequency."""
    lines = {h: (a, b) for h, a, b in u.orders} | {1: (1.0, 0.0)}
    mine = {h: (a, b) for h, a, b in i.orders} | {1: (1.0, 0.0)}
    turn = u.phase - i.phase
    p = u.mean * i.mean + 0.5 * u.size * i.size * sum(
        lines[h][0] * mine[h][0] * math.cos(h * turn + lines[h][1] - mine[h][1]) for h in lines if h in mine
    )
    s = u.rms * i.rms
    q = 0.5 * u.size * i.size * math.sin(turn)
    return {"U": (u.rms, u.rms), "I": (i.rms, i.rms), "P": (p, s), "Q1": (q, s), "S": (s, s), "PF": (p / s, 1.0),
            "phi1": (math.degrees(math.remainder(turn, 2 * math.pi)), 60.0)}  # fmt: skip


def evaluation_of(rate, channels, intervals=()):
    """An evaluation of u (V) and i (A), wired as one phase where both are there."""
    raws, setups = [], []
    for name, x in channels.items():
        symbol = {"u": "V", "i": "A"}[name]
        raws.append(RawChannel(name, x, unit(symbol), build_pyramid(lambda a, b, x=x: x[a:b], len(x))))
        setups.append(ChannelSetup(name, name, symbol))
    study = Study(channels=tuple(setups), intervals=tuple(Interval(*one) for one in intervals))
    if len(channels) == 2:
        study = op.add_connection(study, "c", "single-phase")
        study = op.place_channel(op.place_channel(study, "c", "u", "u"), "c", "i", "i")
    return Evaluation(study, record_of_arrays(tuple(raws), rate, Path("made.csv"), "0" * 64))


def some_tone(rng, f, size, clean):
    orders = [(h, rng.uniform(0, 0.2) / h, rng.uniform(-3, 3)) for h in (3, 5, 7)] if not clean else []
    return Tone(f, size, orders, rng.choice([0, rng.uniform(-0.2, 0.2)]) * size, rng.uniform(-np.pi, np.pi))


READINGS = {"rms": "rms", "mean": "mean", "ac_rms": "ac_rms", "frequency": "f", "thd": "thd"}


def readings_of(evaluation, name, tone, interval, tolerance):
    """Yield (what, value, truth, tolerance, ±, said) of the readings of a channel over an interval."""
    truths = {"rms": (tone.rms, tone.rms), "mean": (tone.mean, tone.rms), "ac_rms": (tone.ac_rms, tone.rms),
              "frequency": (tone.f, tone.f), "thd": (tone.thd, LINES if tolerance > CLEAN else 1.0)}  # fmt: skip
    for what, (truth, size) in truths.items():
        found = evaluation.reading(reading_kind(what), [name], interval)
        yield what, found.value, truth, tolerance * size, 2 * found.method_u, found.remarks


def powers_of(evaluation, u, i, interval, tolerance):
    """Yield the same of the powers of the connection, once and per cycle."""
    connection = evaluation.study.connections[0]
    power = evaluation.power(connection, interval)
    for what, (truth, size) in truths_of(u, i).items():
        yield f"power {what}", float(getattr(power.total, what)), truth, tolerance * size, 0.0, power.remarks
    try:
        over = power_series(evaluation, connection, interval, "cycle")
    except PantelosError:
        return
    for what, (truth, size) in truths_of(u, i).items():
        if what not in over.quantities:
            continue
        values = over.quantities[what]
        for end, k in (("first", 0), ("last", -1)):
            yield f"power over time {what}, {end}", float(values[k]), truth, 10 * tolerance * size, 0.0, ()


def short_records(rng):
    """A record of one to six cycles: any start phase, 16 to 2,000 samples a cycle, clean or with orders or noise."""
    f, per_cycle, n_cycles = (
        rng.choice([16.7, 50, 60, 400]) * rng.uniform(0.98, 1.02),
        2 ** rng.uniform(4, 11),
        rng.uniform(1.02, 6),
    )
    rate, clean, noise = f * per_cycle, rng.random() < 0.5 or per_cycle < 64, rng.choice([0, 0, 1e-3])
    u, i = some_tone(rng, f, 325, clean), some_tone(rng, f, 10, clean)
    t = np.arange(max(round(n_cycles * per_cycle), 16)) / rate
    x, y = (tone.at(t) + noise * tone.size * rng.normal(size=len(t)) for tone in (u, i))
    tolerance = CLEAN + NOISY * noise / math.sqrt(per_cycle)
    kind = f"short, {'noise' if noise else 'clean' if clean else 'orders'}"
    evaluation = evaluation_of(rate, {"u": x, "i": y})
    for row in (*readings_of(evaluation, "u", u, None, tolerance), *powers_of(evaluation, u, i, None, tolerance)):
        yield kind, *row


def changed(rng, tone, kind):
    """The tone behind a step of one kind, and its phase law continued where the step is not of that."""
    size, mean, f, phase = tone.size, tone.mean, tone.f, tone.phase
    if kind in ("amplitude", "dip"):
        size *= rng.uniform(0.2, 0.8) if kind == "dip" else rng.uniform(0.3, 3)
    elif kind == "mean":
        mean += rng.uniform(0.2, 1) * size * rng.choice([-1, 1])
    elif kind == "phase":
        phase += rng.uniform(0.3, 3) * rng.choice([-1, 1])
    elif kind == "frequency":
        f *= rng.choice([rng.uniform(0.85, 0.98), rng.uniform(1.02, 1.15)])
    return Tone(f, size, tone.orders, mean, phase)


def steps(rng):
    """An interval that ends, and one that begins, at a step of amplitude, mean, frequency, phase, load, or at a dip or gap."""
    f, per_cycle = rng.choice([16.7, 50, 60, 400]) * rng.uniform(0.98, 1.02), 2 ** rng.uniform(6, 10)
    rate, n_before, n_after = f * per_cycle, rng.uniform(3, 40), rng.uniform(3, 40)
    kind = str(rng.choice(["amplitude", "mean", "phase", "frequency", "load", "dip", "gap", "off"]))
    clean = rng.random() < 0.5
    u, i = some_tone(rng, f, 325, clean), some_tone(rng, f, 10, clean)
    n = round((n_before + n_after) * per_cycle)
    at = round(n_before * per_cycle)
    t, step = np.arange(n) / rate, at / rate
    if kind == "load":
        u2, i2 = u, changed(rng, i, "amplitude")
    elif kind in ("gap", "off"):
        u2, i2 = u, i
    else:
        u2, i2 = changed(rng, u, kind), changed(rng, i, kind)
        if kind in ("phase", "frequency"):
            i2 = Tone(u2.f, i.size, i.orders, i.mean, i.phase + u2.phase - u.phase)
    x, y = (np.where(t < step, a.at(t), b.at(t if kind != "frequency" else t - step)) for a, b in ((u, u2), (i, i2)))
    begins = at
    if kind == "gap":
        begins += round(per_cycle * rng.uniform(0.3, 2))
        x[at:begins] = np.nan
    if kind == "off":
        x[at:], y[at:] = 0.0, 0.0
    places = [("before", 0.0, step)]
    if kind != "off":
        places.append(("after", begins / rate, n / rate))
    noise = rng.choice([0, 0, 1e-3])
    tolerance = CLEAN + NOISY * noise / math.sqrt(per_cycle)
    x, y = (v + noise * tone.size * rng.normal(size=n) for v, tone in ((x, u), (y, i)))
    evaluation = evaluation_of(rate, {"u": x, "i": y}, places)
    for (name, *_), a, b in zip(places, (u, u2), (i, i2), strict=False):
        rows = (*readings_of(evaluation, "u", a, name, tolerance), *powers_of(evaluation, a, b, name, tolerance))
        for row in rows:
            yield f"step of {kind}{' with noise' if noise else ''}, {name}", *row


def interharmonics(rng):
    """Orders beside a tone near the fundamental that lies on a line of the windows, so that it leaks into none."""
    f = float(rng.choice([50, 60, 16.7, 400]))
    spacing = f / max(round(0.2 * f), 10)
    away = spacing * rng.choice([-3, -2, -1, 1, 2, 3])
    rate = f * round(2 ** rng.uniform(7.2, 9))
    size, seconds = rng.uniform(0.002, 0.05), max(60 / f, 1.2)
    orders = [(3, 0.02, 1.0), (13, 0.013, 0.4), (49, 0.004, 2.0)]
    u = Tone(f, 325, orders, 0.0, rng.uniform(-3, 3))
    t = np.arange(round(seconds * rate)) / rate
    x = u.at(t) + 325 * size * np.sin(2 * np.pi * (f + away) * t + rng.uniform(-3, 3))
    evaluation = evaluation_of(rate, {"u": x})
    found = evaluation.harmonic_windows(["u"], None)
    for order in (1, 3, 13, 49):
        truth = 325 / math.sqrt(2) * (1.0 if order == 1 else next(a for h, a, _ in orders if h == order))
        for end, k in (("first", 0), ("last", -1)):
            yield (
                "tone beside the fundamental",
                f"order {order}, {end}",
                abs(found.phasors[k, 0, order]),
                truth,
                1e-4 * 230,
                0.0,
                (),
            )
    thd = evaluation.reading(reading_kind("thd"), ["u"], None)
    yield "tone beside the fundamental", "thd", thd.value, u.thd, 1e-4, 2 * thd.method_u, thd.remarks


DRAWS = (short_records, steps, interharmonics)


def sorted_values(n_records, seed, draws=DRAWS, report=None):
    """Return (kind, what) -> [right, not given, doubted, silently wrong], and the wrong ones with their draw."""
    counts, wrong = defaultdict(lambda: [0, 0, 0, 0]), []
    for draw in draws:
        for k in range(n_records):
            for kind, what, value, truth, tolerance, expanded, said in draw(np.random.default_rng((seed, k))):
                off = (
                    abs(math.remainder(value - truth, 360) if "phi1" in what else value - truth)
                    if math.isfinite(value)
                    else math.nan
                )
                if math.isnan(off):
                    place = 1
                elif off <= tolerance:
                    place = 0
                elif off <= expanded or said:
                    place = 2
                else:
                    place = 3
                    wrong.append((draw.__name__, k, kind, what, value, truth, off / tolerance))
                counts[kind, what][place] += 1
            if report is not None:
                report(k)
    return counts, wrong


def main():
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--records", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--show", type=int, default=0, help="print so many of the wrong ones")
    parser.add_argument("--only", default="")
    parser.add_argument("--record", type=Path, help="write the table between its marks into this page")
    chosen = parser.parse_args()
    draws = [draw for draw in DRAWS if not chosen.only or draw.__name__ == chosen.only]
    counts, wrong = sorted_values(chosen.records, chosen.seed, draws)
    kinds = defaultdict(lambda: np.zeros(4, dtype=int))
    for (kind, _), row in counts.items():
        kinds[kind] += row
    lines = ["| boundary | values | right | not given | doubted | off without a word |", "|---|---|---|---|---|---|"]
    lines += [f"| {kind} | {row.sum()} | {' | '.join(str(n) for n in row)} |" for kind, row in sorted(kinds.items())]
    total = sum(kinds.values())
    lines.append(f"| all | {total.sum()} | {' | '.join(str(n) for n in total)} |")
    print("\n".join(lines))
    if chosen.record is not None:
        page, table = chosen.record.read_text(encoding="utf-8"), "\n".join(lines)
        head, tail = page.split(TABLE[0])[0], page.split(TABLE[1])[-1]
        chosen.record.write_text(f"{head}{TABLE[0]}\n\n{table}\n\n{TABLE[1]}{tail}", encoding="utf-8")
    for one in sorted(wrong, key=lambda one: -one[-1])[: chosen.show]:
        print(*one, file=sys.stderr)
    return 0


if __name__ == "__main__":
    sys.exit(main())
