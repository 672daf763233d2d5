"""The derive line: what a formula would result in while it is typed, or what is wrong and where."""

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import FormulaError, PantelosError
from pantelos.formula.compile import compile_formula
from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Scalar
from pantelos.formula.functions import all_functions
from pantelos.formula.functions.partitions import PARTITIONS
from pantelos.notation import count, with_unit
from pantelos.study import operations as op


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
    places = [interval.name for interval in evaluation.study.intervals]
    try:
        name, compiled = compile_formula(
            text, {k: v for k, v in evaluation.names.types.items() if not text.startswith(f"{k} =")}, places
        )
        if name is not None:
            op.set_formula(evaluation.study, text)
    except FormulaError as error:
        return Judgement(False, error.message, error.start, error.stop)
    except PantelosError as error:
        return Judgement(False, str(error))
    amount = f", {count(evaluation.record.n_samples)} samples" if compiled.kind is Kind.SIGNAL else ""
    return Judgement(True, f"{compiled.unit.symbol}   {compiled.kind}{amount}", kind=compiled.kind, names=name is not None)


def answer(evaluation: Evaluation, text: str) -> str:
    """Return a reading or formula without a name as text; may take time."""
    found = evaluation.value(text)
    if isinstance(found, Scalar):
        return f"{with_unit(found.value, found.unit, 6)}   in {evaluation.times.name(None)}"
    return "Give it a name to see it, as in p1 = …"


def completions(evaluation: Evaluation) -> list[str]:
    """Return the words offered while typing: channels, formulas, functions, places."""
    words = list(evaluation.names.types) + [f"{entry.name}(" for entry in all_functions()]
    words += ["where ", "in ", *(f"over {kind.name}(" for kind in PARTITIONS)] + [
        f'in "{interval.name}"' for interval in evaluation.study.intervals
    ]
    return words
