"""The engine: everything that can be computed of a study and its record, each result kept by what it depends on."""

import math
from collections.abc import Callable, Sequence
from functools import cached_property
from typing import TypeVar

import msgspec
import numpy as np

from pantelos.errors import FormulaError, PantelosError, StudyError
from pantelos.formula.compile import Compiled, Kind, Types, compile_formula
from pantelos.formula.derived import Condition, Scalar, Series
from pantelos.formula.syntax import names_used, readings_taken
from pantelos.power.measurement import ConnectionPower, measure_connection
from pantelos.power.wiring import Wiring, wiring
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind
from pantelos.reading.reading import LOW_SIGNAL_SHARE, Reading, ReadingKind, Stretch, take
from pantelos.record.clipping import clip_levels, clipped_between
from pantelos.record.pieces import Envelope
from pantelos.record.record import Channel, Record, scaled_channel
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles import Cycles, find_cycles
from pantelos.signal.harmonics import Orders, harmonic_orders
from pantelos.signal.integrals import n_missing
from pantelos.signal.pyramid import Pyramid, build_pyramid, envelope
from pantelos.signal.spectrum import SpectralWindow, Spectrum, spectrum_of
from pantelos.signal.statistics import window_means
from pantelos.signal.window import Rule, Window, cycles_in, evaluation_window, samples_between
from pantelos.study.model import Connection, Interval, Study
from pantelos.study.results import ResultCache, identity_of
from pantelos.units import Unit, unit

WHOLE_RECORD = "whole record"
T = TypeVar("T")


class Evaluation:
    """One study and its record, ready to be asked. Cheap to make: results live in the cache it is given."""

    def __init__(self, study: Study, record: Record, results: ResultCache | None = None) -> None:
        self.study, self.record = study, record
        self._results = results if results is not None else ResultCache()
        self._identities: dict[str, str] = {}

    def on(self, study: Study) -> "Evaluation":
        """Return the same engine on another study of the same record; results are shared."""
        return Evaluation(study, self.record, self._results)

    # names and types

    @cached_property
    def _compiled(self) -> tuple[dict[str, Compiled], dict[str, PantelosError]]:
        """Return the formulas that make sense and the errors of those that do not."""
        good: dict[str, Compiled] = {}
        bad: dict[str, PantelosError] = {}
        types: dict[str, tuple[Kind, Unit]] = {}
        for setup in self.study.channels:
            _, _, shown = setup.scaling.resolve(unit(setup.recorder_unit))
            types[setup.name] = (Kind.SIGNAL, shown)
        waiting = list(self.study.formulas)
        while waiting:
            ready = [f for f in waiting if not names_used(f.expression) & {w.name for w in waiting}]
            for formula in ready or waiting:
                try:
                    _, good[formula.name] = compile_formula(formula.text, types, self._places)
                    types[formula.name] = (good[formula.name].kind, good[formula.name].unit)
                except (FormulaError, StudyError) as error:
                    bad[formula.name] = error
            waiting = [f for f in waiting if f.name not in good and f.name not in bad]
        self._types = types
        return good, bad

    @property
    def _places(self) -> tuple[str, ...]:
        return tuple(interval.name for interval in self.study.intervals)

    @property
    def types(self) -> Types:
        """Kind and unit of every channel and every formula that makes sense."""
        self._compiled  # noqa: B018 - fills the types
        return self._types

    @property
    def broken(self) -> dict[str, PantelosError]:
        """The formulas that cannot be computed, and why."""
        return self._compiled[1]

    def kind(self, name: str) -> Kind:
        """Return what a name stands for."""
        return self.types[name][0]

    def unit(self, name: str) -> Unit:
        """Return the unit a channel or formula is shown in."""
        return self.types[name][1]

    def identity(self, name: str) -> str:
        """Return the digest of everything the samples of a channel or formula depend on."""
        if name not in self._identities:
            self._identities[name] = self._identify(name)
        return self._identities[name]

    @cached_property
    def _record_identity(self) -> str:
        """The digest of the record as a row of samples: where they lie in time does not change what they are."""
        source = self.study.record
        moved = msgspec.structs.replace(source, zero_s=0.0, time_base_ppm=0.0) if source is not None else None
        return identity_of(self.record.fingerprint, moved)

    def _identify(self, name: str) -> str:
        formula = self.study.formula(name)
        if formula is None:
            setup = self.study.channel(name)
            return identity_of(self._record_identity, setup.column, setup.recorder_unit, setup.scaling)
        used = [self.identity(other) for other in sorted(names_used(formula.expression))]
        taken = any(reading_kind(called) for called in readings_taken(formula.expression))
        reference = self.identity(self.study.reference) if taken and self.study.reference not in (None, name) else ""
        places = (self.study.active, self.study.intervals, reference) if taken else ()
        return identity_of(formula.expression, used, places, self.study.highest_order)

    # waveforms

    def resolve(self, name: str) -> Waveform | Scalar:
        """Return what a channel or formula stands for (scope of formulas)."""
        formula = self.study.formula(name)
        if formula is None:
            setup = self.study.channel(name)
            column = self.record.column(setup.column)
            return scaled_channel(name, column, self.record.grid, unit(setup.recorder_unit), setup.scaling)
        good, bad = self._compiled
        if name in bad:
            raise bad[name]
        made: Waveform | Scalar = self._results.get(("value", self.identity(name)), lambda: good[name].make(self))
        return made

    def scalar(self, name: str) -> Scalar:
        """Return a formula that is a single value."""
        found = self.resolve(name)
        if not isinstance(found, Scalar):
            raise StudyError(f'"{name}" is not a single value.')
        return found

    def waveform(self, name: str) -> Waveform:
        """Return a channel, or a formula that has samples."""
        found = self.resolve(name)
        if isinstance(found, Scalar):
            raise StudyError(f'"{name}" is a single value and has no samples.')
        return found

    def value(self, text: str) -> Waveform | Scalar | Condition:
        """Return what a formula results in, without adding it to the study."""
        _, compiled = compile_formula(text, self.types, self._places)
        result: Waveform | Scalar | Condition = compiled.make(self)
        return result

    def low_signal(self, name: str) -> float:
        """Return the rms below which a channel is too small for ratios and angles: 0.1 % of a stated range, SI."""
        full_scale = getattr(self.resolve(name), "full_scale", None)
        return LOW_SIGNAL_SHARE * full_scale if full_scale else 0.0

    def prepare_drawing(self, name: str, progress: Progress | None = None) -> None:
        """Do the work that drawing a formula needs; a recorded channel has had it done when it was imported."""
        if self.study.formula(name) is not None:
            self._pyramid(name, self.waveform(name), progress)
        if self.study.look(name).mean_removed:
            self.overall_mean(name)

    def clip_levels(self, name: str) -> tuple[float, ...]:
        """Return the values at which a recorded channel is clipped, SI, as far as they are known without work."""
        if self.study.formula(name) is not None:
            return ()
        channel = self.resolve(name)
        assert isinstance(channel, Channel)
        return clip_levels(channel)

    def can_draw(self, name: str) -> bool:
        """Return whether a channel or formula can be drawn without work."""
        if self.study.look(name).mean_removed and not self._results.has(("overall mean", self.identity(name))):
            return False
        return self.study.formula(name) is None or self._results.has(("pyramid", self.identity(name)))

    def _pyramid(self, name: str, wave: Waveform, progress: Progress | None = None) -> Pyramid:
        return self._results.get(
            ("pyramid", self.identity(name)), lambda: build_pyramid(wave.read, wave.n_samples, progress=progress)
        )

    def envelope(self, name: str, start_s: float, stop_s: float, n_columns: int) -> Envelope:
        """Return lowest and highest value per picture column of a stretch of time, SI; NaN where there is none."""
        wave, (start, stop) = self.waveform(name), self.positions(start_s, stop_s)
        if isinstance(wave, Channel):
            return wave.envelope(start, stop, n_columns)
        return envelope(wave.read, self._pyramid(name, wave), start, stop, n_columns)

    def extent(self, name: str) -> tuple[float, float]:
        """Return the lowest and highest value of a channel or formula, SI; (inf, -inf) where there is none."""
        wave = self.waveform(name)
        key = ("extent", self.identity(name))
        if isinstance(wave, Channel):
            return self._results.get(key, wave.extent)
        return self._pyramid(name, wave).extent

    def overall_mean(self, name: str) -> float:
        """Return the mean of all samples of a channel, SI; 0 where it has none."""
        wave = self.waveform(name)
        key = ("overall mean", self.identity(name))
        whole = Window(0.0, float(wave.n_samples), 0, Rule.RECTANGULAR)
        mean = self._results.get(key, lambda: float(window_means(wave.read, whole, wave.n_samples)[0]))
        return mean if math.isfinite(mean) else 0.0

    # places

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

    def positions(self, *instants_s: float) -> tuple[float, ...]:
        """Return instants of the record in samples, not necessarily whole."""
        return tuple((t - self.record.start_s) * self.record.rate_hz for t in instants_s)

    def instant(self, position: float) -> float:
        """Return the instant of a position in samples, s."""
        return self.record.start_s + position / self.record.rate_hz

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
            return Cycles(found.crossings + span.first, found.whole, found.rate_hz, wave.n_samples)

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

    # results

    def cached(self, key: tuple[str, ...], make: Callable[[], T]) -> T:
        """Return a result kept under a key that holds all it depends on."""
        return self._results.get(key, make)

    def is_cached(self, key: tuple[str, ...]) -> bool:
        """Return whether a result is there without work."""
        return self._results.has(key)

    def result_key(self, what: str, interval: str | None, *parts: str) -> tuple[str, ...]:
        """Return the key of a result over an interval: all that it depends on."""
        reference = self.identity(self.study.reference) if self.study.reference else ""
        start, stop = self.span(interval)
        return (what, reference, start.hex(), stop.hex(), str(self.study.highest_order), *parts)

    def reading(self, kind: ReadingKind, channels: Sequence[str], interval: str | None = None) -> Reading:
        """Return a reading of channels over an interval (the active one for None)."""
        key = self.result_key("reading", interval, kind.name, *(self.identity(name) for name in channels))
        return self._results.get(
            key, lambda: take(kind, [self.waveform(name) for name in channels], self.stretch(kind, channels, interval))
        )

    def n_missing(self, name: str, interval: str | None = None) -> int:
        """Return how many samples of an interval have no value."""
        wave, window = self.waveform(name), samples_between(*self.span(interval))
        key = self.result_key("missing", interval, self.identity(name))
        return self._results.get(key, lambda: n_missing(wave.read, window.first, window.end))

    def n_clipped(self, name: str, interval: str | None = None) -> int:
        """Return how many samples of a recorded channel are clipped in an interval."""
        channel, window = self.resolve(name), samples_between(*self.span(interval))
        key = self.result_key("clipped", interval, self.identity(name))
        assert isinstance(channel, Channel)
        return self._results.get(key, lambda: clipped_between(channel, window.first, window.end))

    def spectrum(self, channel: str, interval: str | None, window: SpectralWindow, progress: Progress | None = None) -> Spectrum:
        """Return the rms spectrum of a channel over the samples of an interval."""
        span = samples_between(*self.span(interval))
        if span.end - span.first < 8:
            raise StudyError(
                f'Interval "{self.interval_name(interval)}" holds {span.end - span.first} samples; a spectrum needs 8.'
            )
        wave = self.waveform(channel)
        key = self.result_key("spectrum", interval, str(window), self.identity(channel))
        return self._results.get(key, lambda: spectrum_of(wave.read, span.first, span.end, wave.rate_hz, window, progress))

    def harmonics(self, channels: Sequence[str], interval: str | None, progress: Progress | None = None) -> Orders:
        """Return the phasors of channels over the whole cycles of an interval; the last row is the reference.

        Raises
        ------
        StudyError
            When there is no reference, or no whole cycle of it in the interval.
        """
        reference = self.study.reference
        cycles = self.reference_cycles
        if reference is None or cycles is None:
            raise StudyError("Harmonics need a reference channel with cycles. Choose one on the Wiring page.")
        window = self.window(interval)
        if not window.n_cycles:
            raise StudyError(f'Interval "{self.interval_name(interval)}" holds no whole cycle of {reference}. Make it longer.')
        read = self.stacked([*channels, reference])
        key = self.result_key("harmonics", interval, *(self.identity(name) for name in channels))
        return self._results.get(
            key, lambda: harmonic_orders(read, self.record.n_samples, window, cycles, self.study.highest_order, progress)
        )

    def stacked(self, channels: Sequence[str]) -> "_Stacked":
        """Return a reader of several channels at once, shape (n_channels, n)."""
        return _Stacked([self.waveform(name) for name in channels])

    def wiring_of(self, connection: Connection) -> Wiring:
        """Return a connection's kind as it is wired, checked to be complete.

        Raises
        ------
        StudyError
            When a required socket is empty or a channel measures something else.
        """
        kind = wiring(connection.wiring).with_sockets(connection.sockets)
        missing = [socket.name for socket in kind.sockets if socket.name not in connection.sockets]
        if missing:
            raise StudyError(
                f'Connection "{connection.name}": no channel in {", ".join(missing)}. Place one in each of these sockets.'
            )
        for socket in kind.sockets:
            name = connection.sockets[socket.name]
            if name in self.broken:
                raise self.broken[name]
            wanted = unit("V" if socket.quantity == "voltage" else "A")
            if not self.unit(name).like(wanted):
                found = self.unit(name).symbol
                raise StudyError(f'Connection "{connection.name}": {name} in socket {socket.name} is in {found}, '
                                 f"not in {wanted.symbol}. State its transducer, such as a clamp or a shunt.")  # fmt: skip
        return kind

    def power(self, connection: Connection, interval: str | None, progress: Progress | None = None) -> ConnectionPower:
        """Return power and energy of a connection over an interval."""
        kind = self.wiring_of(connection)
        channels = [connection.sockets[socket.name] for socket in kind.sockets]
        key = self.result_key("power", interval, kind.id, *(self.identity(name) for name in channels))
        start, stop = self.span(interval)
        return self._results.get(key, lambda: measure_connection(
            kind, self.stacked(channels), self.record.n_samples, self.record.rate_hz,
            self.reference_cycles if kind.alternating else None, start, stop,
            np.array([self.low_signal(name) for name in channels]), progress))  # fmt: skip


class _Stacked:
    """Reads several waveforms at once, shape (n_channels, n)."""

    def __init__(self, waves: list[Waveform]) -> None:
        self._waves = waves

    def __call__(self, start: int, stop: int) -> FloatArray:
        return np.stack([wave.read(start, stop) for wave in self._waves])


def series_points(evaluation: Evaluation, series: Series) -> list[tuple[float, float]]:
    """Return (start in s, value in SI) of each cycle that has a value."""
    pairs = zip(series.edges[:-1].tolist(), series.values.tolist(), strict=True)
    return [(evaluation.instant(edge), value) for edge, value in pairs if math.isfinite(value)]
