"""Random drives whose channels have lost their names: what recognition makes of them, counted.

    python tests/power/wiring_corpus.py [--records N] [--seed S] [--show K]

A record is made from a circuit (supply with impedance, load, inverter with carrier), its channels are scaled as a bench would scale
them, some clamps lie the wrong way round, and all are shuffled. Right is what places every channel of a connection where it belongs,
up to a change of the names of the phases, and turns over exactly the clamps that lie wrong.
"""

import argparse
from collections import Counter
from dataclasses import dataclass, field

import numpy as np
from scipy.ndimage import uniform_filter1d

from pantelos.power.recognition import Recognised, Seen, recognise

_TAU = 2 * np.pi


@dataclass
class Drive:
    """Channels of a made-up record and what they are."""

    rate: float
    columns: dict[str, np.ndarray]  # truth: socket with the connection before it, such as "m.u1"
    kinds: dict[str, str]  # by connection
    turned: set[str] = field(default_factory=set)
    word: str = ""
    udc: float = 540.0


def _load_course(rng, t):
    """Return what the load does over the record, 0 to 1: steady, switched on, in steps, or growing."""
    duration = t[-1]
    kind = rng.choice(["steady", "on", "steps", "ramp"])
    if kind == "steady":
        return np.ones_like(t)
    if kind == "on":
        return np.where(t > rng.uniform(0.2, 0.5) * duration, 1.0, rng.uniform(0.02, 0.2))
    if kind == "steps":
        edges = np.sort(rng.uniform(0.1, 0.9, 3)) * duration
        return rng.uniform(0.3, 1.0, 4)[np.searchsorted(edges, t)]
    return 0.3 + 0.7 * t / duration


def _mains_currents(rng, angle, load, phi, rectifier):
    """Return three currents of size one: of a rectifier with inductors, or sinusoids with a little distortion."""
    currents = []
    for k in range(3):
        turn = angle - k * _TAU / 3 - phi
        if rectifier:
            orders = ((1, 1.0, 0.0), (5, rectifier[0], np.pi), (7, rectifier[1], np.pi), (11, 0.07, 0.0), (13, 0.05, 0.0))
            i = sum(a * np.sin(n * turn + p) for n, a, p in orders)
        else:
            i = np.sin(turn) + rng.uniform(0, 0.02) * np.sin(5 * turn + 1)
        currents.append(load * i)
    return currents


def mains(rng, kind):
    rate = rng.choice([5e3, 10e3, 20e3, 50e3])
    f = rng.choice([50.0, 60.0]) + rng.normal(0, 0.03)
    t = np.arange(int(rate * rng.uniform(0.4, 4))) / rate
    angle = _TAU * f * t + rng.uniform(0, _TAU)
    load = _load_course(rng, t)
    generating = rng.random() < 0.15
    rectifier = (rng.uniform(0.2, 0.4), rng.uniform(0.08, 0.2)) if not generating and rng.random() < 0.5 else None
    phi = np.radians(rng.uniform(0, 20) if rectifier else 180 + rng.uniform(-25, 10) if generating else rng.uniform(-5, 65))
    amps = _mains_currents(rng, angle, load, phi, rectifier)
    size_i = 10 ** rng.uniform(0.3, 2.3)
    size_u = rng.choice([230, 230, 120, 277]) * np.sqrt(2) * rng.uniform(0.95, 1.05)
    unbalance = 1 + rng.normal(0, 0.01, 3)
    h5, h3 = rng.uniform(0, 0.03), rng.uniform(0, 0.015)
    volts = [
        size_u * unbalance[k] * (np.sin(angle - k * _TAU / 3) + h5 * np.sin(5 * (angle - k * _TAU / 3)) + h3 * np.sin(3 * angle))
        for k in range(3)
    ]
    drop = rng.uniform(0, 0.03) * size_u
    volts = [u - drop * i for u, i in zip(volts, amps, strict=True)]
    amps = [size_i * (1 + rng.normal(0, 0.05)) * i for i in amps]
    columns, kinds = {}, {}
    if kind == "single":
        columns, kinds = {"m.u": volts[0], "m.i": amps[0]}, {"m": "single-phase"}
    elif kind == "four":
        columns = {f"m.u{k + 1}": u for k, u in enumerate(volts)} | {f"m.i{k + 1}": i for k, i in enumerate(amps)}
        if rng.random() < 0.3:
            third = rng.uniform(0.1, 0.4) * size_i * load * np.sin(3 * angle)
            for k in range(3):
                columns[f"m.i{k + 1}"] = columns[f"m.i{k + 1}"] + third
            columns["m.iN"] = sum(columns[f"m.i{k + 1}"] for k in range(3))
        kinds = {"m": "three-phase-4w"}
    elif kind == "lines":
        columns = {f"m.u{a}{b}": volts[a - 1] - volts[b - 1] for a, b in ((1, 2), (2, 3), (3, 1))}
        columns |= {f"m.i{k + 1}": i for k, i in enumerate(amps)}
        kinds = {"m": "three-phase-3v3i"}
    else:
        columns = {"m.u13": volts[0] - volts[2], "m.u23": volts[1] - volts[2], "m.i1": amps[0], "m.i2": amps[1]}
        kinds = {"m": "three-phase-3w"}
    return Drive(rate, columns, kinds, word=f"{kind} φ {np.degrees(phi):.0f}" + (" rectifier" if rectifier else ""))


def motor(rng, kind):
    rate = rng.choice([100e3, 200e3, 500e3])
    carrier = rng.uniform(2e3, 8e3)
    f = rng.uniform(12, 90)
    n = int(rate * rng.uniform(0.35, 0.8))
    t = np.arange(n) / rate
    angle = _TAU * f * t + rng.uniform(0, _TAU)
    udc = rng.uniform(300, 700)
    modulation = np.clip(f / 55, 0.15, 0.98)
    triangle = 2 * np.abs(2 * ((t * carrier) % 1) - 1) - 1
    legs = [udc * (modulation * np.sin(angle - k * _TAU / 3) > triangle) for k in range(3)]
    common = sum(legs) / 3
    phases = [leg - common for leg in legs]
    generating = rng.random() < 0.25
    phi = np.radians(rng.uniform(100, 165) if generating else rng.uniform(15, 75))
    size = 10 ** rng.uniform(0, 2)
    load = _load_course(rng, t)
    currents = []
    for k, u in enumerate(phases):
        smooth = modulation * udc / 2 * np.sin(angle - k * _TAU / 3)
        ripple = np.cumsum(u - smooth) / rate
        ripple -= uniform_filter1d(ripple, int(rate / carrier))  # the carrier's part alone
        ripple *= rng.uniform(0.02, 0.1) * size / max(np.std(ripple), 1e-12)
        currents.append(size * load * np.sin(angle - k * _TAU / 3 - phi) + ripple)
    if kind == "legs":
        columns, kinds = {f"d.u{k + 1}": leg for k, leg in enumerate(legs)}, {"d": "three-phase-4w"}
    elif kind == "star":
        columns, kinds = {f"d.u{k + 1}": u for k, u in enumerate(phases)}, {"d": "three-phase-4w"}
    elif kind == "lines":
        columns = {f"d.u{a}{b}": legs[a - 1] - legs[b - 1] for a, b in ((1, 2), (2, 3), (3, 1))}
        kinds = {"d": "three-phase-3v3i"}
    else:
        columns = {"d.u13": legs[0] - legs[2], "d.u23": legs[1] - legs[2], "d.i1": currents[0], "d.i2": currents[1]}
        return Drive(rate, columns, {"d": "three-phase-3w"}, word=f"motor {kind} {f:.0f} Hz φ {np.degrees(phi):.0f}")
    columns |= {f"d.i{k + 1}": i for k, i in enumerate(currents)}
    return Drive(rate, columns, kinds, udc=udc, word=f"motor {kind} {f:.0f} Hz φ {np.degrees(phi):.0f}")


def both(rng):
    out = motor(rng, rng.choice(["legs", "star", "lines"]))
    n = len(next(iter(out.columns.values())))
    t = np.arange(n) / out.rate
    angle = _TAU * 50 * t + 1
    volts = [325 * np.sin(angle - k * _TAU / 3) + 3 * np.sin(3 * angle) for k in range(3)]
    amps = _mains_currents(rng, angle, 1.0, np.radians(rng.uniform(0, 15)), (0.3, 0.12))
    out.columns |= {f"m.u{k + 1}": u for k, u in enumerate(volts)} | {f"m.i{k + 1}": 12 * i for k, i in enumerate(amps)}
    out.columns["link"] = out.udc + 8 * np.sin(6 * angle)
    out.kinds["m"] = "three-phase-4w"
    out.word += " and mains"
    return out


def record(rng):
    """Return a record of a random drive with scaled, turned, noisy and shuffled channels: (drive, what is seen, names by truth)."""
    kind = rng.choice(["four", "four", "lines", "two", "single", "legs", "star", "plines", "ptwo", "both"])
    drive = (
        both(rng)
        if kind == "both"
        else motor(rng, {"plines": "lines", "ptwo": "two"}.get(kind, kind))
        if kind in ("legs", "star", "plines", "ptwo")
        else mains(rng, kind)
    )
    n = len(next(iter(drive.columns.values())))
    currents = [name for name in drive.columns if ".i" in name and not name.endswith("N")]
    if rng.random() < 0.3 and len(currents) > 1:
        drive.turned.add(str(rng.choice(currents)))
    for _ in range(int(rng.integers(0, 3))):
        drive.columns[f"spare{_}"] = rng.normal(0, 1, n)
    if rng.random() < 0.3:
        drive.columns["speed"] = rng.uniform(2, 9) + 0.01 * rng.normal(size=n)
    told = rng.choice(["volts", "none", "amps"])
    probe, clamp = rng.choice([1.0, 0.01, 0.005]), 10 ** rng.uniform(-2.3, -0.5)
    noise = 10 ** rng.uniform(-3.3, -2)
    names = list(drive.columns)
    rng.shuffle(names)
    truth, seen = {}, []
    for k, name in enumerate(names, 1):
        x = drive.columns[name] * (1 if told == "amps" else clamp if ".i" in name else probe)
        x = x * (-1 if name in drive.turned else 1) * (1 + rng.normal(0, 0.005))
        x = x + noise * np.std(x) * rng.normal(size=n)
        truth[f"ch{k}"] = name
        quantity, unit = "", "" if told == "none" else "V"
        if told == "amps" and "." in name:
            quantity, unit = ("current", "A") if ".i" in name else ("voltage", "V")
        size = min(max(1 << 15, int(0.4 * drive.rate)), n, 1 << 18)
        starts = np.unique(np.linspace(0, n - size, 7).astype(int))
        seen.append(Seen(f"ch{k}", quantity, unit, drive.rate, tuple(x[a : a + size] for a in starts)))
    drive.word += f" [{told}]" + (" turned" if drive.turned else "")
    return drive, seen, truth


def is_right(one: Recognised, drive: Drive, truth: dict[str, str]) -> bool:
    """Return whether a recognised connection is that of the truth, up to the names of phases."""
    spots = {socket: truth[channel] for socket, channel in one.sockets.items()}
    stems = {spot.split(".")[0] for spot in spots.values()}
    if len(stems) != 1 or (stem := stems.pop()) not in drive.kinds or drive.kinds[stem] != one.kind:
        return False
    if {truth[name] for name in one.turned} != {n for n in drive.turned if n.startswith(stem)}:
        return False
    return any(
        all(f"{stem}.{_shifted(socket, k)}" == spot for socket, spot in spots.items())
        for k in range(1 if one.kind == "three-phase-3w" else 3)
    )


def _shifted(socket: str, k: int) -> str:
    return "".join(str((int(c) - 1 + k) % 3 + 1) if c.isdigit() else c for c in socket)


def count(n: int, seed: int, show: int = 0) -> Counter:
    """Return how many connections were right and wrong by certainty, and how many not found."""
    counts: Counter = Counter()
    for k in range(n):
        rng = np.random.default_rng([seed, k])
        drive, seen, truth = record(rng)
        found = recognise(seen).connections
        told = [one for one in found if one.word != "unsure"]
        for one in told:
            right = is_right(one, drive, truth)
            counts[one.word, right] += 1
            if not right and show > 0:
                show -= 1
                print(
                    k,
                    drive.word,
                    drive.turned,
                    one.kind,
                    f"{one.certainty:.2f}",
                    {s: truth[c] for s, c in one.sockets.items()},
                    [truth[c] for c in one.turned],
                    one.why,
                )
        placed = {truth[c].split(".")[0] for one in told for c in one.sockets.values()}
        for stem in drive.kinds:
            if stem not in placed:
                counts["left", drive.word.split(" φ")[0].split()[0] + " " + (drive.kinds[stem])] += 1
            counts["all", ""] += 1
    return counts


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--records", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--show", type=int, default=10)
    given = parser.parse_args()
    for key, value in sorted(count(given.records, given.seed, given.show).items(), key=str):
        print(key, value)
