"""The formula language over 50 million samples, and a study of a thousand formulas."""

from pathlib import Path

import numexpr
import numpy as np

from benchmarks.cases import _evaluation_of, _whole_numbers
from benchmarks.measuring import Result, in_turn
from pantelos.engine.evaluation import Evaluation
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import BLOCK, AnyArray
from pantelos.study import operations as op
from pantelos.study.model import Study

N, SMALL = 50_000_000, 500_000
_PART = 1 << 20  # samples read at a time
_RATE = 20_000.0  # of the records made here


def _read_through(evaluation: Evaluation, text: str) -> None:
    wave = evaluation.value(text)
    assert isinstance(wave, Waveform)
    for low in range(0, wave.n_samples, _PART):
        wave.read(low, min(low + _PART, wave.n_samples))


def chain(folder: Path, small: bool) -> Result:
    """Ten operations, one after the other, on two channels."""
    n = SMALL if small else N
    u, i = _whole_numbers(n), _whole_numbers(n)
    evaluation = _evaluation_of({"u": u, "i": i})
    text = "(((u * i + 3 W) / 7 - 2 * u * i) * 1.5 + u * i / 4) * 0.25 + 1 W"

    def fused() -> None:
        for low in range(0, n, _PART):
            a, b = u[low : low + _PART], i[low : low + _PART]
            numexpr.evaluate("(((a * b + 3.0) / 7.0 - 2.0 * a * b) * 1.5 + a * b / 4.0) * 0.25 + 1.0", {"a": a, "b": b})

    def blocked() -> None:
        for low in range(0, n, BLOCK):
            a, b = (x[low : low + BLOCK].astype(np.float64) for x in (u, i))
            (((a * b + 3.0) / 7.0 - 2.0 * a * b) * 1.5 + a * b / 4.0) * 0.25 + 1.0

    mine, with_numexpr = in_turn(lambda: _read_through(evaluation, text), fused, 3)
    mine_again, with_numpy = in_turn(lambda: _read_through(evaluation, text), blocked, 3)
    what = f"chain of more than ten operations over {n:,} samples"
    return Result(what, "numexpr or blocked NumPy, the faster", min(mine, mine_again), min(with_numexpr, with_numpy), 1.3)


def _alternating(n: int) -> AnyArray:
    return np.asarray(20_000 * np.sin(2 * np.pi * 50 * np.arange(n) / _RATE + 0.3), dtype=np.int16)


def _gate(n: int) -> AnyArray:
    turns = np.arange(n) * (487.3 / _RATE)
    return np.where(turns % 1 < 0.3 + 0.2 * np.arange(n) / n, 15_000, 0).astype(np.int16)


def _rises(x: AnyArray, level: float, width: float) -> AnyArray:
    """One crossing pass with hysteresis, in NumPy, block by block."""
    found = []
    state = 0
    for low in range(0, len(x), BLOCK):
        part = x[low : low + BLOCK]
        marks = np.zeros(len(part), dtype=np.int8)
        marks[part >= level + width], marks[part <= level - width] = 1, -1
        known = np.flatnonzero(marks)
        kinds = np.concatenate([[state], marks[known]])
        turned = known[(kinds[:-1] == -1) & (kinds[1:] == 1)]
        state = int(kinds[-1])
        at = np.maximum(turned - 1, 0)
        before, after = part[at].astype(np.float64), part[turned].astype(np.float64)
        found.append(low + at + (level - before) / np.where(after > before, after - before, 1.0))
    return np.concatenate(found)


def rms_per_cycle(folder: Path, small: bool) -> Result:
    """`rms(u) over cycles(u, 0 V)`, cycles found each time."""
    n = SMALL if small else N
    u = _alternating(n)
    made = _evaluation_of({"u": u})

    def plain() -> None:
        edges = _rises(u, 0.0, 1000.0).astype(np.intp)
        squares = np.empty(n)
        for low in range(0, n, BLOCK):
            np.multiply(u[low : low + BLOCK], u[low : low + BLOCK], out=squares[low : low + BLOCK], dtype=np.float64)
        np.sqrt(np.add.reduceat(squares, edges)[:-1] / np.diff(edges))

    mine, base = in_turn(lambda: Evaluation(made.study, made.record).value("rms(u) over cycles(u, 0 V, 1 kV)"), plain, 3)
    return Result(f"rms(u) over cycles(u, 0 V), {n:,} samples", "reduceat on the squares and one crossing pass", mine, base, 2.0)


def duty_per_pulse(folder: Path, small: bool) -> Result:
    """`duty(g) over pulses(g)`, edges found each time."""
    n = SMALL if small else N
    g = _gate(n)
    made = _evaluation_of({"g": g})
    mine, base = in_turn(
        lambda: Evaluation(made.study, made.record).value("duty(g) over pulses(g)"), lambda: _rises(g, 7500.0, 750.0), 3
    )
    return Result(f"duty(g) over pulses(g), {n:,} samples", "one crossing pass in NumPy", mine, base, 2.0)


def lowpass(folder: Path, small: bool) -> Result:
    """`lowpass(u, 500 Hz)` of order 4, forward and backward."""
    from scipy.signal import butter, sosfiltfilt

    n = SMALL if small else N
    u = _alternating(n)
    evaluation = _evaluation_of({"u": u})
    sections = butter(4, 500.0, fs=_RATE, output="sos")

    def plain() -> None:
        for low in range(0, n, _PART):
            sosfiltfilt(sections, u[low : low + _PART].astype(np.float64))

    mine, base = in_turn(lambda: _read_through(evaluation, "lowpass(u, 500 Hz)"), plain, 3)
    return Result(f"lowpass(u, 500 Hz) over {n:,} samples", "sosfiltfilt on blocks", mine, base, 1.5)


def running_integral(folder: Path, small: bool) -> Result:
    """`integral(u)` alone."""
    n = SMALL if small else N
    u = _whole_numbers(n)
    evaluation = _evaluation_of({"u": u})

    def plain() -> None:
        total = 0.0
        for low in range(0, n, BLOCK):
            total += float(np.cumsum(u[low : low + BLOCK].astype(np.float64))[-1])

    mine, base = in_turn(lambda: _read_through(evaluation, "integral(u)"), plain, 3)
    return Result(f"integral(u) over {n:,} samples", "blocked np.cumsum in float64", mine, base, 1.5)


def thousand_formulas(folder: Path, small: bool) -> Result:
    """What the interface thread does when one of a thousand formulas is changed: compile, judge, list."""
    from pantelos.desktop.presenter.derive import judge
    from pantelos.desktop.presenter.formulas import formula_rows

    evaluation = _evaluation_of({"u": _whole_numbers(10_000), "i": _whole_numbers(10_000)})
    study: Study = evaluation.study
    for k in range(100 if small else 1000):
        study = op.set_formula(study, f"f{k} = u * i + {k} W" if k % 10 else f"f{k} = rms(u) over cycles(u)")
    opened = Evaluation(study, evaluation.record)
    formula_rows(opened)

    def edit() -> None:
        changed = opened.on(op.set_formula(study, "f7 = u * i - 1 W"))
        judge(changed, "g = f7 * 2")
        formula_rows(changed)

    mine, _ = in_turn(edit, lambda: None, 5)
    return Result("one of 1,000 formulas edited, on the interface thread", "1 ms", 1e3 * mine, 1.0, 100.0, "ms")


CASES = (chain, rms_per_cycle, duty_per_pulse, lowpass, running_integral, thousand_formulas)
