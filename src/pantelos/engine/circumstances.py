"""Under which circumstances a study is evaluated: as it was recorded, or with something moved to see what that does."""

from collections.abc import Callable

from pantelos.record.waveform import Waveform
from pantelos.signal.cycles.cycles import Cycles


class AsRecorded:
    """Everything as it was recorded; others override what they change."""

    kept = True  # what took long is kept for later runs

    def channel(self, name: str, wave: Waveform) -> Waveform:
        """Return a recorded channel as it is taken."""
        return wave

    def cycles(self, name: str, find: Callable[[], Cycles]) -> Cycles:
        """Return the cycles of a channel over the whole record."""
        return find()

    def cycles_within(self, name: str, span: tuple[float, float], find: Callable[[], Cycles]) -> Cycles:
        """Return the cycles of a channel within a stretch, samples."""
        return find()

    def low_signal(self, name: str, find: Callable[[], float]) -> float:
        """Return the rms below which a channel is too small for ratios and angles, SI."""
        return find()
