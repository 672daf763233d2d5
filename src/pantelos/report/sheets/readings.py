"""Readings per channel and interval."""

from collections.abc import Iterable, Sequence

from pantelos.engine.evaluation import Evaluation
from pantelos.formula.compiled import Kind
from pantelos.notation import counted
from pantelos.notice import Notice
from pantelos.progress import Progress
from pantelos.reading.kinds import READINGS, reading_kind
from pantelos.reading.reading import ReadingKind, Suits, general_method
from pantelos.report.explaining import Explanation, explain_reading
from pantelos.report.sheets.sheet import Heads, TableKind
from pantelos.report.subjects import windows_used
from pantelos.report.table import Cell, Table, TableColumn, cell
from pantelos.units import unit


def _shown(evaluation: Evaluation) -> tuple[ReadingKind, ...]:
    """Return the readings every table has, and those the user shows beside the lanes."""
    wanted = {*evaluation.study.columns.readings, evaluation.study.columns.compare}
    return tuple(kind for kind in READINGS if (kind.usual or kind.name in wanted) and kind.tabled)


def readings_table(evaluation: Evaluation, places: Sequence[str], progress: Progress) -> Table:
    """Return the usual readings, and those shown beside the lanes, of every channel in every interval."""
    names = evaluation.computable(Kind.SIGNAL, Kind.SERIES)
    shown_readings = _shown(evaluation)
    columns = [
        TableColumn("interval", "interval"),
        TableColumn("channel", "channel"),
        TableColumn("unit", "unit"),
        *(
            TableColumn(
                kind.name, kind.title, "" if kind.unit([unit("V")]) == unit("V") else kind.unit([unit("V")]).symbol, kind.help
            )
            for kind in shown_readings
        ),
        TableColumn("missing", "missing", "", "samples of the interval that have no value"),
        TableColumn("reference", "cycles of", "", "whose whole cycles the readings are taken over"),
        TableColumn("remarks", "remarks", "", "what is not given and why, and what a review should know"),
    ]
    rows: list[tuple[Cell, ...]] = []
    for place in places:
        for name in names:
            shown = evaluation.names.unit(name)
            cells: list[Cell] = [place, name, shown.symbol]
            remarks: dict[str, list[str]] = {}
            for kind in shown_readings:
                if not _applies(evaluation, kind, name):
                    cells.append(None)
                    continue
                found = evaluation.reading(kind, [name], place)
                cells.append(cell(found.value / kind.unit([shown]).factor))
                for said in (f"not given: {found.why_not}" if found.why_not else "", *found.remarks):
                    remarks.setdefault(said, []).append(kind.title)
            said = "; ".join(f"{', '.join(kinds)}: {text}" for text, kinds in remarks.items() if text)
            reference = evaluation.references.of([name])
            cycles = reference.channel if reference.cycles is not None else f"none: {reference.why}"
            rows.append((*cells, evaluation.n_missing(name, place), cycles, said or None))
            progress.at(len(rows) / (len(places) * len(names)))
    method = [f"{kind.title}: {general_method(kind)}" for kind in shown_readings]
    subtitle = f"{counted(len(names), 'channel')}, {counted(len(places), 'interval')}"
    method.append("missing samples are left out; a reading with more than 5 % of them missing is not given")
    method += windows_used(evaluation, places)
    return Table("readings", "Readings", subtitle, tuple(columns), tuple(rows), tuple(method))


def _applies(evaluation: Evaluation, kind: ReadingKind, name: str) -> bool:
    """Return whether a reading says something of a channel."""
    if kind.suits is Suits.HARMONIC:
        return name in evaluation.references.harmonic_channels()
    if kind.suits is Suits.ELECTRICAL:
        shown = evaluation.names.unit(name)
        return evaluation.names.kind(name) is Kind.SIGNAL and (shown.like(unit("V")) or shown.like(unit("A")))
    return True


def _explained(evaluation: Evaluation, heads: Heads, key: str, notices: Iterable[Notice]) -> Explanation | None:
    kind = reading_kind(key)
    return explain_reading(evaluation, kind, [heads["channel"]], heads["interval"], notices) if kind is not None else None


READINGS_TABLE = TableKind("readings", "Readings", "every channel in every interval", readings_table, _explained, place=1)
