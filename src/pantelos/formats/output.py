"""What is written: samples of channels on one even time base, with names, units and what is known of them."""

from collections.abc import Callable, Iterator

import msgspec
import numpy as np

from pantelos.formats.header import FIRST_SAMPLE_KEY
from pantelos.progress import Progress
from pantelos.record.timing import Began
from pantelos.signal.arrays import FloatArray
from pantelos.signal.sums.integrals import blocks


class OutputChannel(msgspec.Struct, frozen=True, eq=False):
    """One channel: its name, the unit it is written in, and its values in that unit from sample to sample."""

    name: str
    unit: str
    read: Callable[[int, int], FloatArray]  # (start, stop) -> (stop - start,), NaN where missing
    extent: Callable[[], tuple[float, float]]  # lowest and highest value; (inf, -inf) where there is none

    @property
    def heading(self) -> str:
        """Name and unit, as text and table formats write them."""
        return f"{self.name} [{self.unit}]"


class Output(msgspec.Struct, frozen=True, eq=False):
    """Everything that goes into a file."""

    channels: tuple[OutputChannel, ...]
    start_s: float  # instant of the first sample
    rate_hz: float
    n_samples: int
    facts: tuple[tuple[str, str], ...]  # title, source, interval, formulas, what was done
    began: Began | None = None  # date and time of time zero

    def times(self, start: int, stop: int) -> FloatArray:
        """Return the instants of samples start to stop, s."""
        return np.asarray(self.start_s + np.arange(start, stop) / self.rate_hz)

    def parts(self, progress: Progress) -> Iterator[tuple[int, int]]:
        """Yield (start, stop) of pieces to write one after the other."""
        for low, high in blocks(0, self.n_samples):
            yield low, high
            progress.at(high / self.n_samples)

    @property
    def statements(self) -> tuple[tuple[str, str], ...]:
        """The facts, with rate and time, in words that every reader of ours understands."""
        timing = [("sample rate", f"{self.rate_hz!r} Hz"), (FIRST_SAMPLE_KEY, f"{self.start_s!r} s")]
        if self.began is not None:
            timing.append(("start time", self.began.moved(round(self.start_s * 1e9)).text()))
        found: dict[str, str] = {}
        for key, value in (*timing, *self.facts):  # each key once: most kinds of file keep no second one
            numbered = (key, *(f"{key} ({k})" for k in range(2, len(found) + 3)))
            found[next(free for free in numbered if free not in found)] = value
        return tuple(found.items())
