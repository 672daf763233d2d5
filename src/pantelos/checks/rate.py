"""Little is left near half the sample rate."""

from collections.abc import Iterator

import numpy as np

from pantelos.checks.check import Check
from pantelos.checks.recorded_channels import recorded_channels
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.remembered import remembered
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.signal.cycles.window import samples_between
from pantelos.units import unit

_ALTERNATES = 0.02  # of the largest value: below, what alternates is noise on a level
_LOOKED_AT = 1 << 16  # samples whose spectrum tells whether the rate is high enough
_SPREAD, _AS_MUCH = 0.5, 1.5  # median over mean of lines of noise, at least; power at the top over that of the middle, at most
_TOP, _TOO_MUCH = 0.9, 0.01  # power above 90 % of the band, as a share of all alternating power


def too_slow(channel: str, share: float, rate: str) -> Notice:
    """State that a channel has content near half the sample rate."""
    return Notice(
        Severity.CAUTION,
        "record.rate",
        f"{channel} may be sampled too slowly",
        f"{100 * share:.2g} % of its alternating power lies above 45 % of {rate}: record faster, or with a filter before",
        channel,
    )


def rate(evaluation: Evaluation) -> Iterator[Notice]:
    """Check that little is left near half the sample rate, where it may stand for something above."""
    span = samples_between(*evaluation.times.span(None))
    middle, half = (span.first + span.end) // 2, min(span.end - span.first, _LOOKED_AT) // 2
    for channel in recorded_channels(evaluation):
        if channel.interpolated or half < 64 or channel.pieces[0].raw.is_state:
            continue
        share = _share(evaluation, channel.name, (middle - half, middle + half))
        low, high = evaluation.drawing.extent(channel.name)
        if share > _TOO_MUCH and high - low > 0.02 * (channel.full_scale or 0.0):
            yield too_slow(channel.name, share, with_unit(evaluation.record.rate_hz, unit("Hz"), 4))


@remembered()
def _share(evaluation: Evaluation, name: str, stretch: tuple[int, int]) -> float:
    return _share_at_top(evaluation.samples.waveform(name).read(*stretch))


def _share_at_top(x: np.ndarray) -> float:
    """Return the power in the top tenth of the band over all alternating power (test 4.9 a); 0 with missing samples."""
    if np.isnan(x).any() or not float(np.std(x)) > _ALTERNATES * float(np.abs(x).max()):
        return 0.0
    lines = np.abs(np.fft.rfft((x - x.mean()) * np.hanning(len(x)))) ** 2
    total = float(lines[2:].sum())
    if _is_noise(lines):
        return 0.0
    return float(lines[int(_TOP * len(lines)) :].sum()) / total if total > 0 else 0.0


def _is_noise(lines: np.ndarray) -> bool:
    """Return whether the top of the band holds what noise holds: as much as its middle, spread over all lines alike.

    The median of the power of lines of noise is ln 2 of its mean; tones, and what is folded of edges, stand out of theirs.
    """
    top, middle = lines[int(_TOP * len(lines)) :], lines[int(0.3 * len(lines)) : int(0.8 * len(lines))]
    even = np.median(top) > _SPREAD * np.mean(top)
    return bool(even and np.mean(top) < _AS_MUCH * np.mean(middle))


CHECK = Check("rate", "The sample rate is high enough", rate, place=8)
