"""Checks of what was recorded: clipping, range, steps, missing samples, offset, drift, rate."""

import math
from collections.abc import Iterator

import numpy as np

from pantelos.checks import plausibility
from pantelos.engine.evaluation import Evaluation
from pantelos.formats import remarks
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.power.wiring import wiring
from pantelos.reading.kinds import reading_kind
from pantelos.record.clipping import clipping, resolution_step, rests_on_levels
from pantelos.record.record import Channel
from pantelos.signal.window import samples_between
from pantelos.units import unit

_FEW_STEPS = 20  # peak to peak: below, resolution shapes the waveform
_OFFSET = 0.02  # of the rms of an alternating channel
_DRIFT = 0.02  # of the rms, from the first to the last third of the interval
_FEWEST_CYCLES = 4  # in a third of the interval, to say anything about drift
_LOOKED_AT = 1 << 16  # samples whose spectrum tells whether the rate is high enough
_ALTERNATES = 0.02  # of the largest value: below, what alternates is noise on a level
_TOP, _TOO_MUCH = 0.9, 0.01  # power above 90 % of the band, as a share of all alternating power


def _channels(evaluation: Evaluation) -> Iterator[Channel]:
    for setup in evaluation.study.channels:
        channel = evaluation.samples.resolve(setup.name)
        assert isinstance(channel, Channel)
        yield channel


def recorder(evaluation: Evaluation) -> Iterator[Notice]:
    """Check ranges: clipped, hardly used, or only a few steps high."""
    n_checked, clean = 0, True
    for channel in _channels(evaluation):
        n_checked += 1
        for piece in channel.pieces:
            found = clipping(channel, piece)
            if found.levels:
                clean = False
                at = " and ".join(with_unit(level * piece.gain + piece.zero, channel.unit, 4) for level in found.levels)
                yield plausibility.clipped(channel.name, found.n_samples, at)
        low, high = evaluation.drawing.extent(channel.name)
        peak = max(abs(low), abs(high))
        if channel.full_scale and math.isfinite(peak):
            notice = plausibility.range_used(channel.name, peak, channel.full_scale)
            if notice is not None:
                yield notice
        yield from _steps(evaluation, channel, high - low)
    if clean and n_checked:
        yield Notice(Severity.FINE, "record.clipped", "no clipping", f"{n_checked} channels")


def _steps(evaluation: Evaluation, channel: Channel, swing: float) -> Iterator[Notice]:
    piece = channel.pieces[0] if channel.pieces else None
    if piece is None or len(piece.raw.samples) < _FEW_STEPS or piece.raw.is_state or not math.isfinite(swing) or swing <= 0:
        return
    key = ("step", evaluation.names.identity(channel.name))
    step = evaluation.results.get(key, lambda: 0.0 if rests_on_levels(piece.raw) else resolution_step(piece.raw)) * abs(
        piece.gain
    )
    if 0 < swing < _FEW_STEPS * step:
        yield plausibility.few_steps(channel.name, round(swing / step), with_unit(step, channel.unit, 3))


def as_read(evaluation: Evaluation) -> Iterator[Notice]:
    """Tell what was odd about the files, how the record was put on one grid, and what has no value."""
    yield from evaluation.record.told
    for channel in _channels(evaluation):
        without = evaluation.results.get(("missing", evaluation.names.identity(channel.name)), channel.n_missing)
        beyond = sum({id(piece.raw): piece.raw.n_beyond for piece in channel.pieces}.values())
        if beyond:
            yield remarks.beyond_range(channel.name, beyond)
        apart = channel.whole and without >= beyond
        count = without - beyond if apart else without
        if count:
            share = with_unit(count / evaluation.record.n_samples, unit("%"), 2)
            detail = f"{share} of the record; readings say how much of their interval was measured"
            what = "are missing" if apart or not beyond else "are missing or beyond the range"
            yield Notice(Severity.CAUTION, "record.missing", f"{count} samples of {channel.name} {what}", detail, channel.name)


def offset_and_drift(evaluation: Evaluation) -> Iterator[Notice]:
    """Check that alternating channels have no mean, and that none changes its size within the active interval."""
    place = evaluation.study.active_interval
    if place is None:
        return
    names = {
        channel: None for c in evaluation.study.connections if wiring(c.wiring).alternating for channel in c.sockets.values()
    }
    mean, rms = reading_kind("mean"), reading_kind("rms")
    assert mean is not None and rms is not None
    for name in names:
        if name not in evaluation.names.types or evaluation.study.formula(name) is not None:
            continue
        if not evaluation.places.window(
            None, [name]
        ).n_cycles:  # a part of a cycle has a mean, and what does not alternate has one
            continue
        size = evaluation.reading(rms, [name]).value
        level = evaluation.reading(mean, [name]).value
        if not size > max(evaluation.samples.low_signal(name), 0.0):
            continue
        if abs(level) > _OFFSET * size:
            yield plausibility.offset(name, with_unit(level, evaluation.names.unit(name), 3), level / size)
        thirds = [_rms_between(evaluation, name, place.start_s + k * place.length_s / 3, place.length_s / 3) for k in (0, 2)]
        if all(math.isfinite(part) for part in thirds) and abs(thirds[1] - thirds[0]) > _DRIFT * size:
            yield plausibility.drift(name, place.name, *(with_unit(part, evaluation.names.unit(name), 4) for part in thirds))


def _rms_between(evaluation: Evaluation, name: str, start_s: float, length_s: float) -> float:
    """Return the rms over the whole cycles of the reference in a stretch; NaN where there are too few to compare."""
    low, high = evaluation.times.positions(start_s, start_s + length_s)
    cycles = evaluation.references.of([name]).cycles
    if cycles is not None:
        crossings, _ = cycles.between(low, high)
        if len(crossings) < _FEWEST_CYCLES + 1:
            return math.nan
        low, high = float(crossings[0]), float(crossings[-1])
    window = samples_between(low, min(high, low + 64 * _LOOKED_AT))
    x = evaluation.samples.waveform(name).read(window.first, window.end)
    return math.sqrt(float(np.nanmean(x * x))) if len(x) and not np.isnan(x).all() else math.nan


def rate(evaluation: Evaluation) -> Iterator[Notice]:
    """Check that little is left near half the sample rate, where it may stand for something above."""
    span = samples_between(*evaluation.times.span(None))
    middle, half = (span.first + span.end) // 2, min(span.end - span.first, _LOOKED_AT) // 2
    for channel in _channels(evaluation):
        if channel.interpolated or half < 64 or channel.pieces[0].raw.is_state:
            continue
        key = evaluation.places.key("rate", None, None, evaluation.names.identity(channel.name))
        share = evaluation.results.get(key, lambda c=channel: _share_at_top(c.read(middle - half, middle + half)))  # type: ignore[misc]
        low, high = evaluation.drawing.extent(channel.name)
        if share > _TOO_MUCH and high - low > 0.02 * (channel.full_scale or 0.0):
            yield plausibility.too_slow(channel.name, share, with_unit(evaluation.record.rate_hz, unit("Hz"), 4))


def _share_at_top(x: np.ndarray) -> float:
    """Return the power in the top tenth of the band over all alternating power (test 4.9 a); 0 with missing samples."""
    if np.isnan(x).any() or not float(np.std(x)) > _ALTERNATES * float(np.abs(x).max()):
        return 0.0
    lines = np.abs(np.fft.rfft((x - x.mean()) * np.hanning(len(x)))) ** 2
    total = float(lines[2:].sum())
    return float(lines[int(_TOP * len(lines)) :].sum()) / total if total > 0 else 0.0
