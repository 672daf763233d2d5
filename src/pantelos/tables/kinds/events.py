"""Events of every search of the study."""

from collections.abc import Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.errors import StudyError
from pantelos.notation import counted
from pantelos.progress import Progress
from pantelos.sheets.table import Table, TableCell, TableColumn, cell
from pantelos.study.model import WHOLE_RECORD
from pantelos.study.sentences import sentence
from pantelos.tables.kind import TableKind


def events_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the events of all searches that lie in the chosen intervals; each once, in the order of time."""
    searches = evaluation.study.searches
    if not searches:
        raise StudyError("This study looks for no events yet. Say what to look for, such as u1 rises through 0 V.")
    columns = (
        TableColumn("events", "events"),
        TableColumn("number", "no.", "", "counted over the whole record"),
        TableColumn("time", "at", "s"),
        TableColumn("told", "told"),
        TableColumn("value", "value"),
        TableColumn("unit", "unit"),
        TableColumn("interval", "interval", "", "the first of the chosen intervals that holds it"),
    )
    stretches = [(place, evaluation.times.interval(place)) for place in places] or [
        (WHOLE_RECORD, evaluation.times.interval(WHOLE_RECORD))
    ]
    rows: list[tuple[TableCell, ...]] = []
    method = []
    for at, search in enumerate(searches):
        found = evaluation.events.find(search, progress.part(at / len(searches), (at + 1) / len(searches)))
        method.append(
            f"{search.name}: {sentence(search, evaluation.names.unit(search.channel))}; {len(found)} in the whole record"
        )
        for number, (position, value) in enumerate(zip(found.positions.tolist(), found.values.tolist(), strict=True), start=1):
            instant = evaluation.times.instant(position)
            held = next((place for place, stretch in stretches if stretch.start_s <= instant < stretch.stop_s), None)
            if held is not None:
                rows.append((search.name, number, instant, found.told, cell(value / found.unit.factor), found.unit.symbol, held))
    return Table(
        "events",
        "Events",
        f"{len(searches)} search{'' if len(searches) == 1 else 'es'}, {counted(len(rows), 'event')}",
        columns,
        tuple(rows),
        tuple(method),
    )


EVENTS_TABLE = TableKind("events", "Events", "instants found, counted and listed", events_table, place=7)
