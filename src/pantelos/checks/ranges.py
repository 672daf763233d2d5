"""Ranges of the recorder: clipped, hardly used, or only a few steps high."""

import math
from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.checks.recorded_channels import recorded_channels
from pantelos.engine.evaluation import Evaluation
from pantelos.notation import counted, with_unit
from pantelos.notice import Notice, Severity
from pantelos.record.clipping import clipping, rests_on_levels
from pantelos.record.record import Channel

_POOR_USE = 0.1  # of the recorder range
_FEW_STEPS = 20  # peak to peak: below, resolution shapes the waveform


def range_used(channel: str, peak: float, full_scale: float) -> Notice | None:
    """Check that a channel uses its range; None when it does."""
    share = peak / full_scale
    if share >= _POOR_USE or peak == 0:
        return None
    return Notice(
        Severity.CAUTION,
        "record.range",
        f"{channel} uses {100 * share:.2g} % of its range",
        f"a smaller range would resolve {1 / share:.0f}× finer",
        channel,
    )


def clipped(channel: str, n_clipped: int, level_text: str) -> Notice:
    """State that a channel touches the end of its range."""
    return Notice(
        Severity.FAULT,
        "record.clipped",
        f"{channel} is clipped in {counted(n_clipped, 'sample')}",
        f"flat at {level_text}: peak, rms and harmonics are only bounds",
        channel,
    )


def few_steps(channel: str, n_steps: int, step: str) -> Notice:
    """State that a channel is only a few steps of resolution high."""
    return Notice(
        Severity.CAUTION,
        "record.steps",
        f"{channel} is {n_steps} steps high",
        f"one step is {step}: its shape is that of the resolution; use a smaller range",
        channel,
    )


def recorder(evaluation: Evaluation) -> Iterator[Notice]:
    """Check ranges: clipped, hardly used, or only a few steps high."""
    n_checked, clean = 0, True
    for channel in recorded_channels(evaluation):
        n_checked += 1
        for piece in channel.pieces:
            found = clipping(channel, piece)
            if found.levels:
                clean = False
                at = " and ".join(with_unit(level * piece.gain + piece.zero, channel.unit, 4) for level in found.levels)
                yield clipped(channel.name, found.n_samples, at)
        low, high = evaluation.drawing.extent(channel.name)
        peak = max(abs(low), abs(high))
        if channel.full_scale and math.isfinite(peak):
            notice = range_used(channel.name, peak, channel.full_scale)
            if notice is not None:
                yield notice
        yield from _steps(evaluation, channel, high - low)
    if clean and n_checked:
        yield Notice(Severity.FINE, "record.clipped", "no clipping", counted(n_checked, "channel"))


def _steps(evaluation: Evaluation, channel: Channel, swing: float) -> Iterator[Notice]:
    piece = channel.pieces[0] if channel.pieces else None
    if piece is None or len(piece.raw.samples) < _FEW_STEPS or piece.raw.is_state or not math.isfinite(swing) or swing <= 0:
        return
    step = 0.0 if rests_on_levels(piece.raw) else evaluation.samples.step(channel.name)
    if 0 < swing < _FEW_STEPS * step:
        yield few_steps(channel.name, round(swing / step), with_unit(step, channel.unit, 3))


CHECK = Check("ranges", "The range of the recorder is used and kept", recorder, place=4)
