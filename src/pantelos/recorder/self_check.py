"""What a chain can at best show: known signals through outputs and inputs, and what comes of them.

Three recordings: with the outputs silent (noise, offset), a sine on all (gain, distortion, phase and delay between channels), and
a sine under noise with a tone of its size beside it on every second channel (phase by ellipse and by spectrum).
"""

import math
import tempfile
from collections.abc import Callable, Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.derived import Scalar
from pantelos.progress import Progress
from pantelos.recorder.driver import Recorder
from pantelos.recorder.order import Order, WantedChannel
from pantelos.recorder.recording import record
from pantelos.recorder.signals import Signal, SignalTone
from pantelos.recorder.studying import study_of
from pantelos.recorder.waiting import Waiting
from pantelos.signal.shapes.lissajous import fitted_ellipse
from pantelos.study.report import Evidence, EvidenceRow

AMPLITUDE = 0.8  # of the range
_DISTURBED = 0.5  # of the range: sine, noise and tone together stay inside
_NOISE, _TONE, _AWAY = 0.2, 0.9, 0.37  # of the amplitude; rms; of the frequency between sine and tone
_PHASE_DEG = 30.0  # given to every second channel
_PERIODS, _LONGEST = 60, 1 << 21
_OF_ONE = (("THD", "thd({c})", "%"), ("SINAD", "sinad({c})", "dB"), ("SFDR", "sfdr({c})", "dB"), ("ENOB", "enob({c})", "bit"))


def self_check(
    recorder: Recorder, inputs: Sequence[int], range_v: float, rate_hz: float, frequency_hz: float, loop: bool = True,
    progress: Progress | None = None, waiting: Waiting | None = None,
) -> Evidence:  # fmt: skip
    """Return what was found on some inputs; `loop`: the recorder wires its outputs into them, else that was done by hand.

    Raises
    ------
    StudyError
        When no input is named, or the frequency does not suit the rate.
    RecorderError
        When the recorder refuses, or is lost.
    """
    if not inputs:
        raise StudyError("A self-check needs an input. Name one or several.")
    if not 0 < frequency_hz < 0.1 * rate_hz:
        raise StudyError(f"{frequency_hz:g} Hz does not suit {rate_hz:g} samples per second: take less than a tenth of the rate.")
    progress = progress or Progress()
    channels = tuple(WantedChannel(f"in{k}", k, range_v) for k in inputs)
    n = min(max(round(_PERIODS * rate_hz / frequency_hz), 1 << 14), _LONGEST)
    order = Order(channels, rate_hz, n)
    size = AMPLITUDE * range_v
    rows: list[EvidenceRow] = []
    with tempfile.TemporaryDirectory() as folder:

        def recorded(name: str, signals: dict[int, Signal], part: Progress) -> Evaluation:
            recorder.give([signals.get(one.number, Signal()) for one in recorder.inputs], loop)
            taken = recorder.take(order)
            came = record(recorder, taken, Path(folder) / f"{name}.recording", None, part, waiting)
            if came.failed is not None:
                raise came.failed
            if came.n_rows < n:
                raise StudyError("The self-check was stopped; it says nothing without all of its recordings.")
            study, recordings = study_of(came.path, taken.order, taken.steps_v)
            return Evaluation(study, recordings.record(study.record))

        silent = recorded("silent", {}, progress.part(0.0, 0.3))
        rows += _silence(silent, channels)
        sine = {k: Signal(True, "sine", frequency_hz, size, phase_deg=_PHASE_DEG * (at % 2)) for at, k in enumerate(inputs)}
        rows += _tone_through(recorded("sine", sine, progress.part(0.3, 0.65)), channels, size / math.sqrt(2), frequency_hz)
        if len(channels) > 1:
            rows += _disturbed(recorder, recorded, inputs, range_v, frequency_hz, channels, progress.part(0.65, 1.0))
    recorder.give([Signal() for _ in recorder.inputs], loop=False)
    at = datetime.now(UTC).isoformat(timespec="seconds")
    wired = "outputs wired into inputs by the recorder" if loop else "outputs wired into inputs by hand"
    said = f"{frequency_hz:g} Hz at {AMPLITUDE:.0%} of {range_v:g} V, {n} samples at {rate_hz:g} per second, {wired}"
    return Evidence("Self-check of the chain", at, recorder.identity, said, tuple(rows))


def _row(what: str, channel: str, value: float, symbol: str, remark: str) -> EvidenceRow:
    return EvidenceRow(what, channel, value if math.isfinite(value) else None, symbol, remark)


def _value(evaluation: Evaluation, formula: str) -> tuple[float, str]:
    """Return a value in SI, and why there is none."""
    try:
        found = evaluation.value(formula)
    except PantelosError as error:
        return math.nan, str(error)
    if not isinstance(found, Scalar):
        return math.nan, "no single value"
    return found.value / found.unit.factor, ""


def _silence(evaluation: Evaluation, channels: Sequence[WantedChannel]) -> Iterator[EvidenceRow]:
    for one in channels:
        noise, why = _value(evaluation, f"ac_rms({one.name})")
        offset, _ = _value(evaluation, f"mean({one.name})")
        yield _row("noise", one.name, noise, "V", why)
        yield _row("offset", one.name, offset, "V", "")


def _tone_through(
    evaluation: Evaluation, channels: Sequence[WantedChannel], rms: float, frequency_hz: float
) -> Iterator[EvidenceRow]:
    for one in channels:
        seen, why = _value(evaluation, f"tone({one.name}, {frequency_hz!r} Hz)")
        yield _row("gain", one.name, 100 * (seen / rms - 1), "%", why or "of the sine given, too large where positive")
        for label, formula, symbol in _OF_ONE:
            value, why = _value(evaluation, formula.format(c=one.name))
            yield _row(label, one.name, value, symbol, why)
    first = channels[0].name
    for at, one in enumerate(channels[1:], start=1):
        angle, why = _value(evaluation, f"phase({one.name}, {first}, {frequency_hz!r} Hz)")
        off = angle - _PHASE_DEG * (at % 2)
        yield _row("phase", f"{one.name} against {first}", off, "°", why or f"beside the {_PHASE_DEG * (at % 2):g}° given")
        yield _row("delay", f"{one.name} against {first}", -off / 360 / frequency_hz, "s", why)


def _disturbed(
    recorder: Recorder,
    recorded: Callable[[str, dict[int, Signal], Progress], Evaluation],
    inputs: Sequence[int],
    range_v: float,
    frequency_hz: float,
    channels: Sequence[WantedChannel],
    progress: Progress,
) -> list[EvidenceRow]:
    """Return how far phases by ellipse and by spectrum are off in noise beside a stronger tone."""
    size = _DISTURBED * range_v / (1 + _TONE + 4 * _NOISE)
    beside = (SignalTone((1 + _AWAY) * frequency_hz, _TONE * size),)
    signals = {
        k: Signal(
            True, "sine", frequency_hz, size, phase_deg=_PHASE_DEG * (at % 2), noise=_NOISE * size, tones=beside if at % 2 else ()
        )
        for at, k in enumerate(inputs)
    }
    evaluation = recorded("disturbed", signals, progress)
    first, second = channels[0].name, channels[1].name
    by_spectrum, why = _value(evaluation, f"phase({second}, {first}, {frequency_hz!r} Hz)")
    x, y = (evaluation.samples.waveform(name) for name in (first, second))
    n = evaluation.record.n_samples
    ellipse = fitted_ellipse(lambda a, b: np.stack([x.read(a, b), y.read(a, b)]), 0, n)
    by_ellipse = math.degrees(ellipse.phase_rad) if ellipse is not None else math.nan
    pair = f"{second} against {first}"
    given = f"noise of {_NOISE:.0%} on both, a tone of {_TONE:.0%} at {(1 + _AWAY) * frequency_hz:g} Hz on {second}"
    return [
        _row("phase in noise, by spectrum", pair, by_spectrum - _PHASE_DEG, "°", why or given),
        _row("phase in noise, by ellipse", pair, by_ellipse - _PHASE_DEG, "°", "X–Y; " + given),
    ]
