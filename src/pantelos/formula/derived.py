"""Waveforms derived from waveforms: evaluated block by block whenever samples are asked for."""

import threading
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import BLOCK, BoolArray, FloatArray
from pantelos.signal.integrals import CompensatedSum, blocks, running_trapezoid
from pantelos.units import Unit

# Samples computed at a time: what lies between two operations of a formula stays in the processor's cache.
_CHUNK = 1 << 14


@dataclass(frozen=True, eq=False, slots=True)
class Condition:
    """A yes or no per sample."""

    test: Callable[[int, int], BoolArray]
    masked: bool = False


@dataclass(frozen=True, eq=False, slots=True)
class Derived:
    """A waveform whose samples are computed from those of others, sample by sample."""

    compute: Callable[[int, int], FloatArray]
    unit: Unit
    n_samples: int
    rate_hz: float
    masked: bool = False  # some samples may be left out on purpose

    def read(self, start: int, stop: int) -> FloatArray:
        """Return samples start to stop in SI units, shape (stop - start,)."""
        start, stop = max(start, 0), min(max(stop, 0), self.n_samples)
        with np.errstate(all="ignore"):
            if stop - start <= _CHUNK:
                return self.compute(start, stop)
            values = np.empty(stop - start)
            for low, high in blocks(start, stop, _CHUNK):
                values[low - start : high - start] = self.compute(low, high)
            return values


class RunningIntegral:
    """The running trapezoidal integral of a waveform, 0 at its first sample; a waveform.

    Totals at block starts are kept, so any stretch is served by integrating at most one block more than asked.
    """

    def __init__(self, of: Waveform, unit: Unit) -> None:
        self._of = of
        self.unit = unit
        self.n_samples, self.rate_hz = of.n_samples, of.rate_hz
        self.masked = bool(getattr(of, "masked", False))
        self._totals = CompensatedSum()
        self._marks: list[float] = [0.0]  # integral at sample k * BLOCK, in samples
        self._extending = threading.Lock()  # one integral serves the window and its workers

    def read(self, start: int, stop: int) -> FloatArray:
        """Return samples start to stop in SI units, shape (stop - start,)."""
        start, stop = max(start, 0), min(max(stop, 0), self.n_samples)
        out = np.empty(max(stop - start, 0))
        done = start
        while done < stop:
            block = done // BLOCK
            high = min((block + 1) * BLOCK, stop)
            running = self._block(block)
            out[done - start : high - start] = running[done - block * BLOCK : high - block * BLOCK]
            done = high
        return out

    def _block(self, block: int) -> FloatArray:
        """Return the integral over one block, scaled; extends the marks as far as needed."""
        running = self._running(block)
        with self._extending:
            while len(self._marks) <= block:
                self._mark(self._running(len(self._marks) - 1))
            if len(self._marks) == block + 1:
                self._mark(running)
            return np.asarray((running[:BLOCK] + self._marks[block]) / self.rate_hz)

    def _running(self, block: int) -> FloatArray:
        low = block * BLOCK
        return running_trapezoid(self._of.read(low, min(low + BLOCK + 1, self.n_samples)))[0]

    def _mark(self, running: FloatArray) -> None:
        self._totals.add(running[-1])
        self._marks.append(float(self._totals.value))


@dataclass(frozen=True, eq=False, slots=True)
class Series:
    """One value per cycle; also a waveform, which holds each value until the next cycle begins."""

    values: FloatArray  # (n_cycles,), SI, NaN where a cycle is missing
    edges: FloatArray  # (n_cycles + 1,), samples, rising
    unit: Unit
    n_samples: int
    rate_hz: float
    masked: bool = True  # outside the first and last cycle there is nothing, which is no fault

    def read(self, start: int, stop: int) -> FloatArray:
        """Return the value of the cycle each sample lies in, shape (stop - start,); NaN outside all cycles."""
        start, stop = max(start, 0), min(max(stop, 0), self.n_samples)
        cycle = np.searchsorted(self.edges, np.arange(start, stop), side="right") - 1
        inside = (cycle >= 0) & (cycle < len(self.values))
        held = np.full(max(stop - start, 0), np.nan)
        held[inside] = self.values[cycle[inside]]
        return held


@dataclass(frozen=True, slots=True)
class Scalar:
    """One number with its unit, SI; what it rests on is told in words."""

    value: float
    unit: Unit
    explained: tuple[str, ...] = ()
