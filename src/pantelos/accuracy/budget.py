"""The budget of one value: what each input contributes, and what they come to together.

Source: ISO/IEC Guide 98-3 (GUM), clauses 4.3 (type B), 5.1 (combination), 6.2 (expanded uncertainty), 7.2.6 (digits).
"""

import math
from collections.abc import Sequence
from enum import StrEnum

import msgspec

COVERAGE_FACTOR = 2.0  # all inputs are limits or stated deviations: as good as infinitely many degrees of freedom

NOISE, MEASURED_NOISE, RESOLUTION, PHASE = "noise", "measured noise", "resolution", "phase"
CERTIFIED_GAIN, CERTIFIED_PHASE = "calibration of gain", "calibration of phase"
CORRECTION = "correction"  # what taking a frequency response off leaves, in any sample
CERTIFIED = frozenset({CERTIFIED_GAIN, CERTIFIED_PHASE})
RANDOM = frozenset({NOISE, MEASURED_NOISE})  # new in every sample
APART = RANDOM | {RESOLUTION}  # differ from one stretch to another; all other inputs stay the same
METHOD = "method"  # what the way of computing leaves, where no channel is to blame


def left_out(channels: Sequence[str]) -> str:
    """Return in words what an accuracy lacks where nobody stated the phase errors of some channels; empty for none."""
    return f"without phase error of {', '.join(dict.fromkeys(channels))}" if channels else ""


class Shape(StrEnum):
    """How an input is distributed between its limits."""

    RECTANGULAR = "rectangular"
    NORMAL = "normal"

    def standard(self, stated: float) -> float:
        """Return the standard uncertainty of a stated limit (rectangular) or standard deviation (normal)."""
        return stated / math.sqrt(3.0) if self is Shape.RECTANGULAR else stated


class Input(msgspec.Struct, frozen=True):
    """One source of uncertainty: what it is, the channel it belongs to, and its standard uncertainty in SI."""

    name: str  # gain, ratio, offset, resolution, noise, measured noise, delay, phase, time base, calibration of gain or phase
    channel: str  # "" for the time base
    shape: Shape
    standard: float
    at_hz: float = 0.0  # of a phase: where it is stated; 0 for the fundamental of the stretch

    @property
    def title(self) -> str:
        """What a budget calls it."""
        return f"{self.name} of {self.channel}" if self.channel else self.name


class Contribution(msgspec.Struct, frozen=True):
    """What an input does to a value: sensitivity times standard uncertainty, SI of the value, signed."""

    input: Input
    amount: float


class Budget(msgspec.Struct, frozen=True):
    """All contributions to one value; inputs are independent of each other."""

    contributions: tuple[Contribution, ...]

    @property
    def standard(self) -> float:
        """The combined standard uncertainty, SI."""
        return math.sqrt(sum(c.amount**2 for c in self.contributions))

    @property
    def expanded(self) -> float:
        """The expanded uncertainty with a coverage factor of 2, about 95 %, SI."""
        return COVERAGE_FACTOR * self.standard

    @property
    def given(self) -> bool:
        """Whether there is anything to state: never ±0, never ± what cannot be computed."""
        return math.isfinite(self.standard) and self.standard > 0

    def share(self, contribution: Contribution) -> float:
        """Return the share of the variance that comes from one contribution, 0 to 1."""
        return contribution.amount**2 / self.standard**2 if self.given else math.nan

    def scaled(self, factor: float) -> "Budget":
        """Return the budget of the value in another unit."""
        return Budget(tuple(Contribution(c.input, c.amount * factor) for c in self.contributions))

    def with_other(self, own: float, other: "Budget", of_other: float) -> "Budget":
        """Return the budget of own · x + of_other · y: what both share is added with its sign, noise is independent."""
        left = {c.input: c.amount * own for c in self.contributions}
        right = {c.input: c.amount * of_other for c in other.contributions}
        found = []
        for one in {**left, **right}:
            a, b = left.get(one, 0.0), right.get(one, 0.0)
            found.append(Contribution(one, math.hypot(a, b) if one.name in APART else a + b))
        return Budget(tuple(found))

    def largest_first(self) -> tuple[Contribution, ...]:
        """Return the contributions that matter, the largest first."""
        return tuple(sorted((c for c in self.contributions if c.amount), key=lambda c: -abs(c.amount)))
