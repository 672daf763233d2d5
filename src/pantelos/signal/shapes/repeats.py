"""Stretches around events laid over each other: their density, mean, envelope, and which of them are unlike the rest."""

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import AnyArray, FloatArray, Reader
from pantelos.signal.sampling.interpolation import MARGIN, between_samples
from pantelos.signal.shapes.unusual import scores

_SPARSE = 8.0  # samples from one point to the next, beyond which none is read between samples


class Repeats(msgspec.Struct, frozen=True, eq=False):
    """Repeats on one axis of positions relative to their events."""

    offsets: FloatArray  # (n_points,), samples from the event
    mean: FloatArray  # (n_points,)
    low: FloatArray  # (n_points,)
    high: FloatArray  # (n_points,)
    density: AnyArray  # (n_levels, n_points), how many repeats pass there; the lowest level first
    span: tuple[float, float]  # the values the levels run over
    scores: FloatArray  # (n_repeats,), how far each is from the usual
    events: FloatArray  # (n_repeats,), positions of those that lie within the record

    def outliers(self, threshold: float) -> FloatArray:
        """Return the events whose repeats are unlike the others."""
        return np.asarray(self.events[self.scores > threshold])


def overlaid(
    read: Reader,
    n_samples: int,
    events: FloatArray,
    before: float,
    after: float,
    n_points: int = 400,
    n_levels: int = 120,
    progress: Progress | None = None,
) -> Repeats:
    """Return the stretches from `before` to `after` samples around each event, aligned between samples, laid over each other.

    An event is an outlier by its distance from the mean repeat: rms, largest, and mean deviation, each against
    the median and robust spread of all repeats.

    Parameters
    ----------
    read : callable (start, stop) -> array (stop - start,)
    events : array (n_events,), positions in samples
    """
    events = events[(events - before >= 0) & (events + after <= n_samples - 1)]
    offsets = np.linspace(-before, after, n_points)
    rows = np.full((len(events), n_points), np.nan)
    for k, event in enumerate(events.tolist()):
        rows[k] = _at(read, n_samples, event + offsets)
        if progress is not None and k % 32 == 0:
            progress.at(k / len(events))
    if not len(events) or not np.isfinite(rows).any():
        nothing = np.full(n_points, np.nan)
        return Repeats(
            offsets, nothing, nothing, nothing, np.zeros((n_levels, n_points)), (0.0, 1.0), np.zeros(len(events)), events
        )
    span = _span(rows)
    mean = np.asarray(np.nanmean(rows, axis=0))
    away = rows - mean
    shape = np.stack([np.sqrt(np.nanmean(away**2, axis=1)), np.nanmax(np.abs(away), axis=1), np.nanmean(away, axis=1)], axis=1)
    return Repeats(
        offsets,
        mean,
        np.nanmin(rows, axis=0),
        np.nanmax(rows, axis=0),
        _density(rows, span, n_levels),
        span,
        scores(shape),
        events,
    )


def _at(read: Reader, n_samples: int, places: FloatArray) -> FloatArray:
    """Return values at places between samples; only samples nearby are read. Far apart, the sample before each place serves."""
    if places[1] - places[0] > _SPARSE:
        first = int(places[0])
        return np.asarray(read(first, int(places[-1]) + 1)[places.astype(np.intp) - first])
    low = max(int(places[0]) - MARGIN, 0)
    high = min(int(np.ceil(places[-1])) + MARGIN + 1, n_samples)
    return between_samples(np.asarray(read(low, high)), places - low)


def _span(rows: FloatArray) -> tuple[float, float]:
    low, high = float(np.nanmin(rows)), float(np.nanmax(rows))
    margin = 0.05 * (high - low) or abs(high) * 0.1 or 1.0
    return low - margin, high + margin


def _density(rows: FloatArray, span: tuple[float, float], n_levels: int) -> AnyArray:
    """Return how many repeats pass each level at each point, joined from point to point so that steep edges show."""
    place = (rows - span[0]) * (n_levels / (span[1] - span[0]))
    here = np.clip(place, 0, n_levels - 1)
    before = np.concatenate([here[:, :1], here[:, :-1]], axis=1)
    low, high = np.fmin(here, before), np.fmax(here, before)
    given = np.isfinite(low) & np.isfinite(high)
    steps = np.zeros((n_levels + 1, rows.shape[1]), dtype=np.int64)
    columns = np.broadcast_to(np.arange(rows.shape[1]), rows.shape)[given]
    np.add.at(steps, (low[given].astype(np.intp), columns), 1)
    np.add.at(steps, (high[given].astype(np.intp) + 1, columns), -1)
    return np.asarray(np.cumsum(steps, axis=0)[:-1])
