"""A raw channel set on the grid of a record: read there, drawn there, whatever its own rate is."""

from typing import Protocol, TypeAlias

import msgspec
import numpy as np

from pantelos.record.recording import RawChannel
from pantelos.record.timing import Instants, Segment
from pantelos.signal.arrays import FloatArray
from pantelos.signal.sampling.interpolation import MARGIN, between_instants, between_samples, held
from pantelos.signal.sampling.pyramid import envelope_between, extremes

_ON_GRID = 1e-6  # samples: what lies closer to the grid than that lies on it
_SPARSE = 4.0  # own samples per picture column: with fewer, interpolated values are drawn
_POINTS = 4  # interpolated values drawn per picture column

Envelope: TypeAlias = tuple[FloatArray, FloatArray]  # lowest and highest per picture column


class Grid(msgspec.Struct, frozen=True):
    """The even instants that everything in a record is read at."""

    start_s: float
    rate_hz: float
    n_samples: int

    @property
    def stop_s(self) -> float:
        """One sample period behind the last instant."""
        return self.start_s + self.n_samples / self.rate_hz


class Piece(Protocol):
    """What a channel asks of a raw channel on a grid. Positions are in samples of the grid."""

    @property
    def raw(self) -> RawChannel:
        """The numbers."""

    @property
    def gain(self) -> float:
        """SI per number."""

    @property
    def zero(self) -> float:
        """SI of the number 0."""

    @property
    def interpolated(self) -> bool:
        """Whether values between its samples are needed."""

    def reach(self) -> tuple[int, int]:
        """Return the samples of the grid it covers, as (first, end)."""

    def read(self, start: int, stop: int) -> FloatArray:
        """Return values at samples start to stop of the grid, which must be within reach."""

    def envelope(self, edges: FloatArray) -> Envelope:
        """Return lowest and highest value between each two edges; NaN where there is none."""

    def extent(self) -> tuple[float, float]:
        """Return the lowest and highest sample on the grid."""

    def row_range(self, start: float, stop: float) -> tuple[int, int]:
        """Return the rows that lie between two positions, as (first, end)."""

    def rows(self, start: float, stop: float) -> tuple[FloatArray, FloatArray]:
        """Return its own samples between two positions: their positions and values."""


class EvenPiece(msgspec.Struct, frozen=True, eq=False):
    """A segment: its row k lies at position `lag + (k - first) * ratio` of the grid."""

    raw: RawChannel
    gain: float
    zero: float
    grid: Grid
    segment: Segment  # in the time of the record, skew taken out
    lag: float
    ratio: float
    interpolated: bool  # whether its samples lie beside those of the grid
    state: bool  # whether values last until the next sample

    def reach(self) -> tuple[int, int]:
        """Return the samples of the grid it covers, as (first, end)."""
        first = int(np.ceil(self.lag - _ON_GRID))
        last_row = self.segment.n_samples - (0.0 if self.state else 1.0)
        end = int(np.floor(self.lag + last_row * self.ratio + _ON_GRID)) + (0 if self.state else 1)
        return max(first, 0), min(end, self.grid.n_samples)

    def _at(self, positions: FloatArray) -> FloatArray:
        """Return the row, not necessarily whole, at positions of the grid."""
        return np.asarray(self.segment.first + (positions - self.lag) / self.ratio)

    def read(self, start: int, stop: int) -> FloatArray:
        """Return values at samples start to stop of the grid, which must be within reach."""
        if not self.interpolated:
            shift = self.segment.first - int(self.lag)
            return self.raw.values(start + shift, stop + shift, self.gain, self.zero)
        return self._between(np.arange(start, stop, dtype=np.float64))

    def _between(self, positions: FloatArray) -> FloatArray:
        """Return interpolated values at rising positions of the grid."""
        if not len(positions):
            return np.zeros(0)
        rows = self._at(positions)
        first, end = self.segment.first, self.segment.first + self.segment.n_samples
        low = min(max(int(np.floor(rows[0])) - MARGIN, first), end - 1)
        high = max(min(int(np.ceil(rows[-1])) + MARGIN, end), low + 1)
        values = self.raw.values(low, high, self.gain, self.zero)
        return held(values, rows - low) if self.state else between_samples(values, _near_ends(rows - low, high - low))

    def _rows(self) -> tuple[int, int]:
        """Return the rows that lie on the grid, as (first, end)."""
        ends = self._at(np.array([0.0, float(self.grid.n_samples)]))
        first = max(self.segment.first, int(np.ceil(ends[0] - _ON_GRID)))
        return first, min(self.segment.first + self.segment.n_samples, int(np.ceil(ends[1] - _ON_GRID)))

    def envelope(self, edges: FloatArray) -> Envelope:
        """Return lowest and highest value between each two edges; NaN where there is none."""
        rows = self._at(edges)
        if self.interpolated and float(rows[-1] - rows[0]) < _SPARSE * (len(rows) - 1):
            return _of_points(self, edges)
        return _of_rows(self.raw, rows, self._rows(), self.gain, self.zero)

    def extent(self) -> tuple[float, float]:
        """Return the lowest and highest sample on the grid."""
        return _scaled_extent(self.raw, self._rows(), self.gain, self.zero)

    def row_range(self, start: float, stop: float) -> tuple[int, int]:
        """Return the rows that lie between two positions, as (first, end)."""
        first, end = self._rows()
        low, high = np.ceil(self._at(np.array([start, stop])) - _ON_GRID).astype(int)
        return max(first, int(low)), min(end, int(high))

    def rows(self, start: float, stop: float) -> tuple[FloatArray, FloatArray]:
        """Return its own samples between two positions: their positions and values."""
        first, end = self._rows()
        low, high = np.floor(self._at(np.array([start, stop]))).astype(int)
        low, high = max(first, int(low)), min(end, int(high) + 1)
        places = np.asarray(self.lag + (np.arange(low, max(high, low)) - self.segment.first) * self.ratio, dtype=np.float64)
        return places, self.raw.values(low, max(high, low), self.gain, self.zero)


class UnevenPiece(msgspec.Struct, frozen=True, eq=False):
    """Samples at instants of their own, `times` in the time of the record."""

    raw: RawChannel
    gain: float
    zero: float
    grid: Grid
    instants: Instants
    shift_s: float  # added to the instants gives the time of the record
    state: bool  # whether values last until the next sample

    @property
    def interpolated(self) -> bool:
        """Always: its samples lie where they lie."""
        return True

    def _time(self, positions: FloatArray) -> FloatArray:
        return np.asarray(self.grid.start_s - self.shift_s + positions / self.grid.rate_hz)

    def reach(self) -> tuple[int, int]:
        """Return the samples of the grid it covers, as (first, end)."""
        ends = np.asarray(self.instants.times_s)[[0, -1]] + self.shift_s - self.grid.start_s
        first, last = ends * self.grid.rate_hz
        return max(int(np.ceil(first - _ON_GRID)), 0), min(int(np.floor(last + _ON_GRID)) + 1, self.grid.n_samples)

    def read(self, start: int, stop: int) -> FloatArray:
        """Return values at samples start to stop of the grid, which must be within reach."""
        return self._between(np.arange(start, stop, dtype=np.float64))

    def _between(self, positions: FloatArray) -> FloatArray:
        if not len(positions):
            return np.zeros(0)
        times, at = self.instants.times_s, self._time(positions)
        at = np.where(np.abs(at - times[-1]) < _ON_GRID * self.instants.step_s, times[-1], at)
        at = np.where(np.abs(at - times[0]) < _ON_GRID * self.instants.step_s, times[0], at)
        low = max(int(np.searchsorted(times, at[0])) - 4, 0)
        high = min(int(np.searchsorted(times, at[-1])) + 4, len(times))
        values = self.raw.values(low, high, self.gain, self.zero)
        part = np.asarray(times[low:high], dtype=np.float64)
        if self.state:
            return held(values, (np.searchsorted(part, at, side="right") - 1).astype(np.float64))
        return between_instants(part, values, at, self.instants.step_s)

    def _rows(self) -> tuple[int, int]:
        ends = np.searchsorted(self.instants.times_s, self._time(np.array([0.0, float(self.grid.n_samples)])))
        return int(ends[0]), int(ends[1])

    def envelope(self, edges: FloatArray) -> Envelope:
        """Return lowest and highest value between each two edges; NaN where there is none."""
        rows = np.searchsorted(self.instants.times_s, self._time(edges)).astype(np.float64)
        if float(rows[-1] - rows[0]) < _SPARSE * (len(rows) - 1):
            return _of_points(self, edges)
        return _of_rows(self.raw, rows, self._rows(), self.gain, self.zero)

    def extent(self) -> tuple[float, float]:
        """Return the lowest and highest sample on the grid."""
        return _scaled_extent(self.raw, self._rows(), self.gain, self.zero)

    def row_range(self, start: float, stop: float) -> tuple[int, int]:
        """Return the rows that lie between two positions, as (first, end)."""
        low, high = np.searchsorted(self.instants.times_s, self._time(np.array([start, stop])))
        first, end = self._rows()
        return max(int(low), first), min(int(high), end)

    def rows(self, start: float, stop: float) -> tuple[FloatArray, FloatArray]:
        """Return its own samples between two positions: their positions and values."""
        low, high = np.searchsorted(self.instants.times_s, self._time(np.array([start, stop])))
        first, end = self._rows()
        low, high = max(int(low) - 1, first), min(int(high) + 1, end)
        times = np.asarray(self.instants.times_s[low : max(high, low)], dtype=np.float64)
        return (times + self.shift_s - self.grid.start_s) * self.grid.rate_hz, self.raw.values(
            low, max(high, low), self.gain, self.zero
        )


def _near_ends(rows: FloatArray, n: int) -> FloatArray:
    """Return rows with those a rounding error beside the first or the last one moved onto it."""
    rows = np.where(np.abs(rows) < _ON_GRID, 0.0, rows)
    return np.where(np.abs(rows - (n - 1)) < _ON_GRID, n - 1.0, rows)


def _of_points(piece: EvenPiece | UnevenPiece, edges: FloatArray) -> Envelope:
    """Return the extremes of interpolated values, a few per column."""
    n = len(edges) - 1
    positions = edges[0] + np.arange(n * _POINTS + 1) * ((edges[-1] - edges[0]) / (n * _POINTS))
    first, end = piece.reach()
    inside = (positions >= first) & (positions <= end - 1)
    values = np.full(len(positions), np.nan)
    values[inside] = piece._between(positions[inside])
    rows = np.stack([values[k : k + n * _POINTS : _POINTS] for k in range(_POINTS + 1)])
    return np.fmin.reduce(rows), np.fmax.reduce(rows)


def _of_rows(raw: RawChannel, edges: FloatArray, inside: tuple[int, int], gain: float, zero: float) -> Envelope:
    """Return the extremes of recorded samples; only rows `inside` count, exactly also where a column straddles their ends."""

    def numbers(start: int, stop: int) -> FloatArray:
        return raw.values(start, stop, 1.0, 0.0)

    first, end = inside
    lows, highs = envelope_between(numbers, raw.pyramid, np.clip(edges, first, end))
    without = (edges[1:] <= first) | (edges[:-1] >= end)
    lows[without], highs[without] = np.nan, np.nan
    for place in (first, end):
        for at in np.flatnonzero((edges[:-1] <= place) & (edges[1:] >= place)):
            low, high = extremes(numbers, raw.pyramid, max(int(edges[at]), first), min(int(np.ceil(edges[at + 1])), end))
            lows[at], highs[at] = (low, high) if low <= high else (np.nan, np.nan)
    lows, highs = lows * gain + zero, highs * gain + zero
    return (highs, lows) if gain < 0 else (lows, highs)


def _scaled_extent(raw: RawChannel, rows: tuple[int, int], gain: float, zero: float) -> tuple[float, float]:
    low, high = extremes(lambda a, b: raw.values(a, b, 1.0, 0.0), raw.pyramid, *rows)
    ends = low * gain + zero, high * gain + zero
    return (min(ends), max(ends)) if low <= high else (np.inf, -np.inf)


def pieces_of(
    raw: RawChannel, timing: tuple[Segment, ...] | Instants, shift_s: float, grid: Grid, gain: float, zero: float
) -> list[Piece]:
    """Return a raw channel on a grid, piece by piece; `shift_s` added to its own time gives that of the record."""
    shift_s += raw.skew_s
    if isinstance(timing, Instants):
        return [UnevenPiece(raw, gain, zero, grid, timing, shift_s, raw.is_state)]
    found: list[Piece] = []
    for segment in timing:
        moved = msgspec.structs.replace(segment, start_s=segment.start_s + shift_s)
        lag = (moved.start_s - grid.start_s) * grid.rate_hz
        if abs(lag - round(lag)) < _ON_GRID:
            lag = float(round(lag))
        ratio = grid.rate_hz / segment.rate_hz
        between = lag != round(lag) or abs(ratio - 1.0) * segment.n_samples > _ON_GRID
        found.append(EvenPiece(raw, gain, zero, grid, moved, lag, ratio, between, between and raw.is_state))
    return found
