"""The derive line: what a formula would result in while it is typed, or what is wrong and where."""

import math

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import value_accuracy
from pantelos.errors import FormulaError, PantelosError
from pantelos.formula.compile import compile_formula
from pantelos.formula.compiled import Kind, Known
from pantelos.formula.derived import Scalar
from pantelos.formula.functions import all_functions
from pantelos.formula.nodes import Call
from pantelos.formula.syntax import nodes_of, plain
from pantelos.notation import count, with_accuracy
from pantelos.reading.kinds import READINGS
from pantelos.study import operations as op
from pantelos.study.model import Study


class Judgement(msgspec.Struct, frozen=True):
    """What is said beside the line: the unit and kind of the result, or the error and the place it points at."""

    good: bool
    text: str
    start: int = 0
    stop: int = 0
    kind: Kind | None = None
    names: bool = False  # defines a name


def judge(evaluation: Evaluation, text: str) -> Judgement:
    """Return what a formula would result in; touches no sample."""
    if not text.strip():
        return Judgement(True, "")
    try:
        types = {name: of for name, of in evaluation.names.types.items() if not text.startswith(f"{name} =")}
        name, compiled = compile_formula(text, Known(types, evaluation.names.intervals, evaluation.names.searches))
        replaced = _replaced(evaluation, op.set_formula(evaluation.study, text), name) if name is not None else ""
    except FormulaError as error:
        return Judgement(False, error.message, error.start, error.stop)
    except PantelosError as error:
        return Judgement(False, str(error))
    amount = f", {count(evaluation.record.n_samples)} samples" if compiled.kind is Kind.SIGNAL else ""
    said = f"{compiled.unit.symbol}   {compiled.kind}{amount}{replaced}"
    return Judgement(True, said, kind=compiled.kind, names=name is not None)


def _replaced(evaluation: Evaluation, changed: Study, name: str) -> str:
    """Return which formula another of its name replaces, and what becomes of those that rest on it."""
    before, after = evaluation.study.formula(name), changed.formula(name)
    if before is None or before == after:
        return ""
    then = evaluation.on(changed).names
    said = [f"replaces {before.text}"]
    for formula in changed.formulas:
        old, new = evaluation.names.types.get(formula.name), then.types.get(formula.name)
        if formula.name == name or old is None or old == new:
            continue
        said.append(
            f"{formula.name} becomes {new[1].symbol}, {new[0]}" if new is not None else f"{formula.name} cannot be computed then"
        )
    return "   ·   " + "; ".join(said)


def answer(evaluation: Evaluation, text: str) -> str:
    """Return a reading or formula without a name as text; may take time."""
    found = evaluation.value(text)
    if not isinstance(found, Scalar):
        return "Give it a name to see it, as in p1 = …"
    places = ", ".join(places_of(evaluation, text))
    return with_accuracy(found.value, _expanded(evaluation, text), found.unit) + (f"   in {places}" if places else "")


def _expanded(evaluation: Evaluation, text: str) -> float:
    """Return the expanded uncertainty of what a text without a name results in; NaN where it is not stated."""
    name = next(free for k in range(1, 99) if (free := f"asked_{k}") not in evaluation.study.names)
    try:
        return value_accuracy(evaluation.on(op.set_formula(evaluation.study, f"{name} = {text}")), name).expanded
    except PantelosError:
        return math.nan


def places_of(evaluation: Evaluation, text: str) -> tuple[str, ...]:
    """Return the intervals that the readings of a formula are taken in, each once."""
    readings = [
        node for node in nodes_of(text) if isinstance(node, Call) and node.over is None and node.function.text in READINGS
    ]
    named = [plain(node.interval) if node.interval is not None else None for node in readings]
    return tuple(dict.fromkeys(evaluation.times.name(interval) for interval in named))


def completions(evaluation: Evaluation) -> list[str]:
    """Return the words offered while typing: channels, formulas, functions, places."""
    words = list(evaluation.names.types) + [f"{entry.name}(" for entry in all_functions() if entry.pieces is None]
    words += ["where ", "in ", *(f"over {entry.name}(" for entry in all_functions() if entry.pieces is not None)] + [
        f'in "{interval.name}"' for interval in evaluation.study.intervals
    ]
    return words
