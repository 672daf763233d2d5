"""Write samples of channels and formulas to a file, with time, names, units and what is known of them."""

import shutil
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError, access_error
from pantelos.formats.format import Format
from pantelos.formats.output import Output, OutputChannel
from pantelos.formats.registry import FORMATS
from pantelos.formula.compiled import Kind
from pantelos.progress import Progress
from pantelos.record.waveform import Waveform
from pantelos.saving import clear_leftovers
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.window import samples_between
from pantelos.signal.filters.decimation import PASSBAND, STOPBAND_DB, half_length, reduced
from pantelos.study.model import WHOLE_RECORD
from pantelos.units import unit
from pantelos.version import __version__


def written_suffixes() -> tuple[str, ...]:
    """Return the suffixes that samples can be written under."""
    return tuple(suffix for known in FORMATS for suffix in known.written)


def write_samples(
    evaluation: Evaluation,
    path: Path,
    channels: Sequence[str] | None = None,
    interval: str | None = None,
    whole: bool = False,
    rate_hz: float | None = None,
    progress: Progress | None = None,
) -> int:
    """Write samples in the units the channels are shown in, block by block; return how many of each.

    Parameters
    ----------
    rate_hz : lower rate, a whole part of that of the record; the samples are filtered first, and the file says so

    Raises
    ------
    StudyError
        When the suffix is of no known kind, a channel has no samples, or the rate does not divide that of the record.
    FileAccessError
        When the file cannot be written; one that was there before is untouched.
    """
    kind = _kind(path)
    output = output_of(evaluation, channels, interval, whole, rate_hz)
    clear_leftovers(path.resolve())
    try:
        aside = Path(tempfile.mkdtemp(prefix=f".{path.name}.", suffix=".part", dir=path.resolve().parent))
    except OSError as cause:
        raise access_error(path, "written", cause) from cause
    try:
        kind.write(aside / path.name, output, progress or Progress())
        for made in sorted(aside.iterdir(), key=lambda file: file.name == path.name):  # the file asked for appears last
            made.replace(path.parent / made.name)
    except OSError as cause:
        raise access_error(path, "written", cause) from cause
    finally:
        shutil.rmtree(aside, ignore_errors=True)
    return output.n_samples


def _kind(path: Path) -> Format:
    found = next((known for known in FORMATS if any(path.name.lower().endswith(suffix) for suffix in known.written)), None)
    if found is None:
        choices = ", ".join(written_suffixes())
        raise StudyError(f'{path.name}: samples are not written as "{path.suffix}"; choose one of {choices}.')
    return found


def output_of(
    evaluation: Evaluation, channels: Sequence[str] | None, interval: str | None, whole: bool, rate_hz: float | None
) -> Output:
    """Return what is written of a study."""
    names = list(channels or evaluation.computable(Kind.SIGNAL, Kind.SERIES))
    waves = [(name, evaluation.samples.waveform(name)) for name in names]
    place = WHOLE_RECORD if whole else evaluation.times.name(interval)
    span = samples_between(*evaluation.times.span(place if place == WHOLE_RECORD else interval))
    factor = _factor(evaluation.record.rate_hz, rate_hz)
    n = -(-(span.end - span.first) // factor)
    if n < 1:
        raise StudyError(f'Interval "{place}" holds no sample. Choose a longer one.')
    made = tuple(_channel(evaluation, name, wave, span.first, span.end, factor) for name, wave in waves)
    return Output(
        made,
        evaluation.times.instant(span.first),
        evaluation.record.rate_hz / factor,
        n,
        _facts(evaluation, place, names, factor),
        evaluation.record.began,
    )


def _factor(own_hz: float, wanted_hz: float | None) -> int:
    if wanted_hz is None:
        return 1
    factor = round(own_hz / wanted_hz)
    if factor < 1 or abs(own_hz / wanted_hz - factor) > 1e-6 * factor:
        near = max(round(own_hz / wanted_hz), 1)
        choices = " or ".join(f"{own_hz / k:.10g} Hz" for k in sorted({near, near + 1}))
        raise StudyError(
            f"{wanted_hz:g} Hz is no whole part of the {own_hz:.10g} Hz of the record. Choose for example {choices}."
        )
    return factor


def _channel(evaluation: Evaluation, name: str, wave: Waveform, first: int, end: int, factor: int) -> OutputChannel:
    shown = wave.unit.factor
    read: Callable[[int, int], FloatArray] = lambda a, b: wave.read(first + a, first + b)  # noqa: E731
    if factor > 1:
        read = reduced(wave.read, first, end, factor)

    def extent() -> tuple[float, float]:
        low, high = evaluation.drawing.extent(name)
        margin = 0.1 * (high - low) if factor > 1 else 0.0  # a filter may overshoot
        return (low - margin) / shown, (high + margin) / shown

    return OutputChannel(name, wave.unit.symbol, (lambda a, b: read(a, b) / shown) if shown != 1.0 else read, extent)


def _facts(evaluation: Evaluation, place: str, names: Sequence[str], factor: int) -> tuple[tuple[str, str], ...]:
    """Return what a reader of the file must know: where the samples come from and what was done to them."""
    study, record = evaluation.study, evaluation.record
    facts = [("title", study.title), ("program", f"Pantelos {__version__}"), ("interval", place)]
    for path, mark in record.sources:
        facts += [("source file", path.name), ("source fingerprint (BLAKE2b-256)", mark)]
    for setup in study.channels:
        if setup.name in names:
            facts.append((f"scaling of {setup.name}", setup.scaling.text(unit(setup.recorder_unit))))
            if evaluation.samples.channel(setup.name).interpolated:
                facts.append((f"time of {setup.name}", f"interpolated to {record.rate_hz:.10g} Hz"))
    facts += [(f"formula {formula.name}", formula.text) for formula in study.formulas if formula.name in names]
    if factor > 1:
        taps = f"a low-pass filter of linear phase with {2 * half_length(factor) + 1} taps"
        band = f"flat up to {PASSBAND:g} of half the new rate, {STOPBAND_DB:g} dB down from all of it on"
        facts.append(("reduced rate", f"every {factor}th sample of {record.rate_hz:.10g} Hz behind {taps}, {band}"))
    return tuple(facts)
