"""Events: instants at which something happens in a channel, found by what the study says to look for."""

import math
from collections.abc import Callable

import msgspec
import numpy as np

from pantelos.engine.edges import Band, Edges, crossings_of
from pantelos.engine.names import Names
from pantelos.engine.remembered import remembered
from pantelos.engine.results import ResultCache
from pantelos.engine.samples import Samples
from pantelos.errors import StudyError
from pantelos.progress import Progress
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.survey import missing_runs
from pantelos.signal.levels.levels import Levels
from pantelos.signal.shapes.unusual import steepest, stretches, usual
from pantelos.study.model import EventKind, EventSearch, Slope
from pantelos.units import Unit, unit


class Events(msgspec.Struct, frozen=True, eq=False):
    """What a search found, in rising order."""

    search: EventSearch
    positions: FloatArray  # (n_events,), samples
    values: FloatArray  # (n_events,), what is told of each: a duration in s, a score, a value
    told: str  # what `values` are
    unit: Unit
    n_held_off: int = 0

    def __len__(self) -> int:
        return len(self.positions)


class EventFinder:
    """Finds the events of searches, once each."""

    def __init__(self, names: Names, samples: Samples, edges: Edges, results: ResultCache) -> None:
        self._names, self._samples, self._edges, self._results = names, samples, edges, results

    def levels(self, name: str) -> Levels:
        """Return base and top of a channel over the whole record."""
        return self._edges.levels(self._samples.waveform(name), name)

    def band_known(self, search: EventSearch) -> bool:
        """Return whether the level of a search is known without work: absolute, or base and top found before."""
        relative = search.level.relative or search.hysteresis.relative
        relative = relative or (search.kind is EventKind.WINDOW and search.upper.relative)
        return not relative or self._edges.levels_known(search.channel)

    def band(self, search: EventSearch, upper: bool = False) -> Band:
        """Return the level a search crosses, with its hysteresis, in SI."""
        level, wave = search.upper if upper else search.level, self._samples.waveform(search.channel)
        return self._edges.band(wave, search.channel, level, search.hysteresis)

    def known(self, search: EventSearch) -> bool:
        """Return whether the events of a search are known without work."""
        return search.channel in self._names.types and EventFinder._found.known(self, search.channel, search)

    def find(self, search: EventSearch, progress: Progress | None = None) -> Events:
        """Return the events of a search over the whole record.

        Raises
        ------
        StudyError
            When its channel is not there.
        """
        if search.channel not in self._names.types:
            raise StudyError(f'Events "{search.name}" look at "{search.channel}", which is not there. Choose another channel.')
        return self._found(search.channel, search, progress)

    @remembered()
    def _found(self, channel: str, search: EventSearch, progress: Progress | None = None) -> Events:
        wave = self._samples.waveform(channel)
        positions, values, told, shown = _FINDERS[search.kind](self, search, wave, progress or Progress())
        keep = _held_off(positions, search.hold_off_s * wave.rate_hz)
        return Events(search, positions[keep], values[keep], told, shown, len(positions) - len(keep))


def _held_off(positions: FloatArray, least: float) -> np.ndarray:
    """Return which events are at least so many samples behind the one before that is kept."""
    if least <= 0 or not len(positions):
        return np.arange(len(positions))
    kept, last = [], -math.inf
    for at, position in enumerate(positions.tolist()):
        if position - last >= least:
            kept.append(at)
            last = position
    return np.array(kept, dtype=np.intp)


_Found = tuple[FloatArray, FloatArray, str, Unit]
_Finder = Callable[[EventFinder, EventSearch, Waveform, Progress], _Found]


def _level(finder: EventFinder, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    at = finder.band(search)
    found = crossings_of(wave, at, progress)
    positions = {Slope.RISING: found.rises, Slope.FALLING: found.falls, Slope.EITHER: found.positions}[search.slope]
    return positions, np.full(len(positions), at.level), "level", wave.unit


def _pulse(finder: EventFinder, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    found = crossings_of(wave, finder.band(search), progress)
    starts, ends = (found.rises, found.falls) if search.above else (found.falls, found.rises)
    at = np.searchsorted(ends, starts, side="right")
    starts, at = starts[at < len(ends)], at[at < len(ends)]
    widths = (ends[at] - starts) / wave.rate_hz
    chosen = widths > search.time_s if search.longer else widths < search.time_s
    return starts[chosen], widths[chosen], "length", unit("s")


def _window(finder: EventFinder, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    low, high = finder.band(search), finder.band(search, upper=True)
    return _through(wave, low, high, search.entering, progress)


def _through(wave: Waveform, low: Band, high: Band, entering: bool, progress: Progress) -> _Found:
    """Return where a window is entered or left, on either side; the value is the limit that is crossed."""
    lower, upper = crossings_of(wave, low, progress.part(0.0, 0.5)), crossings_of(wave, high, progress.part(0.5, 1.0))
    parts = (lower.rises, upper.falls) if entering else (lower.falls, upper.rises)
    positions = np.concatenate(parts)
    values = np.repeat([low.level, high.level], [len(part) for part in parts])
    order = np.argsort(positions, kind="stable")
    return positions[order], values[order], "limit", wave.unit


def _gap(finder: EventFinder, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    runs = np.array(missing_runs(wave.read, wave.n_samples, progress), dtype=np.int64).reshape(-1, 2)
    starts, stops = runs.T
    lengths = (stops - starts) / wave.rate_hz
    chosen = lengths > search.time_s if search.longer else lengths < search.time_s
    return starts[chosen].astype(np.float64), lengths[chosen], "length", unit("s")


def _steepest(finder: EventFinder, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    found = steepest(wave.read, 0, wave.n_samples, search.count, search.hold_off_s * wave.rate_hz, progress)
    changes = [float(np.diff(wave.read(int(at), int(at) + 2))[0]) * wave.rate_hz for at in found.tolist()]
    return found, np.array(changes), "change per second", wave.unit / unit("s")


def _beyond(finder: EventFinder, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    middle, sigma = usual(wave.read, 0, wave.n_samples)
    if not sigma > 0:
        raise StudyError(f"Most samples of {search.channel} are equal, so nothing tells what is usual. Look for a level instead.")
    reach, half = search.sigmas * sigma, 0.25 * sigma
    return _through(wave, Band(middle - reach, half), Band(middle + reach, half), False, progress)


def _unlike(finder: EventFinder, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    length = search.time_s * wave.rate_hz
    if length < 8:
        raise StudyError("Stretches that are compared need at least 8 samples. Make them longer.")
    found = stretches(wave.read, 0, wave.n_samples, length, progress)
    chosen = found.scores > search.sigmas
    return found.starts[chosen], found.scores[chosen], "distance in sigma", unit("1")


_FINDERS: dict[EventKind, _Finder] = {
    EventKind.CROSSING: _level,
    EventKind.PULSE: _pulse,
    EventKind.WINDOW: _window,
    EventKind.GAP: _gap,
    EventKind.STEEPEST: _steepest,
    EventKind.BEYOND: _beyond,
    EventKind.UNLIKE: _unlike,
}
