"""Made-up benches whose every number is recorded: a drive with all it may show, a rail with a gate, a supply with disturbances.

Waveforms follow from formulas alone, noise from whole numbers, so that they are the same wherever they are made.
"""

import re
from collections.abc import Callable, Iterator
from itertools import product

import numpy as np
from msgspec.structs import replace

from made import evaluation_on
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import reading_accuracy
from pantelos.errors import PantelosError
from pantelos.formula.derived import Blocks, Scalar
from pantelos.power.wirings import WIRINGS
from pantelos.reading.kinds import READINGS
from pantelos.reading.reading import ReadingKind
from pantelos.study import operations as op
from pantelos.study.model import Interval
from pantelos.tables.building import build_tables
from pantelos.tables.kinds import TABLES

TURN = 2 * np.pi


def noise(n: int, seed: int) -> np.ndarray:
    """Noise of rms 1 that is the same on every machine: a linear congruence, summed to something like a bell."""
    k = np.arange(4 * n, dtype=np.uint64) + np.uint64(seed * 1_000_003)
    k = (k * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)) ^ (k << np.uint64(17))
    k = (k ^ (k >> np.uint64(29))) * np.uint64(2685821657736338717)
    uniform = (k >> np.uint64(40)).astype(float) / 2**24 - 0.5
    return uniform.reshape(4, n).sum(axis=0) * np.sqrt(3.0)


def drive() -> Evaluation:
    """Three phases, unlike and distorted, an interharmonic, a load step at 0.3 s, wired in every way there is."""
    rate, f = 5000.0, 49.83
    t = np.arange(3000) / rate
    made = {}
    for k, (angle, size) in enumerate(zip((0.0, -121.0, 118.5), (1.0, 0.97, 1.02), strict=True), 1):
        turn = TURN * f * t + np.radians(angle)
        made[f"u{k}"] = size * 325 * (
            np.sin(turn) + 0.04 * np.sin(5 * turn + 0.4) + 0.02 * np.sin(7 * turn - 1.1) + 0.004 * np.sin(TURN * 178 * t)
        ) + 0.5 * k + 0.3 * noise(len(t), k)  # fmt: skip
        load = np.where(t < 0.3, 1.0, 0.6) * 14 / k**0.2
        made[f"i{k}"] = load * (
            np.sin(turn - 0.55) + 0.18 * np.sin(5 * turn - 2.2) + 0.09 * np.sin(7 * turn + 0.7) + 0.03 * np.sin(TURN * 178 * t + k)
        ) + 0.05 * k + 0.02 * noise(len(t), 10 + k)  # fmt: skip
    made |= {"u12": made["u1"] - made["u2"], "u23": made["u2"] - made["u3"], "u31": made["u3"] - made["u1"]}
    made |= {"u13": -made["u31"], "u32": -made["u23"], "u21": -made["u12"], "iN": made["i1"] + made["i2"] + made["i3"]}
    made["u_dc"] = 560 + 6 * np.sin(TURN * 6 * f * t) + 0.4 * noise(len(t), 21)
    made["i_dc"] = np.where(t < 0.3, 8.0, 5.0) + 0.3 * np.sin(TURN * 6 * f * t - 0.3) + 0.01 * noise(len(t), 22)
    evaluation = evaluation_on(rate, reference="u1", **made)
    study = evaluation.study
    for name in made:
        study = op.scale_channel(study, name, "accuracy 0.1 % + 20 mV" if name[0] == "u" else "accuracy 0.3 % + 2 mA, delay 4 us")
    for kind in WIRINGS:
        if all(socket.name in made for socket in kind.sockets):
            study = op.add_connection(study, kind.id, kind.id)
            for socket in kind.sockets:
                study = op.place_channel(study, kind.id, socket.name, socket.name)
    study = op.set_chain(study, op.chain_from(study, "three-phase-4w > line > three-phase-3w"))
    study = op.set_formula(op.set_formula(study, "p1 = u1 * i1"), "f = instantaneous_frequency(u1)")
    for interval in (Interval("before", 0.0, 0.3), Interval("across", 0.1234, 0.4567), Interval("short", 0.2013, 0.2389)):
        study = op.add_interval(study, interval, evaluation.record.grid)
    return Evaluation(study, evaluation.record)


def rail() -> Evaluation:
    """A gate with slow edges, its complement, a rail with ripple that drops, a slow course with a gap."""
    rate = 100_000.0
    t = np.arange(20_000) / rate
    at = (t * 400) % 1.0
    rising, falling = np.clip(at / 0.02, 0, 1), np.clip((at - 0.36) / 0.03, 0, 1)
    ringing = 0.6 * np.exp(-np.maximum(at - 0.02, 0) / 0.02) * np.sin(TURN * at / 0.02) * (at > 0.02) * (at < 0.36)
    ripple = 0.05 * np.sin(TURN * 1200 * t) + 0.004 * noise(len(t), 32)
    course = 20 + 3 * (1 - np.exp(-t / 0.02)) + 0.02 * noise(len(t), 33)
    course[12_000:12_400] = np.nan
    made = {
        "g": 5 * (rising - falling) + ringing + 0.02 * noise(len(t), 30),
        "g1": 5 * (rising - falling), "g2": 5 * (((t - 40e-6) * 400 % 1 > 0.40) & ((t * 400) % 1 < 0.97)).astype(float),
        "u_dc": 48 - 0.8 * (t > 0.1) + ripple, "i_dc": 2 + 3.5 * (t > 0.1) + 0.3 * ripple, "x": course,
    }  # fmt: skip
    evaluation = evaluation_on(rate, "dc", units={"g": "V", "g1": "V", "g2": "V", "x": "1"}, **made)
    study = evaluation.study
    for socket, name in (("u", "u_dc"), ("i", "i_dc")):
        study = op.place_channel(study, "c", socket, name)
    for name in ("g", "u_dc"):
        study = op.scale_channel(study, name, "accuracy 0.05 % + 1 mV, resolution 2 mV")
    study = op.scale_channel(study, "i_dc", "accuracy 0.2 % + 1 mA")
    for interval in (Interval("idle", 0.0, 0.1), Interval("across", 0.0503, 0.1717), Interval("one pulse", 0.0049, 0.0072)):
        study = op.add_interval(study, interval, evaluation.record.grid)
    return Evaluation(study, evaluation.record)


def supply() -> Evaluation:
    """Twelve seconds of three phases with flicker, a dip of two phases, a swell, a rapid change, unbalance and a signal."""
    rate = 3200.0
    t = np.arange(round(12.5 * rate)) / rate
    turn = TURN * np.cumsum(50.0 + 0.04 * np.sin(TURN * 0.3 * t)) / rate
    made = {}
    for k, angle in enumerate((0.0, -119.0, 120.5), 1):
        size = 1 + 0.006 * np.sign(np.sin(TURN * 8.8 * t)) + 0.01 * (k == 2)
        size = np.where((t > 3.003) & (t < 3.167) & (k != 3), 0.55 + 0.1 * k, size)
        size = np.where((t > 5.21) & (t < 5.2713) & (k == 3), 1.17, size)
        size = np.where(t > 8.0, size * 0.955, size)
        of = turn + np.radians(angle)
        made[f"u{k}"] = 325.3 * size * (
            np.sin(of) + 0.03 * np.sin(3 * of) + 0.05 * np.sin(5 * of + 1) + 0.008 * np.sin(TURN * 317 * t)
        ) + noise(len(t), 40 + k)
        made[f"i{k}"] = (4 + k) * (np.sin(of - 0.3) + 0.2 * np.sin(5 * of)) + 0.02 * noise(len(t), 50 + k)
    evaluation = evaluation_on(rate, "three-phase-4w", "u1", **made)
    study = evaluation.study
    sets = "iec61000-2-4-2, en50160-lv, ieee519-voltage-1kv, ieee519-current-69kv, iec61000-3-12, iec61000-3-2-a"
    for declared in (
        "U_din = 230 V",
        f"limits = {sets}",
        "signal = 317 Hz",
        "I_ref = 6 A",
        "R_sce = 120",
        "I_L = 6 A",
        "Isc_IL = 70",
    ):
        study = replace(study, quality=op.quality_from(study.quality, declared))
    study = op.add_interval(study, Interval("last", 9.0, 12.5), evaluation.record.grid)
    return Evaluation(study, evaluation.record)


BENCHES: dict[str, Callable[[], Evaluation]] = {"drive": drive, "rail": rail, "supply": supply}
_NAMED = {"u1", "u2", "u3", "i1", "p1", "u_dc", "f", "g", "g1", "g2", "x"}  # in the examples of readings
_PER_PIECE = {
    "drive": ("over cycles(u1)", "over blocks(40 ms)", "over intervals"),
    "rail": ("over pulses(g)", "over blocks(20 ms)"),
}
# What the examples do not ask: pieces beside a gap, levels of one's own, curves.
_OTHERS = {
    "drive": ("rms(u1) over cycles(i1)", "thd(i1) over blocks(10 cycles)", "envelope(u1)", "derivative(lowpass(i1, 400 Hz))", "phase(i1, u1, 178 Hz)"),
    "rail": (
        "rms(x) over blocks(3 ms)", "mean(x) over blocks(20 ms, 5 ms)", "duty(g, 20 %) over pulses(g, 1 V)", "settling_time(x, 5 %)",
        "width(g, 4 V)", "percentile(g, 30)", "tone(u_dc, 1.2 kHz) over blocks(10 ms)", "min(x) over blocks(4 ms)",
    ),
}  # fmt: skip


def said_of(bench: str) -> Iterator[tuple[str, object]]:
    """Yield what the program says of a bench, by what it was asked: readings with their ±, formulas, series, tables."""
    evaluation = BENCHES[bench]()
    known = {*(channel.name for channel in evaluation.study.channels), *(formula.name for formula in evaluation.study.formulas)}
    channels = [channel.name for channel in evaluation.study.channels if channel.name in {"u1", "i1", "g", "u_dc", "i_dc", "x"}]
    places = [interval.name for interval in evaluation.study.intervals]
    for kind in READINGS if bench in _PER_PIECE else ():
        if len(kind.arguments) == 1 and all(setting.default is not None for setting in kind.settings):
            for name, place in product(channels, places):
                yield f"{kind.name}({name}) in {place}", _of_reading(evaluation, kind, name, place)
        call = kind.example.removesuffix(' in "whole record"')
        used = set(re.findall(r"\w+", call.partition("(")[2])) & _NAMED
        for place in (*(f'in "{place}"' for place in places), *_PER_PIECE[bench]) if used <= known else ():
            yield f"{call} {place}", _said(lambda text=f"{call} {place}": _of_value(evaluation.value(text)))
    for text in _OTHERS.get(bench, ()):
        yield text, _said(lambda text=text: _of_value(evaluation.value(text)))
    for kind in TABLES:
        if kind.id != "accuracy":  # all of it stands in the others
            yield f"table {kind.id}", _said(lambda id_=kind.id: _of_table(evaluation, id_))


def _of_reading(evaluation: Evaluation, kind: ReadingKind, name: str, place: str) -> object:
    found, budget = evaluation.reading(kind, [name], place), None
    if kind.noise is not None or place == "before":  # where noise has no rule it is drawn for, which takes long
        budget = reading_accuracy(evaluation, kind, [name], place).budget
    within = {one.input.name: one.amount for one in budget.contributions} if budget is not None else {}
    window = found.window
    told = [found.value, found.method_u, found.coverage, window.start, window.stop, window.n_cycles, found.unit.symbol]
    return [*told, found.method, found.why_not, *found.remarks, within]


def _of_value(found: object) -> object:
    if isinstance(found, Blocks):
        return found.values[_some(len(found.values))].tolist()
    return found.value if isinstance(found, Scalar) else [float(found.read(k, k + 1)[0]) for k in _some(found.n_samples)]


def _some(n: int) -> list[int]:
    """The first, the last, and some between."""
    return list(range(n)) if n < 100 else np.linspace(0, n - 1, 24).round().astype(int).tolist()


def _of_table(evaluation: Evaluation, id_: str) -> object:
    table = build_tables(evaluation, [id_]).tables[0]
    return [[column.key for column in table.columns], *(list(row) for row in table.rows[:60]), list(table.method)]


def _said(ask: Callable[[], object]) -> object:
    try:
        return ask()
    except PantelosError as error:
        return str(error)
