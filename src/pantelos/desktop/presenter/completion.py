"""What is offered while a formula is typed: words with what they are, and the arguments of the call one is in."""

from collections.abc import Iterator

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.formula.functions import Function, all_functions, function_named
from pantelos.formula.functions.function import ArgumentRole
from pantelos.formula.syntax import KEYWORDS
from pantelos.notation import from_to
from pantelos.units import common_symbols

LEAST = 1  # letters before anything is offered
_MOST = 40


class Offer(msgspec.Struct, frozen=True):
    """One word: what is shown, what it is, and what is put into the line."""

    word: str
    told: str
    text: str


def word_at(text: str, at: int) -> str:
    """Return the word that ends at a place of the text."""
    start = at
    while start > 0 and (text[start - 1].isalnum() or text[start - 1] == "_"):
        start -= 1
    return text[start:at]


def offers(evaluation: Evaluation, text: str, at: int) -> list[Offer]:
    """Return what may go on the word being typed: after a number units, after `over` partitions, after `in` intervals."""
    word = word_at(text, at)
    before = text[: at - len(word)].rstrip()
    last = word_at(before, len(before))
    if word[:1].isdigit() or (len(word) < LEAST and last not in ("over", "in", "to")):
        return []
    if last == "over":
        known: Iterator[Offer] = _functions(pieces=True)
    elif last == "in":
        known = _intervals(evaluation)
    elif last == "to" or before[-1:].isdigit():
        known = (Offer(symbol, "unit", symbol) for symbol in common_symbols())
    else:
        known = _anything(evaluation, text, at)
    found = [one for one in known if one.word.strip('"').lower().startswith(word.lower()) and one.word != word]
    return sorted(found, key=lambda one: (not one.word.startswith(word),))[:_MOST]


def _anything(evaluation: Evaluation, text: str, at: int) -> Iterator[Offer]:
    before = text[: at - len(word_at(text, at))].rstrip()
    if _ends_a_value(before):  # what goes on: no further value can stand there
        yield from (Offer(word, told, f"{word} ") for word, told in _WORDS)
        return
    inside = call_at(text, at)
    parameter = inside.function.parameter(inside.argument) if inside is not None else None
    if parameter is not None and parameter.role in (ArgumentRole.PLACE, ArgumentRole.MOMENT):
        yield from _intervals(evaluation)
    if parameter is not None and parameter.role in (ArgumentRole.EVENTS, ArgumentRole.MOMENT):
        for search in evaluation.study.searches:
            name = _quoted(search.name)
            yield Offer(name, f"events of {search.channel}", name)
    if parameter is not None and parameter.words:
        yield from (Offer(word, f"asked of {inside.function.name}", word) for word in parameter.words if inside is not None)
    for name, (kind, unit) in evaluation.names.types.items():
        formula = evaluation.study.formula(name)
        told = f"{unit.symbol}   {kind}" if formula is None else f"{unit.symbol}   {formula.expression}"
        yield Offer(name, told, name)
    yield from _functions(pieces=False)
    yield Offer("not", "the opposite", "not ")


def _ends_a_value(before: str) -> bool:
    """Return whether a text ends with something that has a value: a name, a number, a bracket that closes."""
    if not before or before[-1] in ")]":
        return bool(before)
    if before[-1] == '"':
        return before.count('"') % 2 == 0
    return (before[-1].isalnum() or before[-1] in "_%°²³⁻¹") and word_at(before, len(before)) not in KEYWORDS


_WORDS = (
    ("where", "only samples that fulfil a condition"),
    ("in", "a reading over an interval"),
    ("over", "a reading per cycle, pulse or block"),
    ("to", "said in another unit"),
    ("and", "both conditions"),
    ("or", "one of two conditions"),
)


def _functions(pieces: bool) -> Iterator[Offer]:
    for function in all_functions():
        if (function.pieces is not None) == pieces:
            told = function.help.partition(". ")[0]
            yield Offer(
                function.name, told, f"{function.name}(" if function.parameters and not _none_needed(function) else function.name
            )


def _none_needed(function: Function) -> bool:
    return function.pieces is not None and function.least == 0


def _intervals(evaluation: Evaluation) -> Iterator[Offer]:
    for interval in evaluation.study.intervals:
        text = _quoted(interval.name)
        yield Offer(text, from_to(interval.start_s, interval.stop_s), text)
    yield Offer('"whole record"', "all there is", '"whole record"')


def _quoted(name: str) -> str:
    """Return a name as a formula takes it."""
    return name if name.isidentifier() else f'"{name}"'


class CallAt(msgspec.Struct, frozen=True):
    """The call that a place of a text lies in, and which of its arguments."""

    function: Function
    argument: int


def call_at(text: str, at: int) -> CallAt | None:
    """Return the innermost call around a place, as far as the text goes: brackets before it that are not closed."""
    commas, depth, place = 0, 0, at
    while place > 0:
        place -= 1
        sign = text[place]
        if sign in ")]":
            depth += 1
        elif sign in "([" and depth:
            depth -= 1
        elif sign == "," and not depth:
            commas += 1
        elif sign == "[":
            commas = 0  # points of a curve are one argument
        elif sign == "(":
            function = function_named(word_at(text, place))
            if function is not None:
                return CallAt(function, commas)
            commas = 0
    return None


def argument_help(found: CallAt) -> tuple[str, str]:
    """Return the call with the argument one is in between ‹ and ›, and what it is."""
    function = found.function
    parts = [parameter.shown for parameter in function.parameters]
    current = min(found.argument, len(parts) - 1)
    parameter = function.parameter(found.argument)
    if parameter is None:
        return function.call, f"{function.name} takes {len(parts)} argument{'s' if len(parts) != 1 else ''}"
    parts[current] = f"‹{parts[current]}›"
    return f"{function.name}({', '.join(parts)})", f"{parameter.name}: {parameter.wanted}. {function.help}"
