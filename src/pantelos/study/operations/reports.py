"""The hand-over as part of the study: which sheets, in which order, and the template of another study."""

from collections.abc import Iterable
from datetime import date
from typing import Any

from msgspec.structs import replace

from pantelos.errors import StudyError, clipped
from pantelos.study.model import Study
from pantelos.study.report import ColumnChoice, Equipment, Report, SheetChoice

_PAPERS = ("A4", "Letter")
_EXAMPLE = "clamp 100 mV/A; serial CL-207; calibrated 2025-12-03; due 2026-12-03"


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


def set_fact(study: Study, label: str, text: str) -> Study:
    """Return the study with a fact of its title page; an empty one is taken out."""
    facts = {name: said for name, said in study.report.facts.items() if name != label}
    return set_report(study, facts=facts | {label: text.strip()} if text.strip() else facts)


def set_equipment(study: Study, texts: Iterable[str]) -> Study:
    """Return the study with what was measured with, as it is typed: a line each."""
    return set_report(study, equipment=tuple(equipment_from(text) for text in texts if text.strip()))


def equipment_from(text: str) -> Equipment:
    """Return equipment as it is typed: `clamp 100 mV/A; serial CL-207; calibrated 2025-12-03; due 2026-12-03`.

    Raises
    ------
    StudyError
        When a part is not known, or a date is none.
    """
    what, *rest = (part.strip() for part in text.split(";"))
    if not what:
        raise StudyError(f'"{clipped(text)}" names no equipment. Write for example {_EXAMPLE}.')
    found = dict[str, str]()
    for part in filter(None, rest):
        name, _, said = part.partition(" ")
        if name not in ("serial", "calibrated", "due") or not said.strip():
            raise StudyError(f'"{clipped(part)}" says nothing of equipment. Write for example {_EXAMPLE}.')
        found[name] = said.strip() if name == "serial" else _day(said.strip())
    return Equipment(what, **found)


def _day(text: str) -> str:
    try:
        return date.fromisoformat(text).isoformat()
    except ValueError as cause:
        raise StudyError(f'"{clipped(text)}" is no date. Write it as 2026-12-03.') from cause


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
