"""A look at a waveform of any length: all of it, slower where it is long, and some stretches at its own rate."""

import msgspec
import numpy as np

from pantelos.progress import Progress
from pantelos.signal.arrays import FloatArray, Reader, median
from pantelos.signal.cycles.track import Track, frequency_track
from pantelos.signal.filters.filters import decimated
from pantelos.signal.levels.level_search import level_crossings
from pantelos.signal.sums.integrals import blocks

_LONGEST = 1 << 20  # samples looked at all together
_STRETCH = 1 << 16  # samples of a stretch at the waveform's own rate
_N_STRETCHES = 8
_SLOW = 1 / 16  # of the slower rate: up to there the slower picture tells


class Survey(msgspec.Struct, frozen=True, eq=False):
    """The waveform without mean and trend: `slow` is all of it, every `step`-th sample; `stretches` are parts of it in full."""

    slow: FloatArray
    step: int
    stretches: tuple[tuple[int, FloatArray], ...]  # place and samples
    mean: float
    trend: tuple[float, float]  # value at the middle and slope per sample of the line removed
    rate_hz: float
    n_samples: int
    missing: tuple[tuple[int, int], ...] = ()  # runs of missing samples
    why_not: str = ""
    _looked_at: FloatArray = msgspec.field(default_factory=lambda: np.zeros(0))

    @property
    def n_looked_at(self) -> int:
        """Samples in the stretches."""
        return len(self._looked_at)

    def look(self, start: int, stop: int) -> FloatArray:
        """Return samples of all stretches, one behind the other, as recorded."""
        return self._looked_at[start:stop]

    def edge_rate(self, level: float, half_width: float) -> float:
        """Return how often a level is risen through per second, in the stretches."""
        n = seconds = 0.0
        for place, x in self.stretches:
            own = x + self.line(place, len(x))
            n += len(level_crossings(lambda a, b, own=own: own[a:b], 0, len(own), level, half_width).rises)  # type: ignore[misc]
            seconds += len(x) / self.rate_hz
        return n / seconds if seconds else 0.0

    def line(self, start: int, n: int) -> FloatArray:
        """Return the line that was removed, for samples from `start` on."""
        middle, slope = self.trend
        return np.asarray(middle + slope * (np.arange(start, start + n) - 0.5 * (self.n_samples - 1)))

    def filled(self, read: Reader) -> Reader:
        """Return a reader in which missing samples lie on the mean, or short runs between their neighbours."""
        if not self.missing:
            return read

        def without_gaps(start: int, stop: int) -> FloatArray:
            x = read(start, stop)
            gone = np.isnan(x)
            if not gone.any():
                return x
            given = np.flatnonzero(~gone)
            if not len(given):
                return np.full(len(x), self.mean)
            filled = np.interp(np.arange(len(x)), given, x[given])
            return np.asarray(np.where(gone, filled, x))

        return without_gaps

    def track(self, band_hz: tuple[float, float]) -> Track | None:
        """Return the ridge of the frequency within a band: the stronger of that of all samples and that of the stretches.

        Positions are in samples of `slow`.
        """
        rate = self.rate_hz / self.step
        if self.step == 1:
            return frequency_track(self.slow, rate, band_hz)
        best = frequency_track(self.slow, rate, (band_hz[0], min(band_hz[1], 4 * _SLOW * rate)))
        for place, x in self.stretches:
            found = frequency_track(x - x.mean(), self.rate_hz, (max(band_hz[0], _SLOW * rate), band_hz[1]))
            if found is not None and (best is None or _strength(found) > 1.1 * _strength(best)):
                moved = (place + found.positions) / self.step
                best = Track(moved, found.frequencies_hz, found.amplitudes, found.stands_out)
        return best


def _strength(track: Track) -> float:
    sure = track.sure
    return median(track.amplitudes[sure]) if sure.any() else 0.0


def survey(read: Reader, n_samples: int, rate_hz: float, progress: Progress | None = None) -> Survey:
    """Return a look at a waveform; `why_not` says where there is nothing to find cycles in."""
    missing = missing_runs(read, n_samples)
    nothing = Survey(np.zeros(0), 1, (), 0.0, (0.0, 0.0), rate_hz, n_samples, missing)
    if n_samples < 16:
        return _because(nothing, f"the record holds {n_samples} samples")
    if sum(stop - start for start, stop in missing) > 0.5 * n_samples:
        return _because(nothing, "most of its samples are missing")
    whole = nothing.filled(read)
    slow, step = (
        (whole(0, n_samples), 1)
        if n_samples <= _LONGEST
        else decimated(whole, n_samples, rate_hz, rate_hz * _LONGEST / n_samples, progress)
    )
    slow = np.asarray(slow, dtype=np.float64)
    centred = np.arange(len(slow)) - 0.5 * (len(slow) - 1)
    middle = float(slow.mean())
    rest = slow - middle
    slope = float(centred @ rest / max(float(centred @ centred), 1e-300))
    rest -= slope * centred
    if not float(np.abs(rest).max()) > 1e-9 * float(np.abs(slow).max()):
        return _because(nothing, "it is constant")
    places = sorted(set(np.linspace(0, max(n_samples - _STRETCH, 0), _N_STRETCHES).astype(int).tolist()))
    recorded = [np.asarray(whole(place, min(place + _STRETCH, n_samples)), dtype=np.float64) for place in places]
    found = Survey(rest, step, (), middle, (middle, slope / step), rate_hz, n_samples, missing)
    stretches = tuple((place, x - found.line(place, len(x))) for place, x in zip(places, recorded, strict=True))
    return Survey(
        rest, step, stretches, middle, (middle, slope / step), rate_hz, n_samples, missing, "", np.concatenate(recorded)
    )


def _because(nothing: Survey, why_not: str) -> Survey:
    return Survey(nothing.slow, 1, (), 0.0, (0.0, 0.0), nothing.rate_hz, nothing.n_samples, nothing.missing, why_not)


def missing_runs(read: Reader, n_samples: int, progress: Progress | None = None) -> tuple[tuple[int, int], ...]:
    """Return where runs of missing samples start and stop."""
    edges: list[int] = []
    inside = False
    for low, high in blocks(0, n_samples):
        x = read(low, high)
        if progress is not None:
            progress.at(high / n_samples)
        if not inside and not np.isnan(np.add.reduce(x)):
            continue
        turns = np.flatnonzero(np.diff(np.concatenate(([inside], np.isnan(x))).astype(np.int8)))
        edges += (low + turns).tolist()
        inside = bool(len(edges) % 2)
    if inside:
        edges.append(n_samples)
    return tuple(zip(edges[::2], edges[1::2], strict=True))
