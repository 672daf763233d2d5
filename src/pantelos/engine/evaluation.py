"""The engine: everything that can be computed of a study and its record, each result kept by what it depends on."""

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from pantelos.engine.circumstances import AsRecorded
from pantelos.engine.cycles import ChannelCycles
from pantelos.engine.drawing import Drawing
from pantelos.engine.edges import Edges
from pantelos.engine.event_search import EventFinder
from pantelos.engine.names import Names
from pantelos.engine.places import Places
from pantelos.engine.references import Reference, References
from pantelos.engine.remembered import remembered
from pantelos.engine.results import ResultCache
from pantelos.engine.samples import Samples
from pantelos.engine.times import Times
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Blocks, Condition, Scalar
from pantelos.formula.scope import Scope
from pantelos.power.measurement import ConnectionPower, measure_connection
from pantelos.power.over_time import PowerOverTime, Step, cycles_of_step, every_cycles, power_over_time
from pantelos.power.wirings import Wiring, wiring
from pantelos.progress import Progress
from pantelos.reading.reading import Reading, ReadingKind, take
from pantelos.record.clipping import clipped_between
from pantelos.record.record import Record
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.coherent import cycles_per_window, windows_of
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.window import evaluation_window, samples_between
from pantelos.signal.harmonics.harmonic_windows import FEWEST_CYCLES, HarmonicWindows, harmonic_windows
from pantelos.signal.harmonics.harmonics import Orders, harmonic_orders
from pantelos.signal.spectra.spectrum import Plan, Spectrum, spectrum_of
from pantelos.signal.sums.integrals import n_missing
from pantelos.study.model import Connection, Study
from pantelos.units import ONE


class _Scope:
    """What formulas may ask of the study they stand in (`formula.scope.Scope`)."""

    def __init__(self, evaluation: "Evaluation") -> None:
        self._evaluation = evaluation
        self.resolve, self.stretch = evaluation.samples.resolve, evaluation.places.stretch
        self.cycles, self.edges = evaluation.cycles.of_wave, evaluation.edges.crossings
        self.interval_name, self.origin_s = evaluation.times.name, evaluation.times.origin_s
        self.span = evaluation.times.span
        self.highest_order = evaluation.study.highest_order
        self.grid = evaluation.record.n_samples, evaluation.record.rate_hz

    def reference(self, names: Sequence[str]) -> tuple[Cycles | None, str]:
        found = self._evaluation.references.of(names)
        return found.cycles, found.why

    def events(self, name: str) -> FloatArray:
        return self._evaluation.events.find(self._evaluation.study.search(name)).positions

    def intervals(self) -> tuple[str, ...]:
        return tuple(interval.name for interval in self._evaluation.study.intervals)


class Evaluation:
    """One study and its record, ready to be asked. Cheap to make: results live in the cache it is given.

    Its parts build on each other: `names` (what they mean), `times` (where intervals lie), `samples`, `drawing`, `cycles`,
    `references` (whose cycles count), `places` (whole cycles, and the keys of results over them).
    """

    def __init__(
        self,
        study: Study,
        record: Record,
        results: ResultCache | None = None,
        circumstances: AsRecorded | None = None,
        names: Names | None = None,
    ) -> None:
        circumstances = circumstances or AsRecorded()
        self.study, self.record = study, record
        self.results = results if results is not None else ResultCache()
        self.failing: dict[str, PantelosError] = {}  # formulas that cannot be computed, as far as somebody asked for them
        self.names, self.times = names or Names(study, record), Times(study, record)
        self.samples = Samples(study, record, self.names, self.results, circumstances, lambda: self._scope)
        self.drawing = Drawing(study, self.names, self.samples, self.times, self.results)
        self.cycles = ChannelCycles(record, self.names, self.samples, self.results, circumstances)
        self.references = References(study, self.names, self.cycles)
        self.places = Places(study, record, self.names, self.times, self.cycles, self.references, self.results, circumstances)
        self.edges = Edges(self.names, self.results)
        self.events = EventFinder(self.names, self.samples, self.edges, self.results)
        self._scope: Scope = _Scope(self)

    def on(self, study: Study) -> "Evaluation":
        """Return the same engine on another study of the same record; results are shared."""
        return Evaluation(study, self.record, self.results)

    def under(self, circumstances: AsRecorded, results: ResultCache) -> "Evaluation":
        """Return the same study and record under other circumstances, whose results are kept apart; names mean the same."""
        return Evaluation(self.study, self.record, results, circumstances, self.names)

    def value(self, text: str) -> Waveform | Scalar | Condition:
        """Return what a formula results in, without adding it to the study."""
        return self.samples.value(text)

    def computable(self, *kinds: Kind) -> list[str]:
        """Return the channels and formulas of some kinds that can be computed on this record, in the order of the study.

        A formula that makes sense and still cannot be computed, as there is no such pulse, is found `failing`.
        """
        found = []
        for name in (name for name in self.names.types if self.names.kind(name) in kinds):
            try:
                self.samples.resolve(name)
                found.append(name)
            except PantelosError as error:
                self.failing[name] = error
        return found

    def reading(self, kind: ReadingKind, channels: Sequence[str], interval: str | None = None) -> Reading:
        """Return a reading of channels over an interval (the active one for None), its settings left as they are by default."""
        return _own_reading(self, kind, channels, interval) if kind.own_cycles else _reading(self, kind, channels, interval)

    @remembered()
    def n_missing(self, name: str, interval: str | None = None) -> int:
        """Return how many samples of an interval have no value."""
        window = samples_between(*self.times.span(interval))
        return n_missing(self.samples.waveform(name).read, window.first, window.end)

    @remembered()
    def n_clipped(self, name: str, interval: str | None = None) -> int:
        """Return how many samples of a recorded channel are clipped in an interval."""
        window = samples_between(*self.times.span(interval))
        return clipped_between(self.samples.channel(name), window.first, window.end)

    def spectrum(self, channel: str, interval: str | None, plan: Plan, progress: Progress | None = None) -> Spectrum:
        """Return the rms spectrum of a channel over the samples of an interval, blocks with missing samples left out."""
        found = _spectrum(self, channel, interval, plan, progress)
        if not found.n_blocks:
            missing = self.n_missing(channel, interval)
            blocks = "every block" if found.n_left_out > 1 else "the block"
            raise StudyError(
                f'{missing} samples of {channel} have no value in "{self.times.name(interval)}", and {blocks} of its spectrum '
                "needs some of them. Take an interval without them, or shorter blocks."
            )
        return found

    def harmonics(
        self, channels: Sequence[str], interval: str | None, progress: Progress | None = None, reference: Reference | None = None
    ) -> Orders:
        """Return the phasors of channels over the whole cycles of their reference in an interval; the last row is the reference.

        Raises
        ------
        StudyError
            When there is no reference, or no whole cycle of it in the interval.
        """
        reference = reference or self.references.of(channels)
        if reference.cycles is None or reference.channel is None:
            raise StudyError(
                f"Harmonics of {', '.join(channels)} need cycles: {reference.why}. Choose a channel whose cycles count."
            )
        return _harmonics(self, channels, interval, reference, progress)

    def harmonic_windows(
        self, channels: Sequence[str], interval: str | None, progress: Progress | None = None, reference: Reference | None = None
    ) -> HarmonicWindows:
        """Return orders, groups and bands of channels in windows of exactly 10 or 12 cycles; the last row is the reference.

        Raises
        ------
        StudyError
            When there is no reference, or too few of its cycles for one window.
        """
        reference = reference or self.references.of(channels)
        if reference.cycles is None or reference.channel is None:
            raise StudyError(
                f"Groups of {', '.join(channels)} need cycles: {reference.why}. Choose a channel whose cycles count."
            )
        return _harmonic_windows(self, channels, interval, reference, progress)

    def stacked(self, channels: Sequence[str]) -> "_Stacked":
        """Return a reader of several channels at once, shape (n_channels, n)."""
        return _Stacked([self.samples.waveform(name) for name in channels])

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
            if name in self.names.broken:
                raise self.names.broken[name]
            wanted = socket.unit
            if not self.names.unit(name).like(wanted):
                found = self.names.unit(name)
                if found == ONE:
                    said, todo = "has no unit", f"State what the recorder read, such as {wanted.symbol} or mV"
                else:
                    said = f"is in {found.symbol}, not in {wanted.symbol}"
                    todo = "State its transducer, such as a clamp or a shunt"
                    if not kind.electrical:
                        todo = f"State what turns it into {wanted.symbol}, such as factor 20 N*m/V or factor 300 rpm/V"
                    elif socket.quantity == "voltage":
                        todo = "Put a voltage there, or state what turns it into one"
                raise StudyError(f'Connection "{connection.name}": {name} in socket {socket.name} {said}. {todo}.')
        return kind

    @remembered()
    def power(self, connection: Connection, interval: str | None, progress: Progress | None = None) -> ConnectionPower:
        """Return power and energy of a connection over an interval."""
        kind = self.wiring_of(connection)
        channels = [connection.sockets[socket.name] for socket in kind.sockets]
        reference = self.references.of_connection(connection)
        return measure_connection(
            kind,
            self.stacked(channels),
            self.record.n_samples,
            self.record.rate_hz,
            reference.cycles,
            *self.times.span(interval),
            self.low_signals(channels),
            progress,
            (reference.channel or "", "" if reference.cycles is not None else reference.why),
        )

    def low_signals(self, channels: Sequence[str]) -> FloatArray:
        """Return the rms below which each channel is too small for ratios and angles, (n_channels,), SI."""
        return np.array([self.samples.low_signal(name) for name in channels])


_MOST_PIECES = 2_000_000


@remembered()
def _own_reading(evaluation: Evaluation, kind: ReadingKind, channels: Sequence[str], interval: str | None) -> Reading:
    waves = [evaluation.samples.waveform(name) for name in channels]
    return take(kind, waves, evaluation.places.stretch(kind, waves, channels, interval, numbers=kind.defaults))


@remembered(by_cycles=True)
def _reading(evaluation: Evaluation, kind: ReadingKind, channels: Sequence[str], interval: str | None) -> Reading:
    waves = [evaluation.samples.waveform(name) for name in channels]
    return take(kind, waves, evaluation.places.stretch(kind, waves, channels, interval, numbers=kind.defaults))


@remembered()
def _spectrum(evaluation: Evaluation, channel: str, interval: str | None, plan: Plan, progress: Progress | None) -> Spectrum:
    span, wave = samples_between(*evaluation.times.span(interval)), evaluation.samples.waveform(channel)
    return spectrum_of(wave.read, span.first, span.end, wave.rate_hz, plan, progress)


@remembered()
def _harmonics(
    evaluation: Evaluation, channels: Sequence[str], interval: str | None, reference: Reference, progress: Progress | None
) -> Orders:
    cycles, name = reference.cycles, reference.channel
    assert cycles is not None and name is not None
    window = evaluation_window(cycles, *evaluation.times.span(interval))
    if not window.n_cycles:
        raise StudyError(f'Interval "{evaluation.times.name(interval)}" holds no whole cycle of {name}. Make it longer.')
    read, n = evaluation.stacked([*channels, name]), evaluation.record.n_samples
    return harmonic_orders(read, n, window, cycles, evaluation.study.highest_order, progress)


@remembered()
def _harmonic_windows(
    evaluation: Evaluation, channels: Sequence[str], interval: str | None, reference: Reference, progress: Progress | None
) -> HarmonicWindows:
    cycles, name = reference.cycles, reference.channel
    assert cycles is not None and name is not None
    window = evaluation_window(cycles, *evaluation.times.span(interval))
    wanted = cycles_per_window(window.frequency_hz) if window.n_cycles else 0
    windows = windows_of(wanted, window, cycles) if wanted else []
    if not windows or windows[0].n_cycles < FEWEST_CYCLES:
        held = f'"{evaluation.times.name(interval)}" holds {window.n_cycles} whole cycles of {name}'
        raise StudyError(f"{held}; groups of lines need {FEWEST_CYCLES}. Make it longer.")
    read, n = evaluation.stacked([*channels, name]), evaluation.record.n_samples
    return harmonic_windows(read, n, windows, cycles, evaluation.study.highest_order, progress)


@remembered()
def power_series(
    evaluation: Evaluation, connection: Connection, interval: str | None, every: Step, progress: Progress | None = None
) -> PowerOverTime:
    """Return the powers of an alternating connection piece by piece: every `cycle`, `200 ms` or other time in whole cycles.

    Raises
    ------
    StudyError
        When the connection is DC, the interval holds no whole cycle, or there would be more pieces than can be held.
    """
    kind = evaluation.wiring_of(connection)
    reference = evaluation.references.of_connection(connection)
    if not kind.alternating or reference.cycles is None:
        raise StudyError(f"Powers over time of {connection.name} need cycles: {reference.why}.")
    window = evaluation_window(reference.cycles, *evaluation.times.span(interval))
    if not window.n_cycles:
        raise StudyError(f'"{evaluation.times.name(interval)}" holds no whole cycle of {reference.channel}. Make it longer.')
    edges, held = every_cycles(reference.cycles, window, cycles_of_step(every, window.frequency_hz))
    if len(held) > _MOST_PIECES:
        raise StudyError(f"{len(held)} pieces are more than can be held. Take longer ones, or a shorter interval.")
    channels = [connection.sockets[socket.name] for socket in kind.sockets]
    read, n = evaluation.stacked(channels), evaluation.record.n_samples
    low = evaluation.low_signals(channels)
    return power_over_time(kind, read, n, reference.cycles, window, edges, held, low, progress)


class _Stacked:
    """Reads several waveforms at once, shape (n_channels, n)."""

    def __init__(self, waves: list[Waveform]) -> None:
        self._waves = waves

    def __call__(self, start: int, stop: int) -> FloatArray:
        return np.stack([wave.read(start, stop) for wave in self._waves])


class Point(msgspec.Struct, frozen=True):
    """One value of a series."""

    start_s: float
    stop_s: float
    value: float  # SI


def series_points(evaluation: Evaluation, series: Blocks) -> list[Point]:
    """Return start, stop and value of each piece that has a value."""
    rate, origin, pieces = series.rate_hz, evaluation.times.origin_s, series.partition
    rows = zip(pieces.starts.tolist(), pieces.stops.tolist(), series.values.tolist(), strict=True)
    return [Point(origin + a / rate, origin + b / rate, value) for a, b, value in rows if math.isfinite(value)]
