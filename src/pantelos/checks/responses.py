"""Whether what a channel holds lies where the certificate of its chain says something."""

import math
from collections.abc import Iterator

import numpy as np

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.remembered import remembered
from pantelos.notation import with_unit
from pantelos.notice import Notice, Severity
from pantelos.signal.cycles.window import samples_between
from pantelos.signal.spectra.spectrum import Plan, spectrum_of
from pantelos.units import unit

_LOOKED_AT = 1 << 18  # samples in the middle of the active interval
_TOO_MUCH = 0.01  # of the rms


def responses(evaluation: Evaluation) -> Iterator[Notice]:
    """Tell of each channel with a table over frequency how much of it lies beyond the table."""
    for setup in evaluation.study.channels:
        response = setup.scaling.response
        if response is None:
            continue
        below, above = _beyond(evaluation, setup.name, response.band_hz)
        low, high = (with_unit(f, unit("Hz"), 4) for f in response.band_hz)
        parts = [f"{100 * share:.2g} % of its rms lies {where}" for share, where in (
            (below, f"below {low}, where its gain counts as at {low} and its phase as none"),
            (above, f"above {high}, where its gain counts as at {high} and its phase fades within an octave"),
        ) if share > _TOO_MUCH]  # fmt: skip
        if parts:
            yield Notice(
                Severity.NOTE,
                "accuracy.response",
                f"{setup.name} reaches beyond the table of its response",
                f"{'; '.join(parts)}: ± does not cover that. A table that reaches so far would",
                setup.name,
            )


@remembered()
def _beyond(evaluation: Evaluation, name: str, band_hz: tuple[float, float]) -> tuple[float, float]:
    """Return the shares of the rms below and above a band."""
    span, channel = samples_between(*evaluation.times.span(None)), evaluation.samples.channel(name)
    middle, half = (span.first + span.end) // 2, min(span.end - span.first, _LOOKED_AT) // 2
    if half < 64:
        return 0.0, 0.0
    found = spectrum_of(channel.read, middle - half, middle + half, channel.rate_hz, Plan())
    squares = np.nan_to_num(found.rms) ** 2
    f = np.arange(len(squares)) * (0.5 * channel.rate_hz / (len(squares) - 1))
    spread = 2.5 * f[1]  # of a line under the window
    total = float(squares.sum())
    if not total > 0:
        return 0.0, 0.0
    below, above = squares[f < band_hz[0] - spread], squares[f > band_hz[1] + spread]
    return math.sqrt(float(below.sum()) / total), math.sqrt(float(above.sum()) / total)


CHECK = Check("responses", "What is known over frequency reaches far enough", responses, place=10)
