"""Samples behind names."""

from collections.abc import Callable

from pantelos.engine.calibrated import Calibrated
from pantelos.engine.circumstances import AsRecorded
from pantelos.engine.names import Names
from pantelos.engine.remembered import remembered
from pantelos.engine.results import ResultCache
from pantelos.errors import StudyError
from pantelos.formula.derived import Condition, Derived, Scalar, Shared
from pantelos.formula.scope import Scope
from pantelos.formula.uses import names_used
from pantelos.reading.reading import LOW_SIGNAL_SHARE
from pantelos.record.clipping import resolution_step
from pantelos.record.record import Channel, Record, scaled_channel
from pantelos.record.waveform import Waveform
from pantelos.study.model import Study
from pantelos.units import unit


class Samples:
    """Serves the waveforms and single values that names and formulas stand for.

    `scope` gives what formulas may ask; it is handed in because readings within formulas need places and cycles.
    """

    def __init__(
        self,
        study: Study,
        record: Record,
        names: Names,
        results: ResultCache,
        circumstances: AsRecorded,
        scope: Callable[[], Scope],
    ) -> None:
        self._study, self._record, self._names, self._results = study, record, names, results
        self._circumstances, self._scope = circumstances, scope
        self._recorded: dict[str, Waveform] = {}

    def channel(self, name: str) -> Channel:
        """Return a recorded channel behind its scaling chain."""
        setup = self._study.channel(name)
        column = self._record.column(setup.column)
        return scaled_channel(name, column, self._record.grid, unit(setup.recorder_unit), setup.scaling)

    def _corrected(self, name: str) -> Waveform:
        channel, response = self.channel(name), self._study.channel(name).scaling.response
        return channel if response is None else Calibrated(channel, response, self._record.joints)

    def is_recorded(self, name: str) -> bool:
        """Return whether a name is that of a recorded channel, not of a formula."""
        return self._study.formula(name) is None

    def resolve(self, name: str) -> Waveform | Scalar:
        """Return what a channel or formula stands for."""
        if self.is_recorded(name):
            if name not in self._recorded:  # one object each: a formula that uses it twice reads it once
                self._recorded[name] = self._circumstances.channel(name, self._corrected(name))
            return self._recorded[name]
        self._names.compiled(name)  # says why it cannot be computed
        return self._made(name)

    @remembered()
    def _made(self, name: str) -> Waveform | Scalar:
        found: Waveform | Scalar = self._names.compiled(name).make(self._scope())
        return Shared(found) if isinstance(found, Derived) else found

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
        from pantelos.formula.compiled import Known

        for used in sorted(names_used(text) & self._names.broken.keys()):
            raise self._names.broken[used]  # which says why, and not that there is no such name
        _, compiled = compile_formula(text, Known(self._names.types, self._names.intervals, self._names.searches))
        result: Waveform | Scalar | Condition = compiled.make(self._scope())
        return result

    @remembered()
    def step(self, name: str) -> float:
        """Return the step of the recorder as the numbers of a recorded channel show it, SI; 0 where they show none."""
        return max((abs(piece.gain) * resolution_step(piece.raw) for piece in self.channel(name).pieces), default=0.0)

    def low_signal(self, name: str) -> float:
        """Return the rms below which a channel is too small for ratios and angles: 0.1 % of a stated range, SI."""

        def of_range() -> float:
            found = self.resolve(name)
            full_scale = found.full_scale if not isinstance(found, Scalar) else None
            return LOW_SIGNAL_SHARE * full_scale if full_scale else 0.0

        return self._circumstances.low_signal(name, of_range)
