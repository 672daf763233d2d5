"""Waveforms derived from waveforms: evaluated block by block whenever samples are asked for."""

import math
import threading
from collections import OrderedDict
from collections.abc import Callable

import msgspec
import numpy as np

from pantelos.record.waveform import LeftOut, Waveform
from pantelos.signal.arrays import BLOCK, BoolArray, FloatArray
from pantelos.signal.levels.partition import Partition
from pantelos.signal.sharing import WORTH_SHARING, both
from pantelos.signal.sums.integrals import CompensatedSum, add_up_running, blocks
from pantelos.units import Unit

# Samples computed at a time: what lies between two operations of a formula stays in the processor's cache.
_CHUNK = 1 << 14
_LONG_CHUNK = 1 << 16
_SUMMED = 1 << 15  # samples of a running integral made at a time
_WORTH_COMPILING = 1 << 22  # samples of a record from which on a compiled loop is worth loading
_KEPT = 1 << 16  # samples of a named formula that are kept
_LEAST_BLOCK = 17  # of what rests on neighbours: two to this power
_MARGINS = 8  # times longer than what it reads either side
_LONG_MARGIN = 1 << 20


class ServedStretch:
    """Samples start to stop while a formula is computed over them: what several of its parts read is read once."""

    __slots__ = ("_read", "start", "stop")

    def __init__(self, start: int, stop: int) -> None:
        self.start, self.stop = start, stop
        self._read: dict[int, FloatArray] = {}

    def of(self, wave: Waveform) -> FloatArray:
        """Return the samples of a waveform; not to be written to."""
        found = self._read.get(id(wave))
        if found is None:
            found = self._read[id(wave)] = wave.read(self.start, self.stop)
        return found


class Condition(msgspec.Struct, frozen=True, eq=False):
    """A yes or no per sample."""

    test: Callable[[ServedStretch], BoolArray]
    masked: LeftOut = LeftOut.NOTHING


class Derived(msgspec.Struct, frozen=True, eq=False):
    """A waveform whose samples are computed from those of others, sample by sample."""

    compute: Callable[[int, int], FloatArray]
    unit: Unit
    n_samples: int
    rate_hz: float
    masked: LeftOut = LeftOut.NOTHING
    into: Callable[[int, int, FloatArray], object] | None = None  # the same, written into an array that is given
    full_scale: float | None = None
    within: Callable[[ServedStretch], FloatArray] | None = None  # the same as `compute`, as a part of a larger formula

    def read(self, start: int, stop: int) -> FloatArray:
        """Return samples start to stop in SI units, shape (stop - start,)."""
        start, stop = max(start, 0), min(max(stop, 0), self.n_samples)
        with np.errstate(all="ignore"):
            if stop - start <= _CHUNK:
                return self.compute(start, stop)
            values = np.empty(stop - start)
            if stop - start < WORTH_SHARING:
                self._fill(values, start, start, stop, _CHUNK)
                return values
            # NumPy lets go of the interpreter while it computes: longer chunks, so that threads seldom wait for it.
            middle = (start + stop) // 2
            both(
                lambda: self._fill(values, start, start, middle, _LONG_CHUNK),
                lambda: self._fill(values, start, middle, stop, _LONG_CHUNK),
            )
            return values

    def _fill(self, values: FloatArray, origin: int, start: int, stop: int, chunk: int) -> None:
        """Compute samples start to stop into an array that begins at `origin`, chunk by chunk."""
        with np.errstate(all="ignore"):
            for low, high in blocks(start, stop, chunk):
                part = values[low - origin : high - origin]
                if self.into is not None:
                    self.into(low, high, part)  # without an array that would only be copied
                else:
                    part[:] = self.compute(low, high)


class Shared:
    """A named formula that others read: the block last read is kept, so that using it twice computes it once."""

    def __init__(self, of: Derived) -> None:
        self._of = of
        self.unit, self.n_samples, self.rate_hz = of.unit, of.n_samples, of.rate_hz
        self.masked, self.full_scale = of.masked, of.full_scale
        self._last: tuple[int, int, FloatArray] | None = None  # one value: threads that race lose time, never a block

    def read(self, start: int, stop: int) -> FloatArray:
        """Return samples start to stop in SI units, shape (stop - start,); not to be written to."""
        last = self._last
        if last is not None and last[0] == start and last[1] == stop:
            return last[2]
        values = self._of.read(start, stop)
        if stop - start <= _KEPT:
            self._last = start, stop, values
        return values


class Neighboured:
    """A waveform whose samples rest on many others around each: made in long blocks, the last of which are kept."""

    def __init__(self, make: Callable[[int, int], FloatArray], of: Waveform, unit: Unit, margin: int) -> None:
        """Serve what `make` gives of samples first to last; it reads up to `margin` samples either side."""
        self._make, self.unit = make, unit
        self.n_samples, self.rate_hz = of.n_samples, of.rate_hz
        self.masked = max(of.masked, LeftOut.ENDS)  # the ends of a record are left out on purpose
        self.full_scale: float | None = None
        self._length = 1 << max(_LEAST_BLOCK, (_MARGINS * margin - 1).bit_length() if margin < _LONG_MARGIN else 24)
        self._kept: OrderedDict[int, FloatArray] = OrderedDict()
        self._keeping = threading.Lock()

    def read(self, start: int, stop: int) -> FloatArray:
        """Return samples start to stop in SI units, shape (stop - start,); NaN where the neighbours do not suffice."""
        start, stop = max(start, 0), min(max(stop, 0), self.n_samples)
        first, last = start // self._length, -(-stop // self._length)
        parts = [np.zeros(0)]
        for block in range(first, last, 2):
            some = (self._block(block),) if block + 1 == last else self._two(block)
            for k, values in enumerate(some):
                origin = (block + k) * self._length
                parts.append(values[max(start - origin, 0) : stop - origin])
        return parts[1] if len(parts) == 2 else np.concatenate(parts)

    def _two(self, block: int) -> tuple[FloatArray, FloatArray]:
        return both(lambda: self._block(block), lambda: self._block(block + 1))

    def _block(self, block: int) -> FloatArray:
        with self._keeping:
            if block in self._kept:
                self._kept.move_to_end(block)
                return self._kept[block]
        first = block * self._length
        with np.errstate(all="ignore"):
            made = self._make(first, min(first + self._length, self.n_samples))
        with self._keeping:
            self._kept[block] = made
            while len(self._kept) > 2:
                self._kept.popitem(last=False)
        return made


class RunningIntegral:
    """The running trapezoidal integral of a waveform, 0 at its first sample, or of a part of it; a waveform.

    Totals at block starts are kept, so any stretch is served by integrating at most one block more than asked.
    """

    def __init__(self, of: Waveform, unit: Unit, pairs: Callable[[FloatArray, FloatArray], FloatArray] | None = None) -> None:
        """Integrate a waveform; `pairs` gives twice the area between two neighbours, their sum where it is left out."""
        self._of, self._pairs = of, pairs
        self.unit = unit
        self.n_samples, self.rate_hz = of.n_samples, of.rate_hz
        self.masked = of.masked
        self.full_scale = None
        self._totals = CompensatedSum()
        self._marks: list[float] = [0.0]  # integral at sample k * BLOCK, in samples
        self._extending = threading.Lock()  # one integral serves the window and its workers

    def read(self, start: int, stop: int) -> FloatArray:
        """Return samples start to stop in SI units, shape (stop - start,)."""
        start, stop = max(start, 0), min(max(stop, 0), self.n_samples)
        values = np.empty(max(stop - start, 0))
        parts: list[tuple[int, int, FloatArray]] = []
        at = start
        while at < stop:
            block = at // BLOCK
            end = min((block + 1) * BLOCK, stop)
            parts.append((block, at - block * BLOCK, values[at - start : end - start]))
            at = end
        if stop - start < WORTH_SHARING:
            self._in_order(parts)
            return values
        half = len(parts) // 2
        _, totals = both(lambda: self._in_order(parts[:half]), lambda: [self._into(*part) for part in parts[half:]])
        for (block, _, part), total in zip(parts[half:], totals or (), strict=True):
            np.add(part, self._mark_of(block) / self.rate_hz, out=part)
            self._known(block, total)
        return values

    def _in_order(self, parts: list[tuple[int, int, FloatArray]]) -> list[float]:
        """Write parts of blocks one after the other, each from where the one before ends."""
        for block, skipped, part in parts:
            self._known(block, self._into(block, skipped, part, self._mark_of(block) / self.rate_hz))
        return []

    def _into(self, block: int, skipped: int, values: FloatArray, running: float = 0.0) -> float:
        """Write the integral over a part of a block, from so many samples behind its start on; return the area of the block.

        `running` is the integral at the start of the block, where it is known already.
        """
        low = block * BLOCK
        sums, last = np.array([running, 0.0]), skipped + len(values)
        for first, end in blocks(0, min(BLOCK, self.n_samples - low), _SUMMED):
            y = self._of.read(low + first, min(low + end + 1, self.n_samples))
            inside = values[max(first - skipped, 0) : max(min(end, last) - skipped, 0)]
            if self._pairs is not None or self.n_samples < _WORTH_COMPILING:
                self._by_passes(y, end - first, max(skipped - first, 0), sums, inside)
            else:
                add_up_running(y, end - first, max(skipped - first, 0), 0.5 / self.rate_hz, sums, inside)
        return float(sums[1])

    def _by_passes(self, y: FloatArray, n: int, skipped: int, sums: FloatArray, values: FloatArray) -> None:
        """Do what `add_up_running` does, by passes over the areas."""
        areas, total = self._areas(y, n)
        areas *= 0.5 / self.rate_hz
        areas[0] = sums[0]
        values[:] = np.cumsum(areas[:n])[skipped : skipped + len(values)]
        sums += total * 0.5 / self.rate_hz, total

    def _known(self, block: int, total: float) -> None:
        """Keep the area of a block, if it is the next one."""
        with self._extending:
            if len(self._marks) == block + 1:
                self._add(total)

    def _mark_of(self, block: int) -> float:
        """Return the integral at the start of a block, in samples; what is not known yet is added up."""
        with self._extending:
            while len(self._marks) <= block:
                self._add(self._into(len(self._marks) - 1, BLOCK, np.zeros(0)))
            return self._marks[block]

    def _add(self, total: float) -> None:
        self._totals.add(0.5 * total)
        self._marks.append(float(self._totals.value))

    def _areas(self, y: FloatArray, n: int) -> tuple[FloatArray, float]:
        """Return twice the areas between n samples and the one behind, in samples, behind a 0; and their sum."""
        areas = np.empty(n + 1)
        areas[0], areas[len(y) :] = 0.0, 0.0
        inside = areas[1 : len(y)]
        if self._pairs is not None:
            inside[:] = np.nan_to_num(self._pairs(y[:-1], y[1:]))  # nothing beside what is missing
            return areas, float(np.add.reduce(inside))
        np.add(y[:-1], y[1:], out=inside)
        total = float(np.add.reduce(inside))
        if math.isnan(total):  # something is missing: trapezoids that touch it contribute nothing
            np.nan_to_num(areas, copy=False)
            total = float(np.add.reduce(inside))
        return areas, total


class Blocks(msgspec.Struct, frozen=True, eq=False):
    """One value per piece of a partition; also a waveform, which holds each value until its piece ends or the next one begins."""

    values: FloatArray  # (n_pieces,), SI, NaN where a piece is missing
    partition: Partition
    unit: Unit
    masked: LeftOut = LeftOut.SAMPLES  # outside the first and last piece there is nothing, which is no fault
    full_scale: float | None = None
    value_u: FloatArray | None = None  # (n_pieces,), standard uncertainty of the method in each value, SI; None: none to speak of
    explained: tuple[str, ...] = ()  # what the values rest on, in words

    @property
    def n_samples(self) -> int:
        """Samples of the record."""
        return self.partition.n_samples

    @property
    def rate_hz(self) -> float:
        """Samples per second."""
        return self.partition.rate_hz

    def read(self, start: int, stop: int) -> FloatArray:
        """Return the value of the piece each sample lies in, shape (stop - start,); NaN outside all pieces."""
        start, stop = max(start, 0), min(max(stop, 0), self.n_samples)
        at = np.arange(start, stop)
        piece = np.searchsorted(self.partition.starts, at, side="right") - 1
        inside = piece >= 0
        inside[inside] &= at[inside] < self.partition.until[piece[inside]]
        held = np.full(max(stop - start, 0), np.nan)
        held[inside] = self.values[piece[inside]]
        return held

    def held_between(self, start: float, stop: float) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Return the values held between two positions, for how many samples each, and from where on; missing ones left out."""
        inside = slice(
            int(np.searchsorted(self.partition.until, start, side="right")),
            int(np.searchsorted(self.partition.starts, stop, side="left")),
        )
        places = np.maximum(self.partition.starts[inside], start)
        lengths = np.minimum(self.partition.until[inside], stop) - places
        known = np.isfinite(self.values[inside]) & (lengths > 0)
        return self.values[inside][known], lengths[known], places[known]

    def _piece_at(self, position: float) -> int:
        found = np.searchsorted(self.partition.starts, position, side="right") - 1
        return int(np.clip(found, 0, max(len(self.values) - 1, 0)))

    def step_at(self, position: float) -> float:
        """Return the length of the piece at a position, samples."""
        return float(self.partition.lengths[self._piece_at(position)]) if len(self.values) else 1.0

    def value_u_at(self, position: float) -> float:
        """Return the standard uncertainty of the method in the value at a position, SI."""
        return float(self.value_u[self._piece_at(position)]) if self.value_u is not None else 0.0


class Scalar(msgspec.Struct, frozen=True):
    """One number with its unit, SI; what it rests on is told in words."""

    value: float
    unit: Unit
    explained: tuple[str, ...] = ()
    method_u: float = 0.0  # standard uncertainty of the methods behind it, SI
    turns: bool = False  # an angle between waveforms: a full turn more is the same
