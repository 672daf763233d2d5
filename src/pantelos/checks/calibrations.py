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
        said = "so nobody knows whether calibrations held: state it on the title page, as in date = 2026-12-03"
        yield Notice(Severity.CAUTION, "report.calibration", "the day of the test is not stated", said)
    for one in evaluation.study.report.equipment:
        if overdue(evaluation, one):
            name = f"{one.what} {one.serial}".strip()
            said = f"its calibration ended on {one.due}, the test is of {testing_day(evaluation)}"
            yield Notice(Severity.CAUTION, "report.calibration", f"{name} is overdue", said)


CALIBRATIONS = Check("calibrations", "Equipment is calibrated", calibrations, place=80)
