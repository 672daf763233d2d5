"""Where numbers are taken: intervals in samples, cycles, whole cycles."""

from collections.abc import Sequence
from dataclasses import replace

import msgspec
import numpy as np

from pantelos.errors import StudyError
from pantelos.progress import Progress
from pantelos.reading.reading import ReadingKind, Stretch
from pantelos.signal.cycle_search import find_cycles
from pantelos.signal.cycles import Cycles
from pantelos.signal.window import Window, cycles_in, evaluation_window, samples_between
from pantelos.study.engine.waveforms import Waveforms
from pantelos.study.model import Interval

WHOLE_RECORD = "whole record"


class Places(Waveforms):
    """Turns intervals into samples and whole cycles."""

    def place(self, interval: str | None) -> Interval:
        """Return a named interval, the active one for None, the whole record where there is none."""
        if interval == WHOLE_RECORD or (interval is None and self.study.active is None):
            return Interval(WHOLE_RECORD, self.record.start_s, self.record.stop_s)
        found = self.study.interval(interval) if interval is not None else self.study.active_interval
        assert found is not None
        return found

    def interval_name(self, interval: str | None) -> str:
        """Return the name of the interval a reading is taken in (scope of formulas)."""
        return self.place(interval).name

    def span(self, interval: str | None) -> tuple[float, float]:
        """Return start and stop of an interval in samples."""
        place = self.place(interval)
        if place.name == WHOLE_RECORD:
            return 0.0, float(self.record.n_samples)
        start, stop = self.positions(place.start_s, place.stop_s)
        return max(start, 0.0), min(stop, float(self.record.n_samples))

    def cycles(self, name: str, progress: Progress | None = None) -> Cycles:
        """Return the cycles of a channel over the whole record."""
        return self._results.get(("cycles", self.identity(name)), lambda: self._find_cycles(name, progress))

    def _find_cycles(self, name: str, progress: Progress | None) -> Cycles:
        wave = self.waveform(name)
        return find_cycles(wave.read, wave.n_samples, wave.rate_hz, progress=progress)

    def _cycles_within(self, name: str, interval: str | None) -> Cycles:
        """Return the cycles that a channel shows in one interval, where the whole record shows none there."""
        wave, span = self.waveform(name), samples_between(*self.span(interval))

        def find() -> Cycles:
            found = find_cycles(lambda a, b: wave.read(span.first + a, span.first + b), span.end - span.first, wave.rate_hz)
            return replace(found, crossings=found.crossings + span.first, n_samples=wave.n_samples)

        return self._results.get(self.result_key("cycles within", interval, self.identity(name)), find)

    def has_cycles(self, name: str) -> bool:
        """Return whether the cycles of a channel are known without work."""
        return self._results.has(("cycles", self.identity(name)))

    @property
    def reference_cycles(self) -> Cycles | None:
        """The cycles of the reference channel, or None where there is none or it shows no cycles."""
        if self.study.reference is None:
            return None
        cycles = self.cycles(self.study.reference)
        return cycles if len(cycles.whole) else None

    def n_cycles(self, interval: str | None) -> float:
        """Return how many cycles of the reference an interval holds; NaN when unknown."""
        return cycles_in(self.reference_cycles, *self.span(interval))

    def snapped(self, interval: Interval) -> Interval:
        """Return the interval with its edges on the nearest crossings of the reference, at least one cycle long."""
        cycles = self.reference_cycles
        if cycles is None:
            raise StudyError("There is no reference channel with cycles to snap to. Choose one first.")
        edges = self.positions(interval.start_s, interval.stop_s)
        start, stop = (self._nearest(cycles, int(np.searchsorted(cycles.crossings, edge)), edge) for edge in edges)
        if start == stop:
            stop += 1
        if stop >= len(cycles.crossings):
            raise StudyError("No whole cycle of the reference lies near this interval.")
        snapped = [self.instant(float(cycles.crossings[k])) for k in (start, stop)]
        return msgspec.structs.replace(interval, start_s=snapped[0], stop_s=snapped[1])

    @staticmethod
    def _nearest(cycles: Cycles, k: int, position: float) -> int:
        low, high = max(k - 1, 0), min(k, len(cycles.crossings) - 1)
        return low if abs(cycles.crossings[low] - position) <= abs(cycles.crossings[high] - position) else high

    def stretch(self, kind: ReadingKind, channels: Sequence[str], interval: str | None) -> Stretch:
        """Return where a reading is taken and whose cycles count (scope of formulas)."""
        start, stop = self.span(interval)
        if kind.own_cycles:
            if not channels[0]:
                raise StudyError(f"{kind.name} needs a channel with a name. Give the expression a name first, then take "
                                 f"{kind.name} of it.")  # fmt: skip
            cycles: Cycles | None = self.cycles(channels[0])
            if cycles is None or not cycles.between(start, stop)[1].any():
                cycles = self._cycles_within(channels[0], interval)
        else:
            cycles = self.reference_cycles
            if cycles is None and kind.name in ("phase", "thd") and channels[-1]:
                cycles = self.cycles(channels[-1])
        return Stretch(start, stop, cycles, self.study.highest_order, self.record.start_s)

    def window(self, interval: str | None) -> Window:
        """Return the whole cycles of the reference that numbers of this interval rest on."""
        return evaluation_window(self.reference_cycles, *self.span(interval))

    def result_key(self, what: str, interval: str | None, *parts: str) -> tuple[str, ...]:
        """Return the key of a result over an interval: all that it depends on."""
        reference = self.identity(self.study.reference) if self.study.reference else ""
        start, stop = self.span(interval)
        return (what, reference, start.hex(), stop.hex(), str(self.study.highest_order), *parts)
