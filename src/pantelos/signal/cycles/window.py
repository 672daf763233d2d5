"""The stretch a cycle-bound number is really taken over, given an interval and the cycles of a reference."""

import math

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.sums.integrals import Rule, totals_between
from pantelos.signal.sums.totals import BlockTotals

# An interval on sample instants is taken as it stands when it holds a whole number of cycles this closely: as far as crossings
# can be told apart, or so closely that no mean is off by more than a millionth.
_WHOLE_WITHIN_CYCLES, _MATTERS = 1e-3, 1e-6
# IEC 61000-4-7: permitted mismatch between the length of a window and its cycles; of one cycle no more than is shown.
WHOLE_WITHIN_SHARE = 3e-4
SHOWN_WITHIN_CYCLES = 5e-3
_STEADY = 1e-3  # change of frequency: above, an interval is not taken as it stands
ON_SAMPLES = 1e-6  # samples from one at most, of an edge that falls on it
CHANGING = 0.03  # above, one number over whole cycles hides that the frequency changes


class Window(msgspec.Struct, frozen=True):
    """Start and stop in samples (half-open, may be fractional), what it holds and how it is integrated."""

    start: float
    stop: float
    n_cycles: int
    rule: Rule
    frequency_hz: float = math.nan
    change: float = 0.0  # of the frequency inside, largest over smallest less one
    n_continued: int = 0  # cycles among them that were not seen: the last period goes on
    n_gaps: int = 0  # places inside where the reference pauses
    within: tuple[int, int] | None = None  # samples that may be looked at: those of the interval; None: all

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
        return all(abs(edge - round(edge)) < ON_SAMPLES for edge in (self.start, self.stop))


def samples_between(start: float, stop: float) -> Window:
    """Return the window of the samples inside start to stop, without regard to cycles."""
    first, end = math.ceil(start - 1e-6), math.ceil(stop - 1e-6)
    return Window(float(first), float(max(end, first)), 0, Rule.RECTANGULAR)


def cycles_in(cycles: Cycles | None, start: float, stop: float) -> float:
    """Return how many cycles of the reference an interval holds; NaN when that is unknown."""
    return math.nan if cycles is None else cycles.held_between(start, stop)


def is_whole(n_cycles: float) -> bool:
    """Return whether a number of cycles is whole: within the mismatch that IEC 61000-4-7 permits, and as it is shown."""
    nearest = round(n_cycles) if math.isfinite(n_cycles) else 0
    return nearest >= 1 and abs(n_cycles - nearest) <= min(WHOLE_WITHIN_SHARE * nearest, SHOWN_WITHIN_CYCLES)


def evaluation_window(cycles: Cycles | None, start: float, stop: float) -> Window:
    """Return the whole cycles of the reference inside an interval.

    An interval whose edges lie on samples and that holds whole cycles as it stands is used as it stands
    (rule R, exact). One that misses a whole number by less than is shown is made whole at its end. Otherwise
    the whole cycles between the first and the last crossing inside it are used (both by rule T).
    With no reference, or less than one cycle, all samples of the interval are used and `n_cycles` is 0.

    Parameters
    ----------
    cycles : cycles of the reference channel, or None where there is none (DC)
    start, stop : positions in samples
    """
    plain = samples_between(start, stop)
    cycles = cycles.smooth.beside(start, stop) if cycles is not None else None
    if cycles is None or len(cycles.crossings) < 2:
        return plain
    crossings, whole = cycles.between(start, stop)
    held, change = cycles.held_between(start, stop), cycles.change_between(start, stop)
    n_held = round(held) if math.isfinite(held) else 0
    seen = cycles.n_continued(start, stop), int(np.count_nonzero(~whole))
    frequency = cycles.frequency_between(start, stop)
    inside = plain.first, plain.end
    near = n_held >= 1 and len(crossings) >= n_held - 1 and cycles.covers(start, stop)
    if near and whole.all() and len(crossings) >= 1:
        frequency = frequency if math.isfinite(frequency) else cycles.local_frequency(start)
        on_samples = Window(start, stop, n_held, Rule.RECTANGULAR).on_samples
        known = min(max(2 * cycles.placed_within * frequency / cycles.rate_hz, _MATTERS * n_held), _WHOLE_WITHIN_CYCLES)
        if on_samples and abs(held - n_held) <= known and change < _STEADY:
            return Window(
                float(round(start)), float(round(stop)), n_held, Rule.RECTANGULAR, frequency, change, *seen, within=inside
            )
        end = cycles.position_after(start, n_held) if abs(held - n_held) <= SHOWN_WITHIN_CYCLES else math.inf
        if end <= min(cycles.n_samples - 1, inside[1]):  # one sample beyond those inside at most: their law reaches so far
            return Window(start, end, n_held, Rule.TRAPEZOID, frequency, change, *seen, within=inside)
    if not whole.any():
        return plain
    if math.isnan(frequency):
        frequency = float(np.count_nonzero(whole) / np.diff(crossings)[whole].sum() * cycles.rate_hz)
    first, last = np.flatnonzero(whole)[[0, -1]].tolist()
    part = whole[first : last + 1]
    return Window(
        float(crossings[first]),
        float(crossings[last + 1]),
        int(np.count_nonzero(part)),
        Rule.TRAPEZOID,
        frequency,
        change,
        seen[0],
        int(np.count_nonzero(~part)),
        inside,
    )


def over_all_samples(why: str, reference: str) -> str:
    """Return what is said of a number that should stand on whole cycles and does not."""
    return f"over all samples: {why or f'no whole cycle of {reference} is seen inside'}"


def window_means(
    read: Reader, window: Window, n_samples: int, progress: Progress | None = None, totals: BlockTotals | None = None
) -> tuple[FloatArray, FloatArray]:
    """Return the mean over a window of whatever `read` serves, by the rule the window asks for.

    Missing samples (NaN) are left out and the weights renormalised, row by row. `totals` are those of what `read` serves.

    Returns
    -------
    array (...), the leading shape of what `read` serves; NaN where nothing is valid
    array (...), share of the window that is valid, 0 to 1
    """
    if totals is not None:
        return _of_totals(read, window, totals)
    starts, stops = np.array([window.start]), np.array([window.stop])
    if window.rule is Rule.RECTANGULAR:
        starts, stops = np.array([float(window.first)]), np.array([float(window.end)])
    found = totals_between(read, starts, stops, n_samples, window.rule, True, window.within, progress)
    return found.means[..., 0], found.shares[..., 0]


def _of_totals(read: Reader, window: Window, totals: BlockTotals) -> tuple[FloatArray, FloatArray]:
    if window.rule is Rule.RECTANGULAR:
        total, measured = totals.of_samples(read, window.first, window.end)
        length = float(window.end - window.first)
    else:
        total, measured = totals.of_trapezoids(read, window.start, window.stop, window.within)
        length = window.stop - window.start
    mean = total / measured if measured > 0 else math.nan
    return np.asarray(mean), np.asarray(min(measured / length, 1.0) if length > 0 else 0.0)
