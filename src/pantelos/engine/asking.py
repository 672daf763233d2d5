"""One number, asked for by a text: its value with its ±, what it rests on, or why there is none.

The command line, campaigns and the library all ask here.
"""

import math

import msgspec

from pantelos.engine.evaluation import Evaluation
from pantelos.engine.uncertainty import Stated, value_accuracy
from pantelos.errors import StudyError
from pantelos.formula.derived import Scalar
from pantelos.study import operations as op
from pantelos.units import Unit

_OWN = "value_asked"


class Answer(msgspec.Struct, frozen=True):
    """A number in its unit; SI where it says so."""

    expression: str
    si: float  # NaN where there is none
    of: Unit
    stated: Stated  # SI
    rests_on: tuple[str, ...]  # a line for each reading in it: place, method, rule
    why_not: str  # why there is no value; empty where there is one

    @property
    def value(self) -> float:
        """The number in its unit."""
        return self.si / self.of.factor

    @property
    def unit(self) -> str:
        """The symbol of its unit; empty for a ratio."""
        return "" if self.of.symbol == "1" else self.of.symbol

    @property
    def expanded(self) -> float:
        """The expanded uncertainty, k = 2, in its unit; NaN where none is stated."""
        return self.stated.expanded / self.of.factor

    @property
    def remark(self) -> str:
        """What the ± leaves out, or why there is none."""
        return self.stated.leaves_out if math.isfinite(self.stated.expanded) else self.stated.why_not


def answer(evaluation: Evaluation, expression: str, with_accuracy: bool = True) -> Answer:
    """Return what a reading or formula comes to in a study, which stays as it is; its ± where that is asked for too.

    Raises
    ------
    PantelosError
        When it is not understood, cannot be computed, or is no single value.
    """
    known = evaluation.study.formula(expression) is not None
    found = evaluation.samples.resolve(expression) if known else evaluation.value(expression)
    if not isinstance(found, Scalar):
        raise StudyError(f'"{expression}" is no single value. Ask for a reading of it, such as mean({expression}).')
    return answer_of(evaluation, expression, found, with_accuracy)


def answer_of(evaluation: Evaluation, expression: str, found: Scalar, with_accuracy: bool = True) -> Answer:
    """Return the same of an expression whose value has been found."""
    why_not = ""
    if not math.isfinite(found.value):
        why_not = next((line for line in found.explained if "not given" in line), "; ".join(found.explained) or "it divides by 0")
    stated = _accuracy(evaluation, expression) if with_accuracy and not why_not else Stated(None, why_not)
    return Answer(expression, float(found.value), found.unit, stated, tuple(found.explained), why_not)


def _accuracy(evaluation: Evaluation, expression: str) -> Stated:
    """Return the accuracy of a formula of the study, or of a text as if it were one."""
    if evaluation.study.formula(expression) is not None:
        return value_accuracy(evaluation, expression)
    return value_accuracy(evaluation.on(op.set_formula(evaluation.study, f"{_OWN} = {expression}")), _OWN)
