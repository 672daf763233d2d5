"""Where numbers are taken: the whole cycles of intervals, and what a reading needs to know of its stretch."""

from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from pantelos.engine import kept
from pantelos.engine.circumstances import AsRecorded
from pantelos.engine.cycles import ChannelCycles
from pantelos.engine.names import Names
from pantelos.engine.references import Reference, References
from pantelos.engine.remembered import remembered
from pantelos.engine.results import ResultCache
from pantelos.engine.times import Times
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.reading.reading import ReadingKind, Stretch
from pantelos.record.record import Record
from pantelos.record.waveform import Waveform
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import Window, cycles_in, evaluation_window
from pantelos.signal.sums.totals import BlockTotals
from pantelos.study.model import Interval, Study


class Places:
    """Turns intervals into whole cycles."""

    def __init__(
        self,
        study: Study,
        record: Record,
        names: Names,
        times: Times,
        cycles: ChannelCycles,
        references: References,
        results: ResultCache,
        circumstances: AsRecorded,
    ) -> None:
        self._study, self._record, self._names, self._times = study, record, names, times
        self._cycles, self._references, self._results, self._circumstances = cycles, references, results, circumstances

    def n_cycles(self, interval: str | None, channels: Sequence[str] = ()) -> float:
        """Return how many cycles of the reference (of some channels) an interval holds; NaN when unknown."""
        return cycles_in(self._reference(channels).cycles, *self._times.span(interval))

    def window(self, interval: str | None, channels: Sequence[str] = ()) -> Window:
        """Return the whole cycles of the reference (of some channels) that numbers of this interval rest on."""
        return evaluation_window(self._reference(channels).cycles, *self._times.span(interval))

    def _reference(self, channels: Sequence[str]) -> Reference:
        return self._references.of(channels) if channels else self._references.overall

    def snapped(self, interval: Interval) -> Interval:
        """Return the interval with its edges on the nearest crossings of the reference, at least one cycle long."""
        reference = self._references.overall
        cycles = reference.cycles
        if cycles is None:
            raise StudyError(f"There is no reference to snap to: {reference.why}. Choose a channel whose cycles count.")
        start, stop = (_nearest(cycles, edge) for edge in self._times.positions(interval.start_s, interval.stop_s))
        if start == stop:
            stop += 1
        if stop >= len(cycles.crossings):
            raise StudyError("No whole cycle of the reference lies near this interval.")
        snapped = [self._times.instant(float(cycles.crossings[k])) for k in (start, stop)]
        return msgspec.structs.replace(interval, start_s=snapped[0], stop_s=snapped[1])

    def stretch(
        self,
        kind: ReadingKind,
        waves: Sequence[Waveform],
        channels: Sequence[str],
        interval: str | None,
        used: Sequence[str] = (),
        numbers: tuple[float, ...] = (),
    ) -> Stretch:
        """Return where a reading is taken and whose cycles count.

        An expression has no name, "", among the channels; `used` are the names that stand in it; `numbers` its settings.
        """
        start, stop = self._times.span(interval)
        if kind.own_cycles:
            cycles = self._cycles.of_wave(waves[0], channels[0])
            if not cycles.between(start, stop)[1].any():
                cycles = self._cycles.within(waves[0], channels[0], (start, stop))
            reference = Reference(channels[0] or "the expression", cycles if len(cycles.whole) else None, cycles.why_not)
        else:
            reference = self._references.of(channels if all(channels) else used)
            if kind.bound_to_reference and all(channels):
                reference = self._within(reference, waves, channels, (start, stop))
        return Stretch(
            start,
            stop,
            reference.cycles,
            self._study.highest_order,
            self._times.origin_s,
            reference.channel or "",
            "" if reference.cycles is not None else reference.why,
            self._totals(channels[0]),
            numbers,
            reference.alternating,
        )

    def _within(
        self, reference: Reference, waves: Sequence[Waveform], channels: Sequence[str], span: tuple[float, float]
    ) -> Reference:
        """Return the reference, or the cycles that one of the channels shows in a stretch where the record shows none there."""
        if reference.cycles is not None and reference.cycles.between(*span)[1].any():
            return reference
        for wave, name in zip(waves[::-1], channels[::-1], strict=True):
            found = self._cycles.within(wave, name, span)
            if found.whole.any():
                return Reference(name, found, "its cycles inside the interval")
        return reference

    def _totals(self, name: str) -> Callable[[int], BlockTotals] | None:
        """Return what gives the totals per block of powers of a channel that is long enough to keep them; None of others."""
        short = self._record.n_samples < kept.LONG_TOTALS
        if not self._circumstances.kept or not name or short or self._names.kind(name) is not Kind.SIGNAL:
            return None
        return lambda power: self._totals_of(name, power)

    @remembered()
    def _totals_of(self, name: str, power: int) -> BlockTotals:
        return kept.totals_of(self._record, self._names.identity(name), power)


def _nearest(cycles: Cycles, position: float) -> int:
    k = int(np.searchsorted(cycles.crossings, position))
    low, high = max(k - 1, 0), min(k, len(cycles.crossings) - 1)
    return low if abs(cycles.crossings[low] - position) <= abs(cycles.crossings[high] - position) else high
