"""A study looked at again with inputs of its channels moved: the second look from which sensitivities come."""

import math
from collections.abc import Callable

import msgspec
import numpy as np

from pantelos.accuracy.budget import CERTIFIED, CERTIFIED_GAIN, PHASE, Input
from pantelos.engine.calibrated import Calibrated
from pantelos.engine.circumstances import AsRecorded
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.references import recorded_behind
from pantelos.formula.derived import Derived
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.cycles import Cycles

TIME_BASE = "time base"


class _Moved(AsRecorded):
    """Some inputs moved; cycles stay where they are, but for the time base."""

    kept = False  # what is kept is of the channels as they are

    def __init__(self, base: Evaluation, inputs: tuple[Input, ...]) -> None:
        self._base, self._inputs = base, inputs

    def channel(self, name: str, wave: Waveform) -> Waveform:
        own = [one for one in self._inputs if one.channel in ("", name)]
        for one in sorted(own, key=lambda one: one.name not in CERTIFIED):  # these belong to the filter itself
            wave = _moved(wave, one)
        return wave

    def cycles(self, name: str, find: Callable[[], Cycles]) -> Cycles:
        return self._retimed(self._base.cycles.of(name))

    def cycles_within(self, name: str, span: tuple[float, float], find: Callable[[], Cycles]) -> Cycles:
        return self._retimed(self._base.cycles.within(self._base.samples.waveform(name), name, span))

    def _retimed(self, found: Cycles) -> Cycles:
        for one in self._inputs:
            if one.name == TIME_BASE:
                found = msgspec.structs.replace(found, rate_hz=found.rate_hz / (1 + one.standard))
        return found

    def low_signal(self, name: str, find: Callable[[], float]) -> float:
        return self._base.samples.low_signal(name)


def moved_by(evaluation: Evaluation, *inputs: Input) -> Evaluation:
    """Return the evaluation with inputs moved, each by its standard uncertainty."""
    return _under(evaluation, inputs, _Moved(evaluation, inputs))


def noisy_by(evaluation: Evaluation, inputs: tuple[Input, ...], seed: int) -> Evaluation:
    """Return the evaluation with noise on some channels, each of its own, drawn from a seed."""
    return _under(evaluation, inputs, _Noisy(evaluation, inputs, seed), str(seed))


def by_steps(one: Input, steps: float) -> Input:
    """Return an input that moves by so many of its standard uncertainties."""
    return msgspec.structs.replace(one, standard=steps * one.standard)


def _under(base: Evaluation, moved: tuple[Input, ...], circumstances: AsRecorded, draw: str = "") -> Evaluation:
    substance = [base.names.substance(one.channel) for one in moved]
    return base.under(circumstances, base.results.under("moved", *substance, repr(moved), draw))


def _moved(wave: Waveform, one: Input) -> Waveform:
    """Return a waveform with an input moved."""
    amount = one.standard
    if one.name in CERTIFIED:
        assert isinstance(wave, Calibrated)
        return wave.moved(u_gain=amount) if one.name == CERTIFIED_GAIN else wave.moved(u_phase=amount)
    match one.name:
        case "gain" | "ratio":
            read = lambda a, b: wave.read(a, b) * (1 + amount)  # noqa: E731
        case "delay":
            read = lambda a, b: _delayed(wave, a, b, amount)  # noqa: E731
        case name if name == PHASE:
            delay_s = amount / (2 * math.pi * one.at_hz)
            read = lambda a, b: _delayed(wave, a, b, delay_s)  # noqa: E731
        case name if name == TIME_BASE:
            return Derived(wave.read, wave.unit, wave.n_samples, wave.rate_hz / (1 + amount), wave.masked)
        case _:
            read = lambda a, b: wave.read(a, b) + amount  # noqa: E731
    return Derived(read, wave.unit, wave.n_samples, wave.rate_hz, wave.masked)


def _delayed(wave: Waveform, start: int, stop: int, delay_s: float) -> FloatArray:
    """Return x(t - τ) to first order, the derivative from the five samples around each."""
    low, high = max(start - 2, 0), min(stop + 2, wave.n_samples)
    x, around = wave.read(low, high), (2 - (start - low), 2 - (high - stop))
    x = np.pad(x, around, mode="reflect", reflect_type="odd") if len(x) > 2 else np.pad(x, around, mode="edge")
    change = (8 * (x[3:-1] - x[1:-3]) - (x[4:] - x[:-4])) / 12
    return np.asarray(x[2:-2] - delay_s * wave.rate_hz * change)


class _Noisy(_Moved):
    """Noise on some channels, the same in every read of a sample; cycles are found anew where it reaches them."""

    def __init__(self, base: Evaluation, inputs: tuple[Input, ...], seed: int) -> None:
        super().__init__(base, inputs)
        self._seed = seed

    def channel(self, name: str, wave: Waveform) -> Waveform:
        own = [k for k, one in enumerate(self._inputs) if one.channel == name]
        if not own:
            return wave
        read = lambda a, b: wave.read(a, b) + sum(self._noise(k, a, b) for k in own)  # noqa: E731
        return Derived(read, wave.unit, wave.n_samples, wave.rate_hz, wave.masked)

    def cycles(self, name: str, find: Callable[[], Cycles]) -> Cycles:
        behind = recorded_behind(self._base.study, [name])
        return find() if any(one.channel in behind for one in self._inputs) else super().cycles(name, find)

    def _noise(self, k: int, start: int, stop: int) -> FloatArray:
        block, sigma = 1 << 14, self._inputs[k].standard
        first, last = start // block, max(stop - 1, start) // block
        seeds = [(self._seed, at) if k == 0 else (self._seed, at, k) for at in range(first, last + 1)]
        drawn = [np.random.default_rng(seed).normal(0.0, sigma, block) for seed in seeds]
        return np.asarray(np.concatenate(drawn)[start - first * block : stop - first * block])
