"""Event searches as sentences, `dips = u1 falls through 200 V, hold-off 20 ms`: read and written."""

from functools import cache
from importlib import resources

from lark import Lark, Token, Tree, UnexpectedInput
from msgspec.structs import replace

from pantelos.errors import StudyError, UnitError
from pantelos.formula.compiled import Types
from pantelos.notation import with_unit
from pantelos.study.model import EventKind, EventSearch, Level, Slope
from pantelos.units import Unit, unit

_SLOPES = {"rises through": Slope.RISING, "falls through": Slope.FALLING, "crosses": Slope.EITHER}
EXAMPLES = (
    "u1 rises through 0 V", "u1 falls through 50 %, hysteresis 5 %", "u1 crosses 100 V, hold-off 2 ms",
    "u1 stays below 10 % longer than 5 ms", "u1 stays above 2.5 V shorter than 20 us", "u1 enters 207 V to 253 V",
    "u1 leaves 207 V to 253 V", "u1 is missing longer than 1 ms", "u1 changes most 5 times", "u1 is beyond 6 sigma",
    "u1 is unlike the others every 200 ms beyond 8 sigma",
)  # fmt: skip


@cache
def _parser() -> Lark:
    grammar = resources.files("pantelos.study").joinpath("sentence.lark").read_text(encoding="utf-8")
    return Lark(grammar, parser="earley", lexer="dynamic", maybe_placeholders=True)


def search_from(text: str, types: Types, name: str = "") -> EventSearch:
    """Return what a sentence says to look for; `types` are the channels there are, `name` stands where it gives none.

    Raises
    ------
    StudyError
        When the sentence is not understood, or speaks of a channel or unit that does not fit.
    """
    try:
        given, channel, what, *options = _parser().parse(" ".join(text.split())).children
    except UnexpectedInput as cause:
        raise StudyError(
            f'"{text}" does not say what to look for. Write it like {EXAMPLES[0]}, {EXAMPLES[3]} or {EXAMPLES[6]}.'
        ) from cause
    if str(channel) not in types:
        raise StudyError(f'There is no channel "{channel}" to look at; there are {", ".join(types)}.')
    assert isinstance(what, Tree)
    shown = types[str(channel)][1]
    made = _with_what(EventSearch(str(given) if given is not None else name, str(channel)), what, shown)
    for option in options:
        assert isinstance(option, Tree)
        if option.data == "hysteresis":
            made = replace(made, hysteresis=_level(option.children[0], shown))
        else:
            made = replace(made, hold_off_s=_time(option.children[0]))
    return made


def _with_what(search: EventSearch, what: Tree[Token], shown: Unit) -> EventSearch:
    parts = what.children
    match what.data:
        case "crossing":
            return replace(search, slope=_SLOPES[str(parts[0])], level=_level(parts[1], shown))
        case "pulse":
            return replace(search, kind=EventKind.PULSE, above=parts[0] == "above", level=_level(parts[1], shown),
                           longer=parts[2] == "longer than", time_s=_time(parts[3]))  # fmt: skip
        case "window":
            return replace(search, kind=EventKind.WINDOW, entering=parts[0] == "enters", level=_level(parts[1], shown),
                           upper=_level(parts[2], shown))  # fmt: skip
        case "gap":
            return replace(search, kind=EventKind.GAP, longer=parts[0] == "longer than", time_s=_time(parts[1]))
        case "steepest":
            return replace(search, kind=EventKind.STEEPEST, count=int(parts[0]) if parts[0] is not None else 1)
        case "beyond":
            return replace(search, kind=EventKind.BEYOND, sigmas=float(str(parts[0])))
        case _:
            sigmas = float(str(parts[1])) if parts[1] is not None else 6.0
            return replace(search, kind=EventKind.UNLIKE, time_s=_time(parts[0]), sigmas=sigmas)


def _quantity(node: Tree[Token] | Token) -> tuple[float, Unit, str]:
    assert isinstance(node, Tree)
    number, symbol = str(node.children[0]), str(node.children[1] or "1") if len(node.children) > 1 else "1"
    try:
        given = unit(symbol)
    except UnitError as cause:
        raise StudyError(f'"{number} {symbol}": {cause}') from cause
    return float(number.replace("\N{MINUS SIGN}", "-")), given, symbol


def _level(node: Tree[Token] | Token, shown: Unit) -> Level:
    number, given, symbol = _quantity(node)
    if given.like(shown) and symbol != "%":
        return Level(_scaled(number, given))
    if symbol == "%":
        return Level(number / 100, relative=True)
    raise StudyError(
        f'"{number:g} {symbol}" is no level here: the channel is in {shown.symbol}. Write {shown.symbol}, or % of its swing.'
    )


def _time(node: Tree[Token] | Token) -> float:
    number, given, symbol = _quantity(node)
    if not given.like(unit("s")):
        raise StudyError(f'"{number:g} {symbol}" is no time. Write it like 2 ms.')
    return _scaled(number, given)


def _scaled(number: float, given: Unit) -> float:
    """Return a typed number in SI: 20 µs is 2e-5, not what the product of two rounded numbers leaves."""
    return float(f"{number * given.factor:.14g}")


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
