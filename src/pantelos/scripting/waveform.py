"""Samples of a channel or formula, and values of a series."""

import math
from collections.abc import Iterator
from typing import Any

import numpy as np

from pantelos.engine.evaluation import Evaluation, series_points
from pantelos.errors import StudyError
from pantelos.formula.derived import Blocks
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray

_ON_A_SAMPLE = 1e-6  # of a sample: instants nearer than that are on it
_BLOCK = 1 << 20


class Samples(np.ndarray):
    """Samples in `unit`, shape (n,), NaN where there is none: an array that knows when they were taken.

    A slice knows it too. What is computed of it is an array like any other: its unit is None, its times are NaN.
    """

    unit: str | None
    start_s: float
    rate_hz: float

    def __array_finalize__(self, of: Any) -> None:
        self.unit, self.start_s, self.rate_hz = None, math.nan, math.nan

    def __getitem__(self, index: Any) -> Any:
        found = super().__getitem__(index)
        if isinstance(found, Samples) and isinstance(index, slice):
            first, _, step = index.indices(len(self))
            if step > 0:
                found.unit, found.start_s, found.rate_hz = self.unit, self.start_s + first / self.rate_hz, self.rate_hz / step
        return found

    @property
    def times(self) -> FloatArray:
        """The instant of each, s, shape (n,)."""
        return np.asarray(self.start_s + np.arange(len(self)) / self.rate_hz)


class Channel:
    """A channel or formula over time; `channel[1.0:1.2]` are its samples from 1.0 s on, before 1.2 s."""

    def __init__(self, evaluation: Evaluation, name: str, wave: Waveform) -> None:
        self._evaluation, self._wave = evaluation, wave
        self.name = name

    @property
    def unit(self) -> str:
        """The symbol of its unit."""
        return "" if self._wave.unit.symbol == "1" else self._wave.unit.symbol

    @property
    def rate_hz(self) -> float:
        """Samples per second."""
        return self._wave.rate_hz

    @property
    def start_s(self) -> float:
        """The instant of the first sample."""
        return self._evaluation.times.instant(0.0)

    def __len__(self) -> int:
        return self._wave.n_samples

    def __getitem__(self, stretch: slice) -> Samples:
        """Return the samples of a stretch of time, s; all of them for `[:]`.

        Raises
        ------
        StudyError
            When it is asked for something else than a stretch.
        """
        if not isinstance(stretch, slice) or stretch.step is not None:
            raise StudyError(f'"{self.name}" is read by stretches of time, s, as in [1.0:1.2].')
        first, end = (self._position(edge) for edge in (stretch.start, stretch.stop))
        return self._read(0 if first is None else max(first, 0), len(self) if end is None else min(end, len(self)))

    def _position(self, at_s: float | None) -> int | None:
        if at_s is None:
            return None
        (position,) = self._evaluation.times.positions(float(at_s))
        return math.ceil(position - _ON_A_SAMPLE)

    def _read(self, first: int, end: int) -> Samples:
        made = (self._wave.read(first, max(end, first)) / self._wave.unit.factor).view(Samples)
        made.unit, made.rate_hz, made.start_s = self.unit, self.rate_hz, self._evaluation.times.instant(float(first))
        return made

    def blocks(self, n_samples: int = _BLOCK) -> Iterator[Samples]:
        """Yield all samples in blocks of so many: a long record is never in memory as a whole."""
        for first in range(0, len(self), n_samples):
            yield self._read(first, min(first + n_samples, len(self)))

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> FloatArray:
        return np.asarray(self[:], dtype=dtype)

    def __repr__(self) -> str:
        return f"<channel {self.name} [{self.unit or '1'}], {len(self)} samples at {self.rate_hz:g} Hz>"


class Series:
    """A value per piece: per cycle, pulse or block of a record."""

    def __init__(self, evaluation: Evaluation, name: str, series: Blocks) -> None:
        points, factor = series_points(evaluation, series), series.unit.factor
        self.name = name
        self.unit = "" if series.unit.symbol == "1" else series.unit.symbol
        self.values: FloatArray = np.array([point.value for point in points]) / factor  # in `unit`
        self.starts: FloatArray = np.array([point.start_s for point in points])  # s
        self.stops: FloatArray = np.array([point.stop_s for point in points])  # s

    def __len__(self) -> int:
        return len(self.values)

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> FloatArray:
        return np.asarray(self.values, dtype=dtype)

    def __repr__(self) -> str:
        return f"<series {self.name} [{self.unit or '1'}], {len(self)} values>"
