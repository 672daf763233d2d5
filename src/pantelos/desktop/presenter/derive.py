"""The derive line: what a formula would result in while it is typed, or what is wrong and where."""

import math
import warnings

import msgspec
import numpy as np

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import value_accuracy
from pantelos.errors import FormulaError, PantelosError, StudyError
from pantelos.formula.compile import compile_formula
from pantelos.formula.compiled import Kind, Known
from pantelos.formula.derived import Blocks, Condition, Scalar
from pantelos.formula.functions import function_named
from pantelos.formula.nodes import Call
from pantelos.formula.syntax import nodes_of, plain
from pantelos.notation import count, counted, with_accuracy, with_unit
from pantelos.reading.kinds import READINGS
from pantelos.record.waveform import Waveform
from pantelos.signal.arrays import FloatArray
from pantelos.study import operations as op
from pantelos.study.model import Study
from pantelos.units import Unit

_PREVIEWED, _COLUMNS = 1 << 18, 130  # samples of a preview, and how many pairs they become
_SHORT = 4_000_000  # samples of a record that is looked at as a whole for a preview
_LOOKED_AT = 1 << 20  # samples of an example that are looked at


class Judgement(msgspec.Struct, frozen=True):
    """What is said beside the line: the unit and kind of the result, or the error and the place it points at."""

    good: bool
    text: str
    start: int = 0
    stop: int = 0
    kind: Kind | None = None
    names: bool = False  # defines a name
    pending: bool = False  # a word is still being typed, or something is still to come: no error yet


def judge(evaluation: Evaluation, text: str, at: int | None = None) -> Judgement:
    """Return what a formula would result in; touches no sample. What ends at `at`, where it is being typed, is no error yet."""
    if not text.strip():
        return Judgement(True, "")
    try:
        types = {name: of for name, of in evaluation.names.types.items() if not text.startswith(f"{name} =")}
        name, compiled = compile_formula(text, Known(types, evaluation.names.intervals, evaluation.names.searches))
        replaced = _replaced(evaluation, op.set_formula(evaluation.study, text), name) if name is not None else ""
    except FormulaError as error:
        typing = at is not None and at >= len(text.rstrip()) and error.stop >= len(text.rstrip())
        unfinished = error.start == error.stop or text[error.start : error.stop].isidentifier()
        return Judgement(False, error.message, error.start, error.stop, pending=typing and unfinished)
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


def answer_of_any(evaluation: Evaluation, text: str) -> str:
    """Return what a formula comes to, whatever it results in, as text; may take time."""
    found = evaluation.value(text)
    if isinstance(found, Scalar):
        return answer(evaluation, text)
    if isinstance(found, Blocks):
        known = found.values[np.isfinite(found.values)]
        if not len(known):
            return f"no piece has a value; {'; '.join(found.explained)}"
        return f"{counted(len(known), 'value')}, {_between(float(known.min()), float(known.max()), found.unit)}"
    if isinstance(found, Condition):
        raise StudyError("A condition has no value of its own. Use it behind where.")
    start, stop = (round(edge) for edge in evaluation.times.span(None))
    x = found.read(start, min(stop, start + _LOOKED_AT))
    x = x[np.isfinite(x)]
    if not len(x):
        return f'no sample in "{evaluation.times.name(None)}" has a value'
    return f'a curve, {_between(float(x.min()), float(x.max()), found.unit)} in "{evaluation.times.name(None)}"'


def _between(low: float, high: float, unit: Unit) -> str:
    return f"{with_unit(low, unit)} to {with_unit(high, unit)}"


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


def worth_a_preview(evaluation: Evaluation, text: str) -> bool:
    """Return whether a preview comes soon: of a long record only what looks at the stretch alone, not at all of it."""
    if evaluation.record.n_samples <= _SHORT:
        return True
    calls = [node for node in nodes_of(text) if isinstance(node, Call)]
    functions = [function_named(call.function.text) for call in calls]
    return all(
        function is not None and function.local and call.over is None for function, call in zip(functions, calls, strict=True)
    )


def preview_curve(evaluation: Evaluation, text: str, start_s: float, stop_s: float) -> FloatArray | None:
    """Return what a formula gives in a stretch, lowest and highest value in turn, (2 * columns,); None where it has no curve.

    Of a long stretch only its middle is computed: a preview comes before the whole.
    """
    found = evaluation.value(text)
    if not isinstance(found, Waveform):
        return None
    start, stop = (round(edge) for edge in evaluation.times.positions(start_s, stop_s))
    if stop - start > _PREVIEWED:
        start = (start + stop - _PREVIEWED) // 2
        stop = start + _PREVIEWED
    values = found.read(max(start, 0), max(stop, start + 1))
    if len(values) <= 2 * _COLUMNS:
        return values
    rows = values[: len(values) // _COLUMNS * _COLUMNS].reshape(_COLUMNS, -1)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", RuntimeWarning)  # a column in which nothing has a value has none
        return np.stack([np.nanmin(rows, axis=1), np.nanmax(rows, axis=1)], axis=1).ravel()
