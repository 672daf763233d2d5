"""The accuracy of readings: what the inputs behind their channels do to them."""

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.accuracy.budget import MEASURED_NOISE, METHOD, NOISE, PHASE, RANDOM, RESOLUTION, Budget, Contribution, Input, Shape
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.references import recorded_behind
from pantelos.engine.remembered import remembered
from pantelos.engine.uncertainty.effects import Look, drawn, effect, effect_together, nearest, pairs, scatter, together
from pantelos.engine.uncertainty.inputs import inputs_here, phaseless, stated_inputs, steps_rested_on, supposed_phases, why_none
from pantelos.engine.uncertainty.moving import moved_by
from pantelos.engine.uncertainty.stated import Stated, stated
from pantelos.errors import PantelosError
from pantelos.formula.compiled import Kind
from pantelos.reading.reading import Reading, ReadingKind, Stretch, rounded_mean
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.window import window_means

_MATTERS = 0.01  # of what is stated: a phase error of half a degree that does less is not worth a word
_LIFT_WORTH_SAYING = 0.1  # of the standard uncertainty


def reading_accuracy(evaluation: Evaluation, kind: ReadingKind, channels: Sequence[str], interval: str | None = None) -> Stated:
    """Return the accuracy of a reading; kept like the reading itself."""
    inputs, silent = stated_inputs(evaluation.study, channels)
    reason = why_none(evaluation, silent, channels, interval)
    if reason:
        return Stated(None, reason, seen=_seen(evaluation, kind, channels, interval))
    several = len(recorded_behind(evaluation.study, channels)) > 1
    phases = supposed_phases(evaluation, phaseless(evaluation.study, channels), interval) if several or kind.delayed else ()
    return _reading_accuracy(evaluation, kind, channels, interval, inputs_here(evaluation, inputs, channels, interval), phases)


def _seen(evaluation: Evaluation, kind: ReadingKind, channels: Sequence[str], interval: str | None) -> float:
    """Return what steps and noise of the record alone leave of a reading (k = 2), SI; NaN where it would have to be drawn for."""
    if kind.rounding is None or kind.noise is None:
        return math.nan
    here = inputs_here(evaluation, (), channels, interval)
    return _reading_accuracy(evaluation, kind, channels, interval, here, ()).expanded


def try_accuracy(evaluation: Evaluation, kind: ReadingKind, channels: Sequence[str], interval: str | None = None) -> Stated:
    """Return the accuracy of a reading, or why it cannot be told, never an error: numbers stand without it."""
    try:
        return reading_accuracy(evaluation, kind, channels, interval)
    except PantelosError as error:
        return Stated(None, str(error))


@remembered(by_cycles=True, always_kept=True)
def _reading_accuracy(
    evaluation: Evaluation,
    kind: ReadingKind,
    channels: Sequence[str],
    interval: str | None,
    here: tuple[Input, ...],
    supposed: tuple[Input, ...],
) -> Stated:
    reading = evaluation.reading(kind, channels, interval)
    if not math.isfinite(reading.value):
        return Stated(None, "the reading is not given")

    again = _TakenAgain(evaluation, kind, channels, interval, reading)
    look, found = again.look, [Contribution(one, again.contribution(one)) for one in here]
    if len(recorded_behind(evaluation.study, channels)) > 1:
        found += [together(a, b, effect_together(evaluation, a, b, look, reading.value)) for a, b in pairs(here)]
    if reading.method_u > 0:
        found.append(Contribution(Input(METHOD, "", Shape.NORMAL, reading.method_u), reading.method_u))
    return stated(found, reading.value, matters(evaluation, supposed, look, reading.value, found))


def matters(
    evaluation: Evaluation, supposed: Sequence[Input], look: Look, value: float, found: list[Contribution]
) -> tuple[str, ...]:
    """Return the channels whose unstated phase errors would show beside the contributions that are stated."""
    least = _MATTERS * Budget(tuple(found)).standard + 1e-12 * abs(value)
    return tuple(one.channel for one in supposed if abs(effect(evaluation, one, look, value)) > least)


class _TakenAgain(msgspec.Struct, frozen=True, eq=False):
    """A reading whose accuracy is asked for, and what gives it again under other circumstances."""

    evaluation: Evaluation
    kind: ReadingKind
    channels: Sequence[str]
    interval: str | None
    reading: Reading

    def look(self, other: Evaluation) -> float:
        """Return the reading of another evaluation."""
        turn = 2 * math.pi if self.reading.unit.symbol == "°" else 0.0
        return nearest(other.reading(self.kind, self.channels, self.interval).value, self.reading.value, turn)

    @property
    def recorded(self) -> bool:
        """Whether it is of one recorded channel."""
        return len(self.channels) == 1 and self.evaluation.study.formula(self.channels[0]) is None

    @property
    def ruled(self) -> bool:
        """Whether rules for samples hold: not of series, which have few."""
        return not any(self.evaluation.names.kind(channel) is Kind.SERIES for channel in self.channels)

    def contribution(self, one: Input) -> float:
        """Return what an input does to the reading."""
        if one.name == RESOLUTION:
            return self._rounding(one)
        if one.name in RANDOM:
            return self._noise(one)
        known = self._known(one) if self.recorded else None
        return known if known is not None else effect(self.evaluation, one, self.look, self.reading.value)

    def _known(self, one: Input) -> float | None:
        """Return a contribution that needs no second look, or None."""
        kind = self.kind
        delay_s = one.standard / (2 * math.pi * one.at_hz) if one.name == PHASE else one.standard
        match one.name:
            case "gain" | "ratio" if kind.degree is not None:
                return kind.degree * self.reading.value * one.standard
            case "offset" | "correction" if kind.of_a_line:
                return one.standard
            case "offset" | "correction" if kind.shift is not None:
                return kind.shift * one.standard
            case "delay" | "phase":
                return delay_s if kind.delayed else 0.0
            case "time base" if not kind.timed:
                return 0.0
        return None

    def _stretch(self) -> tuple[list[Waveform], Stretch]:
        waves = [self.evaluation.samples.waveform(channel) for channel in self.channels]
        places = self.evaluation.places
        return waves, places.stretch(self.kind, waves, self.channels, self.interval, numbers=self.kind.defaults)

    def _noise(self, one: Input) -> float:
        """Return what noise does. Of noise that is only seen nobody says it is not the waveform's own: it lifts nothing."""
        seen, (kind, reading) = one.name == MEASURED_NOISE, (self.kind, self.reading)
        if kind.noise is None or not self.ruled:
            if seen:
                return scatter(self.evaluation, one, self.look, reading.value)
            return drawn(self.evaluation, (one,), self.look, reading.value, lifts=True)
        if seen and kind.rounding is rounded_mean:
            return self._sigmas(one)[0] / math.sqrt(max(reading.window.stop - reading.window.start, 1.0))
        return 0.0 if seen and kind.lift is not None else self._by_rule(one)

    def _sigmas(self, one: Input) -> list[float]:
        """Return the noise per sample of each channel that the reading is of, rms, SI."""
        return [one.standard] if self.recorded else _noise_behind(self.evaluation, one, self.channels, self.reading)

    def _by_rule(self, one: Input) -> float:
        assert self.kind.noise is not None
        waves, stretch = self._stretch()
        return self.kind.noise(self.reading.value, self._sigmas(one), waves, stretch, self.reading.window)

    def _rounding(self, one: Input) -> float:
        """Return what the steps of a recorder do: half a step at most, the same in every sample that rests on the same step."""
        rested, kind, value = steps_rested_on(self.evaluation, one, self.interval), self.kind, self.reading.value
        if self.ruled and kind.rounding is not None and len(self.channels) == 1:
            return kind.rounding(value, self._sigmas(one)[0], rested, *self._stretch())
        ruled = self.recorded and self.ruled
        by_rule = ruled and kind.noise is not None
        if by_rule:
            as_noise = self._by_rule(one)
        elif self.ruled:
            as_noise = scatter(self.evaluation, one, self.look, value)
        else:  # of a series it is what noise is: the largest of many values is lifted
            as_noise = drawn(self.evaluation, (one,), self.look, value, lifts=True)
        shift = kind.shift if ruled else None
        shifted = effect(self.evaluation, one, self.look, value) if shift is None else shift * one.standard
        return math.hypot(as_noise, shifted / math.sqrt(rested))


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


def noise_lift(evaluation: Evaluation, kind: ReadingKind, channels: Sequence[str], interval: str | None = None) -> float:
    """Return what the stated noise of a recorded channel adds to a reading on the average, SI, signed; 0 where that is nothing.

    The reading less this is the reading without the noise; it is never taken off by itself. Steps of the recorder lift nothing.
    """
    (name,) = channels[:1]
    if kind.lift is None or len(channels) != 1 or evaluation.study.formula(name) is not None:
        return 0.0
    inputs, _ = stated_inputs(evaluation.study, channels)
    sigma = math.hypot(*(one.standard for one in inputs if one.name == NOISE), 0.0)
    reading = evaluation.reading(kind, channels, interval)
    if not sigma > 0 or not math.isfinite(reading.value):
        return 0.0
    waves = [evaluation.samples.waveform(name)]
    stretch = evaluation.places.stretch(kind, waves, channels, interval)
    found = kind.lift(reading.value, [sigma], waves, stretch, reading.window)
    return found if math.isfinite(found) else 0.0


def lift_is_clear(lift: float, given: Stated) -> bool:
    """Return whether what noise adds is worth saying beside the accuracy."""
    return bool(lift) and given.budget is not None and abs(lift) > _LIFT_WORTH_SAYING * given.budget.standard
