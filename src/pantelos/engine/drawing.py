"""What drawing a channel or formula needs: pyramids, envelopes, extents."""

import math

from pantelos.engine.names import Names
from pantelos.engine.remembered import remembered
from pantelos.engine.results import ResultCache
from pantelos.engine.samples import Samples
from pantelos.engine.times import Times
from pantelos.progress import Progress
from pantelos.record.clipping import clip_levels
from pantelos.record.pieces import Envelope
from pantelos.record.record import Channel
from pantelos.signal.cycles.window import Window, window_means
from pantelos.signal.sampling.bands import drawn_bands, parts_of_column
from pantelos.signal.sampling.pyramid import Pyramid, build_pyramid, envelope
from pantelos.signal.sums.integrals import Rule
from pantelos.study.model import Study


class Drawing:
    """Serves envelopes and extents; what they rest on is made once and kept."""

    def __init__(self, study: Study, names: Names, samples: Samples, times: Times, results: ResultCache) -> None:
        self._study, self._names, self._samples, self._times, self._results = study, names, samples, times, results

    def prepare(self, name: str, progress: Progress | None = None) -> None:
        """Do the work that drawing needs; a recorded channel has had it done when it was imported."""
        if not self._drawn_as_recorded(name):
            self._pyramid(name, progress)
        if self._study.look(name).mean_removed:
            self.overall_mean(name)

    def clip_levels(self, name: str) -> tuple[float, ...]:
        """Return the values at which a recorded channel is clipped, SI, as far as they are known without work."""
        if self._study.formula(name) is not None:
            return ()
        return clip_levels(self._samples.channel(name))

    def can_draw(self, name: str) -> bool:
        """Return whether a channel or formula can be drawn without work."""
        if self._study.look(name).mean_removed and not Drawing._mean.known(self, name):
            return False
        return self._drawn_as_recorded(name) or Drawing._pyramid.known(self, name)

    def _drawn_as_recorded(self, name: str) -> bool:
        return self._study.formula(name) is None and self._study.channel(name).scaling.response is None

    @remembered()
    def _pyramid(self, name: str, progress: Progress | None = None) -> Pyramid:
        wave = self._samples.waveform(name)
        return build_pyramid(wave.read, wave.n_samples, progress=progress)

    @remembered()
    def _extent(self, name: str, wave: Channel) -> tuple[float, float]:
        return wave.extent()

    @remembered()
    def _mean(self, name: str) -> float:
        wave = self._samples.waveform(name)
        return float(window_means(wave.read, Window(0.0, float(wave.n_samples), 0, Rule.RECTANGULAR), wave.n_samples)[0])

    def envelope(self, name: str, start_s: float, stop_s: float, n_columns: int) -> Envelope:
        """Return lowest and highest value per picture column of a stretch of time, SI; NaN where there is none.

        What swings within a few columns is drawn as the band it fills: see `signal.sampling.bands`.
        """
        wave, (start, stop) = self._samples.waveform(name), self._times.positions(start_s, stop_s)
        parts = parts_of_column((stop - start) / max(n_columns, 1))
        if isinstance(wave, Channel):
            return drawn_bands(*wave.envelope(start, stop, n_columns * parts), parts)
        return drawn_bands(*envelope(wave.read, self._pyramid(name), start, stop, n_columns * parts), parts)

    def extent(self, name: str) -> tuple[float, float]:
        """Return the lowest and highest value of a channel or formula, SI; (inf, -inf) where there is none."""
        wave = self._samples.waveform(name)
        return self._extent(name, wave) if isinstance(wave, Channel) else self._pyramid(name).extent

    def overall_mean(self, name: str) -> float:
        """Return the mean of all samples of a channel, SI; 0 where it has none."""
        mean = self._mean(name)
        return mean if math.isfinite(mean) else 0.0
