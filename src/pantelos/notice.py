"""Notices: what may be wrong with data or evaluation, as values; calculations return them, windows show them."""

from enum import StrEnum

import msgspec


class Severity(StrEnum):
    """How much a notice matters."""

    FINE = "fine"  # a check that was made and found nothing
    NOTE = "note"  # a fact that numbers are to be read with; nothing is wrong
    CAUTION = "caution"
    FAULT = "fault"

    @property
    def asks(self) -> bool:
        """Whether it asks for attention."""
        return self in (Severity.CAUTION, Severity.FAULT)

    @property
    def mark(self) -> str:
        """The sign it has wherever findings are listed."""
        return {Severity.FINE: "✓", Severity.NOTE: "–", Severity.CAUTION: "!", Severity.FAULT: "!!"}[self]


GRAVE_FIRST = (Severity.FAULT, Severity.CAUTION, Severity.NOTE, Severity.FINE)


class Notice(msgspec.Struct, frozen=True):
    """One finding: a stable code, a sentence, a second line with figures or advice, and what it concerns."""

    severity: Severity
    code: str
    text: str
    detail: str = ""
    channel: str | None = None
    connection: str | None = None
    at_s: float | None = None  # the instant it concerns
    interval: str | None = None  # the interval it concerns
    also: tuple[str, ...] = ()  # other channels of which it says the same

    @property
    def sentence(self) -> str:
        """Text and detail in one line."""
        return f"{self.text}: {self.detail}" if self.detail else self.text
