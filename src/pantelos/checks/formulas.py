"""Every formula can be computed."""

from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.errors import SwitchedOff
from pantelos.formula.compiled import Kind
from pantelos.formula.uses import places_of_readings
from pantelos.notice import Notice, Severity
from pantelos.study.finding import Finding, Remedy


def formulas(evaluation: Evaluation) -> Iterator[Notice]:
    """Check that every formula can be computed."""
    evaluation.computable(*Kind)
    for name, error in (evaluation.names.broken | evaluation.failing).items():
        if isinstance(error, SwitchedOff):
            continue
        mend = Remedy("Edit the formula", formula=name)
        yield Finding(Severity.FAULT, "formula.broken", f"{name} cannot be computed", str(error), name, remedy=mend)
    for formula in evaluation.study.formulas:
        named, active = places_of_readings(formula.expression)
        if named and active and formula.on:
            text = f"{formula.name} mixes places: {', '.join(sorted(named))} and whichever interval is active"
            yield Notice(Severity.NOTE, "formula.places", text, "name the interval of each reading, such as mean(p1) in steady")


CHECK = Check("formulas", "Formulas can be computed", formulas, place=1)
