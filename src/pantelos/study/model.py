"""The study: one immutable value that holds everything the user decided, and nothing that can be computed."""

from collections.abc import Iterable
from typing import Literal, TypeAlias, get_args

import msgspec

from pantelos.errors import StudyError
from pantelos.formats.dialect import Dialect
from pantelos.record.assembly import Placement
from pantelos.record.scaling import Scaling

PanelKind: TypeAlias = Literal["spectrum", "harmonics", "phasors"]
PANEL_KINDS: tuple[PanelKind, ...] = get_args(PanelKind)


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

    @property
    def text(self) -> str:
        """The formula as it is typed."""
        return f"{self.name} = {self.expression}"


class Interval(msgspec.Struct, frozen=True):
    """A named stretch, half-open, in seconds of the record."""

    name: str
    start_s: float
    stop_s: float

    @property
    def length_s(self) -> float:
        """Its length."""
        return self.stop_s - self.start_s


class Connection(msgspec.Struct, frozen=True):
    """A wired connection: its kind and which channel sits in which socket."""

    name: str
    wiring: str
    sockets: dict[str, str] = {}


class Lane(msgspec.Struct, frozen=True):
    """One row of the ledger: channels of one unit, and how much height it asks for."""

    channels: tuple[str, ...]
    weight: float = 1.0
    scale: tuple[float, float] | None = None  # fixed lower and upper end, SI; None until fitted by the user


class Panel(msgspec.Struct, frozen=True):
    """One panel below the ledger, bound to channels and to an interval (None: the active one)."""

    kind: PanelKind
    channels: tuple[str, ...] = ()
    interval: str | None = None
    window: str = "hann"


class Study(msgspec.Struct, frozen=True):
    """The whole document."""

    title: str = "untitled"
    record: RecordSource | None = None
    channels: tuple[ChannelSetup, ...] = ()
    formulas: tuple[Formula, ...] = ()
    intervals: tuple[Interval, ...] = ()
    active: str | None = None  # name of the active interval
    reference: str | None = None  # the channel whose cycles count
    connections: tuple[Connection, ...] = ()
    lanes: tuple[Lane, ...] = ()
    panels: tuple[Panel, ...] = ()
    view: tuple[float, float] | None = None  # visible stretch, s; None shows the whole record
    highest_order: int = 50

    def channel(self, name: str) -> ChannelSetup:
        """Return the recorded channel of that name."""
        for channel in self.channels:
            if channel.name == name:
                return channel
        raise StudyError(f'There is no recorded channel "{name}"{_known(c.name for c in self.channels)}.')

    def formula(self, name: str) -> Formula | None:
        """Return the formula of that name, or None."""
        return next((formula for formula in self.formulas if formula.name == name), None)

    def interval(self, name: str) -> Interval:
        """Return the interval of that name."""
        for interval in self.intervals:
            if interval.name == name:
                return interval
        raise StudyError(f'There is no interval "{name}"{_known(i.name for i in self.intervals)}.')

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

    @property
    def names(self) -> tuple[str, ...]:
        """Names of all channels and formulas, in order."""
        return tuple(channel.name for channel in self.channels) + tuple(formula.name for formula in self.formulas)


def _known(names: Iterable[str]) -> str:
    known = ", ".join(names)
    return f"; there are {known}" if known else "; there is none yet"
