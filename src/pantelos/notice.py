"""Notices: what may be wrong with data or evaluation, as values; calculations return them, windows show them."""

from enum import StrEnum

import msgspec


class Severity(StrEnum):
    """How much a notice matters."""

    FINE = "fine"  # a check that was made and found nothing
    CAUTION = "caution"
    FAULT = "fault"


class Notice(msgspec.Struct, frozen=True):
    """One finding: a stable code, a sentence, a second line with figures or the remedy, and what it concerns."""

    severity: Severity
    code: str
    text: str
    detail: str = ""
    channel: str | None = None
    connection: str | None = None
    remedy: str = ""  # what can be done about it at once, as a button says it; "" where only the user can
    at_s: float | None = None  # the instant it concerns
    interval: str | None = None  # the interval it concerns
    rewiring: tuple[tuple[str, str], ...] = ()  # the remedy: which channel belongs into which socket of the connection
    turned: tuple[str, ...] = ()  # the remedy: the channels to turn over

    @property
    def sentence(self) -> str:
        """Text and detail in one line."""
        return f"{self.text}: {self.detail}" if self.detail else self.text
