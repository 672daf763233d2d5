"""What a formula may ask of the study it stands in."""

from collections.abc import Sequence
from typing import Protocol

from pantelos.formula.derived import Scalar
from pantelos.reading.reading import ReadingKind, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.signal.cycles.cycles import Cycles
from pantelos.signal.levels.level_search import Crossings
from pantelos.signal.levels.levels import Level


class Scope(Protocol):
    """Resolves names; raises `StudyError` for those that mean nothing.

    Where a waveform is asked about, its name is given beside it, "" for an expression: what has a name is found only once.
    """

    def resolve(self, name: str) -> Waveform | Scalar:
        """Return what a channel or a formula stands for; a series is a waveform too."""

    def cycles(self, wave: Waveform, name: str) -> Cycles:
        """Return the cycles of a waveform."""

    def edges(self, wave: Waveform, name: str, level: Level | None = None, hysteresis: Level | None = None) -> Crossings:
        """Return where a waveform crosses a level, the middle between base and top for None, over the whole record."""

    def reference(self, names: Sequence[str]) -> tuple[Cycles | None, str]:
        """Return the cycles that count for some channels together; without any, why."""

    def events(self, name: str) -> FloatArray:
        """Return the positions of the events of a stored search, in samples."""

    def span(self, place: str) -> tuple[float, float]:
        """Return start and stop of an interval, in samples."""

    def intervals(self) -> tuple[str, ...]:
        """Return the names of all intervals of the study."""

    def stretch(
        self,
        kind: ReadingKind,
        waves: Sequence[Waveform],
        names: tuple[str, ...],
        interval: str | None,
        used: tuple[str, ...] = (),
        numbers: tuple[float, ...] = (),
    ) -> Stretch:
        """Return where a reading is taken: a named interval, or the active one for None.

        An expression has no name, "", among the names; `used` are the names that stand in it; `numbers` are its settings.
        """

    @property
    def grid(self) -> tuple[int, float]:
        """How many samples the record has, and how many per second."""

    @property
    def origin_s(self) -> float:
        """The instant of sample 0, s."""

    @property
    def highest_order(self) -> int:
        """The highest harmonic order that counts."""

    def interval_name(self, interval: str | None) -> str:
        """Return the name of that interval; raises when there is none."""
