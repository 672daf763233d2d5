"""Series: one row per piece, with where it begins and ends."""

from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation, series_points
from pantelos.errors import StudyError
from pantelos.formula.compiled import Kind
from pantelos.formula.derived import Blocks
from pantelos.notation import counted
from pantelos.progress import Progress
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.tables.kind import TableKind

_MOST = 200_000  # rows


def series_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the values of all series whose pieces begin in the chosen intervals, in the order of time; each once.

    Raises
    ------
    StudyError
        When the study has no series, or more values than a table holds.
    """
    names = evaluation.computable(Kind.SERIES)
    if not names:
        raise StudyError("This study has no series yet. Derive one, such as f = frequency(u1) over cycles(u1).")
    columns = (
        TableColumn("series", "series"),
        TableColumn("number", "no.", "", "counted over the whole record"),
        TableColumn("start", "from", "s"),
        TableColumn("stop", "to", "s"),
        TableColumn("value", "value"),
        TableColumn("unit", "unit"),
        TableColumn("interval", "interval", "", "the first of the chosen intervals in which the piece begins"),
    )
    stretches = [(place, evaluation.times.interval(place)) for place in places]
    rows: list[tuple[TableCell, ...]] = []
    method = []
    for at, name in enumerate(names):
        found = evaluation.samples.resolve(name)
        if not isinstance(found, Blocks):
            continue
        formula = evaluation.study.formula(name)
        assert formula is not None
        method.append(f"{formula.text}; {'; '.join(found.explained)}")
        for number, point in enumerate(series_points(evaluation, found), start=1):
            held = next((place for place, stretch in stretches if stretch.start_s <= point.start_s < stretch.stop_s), None)
            if held is not None or not stretches:
                value = cell(point.value / found.unit.factor)
                rows.append((name, number, point.start_s, point.stop_s, value, found.unit.symbol, held or ""))
        if len(rows) > _MOST:
            raise StudyError(f"The series have more than {_MOST} values in these intervals. Choose shorter ones.")
        progress.at((at + 1) / len(names))
    return Table("series", "Series", f"{len(names)} series, {counted(len(rows), 'value')}", columns, tuple(rows), tuple(method))


SERIES_TABLE = TableKind(
    "series", "Series", "values per cycle, pulse or block, with where each begins and ends", series_table, place=8
)
