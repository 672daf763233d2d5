"""The record: columns of one or several recordings on one grid of even instants, scaled block by block when read."""

from functools import cached_property
from pathlib import Path

import msgspec
import numpy as np

from pantelos.errors import StudyError, clipped
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.record.pieces import Envelope, EvenPiece, Grid, Piece, pieces_of
from pantelos.record.recording import RawChannel, Recording
from pantelos.record.scaling import Scaling
from pantelos.record.timing import Began, Timing, even
from pantelos.record.waveform import LeftOut, Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.levels.level_search import Crossings, crossings_in_numbers, level_crossings
from pantelos.signal.sums.integrals import n_missing
from pantelos.units import Unit


class Placed(msgspec.Struct, frozen=True, eq=False):
    """A raw channel and its place in time: `shift_s` added to its own time gives that of the record."""

    raw: RawChannel
    timing: Timing
    shift_s: float = 0.0


class RecordColumn(msgspec.Struct, frozen=True, eq=False):
    """A column of the record: one raw channel, or those of several recordings one behind the other."""

    name: str
    unit: Unit
    parts: tuple[Placed, ...]


class Record(msgspec.Struct, frozen=True, eq=False, dict=True):
    """What a study reads: columns on one grid, and where they came from."""

    columns: tuple[RecordColumn, ...]
    grid: Grid
    sources: tuple[tuple[Path, str], ...]  # file and fingerprint
    metadata: tuple[tuple[str, str], ...] = ()
    began: Began | None = None  # date and time of time zero
    told: tuple[Notice, ...] = ()  # what was odd about the files, and what was done to set everything on one grid
    joints: tuple[
        int, ...
    ] = ()  # samples at which a run begins that was set behind the one before: time says nothing across them

    @property
    def n_samples(self) -> int:
        """Samples on the grid."""
        return self.grid.n_samples

    @property
    def rate_hz(self) -> float:
        """Samples per second on the grid."""
        return self.grid.rate_hz

    @property
    def start_s(self) -> float:
        """The instant of the first sample."""
        return self.grid.start_s

    @property
    def stop_s(self) -> float:
        """One sample period behind the last one: every sample stands for one period."""
        return self.grid.stop_s

    @property
    def duration_s(self) -> float:
        """Length."""
        return self.n_samples / self.rate_hz

    @property
    def source(self) -> Path:
        """The first file."""
        return self.sources[0][0]

    @property
    def fingerprint(self) -> str:
        """The fingerprints of all files, one after the other."""
        return " ".join(mark for _, mark in self.sources)

    def column(self, name: str) -> RecordColumn:
        """Return the column of that name."""
        found = self._by_name.get(name)
        if found is None:
            raise StudyError(f'{self.source.name} has no column "{clipped(name)}"; it has {clipped(", ".join(self._by_name))}.')
        return found

    @cached_property
    def _by_name(self) -> dict[str, RecordColumn]:
        return {column.name: column for column in self.columns}


class Channel(msgspec.Struct, frozen=True, eq=False, dict=True, weakref=True):
    """A recorded channel behind its scaling chain, on the grid of its record; a `Waveform`."""

    name: str
    grid: Grid
    unit: Unit
    pieces: tuple[Piece, ...]
    full_scale: float | None
    zero: float = 0.0  # what the recorder's zero stands for, SI
    moved: bool = False  # a known lag is taken off: an end of the record is left without a value, which is no fault

    @property
    def n_samples(self) -> int:
        """Number of samples on the grid."""
        return self.grid.n_samples

    @property
    def rate_hz(self) -> float:
        """Samples per second on the grid."""
        return self.grid.rate_hz

    @property
    def masked(self) -> LeftOut:
        """An end where a lag is taken off; nothing else is left out of what was recorded."""
        return LeftOut.ENDS if self.moved else LeftOut.NOTHING

    @property
    def recorded(self) -> "Channel":
        """Itself: what corrects a channel names the one that was recorded so, too."""
        return self

    @property
    def interpolated(self) -> bool:
        """Whether its own samples lie beside those of the grid."""
        return any(piece.interpolated for piece in self.pieces)

    @property
    def whole(self) -> bool:
        """Whether all its samples, and no others, lie on the grid, each on one of the grid."""
        return all(
            not piece.interpolated and piece.reach()[1] - piece.reach()[0] == len(piece.raw.samples) for piece in self.pieces
        )

    @cached_property
    def _whole(self) -> Piece | None:
        """The one piece that covers the whole grid, if there is one."""
        only = self.pieces[0] if len(self.pieces) == 1 else None
        return only if only is not None and only.reach() == (0, self.n_samples) else None

    def read(self, start: int, stop: int) -> FloatArray:
        """Return samples start to stop in SI units, shape (stop - start,), NaN where there is none; not to be written to."""
        if self._whole is not None:
            return self._whole.read(start, stop)
        values = np.full(max(stop - start, 0), np.nan)
        for piece in self.pieces:
            first, end = piece.reach()
            low, high = max(first, start), min(end, stop)
            if low < high:
                values[low - start : high - start] = piece.read(low, high)
        return values

    def envelope(self, start: float, stop: float, n_columns: int) -> Envelope:
        """Return lowest and highest sample per picture column between two positions; NaN where there is none."""
        edges = start + np.arange(n_columns + 1, dtype=np.float64) * ((stop - start) / n_columns)
        lows, highs = np.full(n_columns, np.nan), np.full(n_columns, np.nan)
        for piece in self.pieces:
            low, high = piece.envelope(edges)
            np.fmin(lows, low, out=lows)
            np.fmax(highs, high, out=highs)
        return lows, highs

    def extent(self) -> tuple[float, float]:
        """Return the lowest and highest sample; (inf, -inf) where all are missing."""
        ends = [piece.extent() for piece in self.pieces]
        return min((low for low, _ in ends), default=np.inf), max((high for _, high in ends), default=-np.inf)

    def n_missing(self, between: bool = True) -> int:
        """Return how many samples of the grid have no value; without `between` those inside of what was recorded only.

        Whole numbers without a code for missing need no look.
        """
        n_given = covered = n_recorded = 0
        for piece in sorted(self.pieces, key=lambda piece: piece.reach()):
            first, end = piece.reach()
            first, covered = max(first, covered), max(end, covered)  # a sample between two rates belongs to both
            n_recorded += max(end - first, 0)
            if piece.raw.samples.dtype.kind in "iub" and piece.raw.missing is None:
                n_given += max(end - first, 0)
                continue
            n_given += max(end - first, 0) - n_missing(piece.read, first, max(end, first))
        return max((self.n_samples if between else n_recorded) - n_given, 0)

    def crossings(self, level: float, half_width: float, start: int, stop: int, progress: Progress | None = None) -> Crossings:
        """Return where a level (SI) is crossed between two samples of the grid; recorded numbers are not scaled for it."""
        piece = self._whole
        if not isinstance(piece, EvenPiece) or piece.interpolated or piece.raw.missing is not None:
            return level_crossings(self.read, start, stop, level, half_width, progress)
        shift = piece.segment.first - int(piece.lag)
        found = crossings_in_numbers(
            piece.raw.samples,
            piece.raw.pyramid,
            start + shift,
            stop + shift,
            (level - piece.zero) / piece.gain,
            half_width / abs(piece.gain),
            progress,
        )
        return Crossings(found.positions - shift, found.rising if piece.gain > 0 else ~found.rising)

    def own_samples(self, start: float, stop: float) -> tuple[FloatArray, FloatArray]:
        """Return positions on the grid and values of the samples as recorded, between two positions."""
        found = [piece.rows(start, stop) for piece in self.pieces]
        return np.concatenate([places for places, _ in found]), np.concatenate([values for _, values in found])


def recorded(wave: Waveform) -> Channel | None:
    """Return the channel as recorded that a waveform is, or is the correction of; None for a formula."""
    found = getattr(wave, "recorded", None)
    return found if isinstance(found, Channel) else None


def scaled_channel(name: str, column: RecordColumn, grid: Grid, recorder_unit: Unit, scaling: Scaling) -> Channel:
    """Return the channel `name` made of a column and a scaling chain, on a grid."""
    gain, zero, unit = scaling.resolve(recorder_unit)
    pieces: list[Piece] = []
    for part in column.parts:
        own = part.raw.unit.factor / column.unit.factor  # a file behind the first may state another multiple
        pieces += pieces_of(
            part.raw,
            part.timing,
            part.shift_s - scaling.lag_s,
            grid,
            gain * part.raw.scale * own,
            gain * part.raw.zero * own + zero,
        )
    return Channel(name, grid, unit, tuple(pieces), scaling.full_scale(recorder_unit), zero, bool(scaling.lag_s))


def record_of_arrays(channels: tuple[RawChannel, ...], rate_hz: float, source: Path, fingerprint: str) -> Record:
    """Return the record of channels in memory that are even from the first sample on."""
    n = len(channels[0].samples)
    recording = Recording(channels, even(0.0, rate_hz, n), source, fingerprint)
    columns = tuple(RecordColumn(raw.name, raw.unit, (Placed(raw, recording.timing),)) for raw in channels)
    return Record(columns, Grid(0.0, rate_hz, n), ((source, fingerprint),))
