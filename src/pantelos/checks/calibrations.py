"""Equipment whose calibration had ended when the record was made."""

from collections.abc import Iterator

from pantelos.checks.check import Check
from pantelos.engine.evaluation import Evaluation
from pantelos.engine.testing_day import overdue, testing_day
from pantelos.notice import Notice, Severity


def calibrations(evaluation: Evaluation) -> Iterator[Notice]:
    """Yield a notice for each equipment that was overdue."""
    dated = [one for one in evaluation.study.report.equipment if one.due]
    if dated and testing_day(evaluation) is None:
        written = evaluation.study.report.facts.get("date", "")
        said = f'"{written}" is read as no date' if written else "the record says none, and the title page neither"
        what = "whether calibrations held cannot be told"
        yield Notice(Severity.CAUTION, "report.calibration", what, f"{said}: write date as 2026-12-03")
    for one in evaluation.study.report.equipment:
        if overdue(evaluation, one):
            name = f"{one.what} {one.serial}".strip()
            said = f"its calibration ended on {one.due}, the test is of {testing_day(evaluation)}"
            yield Notice(Severity.CAUTION, "report.calibration", f"{name} is overdue", said)


CALIBRATIONS = Check("calibrations", "Equipment is calibrated", calibrations, place=80)
