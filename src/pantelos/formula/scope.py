"""What a formula may ask of the study it stands in."""

from typing import Protocol

from pantelos.formula.derived import Scalar
from pantelos.reading.reading import ReadingKind, Stretch
from pantelos.record.waveform import Waveform
from pantelos.signal.cycles import Cycles


class Scope(Protocol):
    """Resolves names; raises `StudyError` for those that mean nothing."""

    def resolve(self, name: str) -> Waveform | Scalar:
        """Return what a channel or a formula stands for; a series is a waveform too."""

    def cycles(self, name: str) -> Cycles:
        """Return the cycles of a channel."""

    def stretch(self, kind: ReadingKind, channels: tuple[str, ...], interval: str | None, used: tuple[str, ...] = ()) -> Stretch:
        """Return where a reading of these channels is taken: a named interval, or the active one for None.

        An expression has no name, "", among the channels; `used` are the names that stand in it.
        """

    @property
    def origin_s(self) -> float:
        """The instant of sample 0, s."""

    def interval_name(self, interval: str | None) -> str:
        """Return the name of that interval; raises when there is none."""
