"""The accuracy of a value: its budget, or why there is none, and what it leaves out."""

import math

import msgspec

from pantelos.accuracy.budget import Budget, Contribution, left_out

_ROUNDING = 1e-13  # of the value: below, a contribution is what the computation leaves


class Stated(msgspec.Struct, frozen=True):
    """The accuracy of a value: its budget, or why there is none."""

    budget: Budget | None
    why_not: str = ""
    without_phase: tuple[str, ...] = ()  # channels whose phase error nobody stated, and which would matter here
    seen: float = math.nan  # of a value without accuracy: what steps and noise of the record alone leave of it (k = 2), SI

    @property
    def expanded(self) -> float:
        """The expanded uncertainty, SI; NaN where none is stated."""
        return self.budget.expanded if self.budget is not None and self.budget.given else math.nan

    @property
    def leaves_out(self) -> str:
        """What the accuracy leaves out, in words; empty where it is whole."""
        return left_out(self.without_phase)

    def scaled(self, factor: float) -> "Stated":
        """Return the accuracy of the value in another unit."""
        budget = None if self.budget is None else self.budget.scaled(factor)
        return msgspec.structs.replace(self, budget=budget, seen=self.seen * factor)


def stated(found: list[Contribution], value: float, without_phase: tuple[str, ...] = ()) -> Stated:
    """Return the accuracy that some contributions come to."""
    budget = Budget(tuple(found))
    if budget.given and budget.standard > _ROUNDING * abs(value):
        return Stated(budget, "", without_phase)
    silent = f"the phase error of {', '.join(without_phase)} is not stated" if without_phase else ""
    return Stated(None, silent or "none of the stated inputs reaches this value")
