"""Sentences that say where an interval lies, `from first "u_dc rises through 500 V" + 2 s for 5 s`: read into what they mean."""

import re

import msgspec

from pantelos.amounts import NUMBER, amount, figure
from pantelos.errors import StudyError, clipped

EXAMPLES = (
    'from first "u_dc rises through 500 V" + 2 s for 5 s',
    'from "start" to "stop"',
    "the last 10 s",
    "longest stretch where n is steady within 1 % for 2 s",
    "50 cycles before the largest i1",
)
_LENGTH = rf"{NUMBER} ?[^\s,]+"
_INSTANT = rf'(?:(?:first|last|\d+(?:st|nd|rd|th)) )?"[^"]+"(?: ?[+\-−] ?{_LENGTH})?|start|end|{_LENGTH}'
_FORMS = {
    "span": re.compile(rf"(?:from|between) (?P<start>{_INSTANT}) (?:to|and) (?P<stop>{_INSTANT})"),
    "length": re.compile(rf"from (?P<start>{_INSTANT}) for (?P<length>{_LENGTH})"),
    "edge": re.compile(rf"the (?P<which>first|last) (?P<length>{_LENGTH})"),
    "steady": re.compile(
        rf"(?:the )?longest stretch where (?P<names>.+?) (?:is|are) steady within (?P<band>{NUMBER}) ?%"
        rf"(?: for (?P<length>{_LENGTH}))?"
    ),
    "extreme": re.compile(rf"(?P<length>{_LENGTH}) (?P<side>before|after|around) the (?P<which>largest|smallest) (?P<names>\S+)"),
}
_ANCHOR = re.compile(rf'(?:(first|last|\d+)(?:st|nd|rd|th)? )?"([^"]+)"(?: ?([+\-−]) ?({_LENGTH}))?')


class Length(msgspec.Struct, frozen=True):
    """How long something is: seconds, or cycles of the reference."""

    seconds: float = 0.0
    cycles: int = 0


class Instant(msgspec.Struct, frozen=True):
    """An instant: of the record, or of an event with a time behind it."""

    seconds: float = 0.0  # of the record, or behind the event
    event: str = ""  # a name of the study, or a sentence
    number: int = 1  # which of them, from the last for negative ones
    at_end: bool = False  # of the record
    at_start: bool = False


class Rule(msgspec.Struct, frozen=True):
    """What a sentence means."""

    text: str
    form: str
    start: Instant | None = None
    stop: Instant | None = None
    length: Length | None = None
    names: tuple[str, ...] = ()
    band: float = 0.0  # ratio
    which: str = ""  # first, last, largest, smallest
    side: str = ""  # before, after, around
    whole: bool = False  # its edges go to whole cycles


def rule_from(text: str) -> Rule:
    """Return what a sentence means.

    Raises
    ------
    StudyError
        When it is not understood.
    """
    said = " ".join(text.split())
    whole = said.endswith("whole cycles")
    plain = said.removesuffix("whole cycles").rstrip(" ,") if whole else said
    for form, pattern in _FORMS.items():
        match = pattern.fullmatch(plain)
        if match is not None:
            parts = match.groupdict()
            return Rule(
                said,
                form,
                _instant(parts["start"]) if parts.get("start") else None,
                _instant(parts["stop"]) if parts.get("stop") else None,
                _length(parts["length"]) if parts.get("length") else None,
                tuple(name.strip() for name in re.split(r",| and ", parts["names"])) if parts.get("names") else (),
                figure(parts["band"]) / 100 if parts.get("band") else 0.0,
                parts.get("which") or "",
                parts.get("side") or "",
                whole,
            )
    raise StudyError(
        f'"{clipped(said)}" does not say where an interval lies. '
        f"Write start and stop, as in 6.4 .. 8.4, "
        f"or a rule, as in {EXAMPLES[0]}, {EXAMPLES[2]} or {EXAMPLES[3]}."
    )


def _length(text: str) -> Length:
    match = re.fullmatch(r"(\d+) ?cycles?", text)
    if match is not None:
        return Length(cycles=int(match[1]))
    seconds = amount(text, "s", "is neither a time nor cycles.")
    if not seconds > 0:
        raise StudyError(f'"{clipped(text)}": a length is above zero.')
    return Length(seconds)


def _instant(text: str) -> Instant:
    if text in ("start", "end"):
        return Instant(at_end=text == "end", at_start=text == "start")
    match = _ANCHOR.fullmatch(text)
    if match is None:
        return Instant(amount(text, "s", "is no instant of the record."))
    which, event, sign, behind = match.groups()
    number = -1 if which == "last" else 1 if which in (None, "first") else int(which)
    shift = amount(behind, "s", "is no time.") * (1 if sign == "+" else -1) if behind else 0.0
    return Instant(shift, event, number)
