"""The periods that verdicts belong to: whole weeks and days of a record, aligned to the clock where it says the time.

A week is any seven days one after the other (EN 50160); weeks follow each other from the first clock tick of ten minutes on. A
day is from midnight to midnight where the record holds such a day, else 24 hours from the first tick on.
"""

from itertools import pairwise

import numpy as np

from pantelos.quality.spans import TEN_MINUTES_S, TEN_SECONDS_S, TWO_HOURS_S, Span

PERIODS_S = {"week": 604_800.0, "day": 86_400.0}
_BASES_S = {"200 ms": 0.2, "3 s": 3.0, "10 s": TEN_SECONDS_S, "10 min": TEN_MINUTES_S, "2 h": TWO_HOURS_S}
_ON_EDGE = 1e-3  # samples


def wanted_values(period: str, base: str) -> float:
    """Return how many values of a base interval a period holds; NaN where it is not a time of the clock."""
    return PERIODS_S.get(period, np.nan) / _BASES_S.get(base, np.nan)


def periods_of(period: str, n_samples: int, rate_hz: float, into_s: float | None) -> list[tuple[float, float]]:
    """Return the periods of a record one after the other, samples, those that its ends cut too.

    `into_s` of the day passed before the record began; None: not known, it then begins on a tick.
    """
    length, duration = PERIODS_S[period], n_samples / rate_hz
    first = (-(into_s or 0.0)) % TEN_MINUTES_S
    if period == "day" and into_s is not None and (midnight := (-into_s) % length) + length <= duration:
        first = midnight
    inside = np.arange(first, duration, length)
    edges = np.unique(np.concatenate([[0.0], inside, [duration]])) * rate_hz
    return list(pairwise(edges.tolist()))


def begun_in(span: Span, start: float, stop: float) -> slice:
    """Return the stretches that begin in a period, as a part of all, which rise."""
    return slice(*np.searchsorted(span.starts, (start - _ON_EDGE, stop - _ON_EDGE)).tolist())
