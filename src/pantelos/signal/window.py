"""The stretch a cycle-bound number is really taken over, given an interval and the cycles of a reference."""

import math
from dataclasses import dataclass
from enum import StrEnum

from pantelos.signal.cycles import Cycles

# An interval on sample instants is taken as it stands when it holds a whole number of cycles this closely.
_WHOLE_WITHIN_CYCLES = 1e-3
# IEC 61000-4-7: permitted mismatch between the length of a window and its cycles.
WHOLE_WITHIN_SHARE = 3e-4


class Rule(StrEnum):
    """How samples become an integral."""

    RECTANGULAR = "rectangular"  # a sample stands for one sample period; exact over whole periods
    TRAPEZOID = "trapezoid"  # linear between samples, fractional ends


@dataclass(frozen=True, slots=True)
class Window:
    """Start and stop in samples (half-open, may be fractional), what it holds and how it is integrated."""

    start: float
    stop: float
    n_cycles: int
    rule: Rule
    frequency_hz: float = math.nan

    @property
    def first(self) -> int:
        """The first sample inside."""
        return math.ceil(self.start - 1e-6)

    @property
    def end(self) -> int:
        """One past the last sample inside."""
        return math.ceil(self.stop - 1e-6)

    @property
    def on_samples(self) -> bool:
        """Whether both ends fall on sample instants."""
        return all(abs(edge - round(edge)) < 1e-6 for edge in (self.start, self.stop))


def samples_between(start: float, stop: float) -> Window:
    """Return the window of the samples inside start to stop, without regard to cycles."""
    first, end = math.ceil(start - 1e-6), math.ceil(stop - 1e-6)
    return Window(float(first), float(max(end, first)), 0, Rule.RECTANGULAR)


def cycles_in(cycles: Cycles | None, start: float, stop: float) -> float:
    """Return how many cycles of the reference an interval holds; NaN when that is unknown."""
    if cycles is None:
        return math.nan
    frequency = cycles.frequency_between(start, stop)
    if math.isnan(frequency):
        frequency = cycles.frequency_hz
    return (stop - start) / cycles.rate_hz * frequency


def is_whole(n_cycles: float) -> bool:
    """Return whether a number of cycles is whole within the mismatch that IEC 61000-4-7 permits."""
    nearest = round(n_cycles) if math.isfinite(n_cycles) else 0
    return nearest >= 1 and abs(n_cycles - nearest) <= WHOLE_WITHIN_SHARE * nearest


def evaluation_window(cycles: Cycles | None, start: float, stop: float) -> Window:
    """Return the whole cycles of the reference inside an interval.

    An interval whose edges lie on samples and that holds whole cycles as it stands is used as it stands
    (rule R, exact); otherwise the whole cycles between the first and the last crossing inside it (rule T).
    With no reference, or less than one cycle, all samples of the interval are used and `n_cycles` is 0.

    Parameters
    ----------
    cycles : cycles of the reference channel, or None where there is none (DC)
    start, stop : positions in samples
    """
    plain = samples_between(start, stop)
    if cycles is None:
        return plain
    crossings, whole = cycles.between(start, stop)
    frequency = cycles.frequency_between(start, stop)
    if math.isnan(frequency):
        return plain
    held = (stop - start) / cycles.rate_hz * frequency
    as_it_stands = Window(start, stop, round(held), Rule.RECTANGULAR, frequency)
    if round(held) >= 1 and as_it_stands.on_samples and abs(held - round(held)) <= _WHOLE_WITHIN_CYCLES and whole.all():
        return Window(float(round(start)), float(round(stop)), round(held), Rule.RECTANGULAR, frequency)
    n_cycles = round((crossings[-1] - crossings[0]) / cycles.rate_hz * frequency)
    return Window(float(crossings[0]), float(crossings[-1]), n_cycles, Rule.TRAPEZOID, frequency)
