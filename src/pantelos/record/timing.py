"""When samples were taken: evenly, in one or several segments, or at instants of their own."""

from datetime import UTC, datetime
from typing import TypeAlias

import msgspec
import numpy as np

from pantelos.signal.arrays import AnyArray


class Began(msgspec.Struct, frozen=True):
    """A date and time as the recorder's clock showed it, and how far that clock was ahead of UTC where it is stated."""

    ns: int  # since 1970 on that clock
    zone_s: int | None = None

    def moved(self, ns: int) -> "Began":
        """Return the date and time so much later on the same clock."""
        return Began(self.ns + ns, self.zone_s)

    def since_ns(self, other: "Began") -> int:
        """Return the time from another instant to this one, ns: by UTC where both state their zone, else by their clocks."""
        if self.zone_s is None or other.zone_s is None:
            return self.ns - other.ns
        return self.ns - other.ns - (self.zone_s - other.zone_s) * 10**9

    @property
    def zone(self) -> str:
        """The zone as ISO 8601 writes it; empty where none is stated."""
        if self.zone_s is None:
            return ""
        hours, minutes = divmod(abs(self.zone_s) // 60, 60)
        return "Z" if self.zone_s == 0 else f"{'+' if self.zone_s > 0 else '-'}{hours:02d}:{minutes:02d}"

    def text(self, decimals: int = 9) -> str:
        """Return it as ISO 8601 writes it."""
        whole, part = divmod(self.ns, 10**9)
        behind = f".{part:09d}"[: decimals + 1] if decimals else ""
        return datetime.fromtimestamp(whole, UTC).strftime("%Y-%m-%dT%H:%M:%S") + behind + self.zone


class Segment(msgspec.Struct, frozen=True):
    """A stretch sampled evenly: rows `first` to `first + n_samples` of a recording."""

    start_s: float  # of its first sample
    rate_hz: float
    first: int
    n_samples: int

    @property
    def stop_s(self) -> float:
        """One sample period behind its last sample: every sample stands for one period."""
        return self.start_s + self.n_samples / self.rate_hz

    @property
    def last_s(self) -> float:
        """The instant of its last sample."""
        return self.start_s + (self.n_samples - 1) / self.rate_hz


class Instants(msgspec.Struct, frozen=True, eq=False):
    """Samples at instants that keep no even step."""

    times_s: AnyArray  # (n,), rising
    step_s: float  # the middle one of all steps

    @property
    def start_s(self) -> float:
        """The first instant."""
        return float(self.times_s[0])

    @property
    def stop_s(self) -> float:
        """One middle step behind the last instant."""
        return float(self.times_s[-1]) + self.step_s

    @property
    def rate_hz(self) -> float:
        """Samples per second by the middle step."""
        return 1.0 / self.step_s

    @property
    def range_of_steps_s(self) -> tuple[float, float]:
        """The shortest and the longest step."""
        steps = np.diff(self.times_s)
        return float(steps.min()), float(steps.max())


Timing: TypeAlias = tuple[Segment, ...] | Instants


def even(start_s: float, rate_hz: float, n_samples: int) -> tuple[Segment, ...]:
    """Return the timing of a recording that is even from end to end."""
    return (Segment(start_s, rate_hz, 0, n_samples),)


def start_of(timing: Timing) -> float:
    """Return the earliest instant, s."""
    return timing.start_s if isinstance(timing, Instants) else min(segment.start_s for segment in timing)


def stop_of(timing: Timing) -> float:
    """Return the latest end, s."""
    return timing.stop_s if isinstance(timing, Instants) else max(segment.stop_s for segment in timing)


def rate_of(timing: Timing) -> float:
    """Return the highest rate, Hz."""
    return timing.rate_hz if isinstance(timing, Instants) else max(segment.rate_hz for segment in timing)
