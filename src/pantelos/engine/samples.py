"""Samples behind names, and what drawing them needs."""

import math
from typing import cast

from pantelos.engine.names import Names
from pantelos.errors import StudyError
from pantelos.formula.derived import Condition, Derived, Scalar, Shared
from pantelos.formula.scope import Scope
from pantelos.progress import Progress
from pantelos.reading.reading import LOW_SIGNAL_SHARE
from pantelos.record.clipping import clip_levels
from pantelos.record.pieces import Envelope
from pantelos.record.record import Channel, scaled_channel
from pantelos.record.waveform import Waveform
from pantelos.signal.pyramid import Pyramid, build_pyramid, envelope
from pantelos.signal.statistics import window_means
from pantelos.signal.window import Rule, Window
from pantelos.units import unit


class Waveforms(Names):
    """Serves samples, envelopes and extents."""

    @property
    def _scope(self) -> Scope:
        """What formulas ask: places and cycles come from the layer above."""
        return cast(Scope, self)

    def resolve(self, name: str) -> Waveform | Scalar:
        """Return what a channel or formula stands for (scope of formulas)."""
        formula = self.study.formula(name)
        if formula is None:
            setup = self.study.channel(name)
            column = self.record.column(setup.column)
            return scaled_channel(name, column, self.record.grid, unit(setup.recorder_unit), setup.scaling)
        good, bad = self._compiled
        if name in bad:
            raise bad[name]

        def make() -> Waveform | Scalar:
            found = good[name].make(self._scope)
            return Shared(found) if isinstance(found, Derived) else found

        return self._results.get(("value", self.identity(name)), make)

    def scalar(self, name: str) -> Scalar:
        """Return a formula that is a single value."""
        found = self.resolve(name)
        if not isinstance(found, Scalar):
            raise StudyError(f'"{name}" is not a single value.')
        return found

    def waveform(self, name: str) -> Waveform:
        """Return a channel, or a formula that has samples."""
        found = self.resolve(name)
        if isinstance(found, Scalar):
            raise StudyError(f'"{name}" is a single value and has no samples.')
        return found

    def value(self, text: str) -> Waveform | Scalar | Condition:
        """Return what a formula results in, without adding it to the study."""
        from pantelos.formula.compile import compile_formula  # here, for the sake of a quick start

        _, compiled = compile_formula(text, self.types, self._places)
        result: Waveform | Scalar | Condition = compiled.make(self._scope)
        return result

    def low_signal(self, name: str) -> float:
        """Return the rms below which a channel is too small for ratios and angles: 0.1 % of a stated range, SI."""
        full_scale = getattr(self.resolve(name), "full_scale", None)
        return LOW_SIGNAL_SHARE * full_scale if full_scale else 0.0

    @property
    def origin_s(self) -> float:
        """The instant of sample 0, s (scope of formulas)."""
        return self.record.start_s

    def positions(self, *instants_s: float) -> tuple[float, ...]:
        """Return instants of the record in samples, not necessarily whole."""
        return tuple((t - self.record.start_s) * self.record.rate_hz for t in instants_s)

    def instant(self, position: float) -> float:
        """Return the instant of a position in samples, s."""
        return self.record.start_s + position / self.record.rate_hz

    def prepare_drawing(self, name: str, progress: Progress | None = None) -> None:
        """Do the work that drawing a formula needs; a recorded channel has had it done when it was imported."""
        if self.study.formula(name) is not None:
            self._pyramid(name, self.waveform(name), progress)
        if self.study.look(name).mean_removed:
            self.overall_mean(name)

    def clip_levels(self, name: str) -> tuple[float, ...]:
        """Return the values at which a recorded channel is clipped, SI, as far as they are known without work."""
        if self.study.formula(name) is not None:
            return ()
        channel = self.resolve(name)
        assert isinstance(channel, Channel)
        return clip_levels(channel)

    def can_draw(self, name: str) -> bool:
        """Return whether a channel or formula can be drawn without work."""
        if self.study.look(name).mean_removed and not self._results.has(("overall mean", self.identity(name))):
            return False
        return self.study.formula(name) is None or self._results.has(("pyramid", self.identity(name)))

    def _pyramid(self, name: str, wave: Waveform, progress: Progress | None = None) -> Pyramid:
        return self._results.get(
            ("pyramid", self.identity(name)), lambda: build_pyramid(wave.read, wave.n_samples, progress=progress)
        )

    def envelope(self, name: str, start_s: float, stop_s: float, n_columns: int) -> Envelope:
        """Return lowest and highest value per picture column of a stretch of time, SI; NaN where there is none."""
        wave, (start, stop) = self.waveform(name), self.positions(start_s, stop_s)
        if isinstance(wave, Channel):
            return wave.envelope(start, stop, n_columns)
        return envelope(wave.read, self._pyramid(name, wave), start, stop, n_columns)

    def extent(self, name: str) -> tuple[float, float]:
        """Return the lowest and highest value of a channel or formula, SI; (inf, -inf) where there is none."""
        wave = self.waveform(name)
        key = ("extent", self.identity(name))
        if isinstance(wave, Channel):
            return self._results.get(key, wave.extent)
        return self._pyramid(name, wave).extent

    def overall_mean(self, name: str) -> float:
        """Return the mean of all samples of a channel, SI; 0 where it has none."""
        wave = self.waveform(name)
        key = ("overall mean", self.identity(name))
        whole = Window(0.0, float(wave.n_samples), 0, Rule.RECTANGULAR)
        mean = self._results.get(key, lambda: float(window_means(wave.read, whole, wave.n_samples)[0]))
        return mean if math.isfinite(mean) else 0.0
