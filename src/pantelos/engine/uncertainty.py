"""Accuracy carried into every number: what the stated inputs of the channels do to a value.

A sensitivity is taken by moving one input of one channel by its standard uncertainty and taking the value again
(GUM 5.1.4 allows this in place of derivatives), so it holds for any formula, for power, and for readouts. Readings of a
recorded channel that grow or shift with the waveform are told without a second look.
"""

import math
from collections.abc import Callable, Sequence
from typing import TypeAlias

import msgspec
import numpy as np

from pantelos.accuracy.budget import METHOD, RANDOM, Budget, Contribution, Input, Shape
from pantelos.engine.circumstances import AsRecorded
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.references import recorded_behind
from pantelos.engine.remembered import remembered
from pantelos.errors import PantelosError
from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Derived, Scalar
from pantelos.power.quantity_rows import budgeted, parts_of
from pantelos.power.resolved_rows import RESOLVED_QUANTITIES
from pantelos.power.wirings import Wiring
from pantelos.reading.reading import Reading, ReadingKind
from pantelos.record.record import Channel
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles import Cycles
from pantelos.signal.statistics import window_means
from pantelos.study.model import Connection, Study
from pantelos.units import unit

Change: TypeAlias = Callable[[Channel], Waveform]
_TIME_BASE = "time base"
_ROUNDING = 1e-13  # of the value: below, a contribution is what the computation leaves
_DRAWS = 8  # of noise, for values that are not readings


class _Moved(AsRecorded):
    """One input of one channel moved; cycles stay where they are, but for the time base."""

    kept = False  # what is kept is of the channels as they are

    def __init__(self, base: Evaluation, moved: Input) -> None:
        self._base, self._input = base, moved

    def channel(self, channel: Channel) -> Waveform:
        return _moved(channel, self._input) if self._input.channel in ("", channel.name) else channel

    def cycles(self, name: str, find: Callable[[], Cycles]) -> Cycles:
        return self._retimed(self._base.cycles.of(name))

    def cycles_within(self, name: str, span: tuple[float, float], find: Callable[[], Cycles]) -> Cycles:
        return self._retimed(self._base.cycles.within(self._base.samples.waveform(name), name, span))

    def _retimed(self, found: Cycles) -> Cycles:
        if self._input.name != _TIME_BASE:
            return found
        return msgspec.structs.replace(found, rate_hz=found.rate_hz / (1 + self._input.standard))

    def low_signal(self, name: str, find: Callable[[], float]) -> float:
        return self._base.samples.low_signal(name)


def moved_by(evaluation: Evaluation, one: Input) -> Evaluation:
    """Return the evaluation with an input moved by its standard uncertainty."""
    return _under(evaluation, one, _Moved(evaluation, one))


def _noisy_by(evaluation: Evaluation, one: Input, seed: int) -> Evaluation:
    """Return the evaluation with noise on one channel, drawn from a seed."""
    return _under(evaluation, one, _Noisy(evaluation, one, seed), str(seed))


def _under(base: Evaluation, moved: Input, circumstances: AsRecorded, draw: str = "") -> Evaluation:
    results = base.results.under("moved", base.names.substance(moved.channel), repr(moved), draw)
    return base.under(circumstances, results)


def _moved(channel: Channel, one: Input) -> Waveform:
    """Return a channel with an input moved by its standard uncertainty."""
    amount = one.standard
    match one.name:
        case "gain":
            read = lambda a, b: channel.read(a, b) * (1 + amount)  # noqa: E731
        case "offset" | "noise" | "resolution":
            read = lambda a, b: channel.read(a, b) + amount  # noqa: E731
        case "delay":
            read = lambda a, b: _delayed(channel, a, b, amount)  # noqa: E731
        case _:
            return Derived(channel.read, channel.unit, channel.n_samples, channel.rate_hz / (1 + amount))
    return Derived(read, channel.unit, channel.n_samples, channel.rate_hz)


def _delayed(channel: Channel, start: int, stop: int, delay_s: float) -> FloatArray:
    """Return x(t - τ) to first order, the derivative from the five samples around each."""
    low, high = max(start - 2, 0), min(stop + 2, channel.n_samples)
    x = np.pad(channel.read(low, high), (2 - (start - low), 2 - (high - stop)), mode="edge")
    change = (8 * (x[3:-1] - x[1:-3]) - (x[4:] - x[:-4])) / 12
    return np.asarray(x[2:-2] - delay_s * channel.rate_hz * change)


def stated_inputs(study: Study, names: Sequence[str]) -> tuple[tuple[Input, ...], tuple[str, ...]]:
    """Return the stated inputs of the recorded channels behind these names, and the channels whose accuracy is not stated."""
    found: list[Input] = []
    silent: list[str] = []
    for name in recorded_behind(study, names):
        setup = study.channel(name)
        inputs = setup.scaling.inputs(name, unit(setup.recorder_unit))
        found += inputs
        if not inputs:
            silent.append(name)
    if study.record is not None and study.record.time_base_ppm:
        found.append(Input(_TIME_BASE, "", Shape.RECTANGULAR, Shape.RECTANGULAR.standard(study.record.time_base_ppm * 1e-6)))
    return tuple(found), tuple(silent)


class Stated(msgspec.Struct, frozen=True):
    """The accuracy of a value: its budget, or why there is none."""

    budget: Budget | None
    why_not: str = ""

    @property
    def expanded(self) -> float:
        """The expanded uncertainty, SI; NaN where none is stated."""
        return self.budget.expanded if self.budget is not None and self.budget.given else math.nan


def reading_accuracy(evaluation: Evaluation, kind: ReadingKind, channels: Sequence[str], interval: str | None = None) -> Stated:
    """Return the accuracy of a reading; kept like the reading itself."""
    inputs, silent = stated_inputs(evaluation.study, channels)
    reason = _silent(silent) or _clipped(evaluation, channels, interval)
    if reason:
        return Stated(None, reason)
    return _reading_accuracy(evaluation, kind, channels, interval, inputs)


def _silent(channels: Sequence[str]) -> str:
    return f"the scaling of {', '.join(channels)} states no accuracy" if channels else ""


def _clipped(evaluation: Evaluation, channels: Sequence[str], interval: str | None) -> str:
    for name in recorded_behind(evaluation.study, channels):
        if evaluation.n_clipped(name, interval):
            return f"{name} is clipped here: the value is only a bound"
    return ""


@remembered(by_cycles=True)
def _reading_accuracy(
    evaluation: Evaluation, kind: ReadingKind, channels: Sequence[str], interval: str | None, inputs: tuple[Input, ...]
) -> Stated:
    reading = evaluation.reading(kind, channels, interval)
    if not math.isfinite(reading.value):
        return Stated(None, "the reading is not given")
    found = []
    for one in inputs:
        amount = _known(kind, channels, reading, one, evaluation, interval)
        if amount is None:
            amount = moved_by(evaluation, one).reading(kind, channels, interval).value - reading.value
        found.append(Contribution(one, amount))
    if reading.method_u > 0:
        found.append(Contribution(Input(METHOD, "", Shape.NORMAL, reading.method_u), reading.method_u))
    return _stated(found, reading.value)


def _stated(found: list[Contribution], value: float) -> Stated:
    budget = Budget(tuple(found))
    reached = budget.given and budget.standard > _ROUNDING * abs(value)
    return Stated(budget) if reached else Stated(None, "none of the stated inputs reaches this value")


def _known(
    kind: ReadingKind, channels: Sequence[str], reading: Reading, one: Input, evaluation: Evaluation, interval: str | None
) -> float | None:
    """Return a contribution that needs no second look, or None."""
    recorded = len(channels) == 1 and evaluation.study.formula(channels[0]) is None
    match one.name:
        case "gain" if recorded and kind.degree is not None:
            return kind.degree * reading.value * one.standard
        case "offset" if recorded and kind.shift is not None:
            return kind.shift * one.standard
        case "delay" if recorded:
            return one.standard if kind.delayed else 0.0
        case "time base" if recorded and not kind.timed:
            return 0.0
        case name if name in RANDOM and (
            kind.noise is None or any(evaluation.names.kind(channel) is Kind.SERIES for channel in channels)
        ):
            draws = [
                _noisy_by(evaluation, one, seed).reading(kind, channels, interval).value - reading.value for seed in range(_DRAWS)
            ]
            return _drawn(draws)
        case name if name in RANDOM:
            waves = [evaluation.samples.waveform(channel) for channel in channels]
            stretch = evaluation.places.stretch(kind, waves, channels, interval, numbers=kind.defaults)
            sigmas = [one.standard] if recorded else _noise_behind(evaluation, one, channels, reading)
            assert kind.noise is not None
            return kind.noise(reading.value, sigmas, waves, stretch, reading.window)
    return None


def _noise_behind(evaluation: Evaluation, one: Input, channels: Sequence[str], reading: Reading) -> list[float]:
    """Return the rms that noise of one recorded channel has in each of some channels: what a shift by σ does to their samples."""
    moved, found = moved_by(evaluation, one), []
    for name in channels:
        if one.channel not in recorded_behind(evaluation.study, [name]):
            found.append(0.0)
            continue
        square, _ = window_means(
            _Squared(evaluation.samples.waveform(name), moved.samples.waveform(name)), reading.window, evaluation.record.n_samples
        )
        found.append(math.sqrt(float(square)))
    return found


class _Squared(msgspec.Struct, frozen=True):
    """Reads the square of the difference of two waveforms."""

    one: Waveform
    other: Waveform

    def __call__(self, start: int, stop: int) -> FloatArray:
        return np.asarray((self.other.read(start, stop) - self.one.read(start, stop)) ** 2)


def value_accuracy(evaluation: Evaluation, name: str) -> Stated:
    """Return the accuracy of a formula that is a single value; noise is drawn, eight times, with a fixed seed."""
    inputs, silent = stated_inputs(evaluation.study, [name])
    if silent:
        return Stated(None, _silent(silent))
    return _value_accuracy(evaluation, name, inputs)


@remembered()
def _value_accuracy(evaluation: Evaluation, name: str, inputs: tuple[Input, ...]) -> Stated:
    value = _scalar(evaluation, name)
    if not math.isfinite(value):
        return Stated(None, "the value is not given")
    found = []
    for one in inputs:
        if one.name in RANDOM:
            draws = [_scalar(_noisy_by(evaluation, one, seed), name) - value for seed in range(_DRAWS)]
            found.append(Contribution(one, _drawn(draws)))
        else:
            found.append(Contribution(one, _scalar(moved_by(evaluation, one), name) - value))
    method_u = evaluation.samples.scalar(name).method_u
    if method_u > 0:
        found.append(Contribution(Input(METHOD, "", Shape.NORMAL, method_u), method_u))
    return _stated(found, value)


def _drawn(differences: Sequence[float]) -> float:
    """Return the standard uncertainty from what noise, added once more, does to a value.

    Its scatter; and where the value is shifted clearly, as the largest of many is, what the noise in it has shifted it by:
    the shift over (sqrt 2 - 1), by simulation and extrapolation (J. R. Cook and L. A. Stefanski 1994).
    """
    found = np.asarray(differences)
    scatter, shift = float(np.sqrt(np.mean(found**2))), abs(float(found.mean()))
    clear = shift > 2 * float(found.std(ddof=1)) / math.sqrt(len(found))
    return math.hypot(scatter, shift / (math.sqrt(2) - 1)) if clear else scatter


def _scalar(evaluation: Evaluation, name: str) -> float:
    found = evaluation.samples.resolve(name)
    return found.value if isinstance(found, Scalar) else math.nan


class _Noisy(_Moved):
    """Noise on one channel, the same in every read of a sample; cycles are found anew where it reaches them."""

    def __init__(self, base: Evaluation, moved: Input, seed: int) -> None:
        super().__init__(base, moved)
        self._seed = seed

    def channel(self, channel: Channel) -> Waveform:
        if channel.name != self._input.channel:
            return channel
        return Derived(lambda a, b: channel.read(a, b) + self._noise(a, b), channel.unit, channel.n_samples, channel.rate_hz)

    def cycles(self, name: str, find: Callable[[], Cycles]) -> Cycles:
        return find() if self._input.channel in recorded_behind(self._base.study, [name]) else super().cycles(name, find)

    def _noise(self, start: int, stop: int) -> FloatArray:
        block = 1 << 14
        first, last = start // block, max(stop - 1, start) // block
        drawn = [np.random.default_rng((self._seed, k)).normal(0.0, self._input.standard, block) for k in range(first, last + 1)]
        return np.asarray(np.concatenate(drawn)[start - first * block : stop - first * block])


_LIFT_WORTH_SAYING = 0.1  # of the standard uncertainty


def noise_lift(evaluation: Evaluation, kind: ReadingKind, channels: Sequence[str], interval: str | None = None) -> float:
    """Return what the stated noise of a recorded channel adds to a reading on the average, SI, signed; 0 where that is nothing.

    The reading less this is the reading without the noise; it is never taken off by itself.
    """
    (name,) = channels[:1]
    if kind.lift is None or len(channels) != 1 or evaluation.study.formula(name) is not None:
        return 0.0
    inputs, _ = stated_inputs(evaluation.study, channels)
    sigma = math.hypot(*(one.standard for one in inputs if one.name in RANDOM), 0.0)
    reading = evaluation.reading(kind, channels, interval)
    if not sigma > 0 or not math.isfinite(reading.value):
        return 0.0
    waves = [evaluation.samples.waveform(name)]
    stretch = evaluation.places.stretch(kind, waves, channels, interval)
    found = kind.lift(reading.value, [sigma], waves, stretch, reading.window)
    return found if math.isfinite(found) else 0.0


def lift_is_clear(lift: float, stated: Stated) -> bool:
    """Return whether what noise adds is worth saying beside the accuracy."""
    return bool(lift) and stated.budget is not None and abs(lift) > _LIFT_WORTH_SAYING * stated.budget.standard


_BUDGETED = (*budgeted(), *RESOLVED_QUANTITIES)
_PowerValues: TypeAlias = dict[tuple[str, str], float]  # (element, quantity) to SI


def power_accuracy(evaluation: Evaluation, connection: Connection, interval: str | None) -> dict[tuple[str, str], Stated]:
    """Return the accuracy of the powers of a connection by (name of the element or "total", quantity)."""
    channels = list(connection.sockets.values())
    inputs, silent = stated_inputs(evaluation.study, channels)
    values = _power_values(evaluation, connection, interval)
    reason = _silent(silent) or _clipped(evaluation, channels, interval)
    if reason:
        return dict.fromkeys(values, Stated(None, reason))
    return _power_accuracy(evaluation, connection, interval, inputs)


@remembered()
def _power_accuracy(
    evaluation: Evaluation, connection: Connection, interval: str | None, inputs: tuple[Input, ...]
) -> dict[tuple[str, str], Stated]:
    values = _power_values(evaluation, connection, interval)
    found: dict[tuple[str, str], list[Contribution]] = {key: [] for key in values}
    for one in inputs:
        if one.name in RANDOM:
            amounts = _power_noise(evaluation, connection, interval, one)
        else:
            moved = _power_values(moved_by(evaluation, one), connection, interval)
            amounts = {key: moved[key] - value for key, value in values.items()}
        for key in values:
            found[key].append(Contribution(one, amounts[key]))
    return {key: _stated(contributions, values[key]) for key, contributions in found.items()}


def _power_noise(evaluation: Evaluation, connection: Connection, interval: str | None, one: Input) -> _PowerValues:
    """Return what noise of one channel does to the powers: independent in every sample, and uncorrelated with the waveforms."""
    power, kind = evaluation.power(connection, interval), evaluation.wiring_of(connection)
    n = max(power.window.stop - power.window.start, 1.0)
    parts = parts_of(power, [element.name for element in kind.elements])
    found: _PowerValues = {}
    for quantity in _BUDGETED:
        assert quantity.noise is not None
        shares = []
        for element in kind.elements:
            sigma_u, sigma_i = (_share_of(one, connection, kind, name) for name in (element.voltage, element.current))
            amount = quantity.noise(parts[element.name][0], sigma_u, sigma_i, n)
            found[element.name, quantity.id] = amount
            shares.append((amount, float(quantity.value(*parts[element.name]))))
        found["total", quantity.id] = quantity.noise_of_total(shares, float(quantity.value(*parts["total"])))
    return found


def _share_of(one: Input, connection: Connection, kind: Wiring, name: str) -> float:
    """Return what the noise of a channel is in the voltage or current of an element."""
    shares = kind.virtual.get(name, {name: 1.0})
    return one.standard * math.hypot(
        0.0, *(share for socket, share in shares.items() if connection.sockets[socket] == one.channel)
    )


def _power_values(evaluation: Evaluation, connection: Connection, interval: str | None) -> _PowerValues:
    elements = [element.name for element in evaluation.wiring_of(connection).elements]
    parts = parts_of(evaluation.power(connection, interval), elements)
    return {(name, quantity.id): float(quantity.value(*of)) for name, of in parts.items() for quantity in _BUDGETED}


def try_accuracy(evaluation: Evaluation, kind: ReadingKind, channels: Sequence[str], interval: str | None = None) -> Stated:
    """Return the accuracy of a reading, or why it cannot be told, never an error: numbers stand without it."""
    try:
        return reading_accuracy(evaluation, kind, channels, interval)
    except PantelosError as error:
        return Stated(None, str(error))
