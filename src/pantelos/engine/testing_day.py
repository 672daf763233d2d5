"""The day of the test, and equipment whose calibration had ended by then."""

from datetime import UTC, date, datetime

from pantelos.engine.evaluation import Evaluation
from pantelos.study.report import Equipment


def testing_day(evaluation: Evaluation) -> date | None:
    """Return the day of the test: that of the record, else of the title page (ISO 8601); None where neither says."""
    began, said = evaluation.record.began, evaluation.study.report.facts.get("date", "")
    if began is not None:
        return datetime.fromtimestamp(began.ns / 1e9, UTC).date()
    try:
        return date.fromisoformat(said[:10])
    except ValueError:
        return None


def overdue(evaluation: Evaluation, one: Equipment) -> bool:
    """Return whether a calibration had ended on the day of the test."""
    day = testing_day(evaluation)
    return day is not None and bool(one.due) and date.fromisoformat(one.due) < day
