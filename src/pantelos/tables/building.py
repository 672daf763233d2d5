"""Tables of a study, made by name or all that it can fill."""

from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import PantelosError, StudyError
from pantelos.progress import Progress
from pantelos.sheets.table import Table, TableSet
from pantelos.tables.kinds import TABLES
from pantelos.tables.provenance import provenance_of
from pantelos.tables.subjects import chosen_intervals


def build_tables(
    evaluation: Evaluation,
    ids: Sequence[str] | None = None,
    intervals: Sequence[str] | None = None,
    progress: Progress | None = None,
    also: Sequence[str] = (),
) -> TableSet:
    """Return the tables asked for (all that the study can fill, and `also` some, when None), and their provenance.

    Of tables asked for by name those that cannot be filled are said in the provenance.

    Raises
    ------
    StudyError
        When none of the tables asked for by name can be filled.
    """
    progress = progress or Progress()
    places = chosen_intervals(evaluation.study, intervals)
    tables, refused = [], list[tuple[str, PantelosError]]()
    for at, id_ in enumerate(ids or [kind.id for kind in TABLES if not kind.on_request or kind.id in also]):
        kind = TABLES[id_]
        try:
            tables.append(built(id_, evaluation, places, progress.part(at / len(TABLES), (at + 1) / len(TABLES))))
        except PantelosError as error:
            refused.append((kind.title, error))
    if ids and not tables:
        raise refused[0][1]
    not_given = tuple((title, f"not given: {error}") for title, error in refused if ids or not isinstance(error, StudyError))
    not_given += tuple((f"formula {name}", f"not given: {error}") for name, error in evaluation.failing.items())
    return TableSet(tuple(tables), provenance_of(evaluation, places, not_given))


def built(id_: str, evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return one table.

    Raises
    ------
    StudyError
        When there is none of that name, or the study cannot fill it.
    """
    build = TABLES[id_].build
    assert build is not None
    return build(evaluation, places, progress)
