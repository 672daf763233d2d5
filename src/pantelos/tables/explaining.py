"""Every number explains itself: formula, place, method, standard, accuracy, and what speaks against it."""

import math
import re
from collections.abc import Callable, Iterable, Sequence

import msgspec
from msgspec.structs import replace

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.references import recorded_behind
from pantelos.engine.uncertainty import Stated, lift_is_clear, noise_lift, power_accuracy, try_accuracy, value_accuracy
from pantelos.errors import PantelosError, StudyError
from pantelos.formula.derived import Scalar
from pantelos.formula.syntax import parse, single_reading
from pantelos.notation import MISSING, PARTLY, between, from_to, number, with_accuracy, with_unit, within_seen
from pantelos.notice import Notice
from pantelos.power.quantity_rows import POWER_QUANTITIES, parts_of
from pantelos.power.resolved_rows import RESOLVED_QUANTITIES
from pantelos.reading.kinds import reading_kind
from pantelos.reading.reading import ReadingKind
from pantelos.study import operations as op
from pantelos.study.model import WHOLE_RECORD, Connection
from pantelos.units import Unit, unit

_LISTED = 1e-4  # share of the variance from which a contribution is listed


class BudgetLine(msgspec.Struct, frozen=True):
    """One line of an accuracy budget, as text."""

    input: str
    shape: str
    contribution: str
    share: str


class Explanation(msgspec.Struct, frozen=True):
    """All that stands behind one number."""

    title: str
    value: str
    range: str  # between the lowest and highest it could be, or why that is not told
    facts: tuple[tuple[str, str], ...]  # label and text
    budget: tuple[BudgetLine, ...]
    remarks: tuple[str, ...]  # checks that concern it
    formula: str  # what gives the same number in the derive line

    @property
    def text(self) -> str:
        """Everything as plain text, for the clipboard and the command line."""
        lines = [f"{self.title} = {self.value}", self.range, *(f"{label}: {said}" for label, said in self.facts)]
        lines += [f"  {line.input}, {line.shape}: {line.contribution} ({line.share})" for line in self.budget]
        return "\n".join(line for line in (*lines, *(f"! {remark}" for remark in self.remarks)) if line)


def explain_reading(
    evaluation: Evaluation,
    kind: ReadingKind,
    channels: Sequence[str],
    interval: str | None = None,
    notices: Iterable[Notice] = (),
) -> Explanation:
    """Return what stands behind a reading."""
    reading = evaluation.reading(kind, channels, interval)
    place = evaluation.times.name(interval)
    stated = try_accuracy(evaluation, kind, channels, interval)
    window, rate = reading.window, evaluation.record.rate_hz
    facts = [
        ("is", kind.help),
        *(("formula", formula.text) for name in channels if (formula := evaluation.study.formula(name)) is not None),
        ("interval", f"{place}, {_span(evaluation, interval)}"),
        ("taken over", f"{reading.place(rate)}, {round(window.stop - window.start)} samples at {with_unit(rate, unit('Hz'), 6)}"),
        ("method", reading.method),
        ("after", kind.source),
        *_before(evaluation, channels, lambda other: other.reading(kind, channels, interval).value, reading.unit),
    ]
    facts += [*(("note", remark) for remark in reading.remarks), *_left_out(stated)]
    lift = noise_lift(evaluation, kind, channels, interval)
    if lift_is_clear(lift, stated):
        added, without = (with_unit(x, reading.unit, 6) for x in (lift, reading.value - lift))
        facts.append(("noise", f"adds about {added} on the average; without it {without}"))
    return Explanation(
        kind.typed(channels, None if place == WHOLE_RECORD else place),
        _value(reading.value, stated, reading.unit),
        f"not given: {reading.why_not}" if reading.why_not else _range(reading.value, stated, reading.unit),
        tuple(facts),
        _budget(stated, reading.unit),
        _remarks(evaluation, channels, notices),
        kind.typed(channels, None if place == WHOLE_RECORD else place),
    )


def explain_value(evaluation: Evaluation, name: str, notices: Iterable[Notice] = ()) -> Explanation:
    """Return what stands behind a formula that is a single value."""
    found = evaluation.samples.scalar(name)
    formula = evaluation.study.formula(name)
    assert formula is not None
    stated = value_accuracy(evaluation, name)
    shown = evaluation.names.unit(name)
    facts = (
        ("formula", formula.text),
        *(("rests on", line) for line in found.explained),
        *_before(evaluation, [name], lambda other: other.samples.scalar(name).value, shown),
        *_left_out(stated),
    )
    return Explanation(
        name,
        _value(found.value, stated, shown),
        _range(found.value, stated, shown),
        facts,
        _budget(stated, shown),
        _remarks(evaluation, [name], notices),
        name,
    )


def explain_power(
    evaluation: Evaluation,
    connection: Connection,
    element: str,
    quantity: str,
    interval: str | None,
    notices: Iterable[Notice] = (),
) -> Explanation | None:
    """Return what stands behind a power quantity of an element (or "total"); None for one that has no budget of its own."""
    row = POWER_QUANTITIES.get(quantity) or RESOLVED_QUANTITIES.get(quantity)
    if row is None or row.noise is None:
        return None
    stated = power_accuracy(evaluation, connection, interval)[element, quantity]
    kind, power = evaluation.wiring_of(connection), evaluation.power(connection, interval)
    shown, place, window = unit(row.symbol or "1"), evaluation.times.name(interval), power.window
    factor = shown.factor if row.symbol == "°" else 1.0

    def look(other: Evaluation) -> float:
        parts = parts_of(other.power(connection, interval), [e.name for e in kind.elements])
        return float(row.value(*parts[element])) * factor

    value = look(evaluation)
    facts = (
        ("connection", f"{connection.name}, {kind.title}: " + ", ".join(f"{s} = {c}" for s, c in connection.sockets.items())),
        ("interval", f"{place}, {_span(evaluation, interval)}"),
        ("taken over", f"{window.n_cycles} whole cycles of {power.reference}" if window.n_cycles else "all samples"),
        ("method", f"{row.method}, {window.rule} rule"),
        ("after", row.source),
        *_before(evaluation, list(connection.sockets.values()), look, shown),
        *(("note", remark) for remark in power.remarks),
        *_left_out(stated),
    )
    scaled = stated.scaled(factor)
    return Explanation(
        f"{quantity} of {element}, {connection.name}",
        _value(value, scaled, shown),
        _range(value, scaled, shown),
        facts,
        _budget(scaled, shown),
        _remarks(evaluation, list(connection.sockets.values()), notices),
        "",
    )


_OF_A_CONNECTION = re.compile(r"(?P<quantity>\S+) of (?P<element>.+?) of (?P<connection>.+?)(?: in (?P<interval>.+))?")
_ASKED = "value_asked"


def explain_expression(evaluation: Evaluation, expression: str, notices: Iterable[Notice] = ()) -> Explanation:
    """Return what stands behind a number as it is asked for: a reading, a formula, or `P of L1 of mains in steady`.

    Raises
    ------
    PantelosError
        When it is not understood, or is no single value.
    """
    if evaluation.study.formula(expression) is not None:
        return explain_value(evaluation, expression, notices)
    cell = _OF_A_CONNECTION.fullmatch(expression.strip())
    if cell is not None and any(cell["connection"] == one.name for one in evaluation.study.connections):
        return _explain_cell(evaluation, cell, notices)
    called = single_reading(parse(expression)[1])
    kind = reading_kind(called.name) if called is not None else None
    if called is not None and kind is not None and len(called.channels) == len(kind.arguments):
        return explain_reading(evaluation, kind, called.channels, called.interval or evaluation.study.active, notices)
    if not isinstance(evaluation.value(expression), Scalar):  # what is wrong with it is said of what was typed
        raise StudyError(f'"{expression}" is no reading of channels and has no single value. Write one like rms(u1).')
    own = evaluation.on(op.set_formula(evaluation.study, f"{_ASKED} = {expression}"))
    said = explain_value(own, _ASKED, notices)
    facts = tuple((label, expression if label == "formula" else text) for label, text in said.facts)
    return replace(said, title=expression, facts=facts, formula=expression)


def _explain_cell(evaluation: Evaluation, cell: re.Match[str], notices: Iterable[Notice]) -> Explanation:
    """Return what stands behind a cell of the table of powers."""
    connection = evaluation.study.connection(cell["connection"])
    elements = [each.name for each in evaluation.wiring_of(connection).elements]
    interval = evaluation.study.interval(cell["interval"].strip('"')).name if cell["interval"] else evaluation.study.active
    if cell["element"] not in (*elements, "total"):
        raise StudyError(f'"{connection.name}" has no {cell["element"]}; there are {", ".join(elements)} and total.')
    said = explain_power(evaluation, connection, cell["element"], cell["quantity"], interval, notices)
    if said is None:
        known = ", ".join(row.id for row in POWER_QUANTITIES if row.noise is not None)
        raise StudyError(f'"{cell["quantity"]}" is no power that explains itself; there are {known}.')
    return said


def _span(evaluation: Evaluation, interval: str | None) -> str:
    place = evaluation.times.interval(interval)
    return from_to(place.start_s, place.stop_s, ".9g")


def _value(value: float, stated: Stated, shown: Unit) -> str:
    if not math.isfinite(value):
        return MISSING
    if not math.isfinite(stated.expanded):
        return within_seen(value, stated.seen, shown)
    mark = PARTLY if stated.leaves_out else ""
    return f"{with_accuracy(value, stated.expanded, shown)}{mark} (k = 2)"


def _before(
    evaluation: Evaluation, names: Sequence[str], look: Callable[[Evaluation], float], shown: Unit
) -> Iterable[tuple[str, str]]:
    """Return the fact what a number was before anything known was taken off the channels behind it."""
    study = evaluation.study
    taken = {name: study.channel(name).scaling.corrections for name in recorded_behind(study, names)}
    taken = {name: said for name, said in taken.items() if said}
    if taken:
        channels = tuple(replace(c, scaling=c.scaling.as_read) for c in study.channels)
        try:
            before = with_unit(look(evaluation.on(replace(study, channels=channels))), shown, 8)
        except PantelosError:
            before = MISSING
        yield (
            "as read",
            f"{before}, before what is known was taken off: " + "; ".join(f"{n}: {said}" for n, said in taken.items()),
        )


def _left_out(stated: Stated) -> Iterable[tuple[str, str]]:
    """Return the fact that an accuracy leaves something out, where it does."""
    if stated.leaves_out:
        yield "± is", f"{stated.leaves_out} {PARTLY}: their chains state none, such as phase 0.5 deg"


def _range(value: float, stated: Stated, shown: Unit) -> str:
    if math.isfinite(stated.expanded):
        return between(value, stated.expanded, shown)
    return f"accuracy not stated: {stated.why_not}"


def _budget(stated: Stated, shown: Unit) -> tuple[BudgetLine, ...]:
    if stated.budget is None:
        return ()
    listed = [c for c in stated.budget.largest_first() if stated.budget.share(c) >= _LISTED]
    lines = [
        BudgetLine(
            c.input.title, str(c.input.shape), with_unit(c.amount, shown, 3), f"{number(100 * stated.budget.share(c), 3)} %"
        )
        for c in listed
    ]
    n_small = sum(1 for c in stated.budget.contributions if c.amount) - len(listed)
    return (*lines, BudgetLine(f"{n_small} more", "", "", "below 0.01 %")) if n_small else tuple(lines)


def _remarks(evaluation: Evaluation, channels: Sequence[str], notices: Iterable[Notice]) -> tuple[str, ...]:
    """Return the checks that found something about these channels, or about what they are made of."""
    concerned = {*channels, *recorded_behind(evaluation.study, channels)}
    return tuple(
        f"{notice.text}: {notice.detail}"
        for notice in notices
        if (notice.severity.asks and concerned & {notice.channel, *notice.also}) or notice.code == "interval.broken-cycles"
    )
