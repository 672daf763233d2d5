"""The study: one immutable value that holds everything the user decided, and nothing that can be computed."""

from collections.abc import Iterable
from enum import StrEnum
from functools import cached_property
from typing import Literal

import msgspec
from msgspec.structs import replace

from pantelos.errors import StudyError, clipped
from pantelos.formats.dialect import Dialect
from pantelos.record.placement import Placement
from pantelos.record.scaling import Scaling
from pantelos.signal.levels.levels import Level
from pantelos.study.report import Evidence, Report
from pantelos.study.shown import Columns, Lane, Look, Panel, TimeAxis

WHOLE_RECORD = "whole record"  # the name of all there is, where a place is asked for


class SourceFile(msgspec.Struct, frozen=True):
    """One file of the record: path, fingerprint, how it is read and where it lies."""

    path: str  # absolute in memory; relative to the study in its file
    fingerprint: str  # BLAKE2b-256 of the source file
    format: str
    dialect: Dialect
    placement: Placement = Placement()


class RecordSource(msgspec.Struct, frozen=True):
    """Where the record comes from, and which stretch of it is looked at."""

    files: tuple[SourceFile, ...]
    zero_s: float = 0.0  # the instant that reads as zero, in the time of the first file
    trim_s: tuple[float, float] | None = None  # the stretch that is kept, in that time
    rate_hz: float | None = None  # read at this rate; None: the highest there is
    time_base_ppm: float = 0.0  # limit of error of the recorder's clock; 0: not stated


class ChannelSetup(msgspec.Struct, frozen=True):
    """A recorded channel: which column, in which unit the recorder put it down, and its scaling chain."""

    name: str
    column: str
    recorder_unit: str = "V"
    scaling: Scaling = Scaling()


class Formula(msgspec.Struct, frozen=True):
    """A derived channel, series or readout: the text holds the expression only."""

    name: str
    expression: str
    on: bool = True  # False: it stays in the study, and nothing is computed of it

    @property
    def text(self) -> str:
        """The formula as it is typed."""
        return f"{self.name} = {self.expression}"


class Interval(msgspec.Struct, frozen=True):
    """A named stretch, half-open, in seconds of the record."""

    name: str
    start_s: float
    stop_s: float
    note: str = ""
    rides: tuple[str | None, str | None] = (None, None)  # the channels that edges a and b ride on
    rule: str = ""  # the sentence that says where it lies; empty: by hand

    @property
    def length_s(self) -> float:
        """Its length."""
        return self.stop_s - self.start_s


class HiddenInterval(msgspec.Struct, frozen=True):
    """An interval that reaches beyond the stretch that is kept: as it is, and what is shown of it; None: nothing."""

    whole: Interval
    shown: Interval | None = None


class Expected(msgspec.Struct, frozen=True):
    """What the user states of a connection, for the checks to hold the record against; no number rests on it."""

    voltage: float | None = None  # nominal, between the conductors of a voltage socket, V
    current: float | None = None  # nominal, A
    load: bool = False  # power never flows back


class Connection(msgspec.Struct, frozen=True):
    """A wired connection: its kind and which channel sits in which socket."""

    name: str
    wiring: str
    sockets: dict[str, str] = {}
    reference: str | None = None  # the channel whose cycles count for its numbers; None: the surest
    expected: Expected = Expected()


class ChainPoint(msgspec.Struct, frozen=True):
    """A point of the power chain: a connection, and what stands behind it up to the next point."""

    connection: str
    stage: str = ""  # rectifier, inverter, motor; nothing behind the last one


class EventKind(StrEnum):
    """What an event is."""

    CROSSING = "crossing"  # of a level
    PULSE = "pulse"  # above or below a level, longer or shorter than a time
    WINDOW = "window"  # entered or left
    GAP = "gap"  # missing samples
    STEEPEST = "steepest"  # the largest changes
    BEYOND = "beyond"  # values far from the usual
    UNLIKE = "unlike"  # stretches unlike the others


class Slope(StrEnum):
    """Which way a level is crossed."""

    RISING = "rising"
    FALLING = "falling"
    EITHER = "either"


class EventSearch(msgspec.Struct, frozen=True):
    """What to look for in a channel; the events themselves are found, not kept. Fields that a kind does not use are idle."""

    name: str
    channel: str
    kind: EventKind = EventKind.CROSSING
    slope: Slope = Slope.RISING
    level: Level = Level(0.5, relative=True)  # of crossings and pulses; the lower one of a window
    upper: Level = Level(1.0, relative=True)  # of a window
    hysteresis: Level = Level(0.05, relative=True)  # half the width of the band around a level
    above: bool = True  # pulses: above the level, or below
    longer: bool = True  # pulses and gaps: than `time_s`, or shorter
    entering: bool = False  # windows: entered, or left
    time_s: float = 0.0  # of pulses and gaps; the length of the stretches that are compared
    sigmas: float = 6.0  # how far is far
    count: int = 1  # how many of the steepest
    hold_off_s: float = 0.0  # events that follow sooner are passed over


class Hidden(msgspec.Struct, frozen=True, omit_defaults=True):
    """What does not show while only a stretch of the record is looked at."""

    intervals: tuple[HiddenInterval, ...] = ()
    order: tuple[str, ...] = ()  # of the intervals before
    panels: tuple[Panel, ...] = ()  # that were pinned to hidden intervals
    active: str | None = None  # the interval that was active, where it is hidden
    made: Interval | None = None  # stands for all of them where none is left

    @property
    def names(self) -> tuple[str, ...]:
        """The intervals that do not show at all."""
        return tuple(one.whole.name for one in self.intervals if one.shown is None)

    def moved(self, by_s: float) -> "Hidden":
        """Return what is hidden as it reads when time zero lies so much later."""

        def earlier(one: Interval) -> Interval:
            return replace(one, start_s=one.start_s - by_s, stop_s=one.stop_s - by_s)

        intervals = tuple(
            HiddenInterval(earlier(one.whole), earlier(one.shown) if one.shown is not None else None) for one in self.intervals
        )
        return replace(self, intervals=intervals, made=earlier(self.made) if self.made is not None else None)

    def renamed(self, old: str, new: str) -> "Hidden":
        """Return what is hidden when an interval that shows in part gets another name."""
        intervals = tuple(
            HiddenInterval(replace(one.whole, name=new), replace(one.shown, name=new))
            if one.shown is not None and one.shown.name == old
            else one
            for one in self.intervals
        )
        return replace(self, intervals=intervals, order=tuple(new if name == old else name for name in self.order))


class Trend(msgspec.Struct, frozen=True, omit_defaults=True):
    """A channel that holds values of a parameter of power quality instead of a waveform, one every base interval."""

    parameter: str  # f, U, I, u2, u0, THD, Pst, Plt; U5 for an order of the voltage, I5 of the current
    channel: str
    conductor: str = ""  # L1, L2, L3; empty for what is of all
    base: str = "10 min"


class Quality(msgspec.Struct, frozen=True, omit_defaults=True):
    """What is declared of the supply, and which limit sets it is held against."""

    connection: str | None = None  # None: the first alternating one
    U_din: float | None = (
        None  # declared voltage between the conductors of a voltage socket, V; None: as expected of the connection
    )
    frequency_hz: int | None = None  # 50 or 60; None: the nearest
    lamp: Literal[230, 120] = 230  # that flicker is of
    dip: float = 0.9  # thresholds, as shares of U_din
    swell: float = 1.1
    interruption: float = 0.05
    hysteresis: float = 0.02
    sliding: bool = False  # thresholds against the sliding reference voltage
    rapid: float = 0.05  # threshold of rapid changes
    signal_hz: float | None = None  # of mains signalling
    with_flagged: bool = False  # values during dips, swells and interruptions are judged, too
    sets: tuple[str, ...] = ()  # limit sets by id, or paths of their files
    inputs: dict[str, float] = {}  # what those sets need to know, such as I_L = 100
    trends: tuple[Trend, ...] = ()
    rule: Literal["undecided", "simple", "guarded"] = "undecided"  # how verdicts take the uncertainty of values
    immunity: tuple[tuple[float, float], ...] = ()  # the user's curve: duration, s, and voltage, share of U_din, that is survived
    clock_s: float = 0.0  # by which the clock of the recorder was slow: added to its times
    clock_u_s: float | None = None  # within which that is known; None: not stated

    @property
    def known_inputs(self) -> dict[str, float]:
        """What limits may depend on: the inputs that are stated, and the frequency of signalling."""
        return self.inputs if self.signal_hz is None else {**self.inputs, "signal_hz": self.signal_hz}


class Sealed(msgspec.Struct, frozen=True):
    """A version of the report that was closed: the study as it was, whose report is the same bytes whenever it is written."""

    version: int
    issued: str  # its day of issue
    mark: str  # BLAKE2b-256 of the content
    content: str  # the study as JSON, without versions of its own, its files by their names alone


class Study(msgspec.Struct, frozen=True, dict=True):
    """The whole document."""

    title: str = "untitled"
    record: RecordSource | None = None
    channels: tuple[ChannelSetup, ...] = ()
    formulas: tuple[Formula, ...] = ()
    intervals: tuple[Interval, ...] = ()
    active: str | None = None  # name of the active interval
    reference: str | None = None  # the channel whose cycles count where no connection says so; None: as connections say
    connections: tuple[Connection, ...] = ()
    chain: tuple[ChainPoint, ...] = ()  # connections as power goes through them
    lanes: tuple[Lane, ...] = ()
    panels: tuple[Panel, ...] = ()
    view: tuple[float, float] | None = None  # visible stretch, s; None shows the whole record
    highest_order: int = 50
    every: str = "200 ms"  # how long the pieces of tables over time are: cycle, or a time in whole cycles
    searches: tuple[EventSearch, ...] = ()
    looks: dict[str, Look] = {}  # of channels that are not drawn as they are
    columns: Columns = Columns()
    time_axis: TimeAxis = "record"
    quality: Quality = Quality()
    report: Report = Report()
    hidden: Hidden = Hidden()
    evidence: tuple[Evidence, ...] = ()  # self-checks of the chain it was recorded with
    sealed: tuple[Sealed, ...] = ()  # versions of the report that were closed, the first one first

    @cached_property
    def _by_name(self) -> dict[str, ChannelSetup]:
        return {channel.name: channel for channel in self.channels}

    @cached_property
    def _formulas_by_name(self) -> dict[str, Formula]:
        return {formula.name: formula for formula in self.formulas}

    def channel(self, name: str) -> ChannelSetup:
        """Return the recorded channel of that name."""
        found = self._by_name.get(name)
        if found is None:
            raise StudyError(f'There is no recorded channel "{clipped(name)}"{_known(c.name for c in self.channels)}.')
        return found

    def formula(self, name: str) -> Formula | None:
        """Return the formula of that name, or None."""
        return self._formulas_by_name.get(name)

    def interval(self, name: str) -> Interval:
        """Return the interval of that name."""
        for interval in self.intervals:
            if interval.name == name:
                return interval
        raise StudyError(f'There is no interval "{name}"{_known(i.name for i in self.intervals)}.')

    def search(self, name: str) -> EventSearch:
        """Return the event search of that name."""
        for search in self.searches:
            if search.name == name:
                return search
        raise StudyError(f'There are no events "{name}"{_known(s.name for s in self.searches)}.')

    def look(self, name: str) -> Look:
        """Return how a channel is drawn."""
        return self.looks.get(name, Look())

    def connection(self, name: str) -> Connection:
        """Return the connection of that name."""
        for connection in self.connections:
            if connection.name == name:
                return connection
        raise StudyError(f'There is no connection "{name}"{_known(c.name for c in self.connections)}.')

    @property
    def active_interval(self) -> Interval | None:
        """The active interval, or None."""
        return self.interval(self.active) if self.active is not None else None

    @cached_property
    def names(self) -> tuple[str, ...]:
        """Names of all channels and formulas, in order."""
        return tuple(channel.name for channel in self.channels) + tuple(formula.name for formula in self.formulas)


def sides_of(study: Study) -> dict[str, str]:
    """Return the side of an instrument transformer that columns are read as, where their files state it, by column."""
    files = study.record.files if study.record is not None else ()
    return {column.name: str(column.side) for file in files for column in file.dialect.columns if column.side}


def _known(names: Iterable[str]) -> str:
    known = clipped(", ".join(names))
    return f"; there are {known}" if known else "; there is none yet"
