"""What X–Y, histogram and repeats panels show: one waveform against another, values by size, stretches over each other."""

import math

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.references import Reference
from pantelos.engine.remembered import remembered
from pantelos.errors import PantelosError, StudyError
from pantelos.progress import Progress
from pantelos.reading.kinds import reading_kind
from pantelos.record.record import recorded
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import AnyArray, FloatArray
from pantelos.signal.cycles.window import Window, samples_between, window_means
from pantelos.signal.levels.distribution import Distribution, distribution
from pantelos.signal.sampling.pyramid import extremes as pyramid_extremes
from pantelos.signal.shapes.lissajous import Ellipse, fitted_ellipse, frequency_ratio
from pantelos.signal.shapes.repeats import Repeats, overlaid
from pantelos.signal.sums.integrals import Rule, blocks
from pantelos.signal.sums.statistics import extremes
from pantelos.study.model import EventSearch

_CELLS = 240  # of an X–Y picture, each way
_AGREE_DEG = 1.0  # the ellipse and the spectrum agree within that
_MOST_CODES = 1 << 22
_CLASSES = 200
_MOST_REPEATS = 2000
OUTLIER = 6.0  # robust standard deviations


class XY(msgspec.Struct, frozen=True, eq=False):
    """One channel (y) against another (x) over an interval."""

    x: str
    y: str
    span_x: tuple[float, float]
    span_y: tuple[float, float]
    density: AnyArray  # (n_y, n_x), samples per cell, lowest y first
    ellipse: Ellipse | None
    phase_spectrum_deg: float  # of y against x at the fundamental; NaN where there is none
    ratio: tuple[int, int] | None  # frequency of y to that of x

    @property
    def phase_ellipse_deg(self) -> float:
        """The phase of y against x that the ellipse tells; NaN without one."""
        return math.degrees(self.ellipse.phase_rad) if self.ellipse is not None else math.nan

    @property
    def disagree(self) -> bool:
        """Whether the two phases differ: another tone bends the figure."""
        away = math.radians(self.phase_ellipse_deg - self.phase_spectrum_deg)
        return math.isfinite(away) and abs(math.degrees(math.atan2(math.sin(away), math.cos(away)))) > _AGREE_DEG


def xy(evaluation: Evaluation, x: str, y: str, interval: str | None, progress: Progress | None = None) -> XY:
    """Return the figure of two channels, every sample counted."""
    return _xy(evaluation, x, y, interval, evaluation.references.of([y, x]), progress or Progress())


@remembered()
def _xy(evaluation: Evaluation, x: str, y: str, interval: str | None, reference: Reference, progress: Progress) -> XY:
    span = samples_between(*evaluation.times.span(interval))
    first, end = span.first, span.end
    read = evaluation.stacked([x, y])
    spans = []
    for name in (x, y):
        found = extremes(evaluation.samples.waveform(name).read, first, end)
        if not math.isfinite(found.low):
            raise StudyError(f"{name} has no values in this interval.")
        margin = 0.05 * (found.high - found.low) or abs(found.high) * 0.05 or 1.0
        spans.append((found.low - margin, found.high + margin))
    density = np.zeros((_CELLS, _CELLS))
    for low, high in blocks(first, end):
        points = read(low, high)
        points = points[:, np.isfinite(points).all(axis=0)]
        cells = [
            np.minimum(((v - s[0]) * (_CELLS / (s[1] - s[0]))).astype(np.intp), _CELLS - 1)
            for v, s in zip(points, spans, strict=True)
        ]
        density += np.bincount(cells[1] * _CELLS + cells[0], minlength=_CELLS * _CELLS).reshape(_CELLS, _CELLS)
        progress.at(0.5 * (high - first) / (end - first))
    return XY(
        x,
        y,
        spans[0],
        spans[1],
        density,
        fitted_ellipse(read, first, end),
        _spectral_phase(evaluation, x, y, interval),
        frequency_ratio(_frequency(evaluation, x, interval), _frequency(evaluation, y, interval)),
    )


def _frequency(evaluation: Evaluation, name: str, interval: str | None) -> float:
    kind = reading_kind("frequency")
    assert kind is not None
    try:
        return evaluation.reading(kind, [name], interval).value
    except PantelosError:
        return math.nan


def _spectral_phase(evaluation: Evaluation, x: str, y: str, interval: str | None) -> float:
    kind = reading_kind("phase")
    assert kind is not None
    try:
        return math.degrees(evaluation.reading(kind, [y, x], interval).value)
    except PantelosError:
        return math.nan


class Values(msgspec.Struct, frozen=True, eq=False):
    """How the values of a channel are distributed over an interval."""

    found: Distribution
    mean: float
    sigma: float
    codes: tuple[int, int] | None  # used, and possible between the lowest and highest; None for values


def values_of(evaluation: Evaluation, name: str, interval: str | None, codes: bool, progress: Progress | None = None) -> Values:
    """Return the histogram of a channel, of its values or of the numbers as recorded.

    Raises
    ------
    StudyError
        When codes are asked of a channel that is not recorded as whole numbers in one piece.
    """
    return _values(evaluation, name, interval, codes, progress or Progress())


@remembered()
def _values(evaluation: Evaluation, name: str, interval: str | None, codes: bool, progress: Progress) -> Values:
    wave, span = evaluation.samples.waveform(name), samples_between(*evaluation.times.span(interval))
    if codes:
        return _codes(wave, name, span)
    found = distribution(wave.read, span.first, span.end, _CLASSES, progress=progress)
    whole = Window(span.first, span.end, 0, Rule.RECTANGULAR)
    mean = float(window_means(wave.read, whole, wave.n_samples)[0])
    square, _ = window_means(lambda a, b: (wave.read(a, b) - mean) ** 2, whole, wave.n_samples)
    return Values(found, mean, math.sqrt(float(square)), None)


def _codes(wave: Waveform, name: str, span: Window) -> Values:
    channel = recorded(wave)
    piece = channel.pieces[0] if channel is not None and len(channel.pieces) == 1 else None
    if piece is None or piece.raw.samples.dtype.kind not in "iu":
        raise StudyError(f"{name} was not recorded as whole numbers, so it has no codes. Show its values.")
    numbers = piece.raw.samples
    first, end = piece.row_range(float(span.first), float(span.end))
    low, high = (int(bound) for bound in pyramid_extremes(lambda a, b: np.asarray(numbers[a:b]), piece.raw.pyramid, first, end))
    if high - low >= _MOST_CODES:
        raise StudyError(f"{name} spans {high - low + 1} codes here, more than can be counted one by one. Show its values.")
    counts = np.zeros(high - low + 1, dtype=np.int64)
    for a, b in blocks(first, end):
        counts += np.bincount(numbers[a:b].astype(np.int64) - low, minlength=high - low + 1)
    places = np.arange(low, high + 1, dtype=np.float64)
    mean = float(places @ counts / counts.sum())
    sigma = math.sqrt(float((places - mean) ** 2 @ counts / counts.sum()))
    edges = np.asarray(np.arange(low, high + 2) - 0.5, dtype=np.float64)
    used = int(np.count_nonzero(counts)), high - low + 1
    return Values(Distribution(edges, counts, np.asarray(counts * places, dtype=np.float64)), mean, sigma, used)


def repeats_of(
    evaluation: Evaluation, name: str, search: EventSearch, around_s: tuple[float, float] | None, progress: Progress | None = None
) -> Repeats:
    """Return the stretches of a channel around the events of a search, laid over each other.

    Without `around_s`, a tenth of the usual distance before each event, nine tenths after.

    Raises
    ------
    StudyError
        When there are fewer than two events.
    """
    progress = progress or Progress()
    events = evaluation.events.find(search, progress.part(0.0, 0.4)).positions
    if len(events) < 2:
        raise StudyError(f'Events "{search.name}": {len(events)} found; repeats need two. Change what is looked for.')
    rate = evaluation.record.rate_hz
    apart = float(np.median(np.diff(events)))
    before, after = (0.1 * apart, 0.9 * apart) if around_s is None else (around_s[0] * rate, around_s[1] * rate)
    return _overlaid(evaluation, name, search, (before, after), progress.part(0.4, 1.0))


@remembered()
def _overlaid(evaluation: Evaluation, name: str, search: EventSearch, around: tuple[float, float], progress: Progress) -> Repeats:
    events, wave = evaluation.events.find(search).positions, evaluation.samples.waveform(name)
    return overlaid(wave.read, wave.n_samples, _spread(events), *around, progress=progress)


def _spread(events: FloatArray) -> FloatArray:
    """Return so many events as are laid over each other at a time, spread over all."""
    return events if len(events) <= _MOST_REPEATS else events[np.linspace(0, len(events) - 1, _MOST_REPEATS).astype(np.intp)]
