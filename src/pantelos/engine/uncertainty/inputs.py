"""The inputs behind a number: what the chains of its channels state, what the record shows, what nobody stated."""

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.accuracy.budget import CORRECTION, MEASURED_NOISE, NOISE, PHASE, RESOLUTION, Input, Shape
from pantelos.engine.calibrated import Calibrated
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.references import recorded_behind
from pantelos.engine.remembered import remembered
from pantelos.engine.uncertainty.moving import TIME_BASE
from pantelos.record.transducer import TransducerKind
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.window import samples_between
from pantelos.signal.shapes.noise import noise_floor
from pantelos.study.model import Study
from pantelos.units import unit

SUPPOSED_RAD = math.radians(0.5)  # phase error that is tried where none is stated
_COMPUTED = 1e-9  # of the largest sample
_FILTERED, _AT_ENDS = 1e-7, 3e-5  # of it: what taking a response off leaves, in the middle and where ends are told by a period
_LOOKED_AT, _BLOCK = 1 << 16, 1 << 10  # samples that tell noise and steps, taken in blocks all over an interval


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
        found.append(Input(TIME_BASE, "", Shape.RECTANGULAR, Shape.RECTANGULAR.standard(study.record.time_base_ppm * 1e-6)))
    return tuple(found), tuple(silent)


def why_none(evaluation: Evaluation, silent: Sequence[str], channels: Sequence[str], interval: str | None) -> str:
    """Return why there is no accuracy: a chain states none, or a channel is clipped; empty where there is one."""
    if silent:
        return f"the scaling of {', '.join(silent)} states no accuracy"
    for name in recorded_behind(evaluation.study, channels):
        if evaluation.n_clipped(name, interval):
            return f"{name} is clipped here: the value is only a bound"
    return ""


def inputs_here(
    evaluation: Evaluation, inputs: Sequence[Input], channels: Sequence[str], interval: str | None
) -> tuple[Input, ...]:
    """Return the inputs as they are in an interval.

    A phase error gets the frequency it is at and is left out where nothing alternates; a channel whose step nobody stated gets
    the one that its numbers show, and one whose noise nobody stated what is seen of it.
    """
    found = [placed for one in inputs if (placed := _placed(evaluation, one, interval)) is not None]
    for name in recorded_behind(evaluation.study, channels):
        own = {one.name for one in inputs if one.channel == name}
        wave = evaluation.samples.waveform(name)
        if isinstance(wave, Calibrated):
            largest = max((float(np.nanmax(np.abs(x), initial=0.0)) for x in _looked_at(evaluation, name, interval)), default=0.0)
            span = samples_between(*evaluation.times.span(interval))
            left = _FILTERED + _AT_ENDS * min(wave.reach / max(span.end - span.first, 1), 1.0)
            found.append(Input(CORRECTION, name, Shape.NORMAL, left * largest))
        step = evaluation.samples.step(name)
        if RESOLUTION not in own and step > 0:
            found.append(Input(RESOLUTION, name, Shape.RECTANGULAR, Shape.RECTANGULAR.standard(step / 2)))
        if NOISE not in own and (sigma := seen_noise(evaluation, name, interval)) > 0:
            found.append(Input(MEASURED_NOISE, name, Shape.NORMAL, sigma))
    return tuple(found)


def _placed(evaluation: Evaluation, one: Input, interval: str | None) -> Input | None:
    if one.name != PHASE or one.at_hz:
        return one
    frequency = _fundamental_hz(evaluation, one.channel, interval)
    return msgspec.structs.replace(one, at_hz=frequency) if frequency > 0 else None


def _fundamental_hz(evaluation: Evaluation, channel: str, interval: str | None) -> float:
    """Return the frequency of a channel by its own reference, in an interval or else in the record; 0 where it has none.

    Each by its own: beside its mains, a machine turns at another.
    """
    window, reference = evaluation.places.window(interval, [channel]), evaluation.references.of([channel])
    if window.n_cycles and math.isfinite(window.frequency_hz):
        return window.frequency_hz
    overall = reference.cycles.frequency_hz if reference.cycles is not None else 0.0
    return overall if math.isfinite(overall) else 0.0


def phaseless(study: Study, names: Sequence[str]) -> tuple[str, ...]:
    """Return the recorded voltages and currents behind some names whose chains tell no limit of phase displacement.

    What is recorded without a transducer has none of its own where another of these channels tells one: that is against it.
    """
    silent, direct, told, behind = [], set[str](), False, recorded_behind(study, names)
    for setup in study.channels:
        if setup.name not in behind:
            continue
        _, _, shown = setup.scaling.resolve(unit(setup.recorder_unit))
        if not (shown.like(unit("V")) or shown.like(unit("A"))):
            continue
        if setup.scaling.tells_phase(shown.like(unit("A"))):
            told = True
            continue
        silent.append(setup.name)
        if setup.scaling.transducer.kind is TransducerKind.DIRECT:
            direct.add(setup.name)
    return tuple(name for name in silent if not (told and name in direct))


def supposed_phases(
    evaluation: Evaluation, silent: Sequence[str], interval: str | None, size_rad: float = SUPPOSED_RAD
) -> tuple[Input, ...]:
    """Return a phase error as it might be of each channel whose chain tells none; none of those that do not alternate."""
    standard = Shape.RECTANGULAR.standard(size_rad)
    at = {name: _fundamental_hz(evaluation, name, interval) for name in silent}
    return tuple(Input(PHASE, name, Shape.RECTANGULAR, standard, hertz) for name, hertz in at.items() if hertz > 0)


@remembered()
def seen_noise(evaluation: Evaluation, name: str, interval: str | None) -> float:
    """Return the noise per sample that a recorded channel shows beyond that of its steps, rms, SI; 0 where none is seen."""
    parts = _looked_at(evaluation, name, interval)
    seen, largest = noise_floor(parts), max((float(np.nanmax(np.abs(x), initial=0.0)) for x in parts), default=0.0)
    if not seen > _COMPUTED * largest:
        return 0.0  # what differences of smooth samples leave of computing with so many digits
    return math.sqrt(max(seen**2 - evaluation.samples.step(name) ** 2 / 12, 0.0))


@remembered()
def steps_rested_on(evaluation: Evaluation, one: Input, interval: str | None) -> float:
    """Return on how many steps of its recorder a channel rests in an interval, 1 / Σ p²: rounding is the same on each.

    Noise that moves a sample by a step and more makes its rounding new in each; then all samples count.
    """
    step = one.standard * math.sqrt(12)
    values = np.concatenate(_looked_at(evaluation, one.channel, interval) or [np.zeros(1)])
    values = values[np.isfinite(values)]
    if not len(values) or not step > 0:
        return 1.0
    _, counts = np.unique(np.round(values / step), return_counts=True)
    shares = counts / len(values)
    rested = 1 / float(np.sum(shares**2))
    stated, _ = stated_inputs(evaluation.study, [one.channel])
    noise = max((other.standard for other in stated if other.name == NOISE), default=0.0)
    n = samples_between(*evaluation.times.span(interval))
    # The mean of rounding with Gaussian noise before it is off by at most q/π · exp(-2π²σ²/q²).
    dithered = math.exp(min(4 * math.pi**2 * (noise / step) ** 2, 100.0))
    return min(rested * dithered, max(float(n.end - n.first), 1.0))


def _looked_at(evaluation: Evaluation, name: str, interval: str | None) -> list[FloatArray]:
    """Return blocks of samples from all over an interval: all of a short one."""
    span, wave = samples_between(*evaluation.times.span(interval)), evaluation.samples.channel(name)
    n = span.end - span.first
    if n <= _LOOKED_AT:
        return [np.asarray(wave.read(span.first, span.end))]
    starts = np.linspace(span.first, span.end - _BLOCK, _LOOKED_AT // _BLOCK).astype(int)
    return [np.asarray(wave.read(int(a), int(a) + _BLOCK)) for a in starts]
