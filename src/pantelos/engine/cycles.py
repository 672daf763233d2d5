"""The cycles of channels: found once, kept for later runs, told from those that are not known yet."""

import msgspec

from pantelos.engine.circumstances import AsRecorded
from pantelos.engine.names import Names
from pantelos.engine.remembered import remembered
from pantelos.engine.results import ResultCache
from pantelos.engine.samples import Samples
from pantelos.progress import Progress
from pantelos.record.record import Record
from pantelos.record.waveform import Waveform
from pantelos.signal.cycles.cycle_search import find_cycles
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.cycles.runs import cycles_of_runs
from pantelos.signal.cycles.window import samples_between


class ChannelCycles:
    """Finds the cycles of channels and formulas."""

    def __init__(self, record: Record, names: Names, samples: Samples, results: ResultCache, circumstances: AsRecorded) -> None:
        self._record, self._names, self._samples, self._results = record, names, samples, results
        self._circumstances = circumstances

    def of(self, name: str, progress: Progress | None = None) -> Cycles:
        """Return the cycles of a channel over the whole record."""
        return self._circumstances.cycles(name, lambda: self._found(name, progress))

    def of_wave(self, wave: Waveform, name: str) -> Cycles:
        """Return the cycles of a waveform: of an expression, which has no name, found each time."""
        return self.of(name) if name else cycles_of_runs(wave.read, wave.n_samples, wave.rate_hz, self._record.joints)

    def known(self, name: str) -> bool:
        """Return whether the cycles of a channel are known without work."""
        return ChannelCycles._found.known(self, name)

    def within(self, wave: Waveform, name: str, span: tuple[float, float]) -> Cycles:
        """Return the cycles that a waveform shows in a stretch, in samples, where the whole record shows none there."""
        window = samples_between(*span)
        stretch = window.first, window.end
        if not name:
            return _cycles_within(wave, stretch)
        return self._circumstances.cycles_within(name, span, lambda: self._found_within(wave, name, stretch))

    @remembered()
    def _found_within(self, wave: Waveform, name: str, stretch: tuple[int, int]) -> Cycles:
        return _cycles_within(wave, stretch)

    @remembered()
    def _found(self, name: str, progress: Progress | None = None) -> Cycles:
        wave = self._samples.waveform(name)
        return cycles_of_runs(wave.read, wave.n_samples, wave.rate_hz, self._record.joints, progress)


def _cycles_within(wave: Waveform, stretch: tuple[int, int]) -> Cycles:
    first, end = stretch
    found = find_cycles(lambda a, b: wave.read(first + a, first + b), end - first, wave.rate_hz)
    seams = None if found.seams is None else found.seams + first
    return msgspec.structs.replace(found, crossings=found.crossings + first, n_samples=wave.n_samples, seams=seams)
