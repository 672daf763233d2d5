"""The hand-over as part of the study: which sheets, in which order, and the template of another study."""

from collections.abc import Iterable
from typing import Any

from msgspec.structs import replace

from pantelos.errors import StudyError, clipped
from pantelos.study.model import Study
from pantelos.study.report import ColumnChoice, Report, SheetChoice

_PAPERS = ("A4", "Letter")


def set_report(study: Study, **changes: Any) -> Study:
    """Return the study with another hand-over.

    Raises
    ------
    StudyError
        When an interval is not there, or the paper has no known size.
    """
    report = replace(study.report, **changes)
    known = {interval.name for interval in study.intervals}
    for name in report.intervals:
        if name not in known:
            raise StudyError(f'There is no interval "{clipped(name)}" for the report.')
    if report.paper not in _PAPERS:
        raise StudyError(f'"{clipped(report.paper)}" is no paper; there are {" and ".join(_PAPERS)}.')
    return replace(study, report=report)


def arrange_sheets(study: Study, sheets: Iterable[tuple[str, bool]]) -> Study:
    """Return the study with its sheets in this order, each in or out."""
    return set_report(study, sheets=tuple(SheetChoice(id_, on) for id_, on in sheets))


def choose_columns(study: Study, sheet: str, choice: ColumnChoice | None) -> Study:
    """Return the study with the columns of a sheet chosen; None: as they are."""
    others = {id_: one for id_, one in study.report.columns.items() if id_ != sheet}
    return set_report(study, columns=others if choice is None else {**others, sheet: choice})


def with_template(study: Study, report: Report) -> Study:
    """Return the study with the hand-over of another one: intervals that this one does not have are left out."""
    known = {interval.name for interval in study.intervals}
    return set_report(
        study,
        **{name: getattr(report, name) for name in report.__struct_fields__ if name != "intervals"},
        intervals=tuple(name for name in report.intervals if name in known),
    )
