"""A hand-over put together: the sheets of the study's report, in their order, those that cannot be filled left out and said."""

from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.sheets.blocks import Composition, Sheet
from pantelos.sheets.columns import with_columns
from pantelos.sheets.table import Table
from pantelos.study.model import WHOLE_RECORD, Study
from pantelos.study.report import Report
from pantelos.tables.building import built
from pantelos.tables.kind import Given, TableKind
from pantelos.tables.kinds import SHEETS
from pantelos.tables.subjects import chosen_intervals
from pantelos.version import __version__


def chosen_sheets(report: Report) -> list[tuple[TableKind, bool]]:
    """Return all kinds of sheet in the order of a report, and whether each is in; new kinds come behind."""
    if not report.sheets:
        return [(kind, kind.layout is not None and kind.layout.usual) for kind in SHEETS]
    arranged = [(SHEETS[one.id], one.on) for one in report.sheets if one.id in SHEETS.names]
    there = {kind.id for kind, _ in arranged}
    return [*arranged, *((kind, False) for kind in SHEETS if kind.id not in there)]


def chosen_places(study: Study) -> tuple[str, ...]:
    """Return the intervals that stand side by side."""
    return study.report.intervals or tuple(interval.name for interval in study.intervals) or (WHOLE_RECORD,)


def whole_sheet(id_: str, evaluation: Evaluation, notices: Sequence[Notice], progress: Progress | None = None) -> Sheet:
    """Return one sheet with all columns that it can have.

    Raises
    ------
    StudyError
        When the study cannot fill it, saying why.
    """
    return _laid_out(SHEETS[id_], _given(evaluation, notices, progress or Progress()))


def compose(
    evaluation: Evaluation, notices: Sequence[Notice], progress: Progress | None = None, only: Sequence[str] | None = None
) -> Composition:
    """Return the hand-over of a study; `only` some sheets where named."""
    progress = progress or Progress()
    kinds = [SHEETS[id_] for id_ in only] if only else [kind for kind, on in chosen_sheets(evaluation.study.report) if on]
    sheets, not_given = [], list[tuple[str, str]]()
    for k, kind in enumerate(kinds):
        given = _given(evaluation, notices, progress.part(k / len(kinds), (k + 1) / len(kinds)), tuple(one.id for one in kinds))
        try:
            sheets.append(with_columns(_laid_out(kind, given), evaluation.study.report.columns.get(kind.id)))
        except PantelosError as error:
            not_given.append((kind.sheet_title, str(error)))
    study = evaluation.study
    of = study.report
    program = f"Pantelos {__version__}"
    return Composition(study.title, program, tuple(sheets), tuple(not_given), of.paper, of.language, _own_words(study))


def _own_words(study: Study) -> frozenset[str]:
    """Return the words that the user gave."""
    named = {one.name for part in (study.channels, study.formulas, study.intervals, study.connections) for one in part}
    report = study.report
    equipment = {said for one in report.equipment for said in (one.what, one.serial, f"{one.what} {one.serial}")}
    return frozenset({study.title, *named, *report.facts.values(), *report.own, *equipment})


def _given(evaluation: Evaluation, notices: Sequence[Notice], progress: Progress, beside: tuple[str, ...] = ()) -> Given:
    places = chosen_places(evaluation.study)

    def table(id_: str) -> Table:
        return built(id_, evaluation, chosen_intervals(evaluation.study, places), progress.quiet())

    return Given(evaluation, evaluation.study.report, places, notices, progress, table, beside)


def _laid_out(kind: TableKind, given: Given) -> Sheet:
    assert kind.layout is not None
    if lacking := kind.layout.lacks(given.evaluation.study):
        raise StudyError(lacking)
    return kind.layout.make(given)
