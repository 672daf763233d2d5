"""Events: instants at which something happens in a channel, found by what the study says to look for."""

import math
from collections.abc import Callable

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.results import identity_of
from pantelos.errors import StudyError
from pantelos.progress import Progress
from pantelos.record.record import Channel
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.level_search import Crossings, level_crossings
from pantelos.signal.levels import Levels, levels
from pantelos.signal.survey import missing_runs
from pantelos.signal.unusual import steepest, stretches, usual
from pantelos.study.model import EventKind, EventSearch, Level, Slope
from pantelos.units import Unit, unit

_EVERY_SAMPLE = 1 << 22  # up to so many are looked at for base and top; beyond, the extremes of buckets tell


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


def found_levels(evaluation: Evaluation, name: str) -> Levels:
    """Return base and top of a channel over the whole record."""

    def find() -> Levels:
        wave = evaluation.samples.waveform(name)
        if wave.n_samples <= _EVERY_SAMPLE:
            return levels(wave.read, 0, wave.n_samples)
        lows, highs = evaluation.drawing.envelope(name, evaluation.record.start_s, evaluation.record.stop_s, _EVERY_SAMPLE >> 6)
        both = np.concatenate([lows, highs])
        return levels(lambda a, b: both[a:b], 0, len(both))

    return evaluation.results.get(("levels", evaluation.names.identity(name)), find)


def band_is_known(evaluation: Evaluation, search: EventSearch) -> bool:
    """Return whether the level of a search is known without work: absolute, or base and top found before."""
    relative = search.level.relative or search.hysteresis.relative
    relative = relative or (search.kind is EventKind.WINDOW and search.upper.relative)
    return not relative or evaluation.results.has(("levels", evaluation.names.identity(search.channel)))


class Band(msgspec.Struct, frozen=True):
    """A level and the hysteresis either side of it, SI."""

    level: float
    half_width: float


def band(evaluation: Evaluation, search: EventSearch, upper: bool = False) -> Band:
    """Return the level a search crosses, with its hysteresis, in SI."""
    level = search.upper if upper else search.level

    def absolute(given: Level, above: float) -> float:
        if not given.relative:
            return given.value
        found = found_levels(evaluation, search.channel)
        return above * found.base + given.value * found.amplitude

    return Band(absolute(level, 1.0), abs(absolute(search.hysteresis, 0.0)))


def has_events(evaluation: Evaluation, search: EventSearch) -> bool:
    """Return whether the events of a search are known without work."""
    return search.channel in evaluation.names.types and evaluation.results.has(_key(evaluation, search))


def find_events(evaluation: Evaluation, search: EventSearch, progress: Progress | None = None) -> Events:
    """Return the events of a search over the whole record.

    Raises
    ------
    StudyError
        When its channel is not there.
    """
    if search.channel not in evaluation.names.types:
        raise StudyError(f'Events "{search.name}" look at "{search.channel}", which is not there. Choose another channel.')
    return evaluation.results.get(_key(evaluation, search), lambda: _find(evaluation, search, progress or Progress()))


def _key(evaluation: Evaluation, search: EventSearch) -> tuple[str, ...]:
    return "events", evaluation.names.identity(search.channel), identity_of(search)


def _find(evaluation: Evaluation, search: EventSearch, progress: Progress) -> Events:
    wave = evaluation.samples.waveform(search.channel)
    positions, values, told, shown = _FINDERS[search.kind](evaluation, search, wave, progress)
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
_Finder = Callable[[Evaluation, EventSearch, Waveform, Progress], _Found]


def _crossings(wave: Waveform, at: Band, progress: Progress | None = None) -> Crossings:
    if isinstance(wave, Channel):
        return wave.crossings(at.level, at.half_width, 0, wave.n_samples, progress)
    return level_crossings(wave.read, 0, wave.n_samples, at.level, at.half_width, progress)


def _level(evaluation: Evaluation, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    at = band(evaluation, search)
    found = _crossings(wave, at, progress)
    positions = {Slope.RISING: found.rises, Slope.FALLING: found.falls, Slope.EITHER: found.positions}[search.slope]
    return positions, np.full(len(positions), at.level), "level", wave.unit


def _pulse(evaluation: Evaluation, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    found = _crossings(wave, band(evaluation, search), progress)
    starts, ends = (found.rises, found.falls) if search.above else (found.falls, found.rises)
    at = np.searchsorted(ends, starts, side="right")
    starts, at = starts[at < len(ends)], at[at < len(ends)]
    widths = (ends[at] - starts) / wave.rate_hz
    chosen = widths > search.time_s if search.longer else widths < search.time_s
    return starts[chosen], widths[chosen], "length", unit("s")


def _window(evaluation: Evaluation, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    low, high = band(evaluation, search), band(evaluation, search, upper=True)
    return _through(wave, low, high, search.entering, progress)


def _through(wave: Waveform, low: Band, high: Band, entering: bool, progress: Progress) -> _Found:
    """Return where a window is entered or left, on either side; the value is the limit that is crossed."""
    lower, upper = _crossings(wave, low, progress.part(0.0, 0.5)), _crossings(wave, high, progress.part(0.5, 1.0))
    parts = (lower.rises, upper.falls) if entering else (lower.falls, upper.rises)
    positions = np.concatenate(parts)
    values = np.repeat([low.level, high.level], [len(part) for part in parts])
    order = np.argsort(positions, kind="stable")
    return positions[order], values[order], "limit", wave.unit


def _gap(evaluation: Evaluation, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    runs = np.array(missing_runs(wave.read, wave.n_samples, progress), dtype=np.int64).reshape(-1, 2)
    starts, stops = runs.T
    lengths = (stops - starts) / wave.rate_hz
    chosen = lengths > search.time_s if search.longer else lengths < search.time_s
    return starts[chosen].astype(np.float64), lengths[chosen], "length", unit("s")


def _steepest(evaluation: Evaluation, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    found = steepest(wave.read, 0, wave.n_samples, search.count, search.hold_off_s * wave.rate_hz, progress)
    changes = [float(np.diff(wave.read(int(at), int(at) + 2))[0]) * wave.rate_hz for at in found.tolist()]
    return found, np.array(changes), "change per second", wave.unit / unit("s")


def _beyond(evaluation: Evaluation, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
    middle, sigma = usual(wave.read, 0, wave.n_samples)
    if not sigma > 0:
        raise StudyError(f"Most samples of {search.channel} are equal, so nothing tells what is usual. Look for a level instead.")
    reach, half = search.sigmas * sigma, 0.25 * sigma
    return _through(wave, Band(middle - reach, half), Band(middle + reach, half), False, progress)


def _unlike(evaluation: Evaluation, search: EventSearch, wave: Waveform, progress: Progress) -> _Found:
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
