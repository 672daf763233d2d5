"""Where numbers are taken: intervals in samples, cycles, whole cycles."""

from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from pantelos.engine import kept
from pantelos.engine.references import (
    Reference,
    candidates,
    connection_around,
    may_give_cycles,
    recorded_behind,
    surest,
    surest_is_known,
)
from pantelos.engine.samples import Waveforms
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.power.wiring import wiring
from pantelos.progress import Progress
from pantelos.reading.reading import ReadingKind, Stretch
from pantelos.signal.cycle_search import find_cycles
from pantelos.signal.cycles import Cycles
from pantelos.signal.totals import BlockTotals
from pantelos.signal.window import Window, cycles_in, evaluation_window, samples_between
from pantelos.study.model import Connection, Interval

WHOLE_RECORD = "whole record"


class Places(Waveforms):
    """Turns intervals into samples and whole cycles."""

    keeps = True  # what took long is kept for later runs

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
        identity, n = self.identity(name), self.record.n_samples
        known = kept.kept_cycles(identity, n) if self.keeps and n >= kept.WORTH_KEEPING else None
        if known is None:
            wave = self.waveform(name)
            known = find_cycles(wave.read, wave.n_samples, wave.rate_hz, progress=progress)
            if self.keeps:
                kept.keep_cycles(identity, known, self.record.sources)
        return known

    def _cycles_within(self, name: str, interval: str | None) -> Cycles:
        """Return the cycles that a channel shows in one interval, where the whole record shows none there."""
        wave, span = self.waveform(name), samples_between(*self.span(interval))

        def find() -> Cycles:
            found = find_cycles(lambda a, b: wave.read(span.first + a, span.first + b), span.end - span.first, wave.rate_hz)
            return msgspec.structs.replace(found, crossings=found.crossings + span.first, n_samples=wave.n_samples)

        return self._results.get(self.result_key("cycles within", interval, None, self.identity(name)), find)

    def has_cycles(self, name: str) -> bool:
        """Return whether the cycles of a channel are known without work."""
        return self._results.has(("cycles", self.identity(name)))

    def reference_for(self, connection: Connection) -> Reference:
        """Return whose cycles count for the numbers of a connection."""
        if not wiring(connection.wiring).alternating:
            return Reference(None, None, "a DC connection has no cycles")
        chosen = self._chosen_for(connection)
        if chosen is not None:
            return self._chosen(chosen)
        name, why = surest([n for n in candidates(self.study, connection) if n in self.types], self.cycles)
        return Reference(name, self.cycles(name) if name is not None else None, why)

    def _chosen_for(self, connection: Connection) -> str | None:
        """Return the reference that the user chose for a connection, or for the study and it sits in this one."""
        if connection.reference is None and self.study.reference in connection.sockets.values():
            return self.study.reference
        return connection.reference

    def _chosen(self, name: str) -> Reference:
        cycles = self.cycles(name)
        if not len(cycles.whole):
            return Reference(name, None, f"{name} shows no cycles: {cycles.why_not}")
        return Reference(name, cycles, "chosen")

    def reference_of(self, names: Sequence[str]) -> Reference:
        """Return whose cycles count for readings of some channels together.

        That of the connection they sit in, also through a formula; else that of the study where they rest on it; else the
        last one's own cycles; else none: all samples count.
        """
        named = [name for name in names if name]
        connection = connection_around(self.study, named) if named else None
        if connection is not None:
            return self.reference_for(connection)
        chosen = self.study.reference
        if chosen is not None and (not named or chosen in (*named, *recorded_behind(self.study, named))):
            return self._chosen(chosen)
        if not named:
            return Reference(None, None, "there is no channel to take cycles from")
        if len(named) > 2:
            name, why = surest(
                [n for n in named if n in self.types and may_give_cycles(self.study, n, self.kind(n))], self.cycles
            )
            return Reference(name, self.cycles(name) if name is not None else None, why)
        own = named[-1]
        if own not in self.types or not may_give_cycles(self.study, own, self.kind(own)):
            return Reference(None, None, f"{own} has no cycles of its own")
        cycles = self.cycles(own)
        if not len(cycles.whole):
            return Reference(None, None, f"{own} shows no cycles: {cycles.why_not}")
        return Reference(own, cycles, "its own cycles")

    @property
    def reference(self) -> Reference:
        """Whose cycles count where no channel is spoken of: the channel chosen, else that of the first alternating connection."""
        if self.study.reference is not None:
            return self._chosen(self.study.reference)
        for connection in self.study.connections:
            if wiring(connection.wiring).alternating and candidates(self.study, connection):
                return self.reference_for(connection)
        return Reference(None, None, "no reference is chosen and nothing alternating is connected")

    @property
    def reference_known(self) -> bool:
        """Whether the reference is known without work."""
        if self.study.reference is not None:
            return self.has_cycles(self.study.reference)
        for connection in self.study.connections:
            if wiring(connection.wiring).alternating and candidates(self.study, connection):
                return self._reference_for_known(connection)
        return True

    def _reference_for_known(self, connection: Connection) -> bool:
        chosen = self._chosen_for(connection)
        if chosen is not None:
            return self.has_cycles(chosen)
        return surest_is_known([n for n in candidates(self.study, connection) if n in self.types], self.has_cycles, self.cycles)

    def reference_of_known(self, names: Sequence[str]) -> bool:
        """Return whether the reference of some channels is known without work."""
        connection = connection_around(self.study, names)
        if connection is not None:
            return self._reference_for_known(connection)
        chosen = self.study.reference
        if chosen is not None and chosen in (*names, *recorded_behind(self.study, names)):
            return self.has_cycles(chosen)
        if len(names) > 2:
            asked = [n for n in names if n in self.types and may_give_cycles(self.study, n, self.kind(n))]
            return surest_is_known(asked, self.has_cycles, self.cycles)
        own = names[-1]
        return own not in self.types or not may_give_cycles(self.study, own, self.kind(own)) or self.has_cycles(own)

    def n_cycles(self, interval: str | None, names: Sequence[str] = ()) -> float:
        """Return how many cycles of the reference (of some channels) an interval holds; NaN when unknown."""
        reference = self.reference_of(names) if names else self.reference
        return cycles_in(reference.cycles, *self.span(interval))

    def snapped(self, interval: Interval) -> Interval:
        """Return the interval with its edges on the nearest crossings of the reference, at least one cycle long."""
        cycles = self.reference.cycles
        if cycles is None:
            raise StudyError(f"There is no reference to snap to: {self.reference.why}. Choose a channel whose cycles count.")
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

    def stretch(self, kind: ReadingKind, channels: Sequence[str], interval: str | None, used: Sequence[str] = ()) -> Stretch:
        """Return where a reading is taken and whose cycles count (scope of formulas)."""
        start, stop = self.span(interval)
        if kind.own_cycles:
            if not channels[0]:
                raise StudyError(f"{kind.name} needs a channel with a name. Give the expression a name first, then take "
                                 f"{kind.name} of it.")  # fmt: skip
            cycles = self.cycles(channels[0])
            if not cycles.between(start, stop)[1].any():
                cycles = self._cycles_within(channels[0], interval)
            reference = Reference(channels[0], cycles if len(cycles.whole) else None, cycles.why_not)
        else:
            reference = self.reference_of(channels if all(channels) else used)
        return Stretch(start, stop, reference.cycles, self.study.highest_order, self.record.start_s, reference.channel or "",
                       "" if reference.cycles is not None else reference.why, self.totals(channels[0]))  # fmt: skip

    def totals(self, name: str) -> Callable[[int], BlockTotals] | None:
        """Return what gives the totals per block of powers of a channel that is long enough to keep them; None of others."""
        if not self.keeps or not name or self.kind(name) is not Kind.SIGNAL or self.record.n_samples < kept.WORTH_KEEPING:
            return None
        identity, n, sources = self.identity(name), self.record.n_samples, self.record.sources

        def of(power: int) -> BlockTotals:
            made = lambda: kept.totals_of(identity, power, n, sources)  # noqa: E731
            return self._results.get(("totals", identity, str(power)), made)

        return of

    def window(self, interval: str | None, names: Sequence[str] = ()) -> Window:
        """Return the whole cycles of the reference (of some channels) that numbers of this interval rest on."""
        reference = self.reference_of(names) if names else self.reference
        return evaluation_window(reference.cycles, *self.span(interval))

    def result_key(self, what: str, interval: str | None, reference: Reference | None, *parts: str) -> tuple[str, ...]:
        """Return the key of a result over an interval: all that it depends on, and all that it shows."""
        cycled = self.identity(reference.channel) if reference is not None and reference.channel is not None else ""
        why = reference.why if reference is not None else ""
        start, stop = self.span(interval)
        origin = self.record.start_s.hex()
        return (what, reference.channel or "" if reference else "", cycled, why, start.hex(), stop.hex(), origin,
                self.interval_name(interval), str(self.study.highest_order), *parts)  # fmt: skip
