"""The formula list: what each formula is, what it results in, who uses it, and how it stands with it."""

from enum import StrEnum

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import FormulaError, SwitchedOff
from pantelos.formula.compiled import Kind
from pantelos.formula.uses import names_used
from pantelos.study.model import Study


class State(StrEnum):
    """How it stands with a formula."""

    GOOD = "computed"
    OFF = "switched off"
    WAITING = "waits for one that is switched off"
    BROKEN = "cannot be computed"


KIND_WORDS = {Kind.SIGNAL: "curve", Kind.SERIES: "series", Kind.SCALAR: "value", Kind.CONDITION: "condition"}


class FormulaRow(msgspec.Struct, frozen=True):
    """One row of the list."""

    name: str
    expression: str
    kind: str  # "" where it is not computed
    unit: str
    used_by: tuple[str, ...]
    state: State
    said: str = ""  # what is wrong

    @property
    def result(self) -> str:
        """Kind and unit in a few letters."""
        return f"{self.kind}, {self.unit}" if self.kind and self.unit != "1" else self.kind


def formula_rows(evaluation: Evaluation) -> list[FormulaRow]:
    """Return the formulas of the study, in its order."""
    users: dict[str, list[str]] = {}
    for formula in evaluation.study.formulas:
        for used in names_used(formula.expression):
            users.setdefault(used, []).append(formula.name)
    return [_row(evaluation, evaluation.study, name.name, tuple(users.get(name.name, ()))) for name in evaluation.study.formulas]


def _row(evaluation: Evaluation, study: Study, name: str, used_by: tuple[str, ...]) -> FormulaRow:
    formula = study.formula(name)
    assert formula is not None
    error = evaluation.names.broken.get(name)
    if error is None:
        kind, unit = evaluation.names.types[name]
        return FormulaRow(name, formula.expression, KIND_WORDS[kind], unit.symbol, used_by, State.GOOD)
    state = (State.OFF if not formula.on else State.WAITING) if isinstance(error, SwitchedOff) else State.BROKEN
    said = error.message if isinstance(error, FormulaError) else str(error)
    return FormulaRow(name, formula.expression, "", "", used_by, state, said if state is not State.OFF else "")
