"""Every formula can be computed."""

from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.notice import Notice, Severity


def formulas(evaluation: Evaluation) -> Iterator[Notice]:
    """Check that every formula can be computed."""
    for name, error in evaluation.names.broken.items():
        yield Notice(Severity.FAULT, "formula.broken", f"{name} cannot be computed", str(error), name, remedy="Edit the formula")


CHECK = Check("formulas", "Formulas can be computed", formulas, place=1)
