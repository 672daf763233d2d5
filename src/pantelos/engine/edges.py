"""Edges of channels: base and top over the whole record, and where a level is crossed; found once each."""

import msgspec
import numpy as np

from pantelos.engine.names import Names
from pantelos.engine.remembered import remembered
from pantelos.engine.results import ResultCache
from pantelos.progress import Progress
from pantelos.record.record import Channel
from pantelos.record.waveform import Waveform
from pantelos.signal.levels.level_search import Crossings, level_crossings
from pantelos.signal.levels.levels import Level, Levels, levels
from pantelos.signal.shapes.pulses import band_around

_EVERY_SAMPLE = 1 << 22  # up to so many are looked at for base and top; beyond, stretches spread over the record
_STRETCHES, _LOOKED_AT = 64, 1 << 20  # of a longer record
_HALF = Level(0.5, relative=True)


class Band(msgspec.Struct, frozen=True):
    """A level and the hysteresis either side of it, SI."""

    level: float
    half_width: float


class Edges:
    """Finds levels and edges of waveforms; those that have a name only once."""

    def __init__(self, names: Names, results: ResultCache) -> None:
        self._names, self._results = names, results

    def levels(self, wave: Waveform, name: str) -> Levels:
        """Return base and top of a waveform over the whole record."""
        if not name:
            return _levels(wave)
        return self._named_levels(wave, name)

    def levels_known(self, name: str) -> bool:
        """Return whether base and top of a channel are known without work."""
        return Edges._named_levels.known(self, None, name)

    @remembered()
    def _named_levels(self, wave: Waveform | None, name: str) -> Levels:
        assert wave is not None
        return _levels(wave)

    def band(self, wave: Waveform, name: str, level: Level, hysteresis: Level | None) -> Band:
        """Return a level and its hysteresis, 5 % of the swing or three times the noise for None, in SI."""
        found = self.levels(wave, name) if level.relative or hysteresis is None or hysteresis.relative else None

        def absolute(given: Level, above: float) -> float:
            if not given.relative:
                return given.value
            assert found is not None
            return above * found.base + given.value * found.amplitude

        if hysteresis is not None:
            return Band(absolute(level, 1.0), abs(absolute(hysteresis, 0.0)))
        assert found is not None
        return Band(absolute(level, 1.0), band_around(found))

    def crossings(self, wave: Waveform, name: str, level: Level | None = None, hysteresis: Level | None = None) -> Crossings:
        """Return where a waveform crosses a level, the middle between base and top for None."""
        wanted = level or _HALF
        if not name:
            return crossings_of(wave, self.band(wave, name, wanted, hysteresis))
        return self._named_crossings(wave, name, wanted, hysteresis)

    @remembered()
    def _named_crossings(self, wave: Waveform, name: str, level: Level, hysteresis: Level | None) -> Crossings:
        return crossings_of(wave, self.band(wave, name, level, hysteresis))


def crossings_of(wave: Waveform, at: Band, progress: Progress | None = None) -> Crossings:
    """Return the crossings of a level over the whole record."""
    if isinstance(wave, Channel):
        return wave.crossings(at.level, at.half_width, 0, wave.n_samples, progress)
    return level_crossings(wave.read, 0, wave.n_samples, at.level, at.half_width, progress)


def _levels(wave: Waveform) -> Levels:
    n = wave.n_samples
    if n <= _EVERY_SAMPLE:
        return levels(wave.read, 0, n)
    length = _LOOKED_AT // _STRETCHES
    starts = np.linspace(0, n - length, _STRETCHES).astype(np.intp).tolist()
    seen = np.concatenate([wave.read(start, start + length) for start in starts])
    return levels(lambda a, b: seen[a:b], 0, len(seen))
