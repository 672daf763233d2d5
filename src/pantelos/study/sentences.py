"""Event searches as sentences, `dips = u1 falls through 200 V, hold-off 20 ms`: read and written."""

import re
from collections.abc import Callable, Sequence

import msgspec
from msgspec.structs import replace

from pantelos.amounts import NUMBER, amount_of
from pantelos.errors import StudyError, UnitError, clipped
from pantelos.formula.compiled import Types
from pantelos.notation import with_unit
from pantelos.signal.levels.levels import Level
from pantelos.study.model import EventKind, EventSearch, Slope
from pantelos.units import Unit, unit

_SLOPES = {"rises through": Slope.RISING, "falls through": Slope.FALLING, "crosses": Slope.EITHER}
EXAMPLES = (
    "u1 rises through 0 V",
    "u1 falls through 50 %, hysteresis 5 %",
    "u1 crosses 100 V, hold-off 2 ms",
    "u1 stays below 10 % longer than 5 ms",
    "u1 stays above 2.5 V shorter than 20 us",
    "u1 enters 207 V to 253 V",
    "u1 leaves 207 V to 253 V",
    "u1 is missing longer than 1 ms",
    "u1 changes most 5 times",
    "u1 is beyond 6 sigma",
    "u1 is unlike the others every 200 ms beyond 8 sigma",
)


_LEVEL = rf"{NUMBER}(?: ?[^\s,\d=][^\s,=]*)?"
_THAN = "(longer|shorter) than"
_WHOLE = re.compile(rf"(?:([^\W\d]\w*) ?= ?)?([^\W\d]\w*) ([^,]+)((?:, ?(?:hysteresis|hold-off) {_LEVEL})*)")
_OPTION = re.compile(rf"(hysteresis|hold-off) ({_LEVEL})")


class _Form(msgspec.Struct, frozen=True):
    """One way to say what to look for, and what its groups mean."""

    said: re.Pattern[str]
    meant: Callable[[EventSearch, Unit, Sequence[str]], EventSearch]


def _form(said: str, meant: Callable[[EventSearch, Unit, Sequence[str]], EventSearch]) -> _Form:
    return _Form(re.compile(said), meant)


_FORMS = (
    _form(
        rf"({'|'.join(_SLOPES)}) ({_LEVEL})",
        lambda to, shown, said: replace(to, slope=_SLOPES[said[0]], level=_level(said[1], shown)),
    ),
    _form(
        rf"stays (above|below) ({_LEVEL}) {_THAN} ({_LEVEL})",
        lambda to, shown, said: replace(
            to,
            kind=EventKind.PULSE,
            above=said[0] == "above",
            level=_level(said[1], shown),
            longer=said[2] == "longer",
            time_s=_time(said[3]),
        ),
    ),
    _form(
        rf"(enters|leaves) ({_LEVEL}) to ({_LEVEL})",
        lambda to, shown, said: replace(
            to, kind=EventKind.WINDOW, entering=said[0] == "enters", level=_level(said[1], shown), upper=_level(said[2], shown)
        ),
    ),
    _form(
        rf"is missing {_THAN} ({_LEVEL})",
        lambda to, _, said: replace(to, kind=EventKind.GAP, longer=said[0] == "longer", time_s=_time(said[1])),
    ),
    _form(r"changes most(?: (\d+) times)?", lambda to, _, said: replace(to, kind=EventKind.STEEPEST, count=int(said[0] or 1))),
    _form(r"is beyond (\d+(?:\.\d+)?) sigma", lambda to, _, said: replace(to, kind=EventKind.BEYOND, sigmas=float(said[0]))),
    _form(
        rf"is unlike the others every ({_LEVEL})(?: beyond (\d+(?:\.\d+)?) sigma)?",
        lambda to, _, said: replace(to, kind=EventKind.UNLIKE, time_s=_time(said[0]), sigmas=float(said[1] or 6)),
    ),
)


def search_from(text: str, types: Types, name: str = "") -> EventSearch:
    """Return what a sentence says to look for; `types` are the channels there are, `name` stands where it gives none.

    Raises
    ------
    StudyError
        When the sentence is not understood, or speaks of a channel or unit that does not fit.
    """
    whole = _WHOLE.fullmatch(" ".join(text.split()))
    found = _first_form(whole[3].strip()) if whole is not None else None
    if whole is None or found is None:
        raise StudyError(
            f'"{clipped(text)}" does not say what to look for. Write it like {EXAMPLES[0]}, {EXAMPLES[3]} or {EXAMPLES[6]}.'
        )
    form, said = found
    given, channel, _, options = whole.groups()
    if channel not in types:
        raise StudyError(f'There is no channel "{channel}" to look at; there are {", ".join(types)}.')
    shown = types[channel][1]
    made = form.meant(EventSearch(given or name, channel), shown, said)
    for option, value in _OPTION.findall(options):
        if option == "hysteresis":
            made = replace(made, hysteresis=_level(value, shown))
        else:
            made = replace(made, hold_off_s=_time(value))
    return made


def _first_form(what: str) -> tuple[_Form, Sequence[str]] | None:
    """Return the form of a sentence and what stands in it, or None where it has none."""
    matches = ((form, form.said.fullmatch(what)) for form in _FORMS)
    return next(((form, match.groups("")) for form, match in matches if match is not None), None)


def _quantity(text: str) -> tuple[float, Unit]:
    try:
        return amount_of(text)
    except UnitError as cause:
        raise StudyError(f'"{clipped(text)}": {cause}') from cause


def _level(text: str, shown: Unit) -> Level:
    value, given = _quantity(text)
    if given.symbol == "%":
        return Level(value, relative=True)
    if given.like(shown):
        return Level(value)
    raise StudyError(
        f'"{clipped(text)}" is no level here: the channel is in {shown.symbol}. Write {shown.symbol}, or % of its swing.'
    )


def _time(text: str) -> float:
    value, given = _quantity(text)
    if not given.like(unit("s")):
        raise StudyError(f'"{clipped(text)}" is no time. Write it like 2 ms.')
    return value


def sentence(search: EventSearch, shown: Unit) -> str:
    """Return a search as a sentence, without its name."""
    text = f"{search.channel} {_what(search, shown)}"
    if search.kind in (EventKind.CROSSING, EventKind.PULSE, EventKind.WINDOW) and search.hysteresis != Level(0.05, relative=True):
        text += f", hysteresis {_said(search.hysteresis, shown)}"
    return text + (f", hold-off {_exact(search.hold_off_s, unit('s'))}" if search.hold_off_s else "")


def _what(search: EventSearch, shown: Unit) -> str:
    than = f"{'longer' if search.longer else 'shorter'} than {_exact(search.time_s, unit('s'))}"
    match search.kind:
        case EventKind.CROSSING:
            return f"{next(said for said, slope in _SLOPES.items() if slope is search.slope)} {_said(search.level, shown)}"
        case EventKind.PULSE:
            return f"stays {'above' if search.above else 'below'} {_said(search.level, shown)} {than}"
        case EventKind.WINDOW:
            return f"{'enters' if search.entering else 'leaves'} {_said(search.level, shown)} to {_said(search.upper, shown)}"
        case EventKind.GAP:
            return f"is missing {than}"
        case EventKind.STEEPEST:
            return "changes most" + (f" {search.count} times" if search.count > 1 else "")
        case EventKind.BEYOND:
            return f"is beyond {search.sigmas:g} sigma"
        case EventKind.UNLIKE:
            return f"is unlike the others every {_exact(search.time_s, unit('s'))} beyond {search.sigmas:g} sigma"


def _said(level: Level, shown: Unit) -> str:
    return f"{round(100 * level.value, 6):g} %" if level.relative else _exact(level.value, shown)


def _exact(value: float, shown: Unit) -> str:
    """Return a number that is read back as it was, short where it is short."""
    text = with_unit(value, shown, 6)
    number, _, symbol = text.partition(" ")
    if "." in number:
        number = number.rstrip("0").rstrip(".")
    return f"{number} {symbol or shown.symbol}"
